//! Pages that are the same in several languages.

use std::collections::BTreeMap;
use std::sync::Arc;

use tabulae_core::archive::GroupTerm;
use tabulae_core::catalogue::PostId;
use tabulae_core::id::LocaleId;
use tabulae_core::term::TermId;

use super::model::{Alternate, Plan};
use super::output::{Output, OutputKind};
use super::planner::Planner;
use crate::site::Site;

impl OutputKind {
    /// Returns the language of a page, a list or a feed; that of `[site]` for other outputs.
    #[must_use]
    pub(crate) fn locale(&self, site: &Site, plan: &Plan) -> LocaleId {
        match self {
            Self::Post(id) => site.locale_of(*id),
            Self::Page(at) => site.pages[*at].post.locale,
            Self::List { archive, .. } | Self::Overview(archive) | Self::Titles { archive, .. } => {
                site.settings.archives[*archive].locale
            }
            Self::Feed(at) => plan.feeds[*at].locale,
            Self::Feeds(locale)
            | Self::Opml(locale)
            | Self::FeedStyle(locale)
            | Self::Search(locale)
            | Self::Texts(locale)
            | Self::SearchFile(locale, _) => *locale,
            Self::Redirect(to) => site.settings.locales.of_link(&to.plain),
            _ => LocaleId::SITE,
        }
    }
}

/// The identity that a page shares with its translations.
#[derive(PartialEq, Eq, PartialOrd, Ord)]
enum Identity<'a> {
    Home,
    Post(PostId),
    Page(&'a str),
    List(&'a str, Option<ListTerm<'a>>),
    Overview(&'a str),
    Feeds,
    Search,
}

/// The value that the posts of a list share, the same in every language.
#[derive(PartialEq, Eq, PartialOrd, Ord)]
enum ListTerm<'a> {
    Term(usize, TermId),
    Other(&'a str),
}

impl<'a> From<&'a GroupTerm> for ListTerm<'a> {
    fn from(term: &'a GroupTerm) -> Self {
        match term.id {
            Some((field, id)) => Self::Term(field, id),
            None => Self::Other(&term.slug),
        }
    }
}

impl Planner<'_> {
    /// Finds the pages that are the same in several languages. Of a list with several pages only the first is:
    /// its further pages hold other posts in each language.
    pub(super) fn alternates(&mut self) {
        if !self.site.settings.locales.are_several() {
            return;
        }
        let mut pages: BTreeMap<Identity<'_>, BTreeMap<LocaleId, Alternate>> = BTreeMap::new();
        for output in &self.plan.outputs {
            if let Some(identity) = self.identity(output) {
                let locale = output.kind.locale(self.site, &self.plan);
                let page = Alternate {
                    locale,
                    link: output.link.clone(),
                };
                pages
                    .entry(identity)
                    .or_default()
                    .entry(locale)
                    .or_insert(page);
            }
        }
        let several = pages.into_values().filter(|pages| pages.len() > 1);
        let mut alternates = BTreeMap::new();
        for pages in several {
            let pages: Arc<[Alternate]> = pages.into_values().collect();
            for page in &*pages {
                alternates.insert(page.link.plain.clone(), Arc::clone(&pages));
            }
        }
        self.plan.alternates = alternates;
    }

    /// Returns the identity that an output shares with its translations; `None` if it is no page, a further page
    /// of a list, or unlisted.
    fn identity(&self, output: &Output) -> Option<Identity<'_>> {
        let locale = output.kind.locale(self.site, &self.plan);
        if output.is_page() && output.link.plain == self.site.locale(locale).below("/") {
            return Some(Identity::Home);
        }
        let site = self.site;
        let name = |archive: usize| site.settings.archives[archive].name.as_str();
        Some(match &output.kind {
            OutputKind::Post(id) => {
                let others = site.catalogue.translations(*id);
                Identity::Post(others.chain([*id]).min()?)
            }
            OutputKind::Page(at) => {
                let post = &site.pages[*at].post;
                let stated = post.translation.as_ref().map(|name| name.node.as_str());
                let is_listed = !post.exclusion.unlisted;
                is_listed.then(|| Identity::Page(stated.unwrap_or(&post.untranslated)))?
            }
            OutputKind::List {
                archive,
                group,
                pager,
            } if pager.number == 1 => {
                let term = self.plan.archives[*archive].groups[*group].term.as_ref();
                Identity::List(name(*archive), term.map(ListTerm::from))
            }
            OutputKind::Overview(archive) => Identity::Overview(name(*archive)),
            OutputKind::Feeds(_) => Identity::Feeds,
            OutputKind::Search(_) => Identity::Search,
            _ => return None,
        })
    }
}
