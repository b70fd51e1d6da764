//! Values that several pages share: the site, its navigation, archives and their terms.

use std::sync::{Arc, OnceLock};

use indexmap::IndexMap;
use minijinja::value::{Enumerator, Object, ObjectRepr};
use minijinja::{Value, context};
use rustc_hash::FxBuildHasher;
use tabulae_core::archive::months;
use tabulae_core::id::LocaleId;
use tabulae_core::query::fields::derived;
use tabulae_core::route::Link;
use tabulae_core::source::Spanned;
use tabulae_core::term::TermId;

use super::navigation::navigation;
use crate::incremental::Dependency;
use crate::plan::{SCRIPT, SEARCH, STYLE};
use crate::template::{RenderContext, RenderData, SiteScope, TermScope, date_value, feed_value};

/// The values that all pages of an archive share.
#[derive(Debug)]
pub(super) struct ArchiveValues {
    pub(super) overview: Value,
    pub(super) terms: Value,
    /// The terms by number, in the same order.
    pub(super) by_term: IndexMap<TermId, Value>,
    /// By group what its own pages show of it, made once for all of them.
    pub(super) own: Vec<OnceLock<Value>>,
}

/// A list that records a dependency when a template looks at it.
#[derive(Debug)]
pub(super) struct Tracked {
    pub(super) value: Value,
    pub(super) dependency: Dependency,
    pub(super) context: Arc<RenderContext>,
}

impl Object for Tracked {
    fn repr(self: &Arc<Self>) -> ObjectRepr {
        ObjectRepr::Seq
    }

    fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
        self.context.track(self.dependency);
        self.value.get_item(key).ok()
    }

    fn enumerate(self: &Arc<Self>) -> Enumerator {
        self.context.track(self.dependency);
        Enumerator::Seq(self.value.len().unwrap_or(0))
    }
}

/// The theme's words, by name. A map of the engine compares one name after the other.
#[derive(Debug)]
struct Words(IndexMap<Box<str>, Value, FxBuildHasher>);

impl Object for Words {
    fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
        self.get_value_by_str(key.as_str()?)
    }

    fn get_value_by_str(self: &Arc<Self>, key: &str) -> Option<Value> {
        self.0.get(key).cloned()
    }

    fn enumerate(self: &Arc<Self>) -> Enumerator {
        let names = self.0.keys().map(|name| Value::from(&**name));
        Enumerator::Values(names.collect())
    }
}

/// A group in the shape of a term, with its part of the largest and its months.
pub(super) fn group_value(
    (data, locale): (&RenderData, LocaleId),
    term: &tabulae_core::archive::GroupTerm,
    group: &tabulae_core::archive::Group,
    most: Option<usize>,
) -> Value {
    let site = &data.site;
    let about = term.id.map(|(field, id)| data.of(locale).about(field, id));
    let share = most.map(|most| (group.posts.len() * 100).div_ceil(most.max(1)));
    let depth = term.slug.matches('/').count();
    let year = term
        .day
        .filter(|day| day.to_string().ends_with("-01-01") && term.slug.len() == 4);
    let bars = year.map(|day| month_bars(&months(&group.posts, day.year(), &site.catalogue)));
    let newest = group
        .posts
        .iter()
        .min()
        .and_then(|id| site.catalogue.post(*id).date);
    let part = match depth {
        0 => term.name.as_str(),
        _ => term.name.rsplit('/').next().unwrap_or_default().trim(),
    };
    let term = TermScope {
        name: term.name.as_str().into(),
        part: part.into(),
        slug: term.slug.as_str().into(),
        count: group.posts.len().into(),
        link: site.href(&group.link).into(),
        about: about.into(),
        share: share.into(),
        depth: depth.into(),
        months: bars.into(),
        newest: newest.map(date_value).into(),
    };
    term.into()
}

/// The bars of a year's months: height in percent of the fullest month.
pub(super) fn month_bars(months: &[usize; 12]) -> Value {
    let most = months.iter().copied().max().unwrap_or(0).max(1);
    Value::from_iter(
        months
            .iter()
            .map(|count| context! { count, height => (count * 100).div_ceil(most) }),
    )
}

/// Returns the value `site` of the pages in a language.
pub(super) fn site_value(data: &RenderData, id: LocaleId) -> Value {
    let site = &data.site;
    let (settings, locale) = (&site.settings.site, site.locale(id));
    let base = &settings.address.path;
    let root = locale.link("/");
    let feeds = data.plan.feeds.iter();
    let first_pages = feeds.filter(|feed| feed.part.number == 1 && feed.locale == id);
    let whole = first_pages.filter(|feed| feed.is_of_the_site(site));
    let href = |file: &String| match file.starts_with('/') {
        true => format!("{base}{file}"),
        false => file.clone(),
    };
    let files = |files: &[Spanned<String>]| files.iter().map(|file| href(&file.node)).collect();
    let image = settings.image.as_ref().map(href);
    let author = settings.author.clone().unwrap_or_default();
    let words = locale.words.0.iter();
    let words = words.map(|(name, word)| (name.as_str().into(), Value::from(word.as_str())));
    let lists = navigation(data, id).into_iter();
    let term_fields = site.settings.own_term_fields();
    // A post's own names hide those of fields.
    let term_fields = term_fields.filter(|field| derived(&field.name, &site.catalogue).is_none());
    let feeds_page = data.plan.feeds_pages.get(&id);
    let values = SiteScope {
        title: locale.title.as_str().into(),
        address: settings.address.root().into(),
        link: site.href(&root).into(),
        language: locale.tag.as_str().into(),
        languages: site
            .languages()
            .map(|(_, locale)| locale.tag.as_str())
            .collect(),
        direction: match site.catalogue.language(id).is_right_to_left() {
            true => "rtl".into(),
            false => "ltr".into(),
        },
        description: locale.description.clone().into(),
        author: context! { name => author.name, email => author.email, link => author.link },
        image: image.into(),
        feeds: whole.map(|feed| feed_value(data, feed)).collect(),
        feeds_page: feeds_page.map(|page| site.href(page)).into(),
        lists: lists
            .map(|(title, link)| context! { title, link })
            .collect(),
        term_fields: term_fields.map(|field| field.name.as_str()).collect(),
        words: Value::from_object(Words(words.collect())),
        style: site.href(&Link::new(format!("/{}", STYLE))).into(),
        styles: files(&settings.styles),
        scripts: files(&settings.scripts),
        script: site.href(&Link::new(format!("/{}", SCRIPT))).into(),
        search: (data.plan.searched.contains(&id))
            .then(|| site.href(&locale.link(SEARCH)))
            .into(),
    };
    values.into()
}

pub(super) fn archive_values(data: &RenderData, at: usize) -> ArchiveValues {
    let laid = &data.plan.archives[at];
    let locale = data.site.settings.archives[at].locale;
    let most = laid.groups.iter().map(|group| group.posts.len()).max();
    let terms = laid.groups.iter().filter_map(|group| {
        let term = group.term.as_ref()?;
        Some((term.id, group_value((data, locale), term, group, most)))
    });
    let terms: Vec<_> = terms.collect();
    let by_term = terms
        .iter()
        .filter_map(|(id, value)| Some(((*id)?.1, value.clone())));
    ArchiveValues {
        overview: data.plan.overviews[at]
            .as_ref()
            .map_or(Value::from(()), |link| Value::from(data.site.href(link))),
        by_term: by_term.collect(),
        terms: terms.into_iter().map(|(_, value)| value).collect(),
        own: laid.groups.iter().map(|_| OnceLock::new()).collect(),
    }
}
