//! `tabulae explain PATH`

use std::fmt::Write as _;

use serde_json::json;
use tabulae_core::similarity::Score;
use tabulae_engine::{Membership, RelatedPost};

use crate::args::Args;
use crate::objects::Explained;
use crate::ui::table::{Column, Table};
use crate::ui::{self, Status};

pub(super) fn run(args: &Args, path: &str, archive: Option<&str>) -> Status {
    let site = args.workspace();
    let mut diagnostics = site.diagnostics().to_vec();
    let found = Explained::of(&site, path, archive).map_err(|error| {
        ui::add_new(error.into_diagnostics(), &mut diagnostics);
    });
    match found {
        Ok(found) if args.is_json() => ui::json(&found.object(archive), &diagnostics),
        Ok(found) => {
            let text = match (&found.membership, archive) {
                (Some(membership), Some(name)) => said(membership, name),
                _ => as_text(&found),
            };
            ui::report(&diagnostics, args.all).max(ui::print(&text))
        }
        Err(()) if args.is_json() => ui::json(&json!({ "path": path }), &diagnostics),
        Err(()) => ui::report(&diagnostics, args.all),
    }
}

fn said(membership: &Membership, archive: &str) -> String {
    let word = if membership.is_member { "is" } else { "is not" };
    format!("It {word} in `{archive}`: {}.\n", membership.reason)
}

/// A likeness with nine digits.
fn digits(likeness: u32) -> String {
    Score::from_units(likeness).to_string()
}

fn as_text(found: &Explained<'_>) -> String {
    let mut text = String::new();
    let Explained {
        post, explanation, ..
    } = found;
    let _ = writeln!(text, "{}, {}", post.path(), post.link());
    let _ = writeln!(
        text,
        "{}: {}",
        explanation.state.name(),
        explanation.reasons.join("; ")
    );
    let mut fields = Table::new(vec![Column::fixed(), Column::text(), Column::path()]);
    for field in &explanation.fields {
        fields.row(vec![
            field.name.clone(),
            cut(&field.value),
            field.from.clone(),
        ]);
    }
    let _ = write!(text, "\nFields\n{}", fields.show());
    if explanation.lists.is_empty() {
        let _ = writeln!(text, "\nIn no list.");
    } else {
        let mut lists = Table::new(vec![Column::fixed(), Column::text(), Column::path()]);
        for list in &explanation.lists {
            let term = list.term.clone().unwrap_or_default();
            lists.row(vec![list.archive.clone(), term, list.link.clone()]);
        }
        let _ = write!(text, "\nLists\n{}", lists.show());
    }
    if !explanation.translations.is_empty() {
        let mut translations = Table::new(vec![Column::fixed(), Column::path()]);
        for (language, path) in &explanation.translations {
            translations.row(vec![language.clone(), path.clone()]);
        }
        let _ = write!(text, "\nTranslations\n{}", translations.show());
    }
    if found.post.has_related_list() {
        let _ = writeln!(text, "\nRelated");
        if found.related.is_empty() {
            let _ = writeln!(text, "none");
        }
        for related in &found.related {
            show_related(related, &mut text);
        }
    }
    text
}

/// Returns the beginning of a value, so that its origin is shown near it.
fn cut(value: &str) -> String {
    if value.chars().count() <= VALUE {
        return value.to_owned();
    }
    let start: String = value.chars().take(VALUE - 1).collect();
    format!("{}…", start.trim_end())
}

/// The number of characters of a value that are shown.
const VALUE: usize = 48;

fn show_related(related: &RelatedPost<'_>, text: &mut String) {
    let post = related.post;
    let named = if related.is_pinned {
        "  named by the post itself"
    } else {
        ""
    };
    let likeness = digits(related.likeness);
    let _ = writeln!(text, "{likeness}  {}  {}{named}", post.title(), post.path());
    for part in related.shared.iter().filter(|part| part.part > 0) {
        let _ = writeln!(
            text,
            "  {} {}: {}",
            digits(part.part),
            part.field,
            part.terms.join(", ")
        );
    }
}
