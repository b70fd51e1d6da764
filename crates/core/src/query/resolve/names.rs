//! Sources and fields by name.

use std::sync::Arc;

use super::super::ast::At;
use super::super::check::{FieldRef, Source};
use super::super::elsewhere;
use super::super::fields::{DerivedField, FIELDS, derived, meant};
use super::super::words::listed;
use super::Resolver;
use crate::diagnostic::{Code, Diagnostic, nearest};
use crate::source::Span;
use crate::value::Kind;

impl Resolver<'_> {
    pub(super) fn sources(&mut self, from: &[At<String>]) -> Option<Vec<Source>> {
        let catalogue = self.scope.catalogue;
        if from.is_empty() {
            self.sets = catalogue.every_set();
            return Some(self.sets.iter().map(|set| Source::Set(*set)).collect());
        }
        let mut sources = Vec::new();
        for name in from {
            if let Some(set) = catalogue.sets().iter().position(|set| *set == name.node) {
                self.sets.push(set);
                sources.push(Source::Set(set));
            } else if let Some(query) = self.scope.library.queries.get(&name.node) {
                self.sets.extend(query.0.sets());
                sources.push(Source::Named(Arc::clone(query)));
            } else {
                let queries = self.scope.library.queries.keys().map(String::as_str);
                let known: Vec<&str> = catalogue
                    .sets()
                    .iter()
                    .map(String::as_str)
                    .chain(queries)
                    .collect();
                let place = self.passage.place(name.span);
                let message = format!("there is no content set or named query `{}`", name.node);
                self.faults.push(
                    Diagnostic::error(Code::SourceUnknown, place, message)
                        .suggest(&name.node, known),
                );
            }
        }
        self.sets.sort_unstable();
        self.sets.dedup();
        (sources.len() == from.len()).then_some(sources)
    }

    pub(super) fn use_this(&mut self, span: Span, name: &str) -> Option<()> {
        self.needs_this = true;
        if self.scope.has_this {
            return Some(());
        }
        self.error(
            Code::QueryUnfit,
            span,
            format!("`{name}` has no meaning here: no post's page is being made"),
            "use it in a post's template, or on the command line with `--this PATH`",
        );
        None
    }

    pub(super) fn field(&mut self, name: &str, span: Span) -> Option<(FieldRef, Vec<Kind>)> {
        let sets = self.sets.clone();
        self.field_in(name, span, &sets)
    }

    pub(super) fn field_in(
        &mut self,
        name: &str,
        span: Span,
        sets: &[usize],
    ) -> Option<(FieldRef, Vec<Kind>)> {
        let catalogue = self.scope.catalogue;
        if let Some(field) = catalogue.term_field(name) {
            return Some((FieldRef::Term(field), vec![Kind::Term]));
        }
        if let Some(derived) = derived(name) {
            match derived.field {
                DerivedField::Current => self.use_this(span, "current")?,
                DerivedField::Likeness => {
                    self.use_this(span, "likeness")?;
                    self.asks_likeness = true;
                }
                _ => {}
            }
            return Some((FieldRef::Derived(derived.field), vec![derived.kind]));
        }
        let own = name.strip_prefix("meta.").unwrap_or(name);
        if let Some(profile) = catalogue.profile(own, sets) {
            if profile.kinds == [Kind::Map] {
                let inner = catalogue
                    .field_names(sets)
                    .into_iter()
                    .find(|known| known.starts_with(&format!("{own}.")));
                let example = inner.unwrap_or(own).to_owned();
                self.error(
                    Code::FieldUnfit,
                    span,
                    format!("`{name}` is a map, and a test is of one of its entries"),
                    format!("name the entry: `{example}`"),
                );
                return None;
            }
            if let Some(column) = catalogue.column(own) {
                let many = profile.many;
                return Some((FieldRef::Own { column, many }, profile.kinds));
            }
        }
        self.unknown_field(name, span, sets);
        None
    }

    pub(super) fn unknown_field(&mut self, name: &str, span: Span, sets: &[usize]) {
        let catalogue = self.scope.catalogue;
        let own = catalogue.field_names(sets);
        let terms = catalogue
            .term_tables()
            .iter()
            .map(|table| table.field.name.as_str());
        let of_every = FIELDS.iter().map(|field| field.name);
        let mut known: Vec<&str> = of_every.chain(terms).collect();
        for name in own {
            if !known.contains(&name) && catalogue.term_field(name).is_none() {
                known.push(name);
            }
        }
        let of: Vec<&str> = sets
            .iter()
            .map(|set| catalogue.sets()[*set].as_str())
            .collect();
        let all = catalogue.every_set();
        let elsewhere = all
            .iter()
            .find(|set| !sets.contains(set) && catalogue.profile(name, &[**set]).is_some());
        let fault = Diagnostic::error(
            Code::FieldUnknown,
            self.passage.place(span),
            format!("no post of `{}` has a field `{name}`", of.join("`, `")),
        );
        let help = if let Some(set) = elsewhere {
            let set = &catalogue.sets()[*set];
            format!("the posts of `{set}` have it: write `from {set}`")
        } else if let Some(help) = elsewhere::name(name) {
            help.to_owned()
        } else if let Some(near) = nearest(name, known.iter().copied()) {
            format!("did you mean `{near}`?")
        } else if let Some((near, set)) = all
            .iter()
            .filter(|set| !sets.contains(set))
            .find_map(|set| Some((nearest(name, catalogue.field_names(&[*set]))?, *set)))
        {
            let set = &catalogue.sets()[set];
            format!("did you mean `{near}`, which the posts of `{set}` have?")
        } else if self.in_value {
            format!("a text stands in quotes: '{name}'")
        } else if let Some(field) = catalogue
            .term_tables()
            .iter()
            .find(|table| table.find(name).is_some())
        {
            format!("a test names its field: `{} = '{name}'`", field.field.name)
        } else if let Some(field) = meant(name) {
            format!("did you mean `{}`?", field.name)
        } else {
            known.retain(|name| derived(name).is_none());
            format!(
                "fields here are {}, and those of every post, such as `title`, `date` and `year`",
                listed(&known)
            )
        };
        let fault = fault.help(help);
        self.faults.push(fault);
    }
}
