//! The data that all outputs of a build share.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, Mutex, OnceLock};

use jiff::civil::Date;
use minijinja::Value;
use rayon::prelude::*;
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Diagnostic, Diagnostics};
use tabulae_core::id::LocaleId;
use tabulae_core::post::Post;
use tabulae_core::query::{Query, Resolved};
use tabulae_core::search::Row;
use tabulae_core::source::Source;
use tabulae_core::term::TermId;

use super::card_store::Cards;
use super::limits::Limits;
#[cfg(test)]
use super::loads::CARD;
use super::loads::reached;
use super::memo::Memo;
use super::term_values::{TermValues, term_values};
use super::theme::{Templates, sources};
use crate::incremental::{Dependency, DependencyTable, Key, Listing, QueryPlace};
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
    /// The data of each language.
    locales: Vec<LocaleData>,
    /// The address of every post as a value, after the path of the site's address.
    post_links: Vec<Value>,
    /// The warnings of templates.
    warnings: Mutex<Diagnostics>,
    /// The dependency on each template, by its name.
    template_dependencies: BTreeMap<String, Dependency>,
    /// The queries that were reported on.
    pub(super) reported_queries: Memo<QueryPlace, ()>,
    /// By the part of cards the names that it looks up and that may differ between lists.
    pub(super) card_names: Memo<String, Arc<[String]>>,
}

/// The data that all outputs of one language share.
#[derive(Debug)]
pub(crate) struct LocaleData {
    /// Every term's values, by term field and term.
    pub(super) terms: Vec<Vec<TermValues>>,
    /// The rows of the script's search, by post.
    rows: Vec<OnceLock<Row>>,
    /// The days of all posts in words.
    days: BTreeMap<Date, Value>,
    /// The posts of queries that find the same on every page, by text.
    pub(super) answers: Memo<String, Answer>,
    /// Resolved queries without parameters.
    pub(super) queries: Memo<QueryKey, KnownQuery>,
    /// The parts that `once` renders, by name and arguments.
    pub(super) parts: Memo<String, Part>,
    /// The answers of `terms` that are the same on every page.
    pub(super) term_lists: Memo<Listing, Arc<[(TermId, usize)]>>,
    /// The cards that are the same in all lists, by their part and the level of their headings.
    cards: Memo<(String, usize), Arc<Mutex<Cards>>>,
}

impl RenderData {
    /// Returns the site and its templates, for diagnostics.
    pub(crate) fn templates(&self) -> Templates<'_> {
        Templates {
            site: &self.site,
            sources: &self.sources,
        }
    }

    /// Prepares the data of a site and its plan.
    #[must_use]
    pub(crate) fn new(site: Site, plan: Plan) -> Self {
        let dependencies = DependencyTable::new(&site.catalogue);
        let links = site
            .catalogue
            .all()
            .map(|id| Value::from(site.href(site.catalogue.link(id))));
        let locales = site.settings.locales.ids();
        let locales = locales.map(|locale| LocaleData::new(&site, &plan, locale));
        let locales = locales.collect();
        let sources = sources(&site);
        let of_template = |name: &String| dependencies.other(Key::Template(name.clone()));
        let template_dependencies = sources.keys().map(|name| (name.clone(), of_template(name)));
        let template_dependencies = template_dependencies.collect();
        Self {
            limits: Limits::of_site(site.catalogue.all().count()),
            locales,
            post_links: links.collect(),
            sources,
            site,
            plan,
            dependencies,
            template_dependencies,
            warnings: Mutex::default(),
            reported_queries: Memo::default(),
            card_names: Memo::default(),
        }
    }

    /// Forgets everything that was computed from the texts of posts.
    pub(crate) fn forget(&mut self) {
        self.forget_parts();
        self.warnings = Mutex::default();
        for locale in &self.locales {
            locale.queries.clear();
        }
    }

    /// Forgets parts and answers, when all outputs are rendered.
    pub(crate) fn forget_parts(&self) {
        self.reported_queries.clear();
        for locale in &self.locales {
            locale.cards.clear();
            locale.parts.clear();
            locale.answers.clear();
            locale.term_lists.clear();
        }
    }

    /// Returns the data that the outputs of a language share.
    pub(crate) fn of(&self, locale: LocaleId) -> &LocaleData {
        &self.locales[locale.at()]
    }

    /// Returns the address of a post, after the path of the site's address.
    pub(crate) fn post_link(&self, id: PostId) -> &Value {
        &self.post_links[id.0 as usize]
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

impl LocaleData {
    fn new(site: &Site, plan: &Plan, id: LocaleId) -> Self {
        let fields = 0..site.catalogue.term_tables().len();
        let dates = site.catalogue.all();
        let dates = dates.filter_map(|id| site.catalogue.post(id).date);
        let (language, style) = (site.catalogue.language(id), &site.locale(id).date_format);
        let days: BTreeSet<Date> = dates.map(|date| date.day).collect();
        let in_words = |day| (day, Value::from(language.day(day, style)));
        let days: Vec<_> = days.into_par_iter().map(in_words).collect();
        Self {
            terms: fields
                .map(|field| term_values(site, plan, (id, field)))
                .collect(),
            rows: site.catalogue.all().map(|_| OnceLock::new()).collect(),
            days: days.into_iter().collect(),
            answers: Memo::default(),
            queries: Memo::default(),
            parts: Memo::default(),
            term_lists: Memo::default(),
            cards: Memo::default(),
        }
    }

    /// Returns the note of a term as HTML; none if it has no note.
    pub(crate) fn about(&self, field: usize, id: TermId) -> Value {
        self.terms[field][id.0 as usize].about.clone()
    }

    /// Returns the row of a post for the script's search.
    pub(crate) fn row(&self, id: PostId, data: &RenderData) -> &Row {
        self.rows[id.0 as usize].get_or_init(|| self.row_by(Row::new, id, data))
    }

    /// Returns a row of a post by one of its makers.
    pub(crate) fn row_by(
        &self,
        maker: fn(&Post, &str, &str) -> Row,
        id: PostId,
        data: &RenderData,
    ) -> Row {
        let post = data.site.catalogue.post(id);
        let day = post.date.and_then(|date| self.day(date.day)?.as_str());
        let link = data.post_link(id).as_str();
        maker(post, link.unwrap_or_default(), day.unwrap_or_default())
    }

    /// Returns the day of a post in words.
    pub(crate) fn day(&self, day: Date) -> Option<&Value> {
        self.days.get(&day)
    }

    /// Returns the number of cached cards under headings of a level.
    #[cfg(test)]
    pub(crate) fn kept_cards(&self, level: usize) -> usize {
        locked(&self.cards(CARD, level)).len()
    }

    /// Returns the cached cards by a part under headings of a level.
    pub(super) fn cards(&self, part: &str, level: usize) -> Arc<Mutex<Cards>> {
        let key = (part.to_owned(), level);
        self.cards.get_or_insert(key, |_| Arc::default())
    }
}
