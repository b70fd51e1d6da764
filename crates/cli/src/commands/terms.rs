//! `tabulae terms [FIELD]`

use std::fmt::Write as _;

use jiff::civil::Date;
use serde_json::json;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::source::Location;
use tabulae_core::term::Term;
use tabulae_engine::{FieldTerms, Join, Workspace};

use crate::args::Args;
use crate::objects::terms_object;
use crate::ui::table::{Column, Table, bar};
use crate::ui::{self, Status, counted};

pub(super) fn run(args: &Args, field: Option<&str>, writes_notes: bool) -> Status {
    let site = args.workspace();
    let mut diagnostics = site.diagnostics().to_vec();
    let found = match site.terms(field) {
        Ok(found) => found,
        Err(error) => {
            ui::add_new(error.into_diagnostics(), &mut diagnostics);
            return match args.is_json() {
                true => ui::json(&terms_object(&[]), &diagnostics),
                false => ui::report(&diagnostics, args.all),
            };
        }
    };
    if args.is_json() {
        let mut object = terms_object(&found);
        if writes_notes {
            object["written"] = json!(write_notes(&site, &found, &mut diagnostics));
        }
        return ui::json(&object, &diagnostics);
    }
    let shown = ui::print(&as_text(&found));
    let mut text = String::new();
    if writes_notes {
        let written = write_notes(&site, &found, &mut diagnostics);
        let count = counted(written.len(), "note", "notes");
        let _ = writeln!(text, "\nWrote {count}{}", list(&written));
    }
    shown
        .max(ui::report(&diagnostics, args.all))
        .max(ui::print(&text))
}

/// Returns `: a, b.`, or `.` for an empty list.
fn list(paths: &[&str]) -> String {
    match paths {
        [] => ".".to_owned(),
        _ => format!(": {}.", paths.join(", ")),
    }
}

/// Writes the proposed notes that do not exist, and returns their paths. A note that exists is a warning.
fn write_notes<'a>(
    site: &Workspace,
    found: &'a [FieldTerms<'_>],
    diagnostics: &mut Diagnostics,
) -> Vec<&'a str> {
    let mut written = Vec::new();
    for join in found.iter().flat_map(|field| &field.joins) {
        let note = &join.note;
        if note.is_there {
            let location = Location::top_of(&note.path);
            let message = "this note exists and is not changed";
            let help = format!("write into its front matter: {}", note.text.trim_end());
            diagnostics
                .push(Diagnostic::warning(Code::NearDuplicateTerms, location, message).help(help));
            continue;
        }
        match site.write_note(note) {
            Ok(()) => written.push(note.path.as_str()),
            Err(error) => ui::add_new(error.into_diagnostics(), diagnostics),
        }
    }
    written
}

fn as_text(found: &[FieldTerms<'_>]) -> String {
    let mut text = String::new();
    for field in found {
        if !text.is_empty() {
            text.push('\n');
        }
        let _ = writeln!(
            text,
            "{}: {}",
            field.field,
            counted(field.terms.len(), "term", "terms")
        );
        text.push_str(&table(field));
    }
    let joins = || found.iter().flat_map(|field| &field.joins);
    if joins().next().is_some() {
        text.push_str("\nProbably one term:\n");
    }
    for join in joins() {
        show_join(join, &mut text);
    }
    text
}

fn table(field: &FieldTerms<'_>) -> String {
    let most = field.terms.first().map_or(1, |used| used.term.posts.len());
    let day = |day: Option<Date>| day.map_or_else(String::new, |day| day.to_string());
    let mut table = Table::new(vec![
        Column::text(),
        Column::number(),
        Column::text(),
        Column::fixed(),
        Column::fixed(),
        Column::text(),
    ]);
    for used in &field.terms {
        let count = used.term.posts.len();
        let once = used.first == used.last;
        table.row(vec![
            used.term.name.clone(),
            count.to_string(),
            bar(count, most),
            day(used.first),
            if once { String::new() } else { day(used.last) },
            spellings(used.term),
        ]);
    }
    table.show()
}

/// Returns the spellings of a term that has several.
fn spellings(term: &Term) -> String {
    if term.spellings.len() < 2 {
        return String::new();
    }
    let spellings = term.spellings.iter();
    let each: Vec<String> = spellings
        .map(|(spelling, count)| format!("{spelling} {count}"))
        .collect();
    format!("written {}", each.join(", "))
}

fn show_join(join: &Join<'_>, text: &mut String) {
    for (term, how) in &join.others {
        let _ = writeln!(
            text,
            "\n{} {} / {} {}: they differ by {}.",
            term.name,
            term.posts.len(),
            join.keep.name,
            join.keep.posts.len(),
            how.about()
        );
    }
    let note = &join.note;
    let _ = match note.is_there {
        true => writeln!(
            text,
            "To join them, let the front matter of {} say:",
            note.path
        ),
        false => writeln!(text, "To join them, write {}:", note.path),
    };
    text.push_str(&note.text);
    for other in &note.replaces {
        let _ = writeln!(text, "and delete {other}.");
    }
}
