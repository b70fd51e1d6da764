//! `tabulae query "…"`

use serde_json::{Value, json};
use tabulae_core::archive;
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Faults};
use tabulae_core::query::{Answer, Query, Written};
use tabulae_core::source::{Passage, Source};
use tabulae_core::term::slug;
use tabulae_engine::site::Site;

use crate::args::{Args, Format};
use crate::ui::table::{Column, Table, bar};
use crate::ui::{self, Status, counted};

pub(super) fn run(args: &Args, text: &str, by: Option<&str>, this: Option<&str>) -> Status {
    let mut faults = Faults::new();
    let site = args.read_site(&mut faults);
    let answer = site
        .as_ref()
        .and_then(|site| answer(site, text, by, this, &mut faults));
    let shown = match (&site, &answer) {
        (Some(site), Some(answer)) => show(args, site, answer),
        _ => Shown::Object(json!({ "query": text })),
    };
    match shown {
        Shown::Object(object) if args.format == Format::Json => ui::json(&object, &faults),
        Shown::Object(_) => ui::faults(&faults),
        Shown::Text(text) => ui::faults(&faults).max(ui::print(&text)),
    }
}

/// A query's answer, and how it is to be shown.
struct Found {
    text: String,
    query: Query<Written>,
    answer: Answer,
    by: Option<(String, archive::By)>,
}

enum Shown {
    Object(Value),
    Text(String),
}

fn answer(
    site: &Site,
    text: &str,
    by: Option<&str>,
    this: Option<&str>,
    faults: &mut Faults,
) -> Option<Found> {
    let this = match this {
        None => None,
        Some(name) => match find(site, name) {
            Ok(id) => Some(id),
            Err(fault) => {
                faults.push(*fault);
                return None;
            }
        },
    };
    let scope = site.scope().on_page(this.is_some());
    let query = Query::parse(&Passage::command_line(text))
        .map_err(|fault| faults.push(*fault))
        .ok()?;
    let resolved = query.resolve(scope).into_output(faults)?;
    let answer = resolved.run(&site.catalogue, this);
    if answer.total == 0 {
        faults.extend(query.why_empty(scope, this));
    }
    let by = match by {
        None => None,
        Some(name) => {
            let place = Source::command_line(name).top();
            let by = archive::by(name, &site.catalogue, place)
                .map_err(|fault| faults.push(*fault))
                .ok()?;
            Some((name.to_owned(), by))
        }
    };
    Some(Found {
        text: text.to_owned(),
        query,
        answer,
        by,
    })
}

/// The post that is named on the command line: by path, slug or link.
pub(super) fn find(site: &Site, name: &str) -> Result<PostId, Box<Diagnostic>> {
    site.find(name).map_err(|help| {
        let place = Source::command_line(name).top();
        let message = format!("there is no post `{name}`");
        Box::new(Diagnostic::error(Code::UsageUnfit, place, message).help(help))
    })
}

fn show(args: &Args, site: &Site, found: &Found) -> Shown {
    let posts = &found.answer.posts;
    if let Some((name, by)) = &found.by {
        return show_counts(args, site, found, name, by);
    }
    match args.format {
        Format::Json => Shown::Object(json!({
            "query": found.text,
            "total": found.answer.total,
            "posts": posts.iter().map(|id| post_json(site, *id)).collect::<Value>(),
        })),
        Format::Text => Shown::Text(as_table(site, &found.answer)),
        Format::Csv => Shown::Text(as_csv(site, posts)),
        Format::Links => Shown::Text(
            posts
                .iter()
                .map(|id| format!("{}\n", site.catalogue.link(*id).encoded))
                .collect(),
        ),
        Format::Template => Shown::Text(as_template(&found.query)),
        Format::Toml => Shown::Text(as_toml(&found.query)),
    }
}

fn show_counts(args: &Args, site: &Site, found: &Found, name: &str, by: &archive::By) -> Shown {
    let counts = archive::counts(by, &found.answer.posts, &site.catalogue);
    if args.format == Format::Json {
        let groups = counts
            .iter()
            .map(|(term, count)| json!({ "term": term.name, "slug": term.slug, "count": count }));
        return Shown::Object(
            json!({ "query": found.text, "by": name, "groups": groups.collect::<Value>() }),
        );
    }
    let most = counts.iter().map(|(_, count)| *count).max().unwrap_or(1);
    let mut table = Table::new(vec![Column::text(), Column::number(), Column::text()]);
    for (term, count) in &counts {
        table.row(vec![
            term.name.clone(),
            count.to_string(),
            bar(*count, most),
        ]);
    }
    Shown::Text(format!(
        "{}{}.\n",
        table.show(),
        counted(found.answer.posts.len(), "post", "posts")
    ))
}

/// The names of a post's terms in a field.
fn names(site: &Site, id: PostId, field: usize) -> Vec<&str> {
    let table = site.catalogue.terms(field);
    site.catalogue
        .terms_of(id, field)
        .iter()
        .map(|term| table.term(*term).name.as_str())
        .collect()
}

fn post_json(site: &Site, id: PostId) -> Value {
    let post = site.catalogue.post(id);
    let tables = site.catalogue.term_tables().iter().enumerate();
    let terms =
        tables.map(|(number, table)| (table.field.name.clone(), json!(names(site, id, number))));
    json!({
        "path": post.path,
        "link": site.catalogue.link(id).encoded,
        "title": &*post.title,
        "date": post.date.map(|date| date.iso()),
        "updated": post.updated.map(|date| date.iso()),
        "content": site.catalogue.sets()[post.set],
        "summary": post.summary.as_deref(),
        "terms": terms.collect::<serde_json::Map<_, _>>(),
    })
}

fn as_table(site: &Site, answer: &Answer) -> String {
    let mut table = Table::new(vec![
        Column::fixed(),
        Column::text(),
        Column::text(),
        Column::path(),
    ]);
    for id in &answer.posts {
        let post = site.catalogue.post(*id);
        let terms: Vec<&str> = (0..site.catalogue.term_tables().len())
            .flat_map(|field| names(site, *id, field))
            .collect();
        table.row(vec![
            post.date
                .map_or_else(String::new, |date| date.day.to_string()),
            post.title.to_string(),
            terms.join(", "),
            post.path.clone(),
        ]);
    }
    let shown = answer.posts.len();
    let count = if shown == answer.total {
        counted(shown, "post", "posts")
    } else {
        format!("{shown} of {}", counted(answer.total, "post", "posts"))
    };
    format!("{}{count}.\n", table.show())
}

/// Comma-separated values by RFC 4180, terms of a field parted by `; `.
fn as_csv(site: &Site, posts: &[PostId]) -> String {
    let fields: Vec<&str> = site
        .catalogue
        .term_tables()
        .iter()
        .map(|table| table.field.name.as_str())
        .collect();
    let mut rows = vec![
        ["date", "title", "link", "path"]
            .into_iter()
            .chain(fields)
            .map(str::to_owned)
            .collect::<Vec<_>>(),
    ];
    for id in posts {
        let post = site.catalogue.post(*id);
        let own = [
            post.date.map_or_else(String::new, |date| date.iso()),
            post.title.to_string(),
            site.catalogue.link(*id).encoded.clone(),
            post.path.clone(),
        ];
        let terms =
            (0..site.catalogue.term_tables().len()).map(|field| names(site, *id, field).join("; "));
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
