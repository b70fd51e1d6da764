//! Lints that a writer asks for and no build reports: of posts, dates, terms and
//! gaps. What takes pages or files to tell, the builder adds.

mod dates;
#[cfg(test)]
mod tests;

use std::collections::BTreeSet;

use jiff::civil::Date;

use crate::catalogue::{Catalogue, PostId};
use crate::diagnostic::{Code, Diagnostic, Diagnostics};
use crate::id::LocaleId;
use crate::near_duplicates::near_duplicates;
use crate::post::Post;
use crate::settings::Settings;
use crate::source::Location;
use crate::term::Term;
use crate::time::Moment;

/// Every finding about posts and terms, in the order of the checks, within each in the order of
/// posts or terms. All of them are warnings.
#[must_use]
pub fn audit(catalogue: &Catalogue, settings: &Settings, moment: &Moment) -> Diagnostics {
    let odd = dates::odd(catalogue, moment.today());
    let sound = |id: &PostId| odd.iter().all(|(odd, _)| odd != id);
    let mut found = summaries(catalogue);
    found.extend(updates(catalogue));
    found.extend(gaps(catalogue, settings, sound));
    found.extend(terms(catalogue));
    found.extend(odd.into_iter().map(|(_, diagnostic)| diagnostic));
    found
}

/// Listed posts without a summary, and those whose summary is only cut from their text, in a
/// content set in which another has its own.
fn summaries(catalogue: &Catalogue) -> Diagnostics {
    let posts = catalogue.listed(None).iter().map(|id| catalogue.post(*id));
    let own = posts.clone().filter(|post| post.has_own_summary);
    let chosen: BTreeSet<usize> = own.map(|post| post.set).collect();
    let lacks = |post: &&Post| {
        post.summary.is_none() || !post.has_own_summary && chosen.contains(&post.set)
    };
    let found = posts.filter(lacks).map(|post| {
        let title = post.source.location(post.front.entries.first().map_or_else(
            Default::default,
            |entry| match post.front.get("title") {
                Some(title) => title.value.span,
                None => entry.key.span,
            },
        ));
        let message = match &post.summary {
            Some(_) => "no summary; lists show the beginning of the text",
            None => "no summary, and no text to take it from",
        };
        Diagnostic::warning(Code::MissingSummary, title, message).help(
            "write `summary: …` in the front matter, or `<!-- more -->` below an introduction",
        )
    });
    found.collect()
}

/// Posts that were updated before they were written.
fn updates(catalogue: &Catalogue) -> Diagnostics {
    let posts = catalogue.all().map(|id| catalogue.post(id));
    let found = posts.filter_map(|post| {
        let (date, updated) = (post.date?, post.updated?);
        (updated.at < date.at).then(|| {
            let message = format!("updated {}, before its date {}", updated.iso(), date.iso());
            Diagnostic::warning(Code::UpdatedEarly, post.location_of("updated"), message)
                .help("correct one of the two, or leave `updated` out")
        })
    });
    found.collect()
}

/// Months without a post between the first and the last of a dated content set.
fn gaps(
    catalogue: &Catalogue,
    settings: &Settings,
    sound: impl Fn(&PostId) -> bool,
) -> Diagnostics {
    let mut found = Diagnostics::new();
    for (number, set) in settings.content.iter().enumerate() {
        let posts = catalogue.of_set(number, None).iter();
        let days = posts.filter(|id| sound(id));
        let days = days.filter_map(|id| Some(catalogue.post(*id).date?.day));
        let months: Vec<i32> = days.map(month_number).collect();
        // Newest first.
        for pair in months.windows(2) {
            let (from, to) = (pair[1] + 1, pair[0] - 1);
            if !set.dated || from > to {
                continue;
            }
            let message = match from == to {
                true => format!("no post of `{}` in {}", set.name, month_name(from)),
                false => format!(
                    "no post of `{}` from {} to {}, {} months",
                    set.name,
                    month_name(from),
                    month_name(to),
                    to - from + 1
                ),
            };
            let location = settings.source.location(set.location);
            found.push(
                Diagnostic::warning(
                    Code::EmptyMonth,
                    Location {
                        excerpt: None,
                        ..location
                    },
                    message,
                )
                .help("if one is missing, look for a draft or a wrong date"),
            );
        }
    }
    found
}

/// Months since the year 0.
fn month_number(day: Date) -> i32 {
    i32::from(day.year()) * 12 + i32::from(day.month()) - 1
}

fn month_name(month: i32) -> String {
    format!(
        "{:04}-{:02}",
        month.div_euclid(12),
        month.rem_euclid(12) + 1
    )
}

/// Terms that one post has, and terms that are probably one.
fn terms(catalogue: &Catalogue) -> Diagnostics {
    let mut found = Diagnostics::new();
    let location = |term: &Term| {
        let written = term.written.as_ref();
        written.map_or_else(
            || Location::top_of(""),
            |(source, name)| source.location(name.span),
        )
    };
    for table in catalogue.term_tables() {
        let field = &table.field.name;
        for term in table.terms.iter().filter(|term| term.posts.len() == 1) {
            let message = format!("only one post has the {field} \"{}\"", term.name);
            found.push(
                Diagnostic::warning(Code::SinglePostTerm, location(term), message)
                    .help("give it to more posts, or delete it"),
            );
        }
        for alike in near_duplicates(&table.terms, catalogue.language(LocaleId::SITE).tag()) {
            let (term, like) = (table.term(alike.term), table.term(alike.like));
            let message = format!(
                "the {field} \"{}\" ({}) is probably \"{}\" ({}): they differ by {}",
                term.name,
                term.posts.len(),
                like.name,
                like.posts.len(),
                alike.how.about()
            );
            found.push(
                Diagnostic::warning(Code::NearDuplicateTerms, location(term), message).help(
                    format!("`tabulae terms {field}` prints the note that joins them"),
                ),
            );
        }
    }
    found
}
