//! The preview's own pages: diagnostics, and what is shown where the site has no page.

use std::fmt::Write as _;

use tabulae_core::diagnostic::{Diagnostic, SHOWN, first_of_each};
use tabulae_engine::escape;

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
pre {{ overflow-x: auto; padding: .8rem 1rem; border-left: .25rem solid #b3432b; background: light-dark(#f3eee3, #24211d); white-space: pre-wrap; font: .9rem/1.45 ui-monospace, monospace; }}
</style>\n</head>\n<body>\n{body}\n</body>\n</html>\n"
    )
}
