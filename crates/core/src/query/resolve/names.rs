//! Sources and fields by name.

use std::sync::Arc;

use super::super::ast::At;
use super::super::fields::{DerivedField, derived, fields_of, meant};
use super::super::foreign_syntax;
use super::super::predicate::{FieldRef, NamedQuery, Source};
use super::super::words::listed;
use super::Resolver;
use crate::diagnostic::{Code, Diagnostic, Help, nearest};
use crate::source::Span;
use crate::time::month_number;
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
            } else if let Some(named) = self.named(&name.node) {
                self.sets.extend(named.query.0.sets());
                sources.push(Source::Named(named));
            } else {
                let queries = self.scope.library.named(self.within).into_iter();
                let queries = queries.flat_map(|queries| queries.keys().map(String::as_str));
                let known: Vec<&str> = catalogue
                    .sets()
                    .iter()
                    .map(String::as_str)
                    .chain(queries)
                    .collect();
                let location = self.embedded.location(name.span);
                let message = format!("there is no content set or named query `{}`", name.node);
                self.diagnostics.push(
                    Diagnostic::error(Code::UnknownSource, location, message)
                        .suggest(&name.node, known),
                );
            }
        }
        self.sets.sort_unstable();
        self.sets.dedup();
        (sources.len() == from.len()).then_some(sources)
    }

    /// Returns the named query of a name, over the posts of the same languages.
    fn named(&self, name: &str) -> Option<Arc<NamedQuery>> {
        self.scope.library.named(self.within)?.get(name).cloned()
    }

    pub(super) fn use_this(&mut self, span: Span, name: &str) -> Option<()> {
        self.needs_this = true;
        if self.scope.has_this {
            return Some(());
        }
        self.error(
            Code::InvalidQuery,
            span,
            format!("`{name}` has no meaning here: no post's page is being made"),
            "use it in a post's template, on the command line with `--this PATH`, or in the workbench of the preview with a post under \"As from the post\"",
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
        if let Some(derived) = derived(name, catalogue) {
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
                    Code::FieldTypeMismatch,
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
        let titles = self.scope.catalogue.sets();
        let of: Vec<&str> = sets.iter().map(|set| titles[*set].as_str()).collect();
        let message = format!("no post of `{}` has a field `{name}`", of.join("`, `"));
        let location = self.embedded.location(span);
        let diagnostic = Diagnostic::error(Code::UnknownField, location, message);
        let diagnostic = diagnostic.help(self.instead_of(name, sets));
        self.diagnostics.push(diagnostic);
    }

    /// Returns the help for a field that no post of these sets has: the likeliest first.
    fn instead_of(&self, name: &str, sets: &[usize]) -> Help {
        let catalogue = self.scope.catalogue;
        let title = |set: usize| &catalogue.sets()[set];
        let mut others = catalogue.every_set();
        others.retain(|set| !sets.contains(set));
        let mut have_it = others.iter().copied();
        if let Some(set) = have_it.find(|set| catalogue.profile(name, &[*set]).is_some()) {
            let set = title(set);
            return format!("the posts of `{set}` have it: write `from {set}`").into();
        }
        if let Some(nested) = catalogue.nested_field(name, sets) {
            return Help::did_you_mean(nested);
        }
        if let Some(help) = foreign_syntax::name(name) {
            return help.into();
        }
        if let Some(field) = foreign_syntax::of_this(name) {
            return match self.in_value {
                true => Help::instead(
                    format!("write `this.{field}` for the post whose page is being made"),
                    format!("this.{field}"),
                ),
                false => Help::instead(
                    format!("a field is written by its name alone: `{field}`"),
                    field,
                ),
            };
        }
        if let Some(number) = month_number(name).filter(|_| self.in_value) {
            return format!("write the month's number: `month = {number}`").into();
        }
        let mut known = self.known_fields(sets);
        if let Some(near) = nearest(name, known.iter().copied()) {
            return Help::did_you_mean(near);
        }
        let near = |set: &usize| Some((nearest(name, catalogue.field_names(&[*set]))?, *set));
        if let Some((near, set)) = others.iter().find_map(near) {
            let set = title(set);
            return format!("did you mean `{near}`, which the posts of `{set}` have?").into();
        }
        if self.in_value {
            return format!("write texts in quotes: '{name}'").into();
        }
        let mut tables = catalogue.term_tables().iter();
        if let Some(table) = tables.find(|table| table.find(name).is_some()) {
            let field = &table.field.name;
            return Help::instead(
                format!("a test names its field: `{field} = '{name}'`"),
                format!("{field} = '{name}'"),
            );
        }
        if let Some(field) = meant(name, catalogue) {
            return Help::did_you_mean(field.name);
        }
        known.retain(|name| derived(name, catalogue).is_none());
        let known = listed(&known);
        format!(
            "fields here are {known}, and those of every post, such as `title`, `date` and `year`"
        )
        .into()
    }

    /// The fields that posts of these sets have: derived ones, terms, and their own.
    fn known_fields(&self, sets: &[usize]) -> Vec<&str> {
        let catalogue = self.scope.catalogue;
        let terms = catalogue.term_tables().iter();
        let terms = terms.map(|table| table.field.name.as_str());
        let derived = fields_of(catalogue).map(|field| field.name);
        let mut known: Vec<&str> = derived.chain(terms).collect();
        for name in catalogue.field_names(sets) {
            if !known.contains(&name) && catalogue.term_field(name).is_none() {
                known.push(name);
            }
        }
        known
    }
}
