//! `tabulae query "…"`

use std::time::{Duration, Instant};

use serde_json::{Value, json};
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::export::csv;
use tabulae_core::source::Source;
use tabulae_engine::{Posts, QueryPage, QueryPlan, Workspace};

use super::columns::Columns;
use crate::args::{Args, Format, QueryArgs};
use crate::snippets;
use crate::ui::table::{Column, Table, bar};
use crate::ui::{self, Status, counted};

pub(super) fn run(args: &Args, asked: &QueryArgs) -> Status {
    let QueryArgs { by, fields, .. } = asked;
    let by = by.as_deref();
    let page = match (&asked.this, &asked.language) {
        (Some(this), _) => QueryPage::Post(this),
        (None, Some(tag)) => QueryPage::InLanguage(tag),
        (None, None) => QueryPage::None,
    };
    let typed;
    let text = if asked.query == "-" {
        match std::io::read_to_string(std::io::stdin()) {
            Ok(text) => typed = text,
            Err(error) => {
                let message = format!("cannot read the query from standard input: {error}");
                let location = Source::command_line("-").top();
                let help = "write the query as text of UTF-8, or name it on the command line";
                let diagnostic =
                    Diagnostic::error(Code::InvalidUsage, location, message).help(help);
                return ui::failed(args, &[diagnostic]);
            }
        }
        typed.trim()
    } else {
        &asked.query
    };
    let site = args.workspace();
    let mut diagnostics = site.diagnostics().to_vec();
    if let Err(diagnostic) = Columns::check(fields, &site, asked.this.is_some()) {
        diagnostics.push(*diagnostic);
        return ui::failed(args, &diagnostics);
    }
    let began = Instant::now();
    let found = site.query_on(text, page).and_then(|posts| {
        let took = began.elapsed();
        let plan = asked
            .explain
            .then(|| site.query_plan(text, page))
            .transpose()?;
        let counts = by.map(|field| posts.count_by(field)).transpose();
        diagnostics.extend(posts.warnings().iter().cloned());
        Ok((counts?, plan.map(|plan| (plan, took)), posts))
    });
    let shown = match found {
        Ok((_, Some((plan, took)), _)) => show_plan(args, text, &plan, took),
        Ok((Some(counts), None, posts)) => {
            let by = by.unwrap_or_default();
            show_counts(args, text, by, &counts, posts.len())
        }
        Ok((None, None, posts)) => show(args, text, &site, &posts, fields),
        Err(error) => {
            ui::add_new(error.into_diagnostics(), &mut diagnostics);
            Shown::Object(json!({ "query": text }))
        }
    };
    let levels = site.settings().map(|settings| settings.audit.clone());
    let diagnostics = levels.unwrap_or_default().of(diagnostics);
    match shown {
        Shown::Object(object) if args.is_json() => ui::json(&object, &diagnostics),
        Shown::Object(_) => ui::report(&diagnostics, args.all),
        Shown::Text(text) => ui::report(&diagnostics, args.all).max(ui::print(&text)),
    }
}

enum Shown {
    Object(Value),
    Text(String),
}

fn show(args: &Args, text: &str, site: &Workspace, posts: &Posts<'_>, fields: &[String]) -> Shown {
    let columns = Columns::new(fields, site, posts);
    match args.format {
        Format::Json => Shown::Object(json!({
            "query": text,
            "total": posts.total(),
            "posts": posts.iter().map(|post| columns.object(post)).collect::<Value>(),
        })),
        Format::Ndjson => {
            let lines = posts
                .iter()
                .map(|post| format!("{}\n", columns.object(post)));
            Shown::Text(lines.collect())
        }
        Format::Text if fields.is_empty() => Shown::Text(as_table(posts, &columns)),
        Format::Text => Shown::Text(as_columns(posts, &columns)),
        Format::Csv => {
            let rows = posts.iter().map(|post| columns.texts(post));
            Shown::Text(csv(columns.names(), rows))
        }
        Format::Links => Shown::Text(
            posts
                .iter()
                .map(|post| format!("{}\n", post.link()))
                .collect(),
        ),
        Format::Template => Shown::Text(snippets::as_template(posts.query())),
        Format::Toml => Shown::Text(snippets::as_archive(posts.query())),
    }
}

/// Shows how a query is run.
fn show_plan(args: &Args, text: &str, plan: &QueryPlan, took: Duration) -> Shown {
    let milliseconds = took.as_secs_f64() * 1e3;
    if args.is_json() {
        let predicates = plan.steps.iter().map(|step| {
            json!({
                "predicate": step.predicate,
                "by_access_path": step.is_answered,
                "posts": step.rows,
            })
        });
        return Shown::Object(json!({
            "query": text,
            "access_path": plan.access_path,
            "candidates": plan.candidates,
            "predicates": predicates.collect::<Value>(),
            "found": plan.posts,
            "milliseconds": milliseconds,
        }));
    }
    let mut table = Table::new(vec![Column::text(), Column::number(), Column::text()]);
    let mut row = |step: &str, posts: usize, note: &str| {
        table.row(vec![step.to_owned(), posts.to_string(), note.to_owned()]);
    };
    row(
        &format!("access path: {}", plan.access_path),
        plan.candidates,
        "",
    );
    for step in &plan.steps {
        let note = if step.is_answered {
            "by the access path"
        } else {
            ""
        };
        row(&step.predicate, step.rows, note);
    }
    row("order, offset and limit", plan.posts, "");
    Shown::Text(format!("{}{milliseconds:.1} ms.\n", table.show()))
}

fn show_counts(
    args: &Args,
    text: &str,
    by: &str,
    counts: &[(String, String, usize)],
    posts: usize,
) -> Shown {
    if args.is_json() {
        let groups = counts
            .iter()
            .map(|(name, slug, count)| json!({ "term": name, "slug": slug, "count": count }));
        return Shown::Object(
            json!({ "query": text, "by": by, "groups": groups.collect::<Value>() }),
        );
    }
    if args.format == Format::Csv {
        let head = [by, "slug", "count"].map(str::to_owned);
        let rows = counts.iter();
        let rows =
            rows.map(|(name, slug, count)| vec![name.clone(), slug.clone(), count.to_string()]);
        return Shown::Text(csv(head.into(), rows));
    }
    if args.format == Format::Ndjson {
        let rows = counts.iter();
        let rows = rows.map(|(name, slug, count)| {
            format!(
                "{}\n",
                json!({ "term": name, "slug": slug, "count": count })
            )
        });
        return Shown::Text(rows.collect());
    }
    let most = counts.iter().map(|(.., count)| *count).max().unwrap_or(1);
    let mut table = Table::new(vec![Column::text(), Column::number(), Column::text()]);
    for (name, _, count) in counts {
        table.row(vec![name.clone(), count.to_string(), bar(*count, most)]);
    }
    Shown::Text(format!(
        "{}{}.\n",
        table.show(),
        counted(posts, "post", "posts")
    ))
}

/// Returns the table of date, title, terms and path; on a blog in several languages with the language.
fn as_table(posts: &Posts<'_>, columns: &Columns<'_>) -> String {
    let language = columns.has_languages().then(Column::fixed);
    let others = [Column::text(), Column::text(), Column::path()];
    let mut table = Table::new(
        [Column::fixed()]
            .into_iter()
            .chain(language)
            .chain(others)
            .collect(),
    );
    let fields = columns.terms();
    for post in posts.iter() {
        let terms: Vec<&str> = fields.iter().flat_map(|field| post.terms(field)).collect();
        let date = post.date().zoned();
        let date = date.map_or_else(String::new, |date| date.day.to_string());
        let language = columns.has_languages().then(|| post.language().to_owned());
        let others = [
            post.title().to_owned(),
            terms.join(", "),
            post.path().to_owned(),
        ];
        table.row([date].into_iter().chain(language).chain(others).collect());
    }
    format!(
        "{}{}{}",
        table.show(),
        count_line(posts),
        languages_line(posts, columns)
    )
}

/// Returns a note that pages find fewer posts than the command line, if they do.
fn languages_line(posts: &Posts<'_>, columns: &Columns<'_>) -> &'static str {
    let is_limited = posts.query().statement().names_language() || posts.is_on_page();
    match columns.has_languages() && !is_limited && !posts.is_empty() {
        true => "Of all languages; `--language TAG` shows what a page in one of them finds.\n",
        false => "",
    }
}

/// Returns the table of the fields that are asked for.
fn as_columns(posts: &Posts<'_>, columns: &Columns<'_>) -> String {
    let mut table = Table::new(columns.names().iter().map(|_| Column::text()).collect());
    for post in posts.iter() {
        table.row(columns.texts(post));
    }
    format!(
        "{}{}{}",
        table.show(),
        count_line(posts),
        languages_line(posts, columns)
    )
}

fn count_line(posts: &Posts<'_>) -> String {
    if posts.len() == posts.total() {
        return format!("{}.\n", counted(posts.len(), "post", "posts"));
    }
    let total = counted(posts.total(), "post", "posts");
    format!("{} of {total}.\n", posts.len())
}
