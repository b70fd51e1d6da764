//! The preview's own pages: diagnostics, and the workbench for queries.

use std::fmt::Write as _;

use tabulae_core::diagnostic::{Diagnostic, SHOWN, first_of_each};
use tabulae_engine::{Posts, QueryPage, escape};

use super::Preview;
use crate::ui::{self, counted};

/// The script that every served page loads.
pub(super) const SCRIPT: &str = include_str!("preview.js");

const STYLE: &str = "<style>
:host, .cover { color-scheme: light dark; }
.cover { position: fixed; inset: 0; z-index: 2147483647; overflow: auto; padding: 2rem 1rem; background: light-dark(#fffdf8fa, #161412fa); color: light-dark(#1d1b18, #ece7dc); font: 1rem/1.5 system-ui, sans-serif; }
.cover > * { max-width: 60rem; margin: 0 auto 1rem; }
h1 { font: 700 1.5rem/1.3 Georgia, serif; }
pre { overflow-x: auto; padding: .8rem 1rem; border-left: .25rem solid #b3432b; background: light-dark(#f3eee3, #24211d); font: .9rem/1.45 ui-monospace, monospace; white-space: pre-wrap; }
</style>";

/// Diagnostics as something that is laid over a page.
pub(super) fn cover(diagnostics: &[Diagnostic]) -> String {
    let errors = diagnostics
        .iter()
        .filter(|diagnostic| diagnostic.is_error())
        .count();
    let mut html = format!(
        "{STYLE}<div class=\"cover\" role=\"alert\"><h1>{}</h1>\n",
        counted(errors, "error", "errors")
    );
    for (diagnostic, more) in first_of_each(diagnostics, SHOWN) {
        let _ = writeln!(html, "<pre>{}</pre>", escape(&ui::plain(diagnostic)));
        if more > 0 {
            let _ = writeln!(html, "<p>and {more} more [{}]</p>", diagnostic.code.name());
        }
    }
    html.push_str("<p>The page below is the last good one. This goes away by itself.</p></div>");
    html
}

/// A whole page: where there is no site yet, or none at an address.
pub(super) fn page(title: &str, body: &str) -> String {
    format!(
        "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>{title}</title>\n<style>
:root {{ color-scheme: light dark; }}
body {{ max-width: 60rem; margin: 0 auto; padding: 1.5rem 1rem; font: 1rem/1.5 system-ui, sans-serif; color: light-dark(#1d1b18, #ece7dc); background: light-dark(#fbf9f4, #191714); }}
h1 {{ font: 700 1.6rem/1.3 Georgia, serif; }}
a {{ color: light-dark(#0b5a5e, #8fc7c4); }}
textarea, input {{ box-sizing: border-box; width: 100%; padding: .6rem; font: 1rem/1.4 ui-monospace, monospace; color: inherit; background: light-dark(#fff, #100f0d); border: 1px solid #8a8272; }}
textarea {{ min-height: 5rem; }}
input {{ max-width: 30rem; padding: .4rem .6rem; }}
button {{ padding: .4rem 1rem; font: inherit; }}
table {{ width: 100%; border-collapse: collapse; }}
td, th {{ padding: .35rem .8rem .35rem 0; border-bottom: 1px solid light-dark(#d8d2c5, #39342c); text-align: left; vertical-align: top; }}
td:first-child {{ white-space: nowrap; font-variant-numeric: tabular-nums; }}
pre {{ overflow-x: auto; padding: .8rem 1rem; border-left: .25rem solid #b3432b; background: light-dark(#f3eee3, #24211d); white-space: pre-wrap; font: .9rem/1.45 ui-monospace, monospace; }}
</style>\n</head>\n<body>\n{body}\n</body>\n</html>\n"
    )
}

/// The workbench: a query, what it finds, and what is wrong with it; as on the page of the post `this`, if one is named.
pub(super) fn workbench(preview: &Preview, text: &str, this: &str) -> String {
    let mut body = format!(
        "<h1>Try a query</h1>\n<form>\n<p><label>Query<br>\n<textarea name=\"q\" spellcheck=\"false\" autofocus>{}</textarea></label></p>\n<p><label>As on the page of (path or slug)<br>\n<input name=\"this\" value=\"{}\"></label></p>\n<p><button>Run</button> <a href=\"{}/\">to the site</a></p>\n</form>\n",
        escape(text),
        escape(this),
        preview.base()
    );
    let site = preview.args.workspace();
    let on = match this.trim() {
        "" => QueryPage::None,
        this => QueryPage::Post(this),
    };
    match site.query_on(text, on) {
        Ok(posts) => {
            let _ = writeln!(body, "{}", found(&posts));
            body.push_str(&listed(posts.warnings()));
        }
        Err(error) => body.push_str(&listed(error.diagnostics())),
    }
    page("Query", &body)
}

/// The posts of a query as a table.
fn found(posts: &Posts<'_>) -> String {
    let shown = match posts.len() < posts.total() {
        true => format!(", of which {} are shown", posts.len()),
        false => String::new(),
    };
    let total = counted(posts.total(), "post", "posts");
    let mut table = format!("<p>{total}{shown}</p>\n<table>\n");
    for post in posts.iter() {
        let date = post.date().zoned().map(|date| date.day.to_string());
        let _ = writeln!(
            table,
            "<tr><td>{}</td><td><a href=\"{}\">{}</a></td><td>{}</td></tr>",
            date.unwrap_or_default(),
            escape(&post.href()),
            escape(post.title()),
            escape(post.path())
        );
    }
    table + "</table>"
}

fn listed(diagnostics: &[Diagnostic]) -> String {
    let one = |diagnostic: &Diagnostic| format!("<pre>{}</pre>\n", escape(&ui::plain(diagnostic)));
    diagnostics.iter().map(one).collect()
}
