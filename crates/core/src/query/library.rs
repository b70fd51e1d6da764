//! The named queries of a site, which may build on one another.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use indexmap::IndexMap;

use super::ast::Statement;
use super::predicate::NamedQuery;
use super::resolve::resolve;
use super::scope::{Library, Scope};
use crate::catalogue::Catalogue;
use crate::diagnostic::{Code, Collected, Diagnostic, Diagnostics};
use crate::id::LocaleId;
use crate::settings::Settings;
use crate::similarity::FieldWeights;
use crate::source::{EmbeddedText, Span};
use crate::time::Moment;

impl Library {
    /// Resolves all named queries; those that nothing uses are checked too.
    #[must_use]
    pub fn new(settings: &Settings, catalogue: &Catalogue, moment: &Moment) -> Collected<Self> {
        let mut diagnostics = Diagnostics::new();
        let weights = FieldWeights::new(
            settings.related.as_ref(),
            catalogue,
            &settings.source,
            &mut diagnostics,
        );
        let mut library = Self {
            weights: Some(Arc::new(weights)),
            ..Self::default()
        };
        let mut open: Vec<Open<'_>> = Vec::new();
        for (name, embedded) in &settings.queries {
            match super::parser::parse(embedded.text()) {
                Ok(statement) => open.push((&name.node, embedded, statement)),
                Err(diagnostic) => diagnostics.push(diagnostic.at(embedded)),
            }
        }
        let each = settings
            .locales
            .ids()
            .filter(|_| settings.locales.are_several());
        for within in std::iter::once(None).chain(each.map(Some)) {
            let mut found = Diagnostics::new();
            library.add(&open, (catalogue, moment), within, &mut found);
            // They are the same for each language.
            if within.is_none() {
                diagnostics.extend(found);
            }
        }
        Collected {
            output: library,
            diagnostics,
        }
    }

    /// Resolves the named queries over the posts of one language, or of all.
    fn add(
        &mut self,
        open: &[Open<'_>],
        (catalogue, moment): (&Catalogue, &Moment),
        within: Option<LocaleId>,
        diagnostics: &mut Diagnostics,
    ) {
        self.queries.push(IndexMap::new());
        let mut chains = Chains::new(open);
        while let Some(number) = chains.next() {
            let (name, embedded, statement) = &open[number];
            if chains.lengths[number] > CHAIN {
                // Those that build on it are not complained of as well.
                if chains.lengths[number] == CHAIN + 1 {
                    diagnostics.push(too_long(name, embedded));
                }
                continue;
            }
            let scope = Scope {
                locale: within,
                ..Scope::new(catalogue, self, moment).on_page(true)
            };
            if let Some(query) = resolve(statement, embedded, scope).into_output(diagnostics) {
                let named = self.queries.last_mut();
                let named = named.map(|named| {
                    named.insert((*name).to_owned(), Arc::new(NamedQuery::new(query)));
                });
                debug_assert!(named.is_some(), "pushed above");
            }
        }
        let left = open.iter().zip(chains.left());
        let left = left.filter_map(|(query, left)| left.then_some(query));
        let left: Vec<&Open<'_>> = left.collect();
        if !left.is_empty() {
            diagnostics.push(circle(&left));
        }
    }
}

/// The most named queries that may build on one another in a row.
const CHAIN: usize = 64;

/// A named query that is not resolved yet: its name, place and statement.
type Open<'a> = (&'a str, &'a EmbeddedText, Statement);

/// The order in which named queries are resolved: each after those that it builds on, else as written
/// (Kahn's algorithm).
struct Chains {
    /// For each query, those that build on it.
    users: Vec<Vec<usize>>,
    /// For each query, the number of those it builds on that are not resolved yet.
    waits: Vec<usize>,
    /// For each query, the length of the longest chain that ends with it.
    lengths: Vec<usize>,
    ready: BTreeSet<usize>,
}

impl Chains {
    fn new(open: &[Open<'_>]) -> Self {
        let names = open.iter().enumerate();
        let numbers: BTreeMap<&str, usize> =
            names.map(|(number, query)| (query.0, number)).collect();
        let mut users = vec![Vec::new(); open.len()];
        let mut waits = vec![0; open.len()];
        for (number, (.., statement)) in open.iter().enumerate() {
            let sources = statement.from.iter();
            let sources = sources.filter_map(|source| numbers.get(source.node.as_str()));
            for source in sources {
                users[*source].push(number);
                waits[number] += 1;
            }
        }
        let ready = (0..open.len()).filter(|number| waits[*number] == 0);
        Self {
            ready: ready.collect(),
            lengths: vec![1; open.len()],
            users,
            waits,
        }
    }

    /// Returns the next query whose sources are resolved.
    fn next(&mut self) -> Option<usize> {
        let number = self.ready.pop_first()?;
        for user in std::mem::take(&mut self.users[number]) {
            self.lengths[user] = self.lengths[user].max(self.lengths[number] + 1);
            self.waits[user] -= 1;
            if self.waits[user] == 0 {
                self.ready.insert(user);
            }
        }
        Some(number)
    }

    /// Returns for each query whether it waits for itself.
    fn left(&self) -> Vec<bool> {
        self.waits.iter().map(|waits| *waits > 0).collect()
    }
}

fn too_long(name: &str, embedded: &EmbeddedText) -> Diagnostic {
    let message = format!("the query `{name}` ends a chain of more than {CHAIN} named queries");
    Diagnostic::error(
        Code::InvalidQuery,
        embedded.location(Span::default()),
        message,
    )
    .help("write one of them from a content set")
}

fn circle(open: &[&Open<'_>]) -> Diagnostic {
    let (mut name, mut embedded, mut statement) = (open[0].0, open[0].1, &open[0].2);
    let mut path = vec![name];
    let next = |statement: &Statement| {
        let source = statement
            .from
            .iter()
            .find(|source| open.iter().any(|(name, ..)| *name == source.node));
        source.and_then(|source| open.iter().find(|(name, ..)| *name == source.node).copied())
    };
    while let Some((following, at, stands_on)) = next(statement) {
        let closes = path.contains(following);
        path.push(following);
        (name, embedded, statement) = (following, at, stands_on);
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
        Code::QueryCycle,
        embedded.location(span),
        format!(
            "the query `{name}` uses itself: {}",
            path[start..].join(" → ")
        ),
    )
    .help("write one of them from a content set")
}
