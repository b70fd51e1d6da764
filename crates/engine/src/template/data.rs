//! The data that all outputs of a build share.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock};

use jiff::civil::Date;
use minijinja::Value;
use rayon::prelude::*;
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Diagnostic, Diagnostics};
use tabulae_core::query::{Query, Resolved};
use tabulae_core::search::Row;
use tabulae_core::source::Source;
use tabulae_core::term::TermId;

use super::card_store::Cards;
use super::limits::Limits;
use super::loads::reached;
use super::memo::Memo;
use super::term_values::{TermValues, term_values};
use super::theme::sources;
use crate::incremental::{Dependency, DependencyTable, Key, Listing};
use crate::plan::Plan;
use crate::site::Site;
use crate::threads::locked;

/// A query's text, and whether it runs on a post's page.
pub(super) type QueryKey = (String, bool);

/// A query without parameters, resolved.
#[derive(Debug, Clone)]
pub(super) struct KnownQuery {
    pub(super) query: Arc<Query<Resolved>>,
    pub(super) has_warnings: bool,
}

/// The answer of a query that is the same on every page.
#[derive(Debug, Clone)]
pub(super) struct Answer {
    pub(super) posts: Arc<[PostId]>,
    /// Set if the query has warnings, or finds nothing.
    pub(super) has_report: bool,
}

/// A rendered part, and its dependencies.
type Part = (Value, Arc<[Dependency]>);

/// The data that all outputs of a build share.
#[derive(Debug)]
pub(crate) struct RenderData {
    /// The site.
    pub site: Site,
    /// The plan.
    pub plan: Plan,
    /// The templates by name, with the files they are in.
    pub sources: BTreeMap<String, Source>,
    /// The limits of each output.
    pub(super) limits: Limits,
    /// The numbers of keys.
    pub(crate) dependencies: DependencyTable,
    /// Every term's values, by term field and term.
    pub(super) terms: Vec<Vec<TermValues>>,
    /// The address of every post as a value, after the path of the site's address.
    post_links: Vec<Value>,
    /// The rows of the script's search, by post.
    rows: Vec<OnceLock<Row>>,
    /// The days of all posts in words.
    days: BTreeMap<Date, Value>,
    /// The warnings of templates.
    warnings: Mutex<Diagnostics>,
    /// The dependency on each template, by its name.
    template_dependencies: BTreeMap<String, Dependency>,
    /// The posts of queries that find the same on every page, by text.
    pub(super) answers: Memo<String, Answer>,
    /// The queries that were reported on, by template and text, and whether on a post's page.
    pub(super) reported_queries: Memo<(String, String, bool), ()>,
    /// Resolved queries without parameters.
    pub(super) queries: Memo<QueryKey, KnownQuery>,
    /// The parts that `once` renders, by name and arguments.
    pub(super) parts: Memo<String, Part>,
    /// The answers of `terms` that are the same on every page.
    pub(super) term_lists: Memo<Listing, Arc<[(TermId, usize)]>>,
    /// The names that cards look up and that may differ between lists.
    pub(super) card_names: OnceLock<Vec<String>>,
    /// The cards that are the same in all lists, by the level of their headings.
    cards: [Mutex<Cards>; 7],
}

impl RenderData {
    /// Prepares the data of a site and its plan.
    #[must_use]
    pub(crate) fn new(site: Site, plan: Plan) -> Self {
        let dependencies = DependencyTable::new(&site.catalogue);
        let terms = (0..site.catalogue.term_tables().len())
            .map(|field| term_values(&site, &plan, field))
            .collect();
        let links = site
            .catalogue
            .all()
            .map(|id| Value::from(site.href(site.catalogue.link(id))));
        let dates = site
            .catalogue
            .all()
            .filter_map(|id| site.catalogue.post(id).date);
        let style = &site.settings.site.date_format;
        let days: BTreeSet<Date> = dates.map(|date| date.day).collect();
        let in_words = |day| (day, Value::from(site.catalogue.language.day(day, style)));
        let days: Vec<_> = days.into_par_iter().map(in_words).collect();
        let sources = sources(&site);
        let of_template = |name: &String| dependencies.other(Key::Template(name.clone()));
        let template_dependencies = sources.keys().map(|name| (name.clone(), of_template(name)));
        let template_dependencies = template_dependencies.collect();
        Self {
            limits: Limits::of_site(site.catalogue.all().count()),
            terms,
            post_links: links.collect(),
            rows: site.catalogue.all().map(|_| OnceLock::new()).collect(),
            days: days.into_iter().collect(),
            sources,
            site,
            plan,
            dependencies,
            template_dependencies,
            warnings: Mutex::default(),
            answers: Memo::default(),
            reported_queries: Memo::default(),
            queries: Memo::default(),
            parts: Memo::default(),
            term_lists: Memo::default(),
            card_names: OnceLock::new(),
            cards: Default::default(),
        }
    }

    /// Forgets everything that was computed from the texts of posts.
    pub(crate) fn forget(&mut self) {
        self.forget_parts();
        self.warnings = Mutex::default();
        self.queries.clear();
    }

    /// Forgets parts and answers, when all outputs are rendered.
    pub(crate) fn forget_parts(&self) {
        self.cards
            .iter()
            .for_each(|cards| *locked(cards) = Cards::default());
        self.parts.clear();
        self.answers.clear();
        self.reported_queries.clear();
        self.term_lists.clear();
    }

    /// Returns the address of a post, after the path of the site's address.
    pub(crate) fn post_link(&self, id: PostId) -> &Value {
        &self.post_links[id.0 as usize]
    }

    /// Returns the note of a term as HTML; none if it has no note.
    pub(crate) fn about(&self, field: usize, id: TermId) -> Value {
        self.terms[field][id.0 as usize].about.clone()
    }

    /// Returns the row of a post for the script's search.
    pub(crate) fn row(&self, id: PostId) -> &Row {
        self.rows[id.0 as usize].get_or_init(|| {
            let post = self.site.catalogue.post(id);
            let day = post.date.and_then(|date| self.day(date.day)?.as_str());
            let link = self.post_link(id).as_str();
            Row::new(post, link.unwrap_or_default(), day.unwrap_or_default())
        })
    }

    /// Returns the day of a post in words.
    pub(crate) fn day(&self, day: Date) -> Option<&Value> {
        self.days.get(&day)
    }

    /// Returns the number of cached cards under headings of a level.
    #[cfg(test)]
    pub(crate) fn kept_cards(&self, level: usize) -> usize {
        self.cards(level).len()
    }

    /// Locks the cached cards under headings of a level.
    pub(super) fn cards(&self, level: usize) -> MutexGuard<'_, Cards> {
        locked(&self.cards[level.min(6)])
    }

    /// Returns the dependency on a template, also on one that does not exist.
    pub(super) fn template_dependency(&self, name: &str) -> Dependency {
        let known = self.template_dependencies.get(name).copied();
        known.unwrap_or_else(|| self.dependencies.other(Key::Template(name.to_owned())))
    }

    /// Returns the templates that one may load, itself among them.
    pub(super) fn loaded_by<'a>(&'a self, name: &'a str) -> BTreeSet<&'a str> {
        let all = || self.sources.keys().map(String::as_str).collect();
        reached([name], &self.sources).unwrap_or_else(all)
    }

    /// Adds a warning, unless it is there already.
    pub(super) fn warn(&self, warning: Diagnostic) {
        let mut warnings = locked(&self.warnings);
        let same = |known: &Diagnostic| {
            known.location == warning.location && known.message == warning.message
        };
        if !warnings.iter().any(same) {
            warnings.push(warning);
        }
    }

    /// Takes the warnings of all outputs, sorted by place.
    #[must_use]
    pub(crate) fn take_warnings(&self) -> Diagnostics {
        let mut warnings = std::mem::take(&mut *locked(&self.warnings));
        warnings.sort_by(|a, b| {
            let key =
                |d: &Diagnostic| (d.location.file.clone(), d.location.line, d.location.column);
            key(a).cmp(&key(b))
        });
        warnings
    }
}
