//! The named queries of a site, which may stand on one another.

use std::sync::Arc;

use super::ast::Statement;
use super::resolve::resolve;
use super::scope::{Library, Scope};
use crate::catalogue::Catalogue;
use crate::diagnostic::{Code, Collected, Diagnostic, Faults};
use crate::likeness::Weighing;
use crate::settings::Settings;
use crate::source::{Passage, Span};
use crate::time::Moment;

impl Library {
    /// Resolves all named queries; those that nothing uses are checked too.
    #[must_use]
    pub fn new(settings: &Settings, catalogue: &Catalogue, moment: &Moment) -> Collected<Self> {
        let mut faults = Faults::new();
        let weighing = Weighing::new(
            settings.related.as_ref(),
            catalogue,
            &settings.source,
            &mut faults,
        );
        let mut library = Self {
            weighing: Some(Arc::new(weighing)),
            ..Self::default()
        };
        let mut open: Vec<(&str, &Passage, Statement)> = Vec::new();
        for (name, passage) in &settings.queries {
            match super::parser::parse(passage.text()) {
                Ok(statement) => open.push((&name.node, passage, statement)),
                Err(fault) => faults.push(fault.at(passage)),
            }
        }
        while !open.is_empty() {
            let names: Vec<&str> = open.iter().map(|(name, ..)| *name).collect();
            let waits = |statement: &Statement| {
                statement
                    .from
                    .iter()
                    .any(|source| names.contains(&source.node.as_str()))
            };
            let Some(ready) = open.iter().position(|(.., statement)| !waits(statement)) else {
                faults.push(circle(&open));
                break;
            };
            let (name, passage, statement) = open.remove(ready);
            let scope = Scope::new(catalogue, &library, moment).on_page(true);
            if let Some(query) = resolve(&statement, passage, scope).into_output(&mut faults) {
                library.queries.insert(name.to_owned(), Arc::new(query));
            }
        }
        Collected {
            output: library,
            diagnostics: faults,
        }
    }
}

fn circle(open: &[(&str, &Passage, Statement)]) -> Diagnostic {
    let (mut name, mut passage, mut statement) = (open[0].0, open[0].1, &open[0].2);
    let mut path = vec![name];
    let next = |statement: &Statement| {
        let source = statement
            .from
            .iter()
            .find(|source| open.iter().any(|(name, ..)| *name == source.node));
        source.and_then(|source| open.iter().find(|(name, ..)| *name == source.node))
    };
    while let Some((following, at, stands_on)) = next(statement) {
        let closes = path.contains(following);
        path.push(following);
        (name, passage, statement) = (following, at, stands_on);
        if closes {
            break;
        }
    }
    let start = path.iter().position(|step| *step == name).unwrap_or(0);
    let span = statement
        .from
        .first()
        .map_or(Span::default(), |source| source.span);
    Diagnostic::error(
        Code::QueryCircle,
        passage.place(span),
        format!(
            "the query `{name}` stands on itself: {}",
            path[start..].join(" → ")
        ),
    )
    .help("let one of them begin from a content set")
}
