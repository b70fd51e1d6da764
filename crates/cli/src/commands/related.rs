//! `tabulae related [--table] [--try …]`

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::fs;
use std::path::Path;

use serde_json::{Value, json};
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::related::overview::{RelatedChange, RelatedFigures};
use tabulae_core::settings::Trial;
use tabulae_core::source::{Location, Source};
use tabulae_engine::{RelatedOverview, Workspace};

use crate::args::{Args, RelatedArgs};
use crate::ui::table::{Column, Table};
use crate::ui::{self, Status, counted};

/// The posts or lists that are shown of each kind, unless all are asked for.
const FEW: usize = 10;

pub(super) fn run(args: &Args, related: &RelatedArgs) -> Status {
    let site = args.workspace();
    let mut diagnostics = site.diagnostics().to_vec();
    let found = trials(related).and_then(|trials| {
        let now = site.related_overview()?;
        let then = match trials.is_empty() {
            true => None,
            false => Some(site.try_related(&trials)?),
        };
        Ok((now, then))
    });
    let (now, then) = match found {
        Ok(found) => found,
        Err(error) => {
            ui::add_new(error.into_diagnostics(), &mut diagnostics);
            return match args.is_json() {
                true => ui::json(&json!({}), &diagnostics),
                false => ui::report(&diagnostics, args.all),
            };
        }
    };
    if args.is_json() {
        return ui::json(&as_json(&now, then.as_ref()), &diagnostics);
    }
    let mut text = String::new();
    if now.lists.is_empty() && then.is_none() {
        text.push_str(&without_lists(&site));
    } else {
        show(&now, then.as_ref(), (args.all, related.table), &mut text);
    }
    ui::report(&diagnostics, args.all).max(ui::print(&text))
}

/// Reads what is tried: a file, or a key with its value.
fn trials(related: &RelatedArgs) -> Result<Vec<Trial>, tabulae_engine::Error> {
    let trial = |written: &String| {
        let ending = Path::new(written).extension();
        let is_file = !written.contains('=') && ending.is_some_and(|ending| ending == "toml");
        if !is_file {
            return Ok(Trial::Key(written.clone()));
        }
        let text = fs::read_to_string(written).map_err(|error| {
            let message = format!("{written} cannot be read: {error}");
            Diagnostic::error(Code::UnreadableFile, Location::top_of(written), message)
        })?;
        Ok(Trial::File(Source::new(written, &text)))
    };
    related.trials.iter().map(trial).collect()
}

fn without_lists(site: &Workspace) -> String {
    let has_table = site
        .settings()
        .is_ok_and(|settings| settings.all_related().next().is_some());
    match has_table {
        true => "No post has a page with a list of related posts.\n".to_owned(),
        false => "This site has no lists of related posts. Write `[related]` in tabulae.toml, or see first what it gives: `tabulae related --try weigh.tag=1`\n".to_owned(),
    }
}

fn show(
    now: &RelatedOverview<'_>,
    then: Option<&RelatedOverview<'_>>,
    (all, has_table): (bool, bool),
    text: &mut String,
) {
    let limit = if all { usize::MAX } else { FEW };
    figures(now, then, text);
    let shown = then.unwrap_or(now);
    never(shown, limit, text);
    most(shown, limit, text);
    if has_table {
        table(shown, text);
    }
    if let Some(then) = then {
        let changes = now.changes_to(then);
        compared(
            now,
            &changes,
            if has_table { usize::MAX } else { limit },
            text,
        );
    }
}

/// The rows of the figures: name, what it counts, its value.
type Figure = (&'static str, &'static str, fn(&RelatedFigures) -> usize);

const FIGURES: [Figure; 6] = [
    ("lists", "posts with a list of related posts", |of| of.lists),
    ("empty", "without any post", |of| of.empty),
    ("filled up", "with posts of `fill`", |of| of.filled),
    ("all fill", "with posts of `fill` alone", |of| of.all_fill),
    (
        "one-sided",
        "none of its posts has the list's post in return",
        |of| of.one_sided,
    ),
    ("never recommended", "posts in no list", |of| of.never.len()),
];

fn figures(now: &RelatedOverview<'_>, then: Option<&RelatedOverview<'_>>, text: &mut String) {
    let mut columns = vec![Column::fixed(), Column::number()];
    columns.extend(then.map(|_| Column::number()));
    columns.push(Column::text());
    let mut table = Table::new(columns);
    if then.is_some() {
        let head = ["", "now", "then", ""];
        table.row(head.map(str::to_owned).into());
    }
    for (name, about, figure) in FIGURES {
        let values = [Some(now), then].into_iter().flatten();
        let values = values.map(|overview| figure(&overview.figures).to_string());
        let cells = std::iter::once(name.to_owned()).chain(values);
        table.row(cells.chain([about.to_owned()]).collect());
    }
    text.push_str(&table.show());
}

fn never(overview: &RelatedOverview<'_>, limit: usize, text: &mut String) {
    let never = &overview.figures.never;
    if never.is_empty() {
        return;
    }
    let _ = writeln!(text, "\nNever recommended:");
    let mut table = Table::new(vec![Column::path(), Column::text()]);
    for id in never.iter().take(limit) {
        let post = overview.post(*id);
        table.row(vec![post.path().to_owned(), post.title().to_owned()]);
    }
    text.push_str(&table.show());
    rest(never.len(), limit, "post", "posts", text);
}

fn most(overview: &RelatedOverview<'_>, limit: usize, text: &mut String) {
    let recommended = &overview.figures.recommended;
    if recommended.is_empty() {
        return;
    }
    let _ = writeln!(text, "\nMost recommended:");
    let mut table = Table::new(vec![Column::number(), Column::path(), Column::text()]);
    for (id, lists) in recommended.iter().take(limit) {
        let post = overview.post(*id);
        let cells = [
            counted(*lists, "list", "lists"),
            post.path().to_owned(),
            post.title().to_owned(),
        ];
        table.row(cells.into());
    }
    text.push_str(&table.show());
}

/// Says how many more there are.
fn rest(total: usize, limit: usize, one: &str, many: &str, text: &mut String) {
    if total > limit {
        let more = counted(total - limit, one, many);
        let _ = writeln!(text, "and {more} more (`--all`)");
    }
}

/// Shows each list by its numbers.
fn table(overview: &RelatedOverview<'_>, text: &mut String) {
    let _ = writeln!(text, "\nEach list:");
    let columns = [
        Column::number(),
        Column::number(),
        Column::number(),
        Column::path(),
        Column::text(),
    ];
    let mut table = Table::new(columns.into());
    table.row(
        ["posts", "of fill", "in lists", "", ""]
            .map(str::to_owned)
            .into(),
    );
    let recommended = overview.figures.recommended.iter().copied();
    let recommended: BTreeMap<PostId, usize> = recommended.collect();
    for list in &overview.lists {
        let post = overview.post(list.post);
        let of_fill = list.posts.len() - list.found;
        let in_lists = recommended.get(&list.post).copied().unwrap_or_default();
        let numbers = [list.posts.len(), of_fill, in_lists].map(|number| number.to_string());
        let names = [post.path().to_owned(), post.title().to_owned()];
        table.row(numbers.into_iter().chain(names).collect());
    }
    text.push_str(&table.show());
}

/// Shows the lists that change, side by side.
fn compared(now: &RelatedOverview<'_>, changes: &[RelatedChange], limit: usize, text: &mut String) {
    if changes.is_empty() {
        let _ = writeln!(text, "\nNo list changes.");
        return;
    }
    let order = changes
        .iter()
        .filter(|change| change.is_order_alone())
        .count();
    let lists = counted(changes.len(), "list changes", "lists change");
    let _ = writeln!(text, "\n{lists}, {order} in order alone:");
    let title = |id: &PostId| now.post(*id).title().to_owned();
    for change in changes.iter().take(limit) {
        let _ = writeln!(text, "\n{}", now.post(change.post).path());
        let mut table = Table::new(vec![Column::fixed(), Column::text(), Column::text()]);
        let titles = |list: &Option<Vec<PostId>>| -> Vec<String> {
            let posts = list.as_deref().unwrap_or_default();
            posts.iter().map(title).collect()
        };
        let [before, after] = [titles(&change.now), titles(&change.then)];
        table.row(["", "now", "then"].map(str::to_owned).into());
        for at in 0..before.len().max(after.len()).max(1) {
            let cell = |list: &[String]| match list.get(at) {
                Some(title) => title.clone(),
                None if at == 0 => "nothing".to_owned(),
                None => String::new(),
            };
            table.row(vec![String::new(), cell(&before), cell(&after)]);
        }
        text.push_str(&table.show());
    }
    if changes.len() > limit {
        text.push('\n');
        rest(changes.len(), limit, "list", "lists", text);
    }
}

fn as_json(now: &RelatedOverview<'_>, then: Option<&RelatedOverview<'_>>) -> Value {
    let mut object = overview_json(now);
    if let Some(then) = then {
        let changes = now.changes_to(then);
        object["then"] = overview_json(then);
        object["changes"] = changes
            .iter()
            .map(|change| change_json(now, change))
            .collect();
    }
    object
}

fn overview_json(overview: &RelatedOverview<'_>) -> Value {
    let figures = &overview.figures;
    let path = |id: &PostId| overview.post(*id).path();
    let paths = |posts: &[PostId]| -> Vec<&str> { posts.iter().map(path).collect() };
    let recommended = figures.recommended.iter();
    let recommended = recommended.map(|(id, lists)| json!({ "path": path(id), "lists": lists }));
    let lists = overview.lists.iter().map(|list| {
        json!({ "path": path(&list.post), "posts": paths(&list.posts), "found": list.found })
    });
    json!({
        "figures": {
            "lists": figures.lists,
            "empty": figures.empty,
            "filled": figures.filled,
            "all_fill": figures.all_fill,
            "one_sided": figures.one_sided,
        },
        "never_recommended": paths(&figures.never),
        "recommended": recommended.collect::<Value>(),
        "lists": lists.collect::<Value>(),
    })
}

fn change_json(overview: &RelatedOverview<'_>, change: &RelatedChange) -> Value {
    let paths = |list: &Option<Vec<PostId>>| {
        let posts = list.as_ref()?.iter();
        Some(
            posts
                .map(|id| overview.post(*id).path())
                .collect::<Vec<_>>(),
        )
    };
    json!({
        "path": overview.post(change.post).path(),
        "now": paths(&change.now),
        "then": paths(&change.then),
    })
}
