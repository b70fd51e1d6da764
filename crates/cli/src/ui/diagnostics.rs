//! Diagnostics as text: place, sentence, the line with a caret, help.

use std::fmt::Write as _;

use anstyle::{AnsiColor, Style};
use tabulae_core::diagnostic::{Diagnostic, SHOWN, first_of_each};
use tabulae_core::source::Location;
use unicode_width::UnicodeWidthChar;

use super::{Status, complain, counted, status};

pub(crate) const BOLD: Style = Style::new().bold();
pub(crate) const ERROR: Style = AnsiColor::Red.on_default().bold();
pub(crate) const WARNING: Style = AnsiColor::Yellow.on_default().bold();
pub(crate) const HELP: Style = AnsiColor::Cyan.on_default();

/// The maximum width of an excerpt, in characters.
const WIDE: usize = 100;

/// Adds diagnostics that are not known yet.
pub(crate) fn add_new(new: Vec<Diagnostic>, known: &mut Vec<Diagnostic>) {
    for diagnostic in new {
        if !known.contains(&diagnostic) {
            known.push(diagnostic);
        }
    }
}

/// Prints diagnostics to standard error: of one cause at most ten, unless `all` are asked for.
pub(crate) fn report(diagnostics: &[Diagnostic], all: bool) -> Status {
    let mut text = String::new();
    let most = if all { usize::MAX } else { SHOWN };
    for (diagnostic, more) in first_of_each(diagnostics, most) {
        one(diagnostic, &mut text);
        if more > 0 {
            let code = diagnostic.code.name();
            let _ = writeln!(text, "and {more} more [{code}] (--all shows them)\n");
        }
    }
    let errors = diagnostics
        .iter()
        .filter(|diagnostic| diagnostic.is_error())
        .count();
    let warnings = diagnostics.len() - errors;
    let mut counts = Vec::new();
    if errors > 0 {
        counts.push(counted(errors, "error", "errors"));
    }
    if warnings > 0 {
        counts.push(counted(warnings, "warning", "warnings"));
    }
    if diagnostics.len() > 1 {
        let _ = writeln!(text, "{}.\n", counts.join(", "));
    }
    complain(&text);
    status(diagnostics)
}

/// A diagnostic without colours.
pub(crate) fn plain(diagnostic: &Diagnostic) -> String {
    let mut text = String::new();
    one(diagnostic, &mut text);
    let text = anstream::adapter::strip_str(&text).to_string();
    text.trim_end().to_owned()
}

fn one(diagnostic: &Diagnostic, out: &mut String) {
    let (word, style) = if diagnostic.is_error() {
        ("error", ERROR)
    } else {
        ("warning", WARNING)
    };
    let code = diagnostic.code.name();
    let _ = writeln!(
        out,
        "{BOLD}{}{BOLD:#}: {style}{word}{style:#}: {BOLD}{}{BOLD:#} [{code}]",
        location(&diagnostic.location),
        diagnostic.message
    );
    excerpt(&diagnostic.location, style, out);
    if let Some((other, word)) = &diagnostic.other {
        let _ = writeln!(out, "  {BOLD}{}{BOLD:#}: {word}", location(other));
        excerpt(other, HELP, out);
    }
    if let Some(help) = &diagnostic.help {
        let _ = writeln!(out, "  {HELP}help{HELP:#}: {help}");
    }
    out.push('\n');
}

/// `posts/a.md:3:7`, as editors open it.
pub(crate) fn location(location: &Location) -> String {
    match &location.file {
        Some(file) => format!("{file}:{}:{}", location.line, location.column),
        None => format!("command line:{}", location.column),
    }
}

/// The line, cut to what can be shown, with a caret under each character that is meant.
fn excerpt(location: &Location, style: Style, out: &mut String) {
    let Some(excerpt) = &location.excerpt else {
        return;
    };
    let chars: Vec<char> = excerpt
        .text
        .chars()
        .map(|c| if c.is_control() { ' ' } else { c })
        .collect();
    let at = (location.column - excerpt.column).min(chars.len());
    let start = at
        .saturating_sub(WIDE / 2)
        .min(chars.len().saturating_sub(WIDE));
    let end = (start + WIDE).min(chars.len());
    let is_cut = start > 0 || excerpt.column > 1;
    let head = if is_cut { "…" } else { "" };
    let goes_on = end < chars.len() || excerpt.goes_on;
    let tail = if goes_on { "…" } else { "" };
    let line: String = chars[start..end].iter().collect();
    let _ = writeln!(out, "    {head}{}{tail}", line.trim_end());
    let wide = |chars: &[char]| chars.iter().map(|c| c.width().unwrap_or(0)).sum::<usize>();
    let before = wide(&chars[start..at]) + usize::from(is_cut);
    let marked = wide(&chars[at..(at + location.width).min(end)]).max(1);
    let _ = writeln!(
        out,
        "    {}{style}{}{style:#}",
        " ".repeat(before),
        "^".repeat(marked)
    );
}
