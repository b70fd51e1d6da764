//! `tabulae query "…"`

use serde_json::{Map, Value, json};
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::query::{Query, Written};
use tabulae_core::source::Source;
use tabulae_core::term::slug;
use tabulae_engine::{PostRef, Posts, Workspace};

use crate::args::{Args, Format};
use crate::ui::table::{Column, Table, bar};
use crate::ui::{self, Status, counted};

pub(super) fn run(args: &Args, text: &str, by: Option<&str>, this: Option<&str>) -> Status {
    let typed;
    let text = if text == "-" {
        match std::io::read_to_string(std::io::stdin()) {
            Ok(text) => typed = text,
            Err(error) => {
                let message = format!("cannot read the query from standard input: {error}");
                let place = Source::command_line("-").top();
                let help = "write the query as text of UTF-8, or name it on the command line";
                let diagnostic = Diagnostic::error(Code::UsageUnfit, place, message).help(help);
                return ui::failed(args.is_json(), &[diagnostic]);
            }
        }
        typed.trim()
    } else {
        text
    };
    let site = args.workspace();
    let mut diagnostics = site.diagnostics().to_vec();
    let found = site.query_on(text, this).and_then(|posts| {
        let counts = by.map(|field| posts.count_by(field)).transpose();
        diagnostics.extend(posts.warnings().iter().cloned());
        Ok((counts?, posts))
    });
    let shown = match found {
        Ok((Some(counts), posts)) => {
            let by = by.unwrap_or_default();
            show_counts(args, text, by, &counts, posts.len())
        }
        Ok((None, posts)) => show(args, text, &site, &posts),
        Err(error) => {
            ui::add_new(error.into_diagnostics(), &mut diagnostics);
            Shown::Object(json!({ "query": text }))
        }
    };
    match shown {
        Shown::Object(object) if args.is_json() => ui::json(&object, &diagnostics),
        Shown::Object(_) => ui::report(&diagnostics),
        Shown::Text(text) => ui::report(&diagnostics).max(ui::print(&text)),
    }
}

enum Shown {
    Object(Value),
    Text(String),
}

fn show(args: &Args, text: &str, site: &Workspace, posts: &Posts<'_>) -> Shown {
    let fields = term_fields(site);
    match args.format {
        Format::Json => Shown::Object(json!({
            "query": text,
            "total": posts.total(),
            "posts": posts.iter().map(|post| post_json(post, &fields)).collect::<Value>(),
        })),
        Format::Text => Shown::Text(as_table(posts, &fields)),
        Format::Csv => Shown::Text(as_csv(posts, &fields)),
        Format::Links => Shown::Text(
            posts
                .iter()
                .map(|post| format!("{}\n", post.link()))
                .collect(),
        ),
        Format::Template => Shown::Text(as_template(posts.query())),
        Format::Toml => Shown::Text(as_toml(posts.query())),
    }
}

/// The names of the term fields.
fn term_fields(site: &Workspace) -> Vec<&str> {
    let tables = site.catalogue().map(|catalogue| catalogue.term_tables());
    let tables = tables.unwrap_or_default().iter();
    tables.map(|table| table.field.name.as_str()).collect()
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

fn post_json(post: PostRef<'_>, fields: &[&str]) -> Value {
    let date = |date: tabulae_engine::PostDate| date.stamp().map(|stamp| stamp.iso());
    let terms = fields.iter();
    let terms = terms.map(|field| ((*field).to_owned(), json!(post.terms(field))));
    json!({
        "path": post.path(),
        "link": post.link(),
        "title": post.title(),
        "date": date(post.date()),
        "updated": date(post.updated()),
        "content": post.set(),
        "summary": post.summary(),
        "terms": terms.collect::<Map<_, _>>(),
    })
}

fn as_table(posts: &Posts<'_>, fields: &[&str]) -> String {
    let mut table = Table::new(vec![
        Column::fixed(),
        Column::text(),
        Column::text(),
        Column::path(),
    ]);
    for post in posts.iter() {
        let terms: Vec<&str> = fields.iter().flat_map(|field| post.terms(field)).collect();
        let date = post.date().stamp();
        table.row(vec![
            date.map_or_else(String::new, |date| date.day.to_string()),
            post.title().to_owned(),
            terms.join(", "),
            post.path().to_owned(),
        ]);
    }
    let count = if posts.len() == posts.total() {
        counted(posts.len(), "post", "posts")
    } else {
        format!(
            "{} of {}",
            posts.len(),
            counted(posts.total(), "post", "posts")
        )
    };
    format!("{}{count}.\n", table.show())
}

/// Comma-separated values by RFC 4180, terms of a field separated by `; `.
fn as_csv(posts: &Posts<'_>, fields: &[&str]) -> String {
    let head = ["date", "title", "link", "path"].into_iter();
    let head = head.chain(fields.iter().copied()).map(str::to_owned);
    let mut rows: Vec<Vec<String>> = vec![head.collect()];
    for post in posts.iter() {
        let own = [
            post.date().to_string(),
            post.title().to_owned(),
            post.link().to_owned(),
            post.path().to_owned(),
        ];
        let terms = fields.iter().map(|field| post.terms(field).join("; "));
        rows.push(own.into_iter().chain(terms).collect());
    }
    let cell = |text: &String| {
        if text.contains(['"', ',', '\n', '\r']) {
            format!("\"{}\"", text.replace('"', "\"\""))
        } else {
            text.clone()
        }
    };
    rows.iter()
        .map(|row| row.iter().map(cell).collect::<Vec<_>>().join(",") + "\r\n")
        .collect()
}

/// A text within double quotes, as templates and TOML write them.
fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
}

fn as_template(query: &Query<Written>) -> String {
    format!(
        "{{% for post in query({}) %}}
<article>
<h2><a href=\"{{{{ post.link }}}}\">{{{{ post.title }}}}</a></h2>
{{% if post.date %}}<p><time datetime=\"{{{{ post.date }}}}\">{{{{ post.date|date }}}}</time></p>
{{% endif -%}}
{{% if post.summary %}}<p>{{{{ post.summary }}}}</p>
{{% endif -%}}
</article>
{{% else %}}
<p>Nothing here yet.</p>
{{% endfor %}}
",
        quoted(&query.to_string())
    )
}

/// The archive is named after the first text of the query.
fn as_toml(query: &Query<Written>) -> String {
    let text = query.to_string();
    let first = text
        .split('\'')
        .nth(1)
        .map(slug)
        .filter(|slug| !slug.is_empty() && slug.is_ascii());
    let name = first.unwrap_or_else(|| "list".to_owned());
    format!(
        "[archive.{name}]\nquery = {}\nlink = \"/{name}/\"\nper_page = 20\n",
        quoted(&text)
    )
}
