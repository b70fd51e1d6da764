//! The queries of related posts: those of `[related]`, and those of content sets with a table in its place.

use tabulae_core::diagnostic::Diagnostics;
use tabulae_core::id::LocaleId;
use tabulae_core::query::Scope;
use tabulae_core::related::RelatedList;
use tabulae_core::settings::{SetRelated, Settings};

/// The queries of related posts of all content sets, for each language.
#[derive(Debug, Default)]
pub(crate) struct RelatedLists {
    /// By table and language; the table `[related]` is the first, if there is one.
    lists: Vec<RelatedList>,
    /// By content set the number of the list in the site's language; `None` if its posts have no list.
    of_set: Vec<Option<usize>>,
    /// The number of the list of `[related]` in the site's language, if there is one.
    of_site: Option<usize>,
}

impl RelatedLists {
    /// Resolves the queries in the scope of each language. Their errors are the same in each language, and reported
    /// once.
    pub(crate) fn new(
        settings: &Settings,
        scopes: &[Scope<'_>],
        diagnostics: &mut Diagnostics,
    ) -> Self {
        let mut all = Self::default();
        let mut add = |related| {
            let first = all.lists.len();
            for scope in scopes {
                let mut found = Diagnostics::new();
                let list = RelatedList::new(related, settings, *scope).into_output(&mut found);
                all.lists.extend(list);
                if scope.locale == Some(LocaleId::SITE) {
                    diagnostics.append(&mut found);
                }
            }
            (all.lists.len() == first + scopes.len()).then_some(first)
        };
        let of_site = settings.related.as_ref().and_then(&mut add);
        let sets = settings.content.iter().map(|set| match &set.related {
            SetRelated::OfSite => of_site,
            SetRelated::Off => None,
            SetRelated::Own(related) => add(related),
        });
        let of_set = sets.collect();
        Self {
            of_set,
            of_site,
            ..all
        }
    }

    /// Returns true if no post has a list.
    pub(crate) fn is_empty(&self) -> bool {
        self.lists.is_empty()
    }

    /// Iterates over all lists.
    pub(crate) fn iter(&self) -> impl Iterator<Item = &RelatedList> {
        self.lists.iter()
    }

    /// Returns the number of the list of a content set's posts in a language.
    pub(super) fn number(&self, set: usize, locale: LocaleId) -> Option<usize> {
        Some(self.of_set[set]? + locale.at())
    }

    /// Returns the list of a content set's posts in a language.
    pub(crate) fn of(&self, set: usize, locale: LocaleId) -> Option<&RelatedList> {
        self.lists.get(self.number(set, locale)?)
    }

    /// Returns the list of `[related]` in a language.
    pub(super) fn of_site(&self, locale: LocaleId) -> Option<&RelatedList> {
        self.lists.get(self.of_site? + locale.at())
    }
}
