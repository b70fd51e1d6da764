//! Dates that are probably a slip of the keys.

use jiff::civil::Date;

use crate::catalogue::{Catalogue, PostId};
use crate::diagnostic::{Code, Diagnostic};
use crate::post::{Post, date_of_name};
use crate::route::folder_of;

/// The number of files from which a folder's order says something about dates.
const FEW: usize = 5;
/// Days.
const YEAR: i64 = 366;
/// Days by which the date in a file's name may differ from that in its text.
const MONTH: i64 = 31;

/// Returns posts whose dates are far in the future, far from the date in the file's name, or far from those of
/// the files before and after, in a folder whose files are in the order of their dates.
pub(super) fn odd(catalogue: &Catalogue, today: Date) -> Vec<(PostId, Diagnostic)> {
    let dated = catalogue.all().filter_map(|id| {
        let post = catalogue.post(id);
        Some((id, post, post.date?.day))
    });
    let mut dated: Vec<(PostId, &Post, Date)> = dated.collect();
    dated.sort_unstable_by(|a, b| (folder(a.1), &a.1.path).cmp(&(folder(b.1), &b.1.path)));
    let mut found = Vec::new();
    for files in dated.chunk_by(|a, b| folder(a.1) == folder(b.1)) {
        let days: Vec<Date> = files.iter().map(|(_, _, day)| *day).collect();
        let in_order = is_in_order(&days);
        for (at, (id, post, day)) in files.iter().enumerate() {
            let reason = ahead(*day, today)
                .or_else(|| named_otherwise(post, *day))
                .or_else(|| out_of_order(&days, at).filter(|_| in_order));
            if let Some((message, meant)) = reason {
                let diagnostic =
                    Diagnostic::warning(Code::ImplausibleDate, post.location_of("date"), message);
                let help = match meant {
                    Some(meant) => format!("did you mean {meant}?"),
                    None => "look whether it is meant".to_owned(),
                };
                found.push((*id, diagnostic.help(help)));
            }
        }
    }
    found.sort_unstable_by_key(|(id, _)| *id);
    found
}

type Reason = (String, Option<Date>);

fn folder(post: &Post) -> &str {
    folder_of(&post.path)
}

fn days_from(a: Date, b: Date) -> i64 {
    i64::from((b - a).get_days())
}

/// A post is seldom scheduled for the year after next.
fn ahead(day: Date, today: Date) -> Option<Reason> {
    let years = day.year() - today.year();
    (years >= 2).then(|| {
        let message = format!("the date {day} is {years} years ahead");
        (message, year_meant(day, today.year()))
    })
}

/// The year near `near` that is `day`'s with two digits exchanged, or one of them another.
fn year_meant(day: Date, near: i16) -> Option<Date> {
    let digits = |year: i16| format!("{year:04}").into_bytes();
    let written = digits(day.year());
    let is_slip = |year: i16| {
        let other = digits(year);
        let differ: Vec<usize> = (0..4).filter(|at| written[*at] != other[*at]).collect();
        match differ[..] {
            [_] => true,
            [a, b] => written[a] == other[b] && written[b] == other[a],
            _ => false,
        }
    };
    let mut years = (0..=20).map(|back| near - back);
    let year = years.find(|year| is_slip(*year))?;
    day.with().year(year).build().ok()
}

fn named_otherwise(post: &Post, day: Date) -> Option<Reason> {
    let named: Date = date_of_name(&post.path)?.parse().ok()?;
    (days_from(named, day).abs() > MONTH).then(|| {
        let message = format!("the date is {day}, and the file's name says {named}");
        (message, Some(named))
    })
}

/// Returns true if four of five neighbours are in one order, earlier ones first or later ones.
fn is_in_order(days: &[Date]) -> bool {
    let pairs = days.len().saturating_sub(1);
    let count = |fits: fn(&Date, &Date) -> bool| {
        days.windows(2)
            .filter(|pair| fits(&pair[0], &pair[1]))
            .count()
    };
    let most = count(|a, b| a <= b).max(count(|a, b| a >= b));
    days.len() >= FEW && most * 5 >= pairs * 4
}

/// A date over a year from both neighbours', where those are within a year of one another.
fn out_of_order(days: &[Date], at: usize) -> Option<Reason> {
    let (before, after) = (*days.get(at.checked_sub(1)?)?, *days.get(at + 1)?);
    let day = days[at];
    let far = |other: Date| days_from(other, day).abs() > YEAR;
    let near = days_from(before, after).abs() <= YEAR;
    (near && far(before) && far(after)).then(|| {
        let message =
            format!("the date is {day}; the files before and after are of {before} and {after}");
        (message, year_meant(day, before.year().max(after.year())))
    })
}
