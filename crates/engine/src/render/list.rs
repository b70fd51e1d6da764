//! Pages of archives: lists and overviews.

use std::num::NonZeroUsize;
use std::sync::Arc;

use minijinja::{Value, context};
use tabulae_core::archive::{By, Group, GroupTerm, sections};
use tabulae_core::catalogue::PostId;
use tabulae_core::pager::Pager;
use tabulae_core::route::Link;
use tabulae_core::settings::Archive;

use super::values::{Tracked, group_value};
use super::{Bytes, Renderer, none_of_them};
use crate::incremental::Key;
use crate::plan::{has_titles, titles};
use crate::template::{
    ArchiveScope, PageData, PageScope, PagerScope, RenderContext, RenderData, Scope, Subject,
    post_list,
};

impl Renderer<'_> {
    pub(super) fn list(
        &self,
        context: &Arc<RenderContext>,
        at: usize,
        number: usize,
        pager: Pager,
    ) -> Bytes {
        let site = &self.data.site;
        let archive = &site.settings.archives[at];
        let laid = &self.data.plan.archives[at];
        let group = &laid.groups[number];
        let posts = &group.posts[pager.items()];
        context.track_key(Key::List(group.link.plain.clone()));
        if archive.group.is_some() {
            posts.iter().for_each(|id| context.track_post(*id));
        }
        let link = |number: usize| site.href(&group.link.page(number));
        let here = group.link.page(pager.number);
        // The home page has the title of the site, unless the settings give it one.
        let locale = context.settings();
        let is_home = group.link.plain == locale.below("/") && archive.title.is_none();
        let title = if is_home { &locale.title } else { &group.title };
        let title = match pager.number {
            1 => title.clone(),
            number => format!("{title} · {} {number}", locale.words.get("page")),
        };
        let numbers: Vec<Value> = pager
            .numbers()
            .into_iter()
            .map(|number| match number {
                Some(number) => {
                    context! { number, link => link(number), current => number == pager.number }
                }
                None => context! { number => (), link => (), current => false, title => "…" },
            })
            .collect();
        let items = pager.items();
        let newer = Value::from(pager.newer().map(link));
        let older = Value::from(pager.older().map(link));
        let term = group.term.as_ref().and_then(|term| term.id);
        let subject = term.map_or(Subject::None, |(field, id)| Subject::Term(field, id));
        let overview = self.data.plan.overviews[at].as_ref();
        let above = overview.map(|link| (laid.title.clone(), site.absolute(link)));
        let json_ld = self.json_ld_of_page(context, "list", &title, &here, above);
        let page = PageScope {
            json_ld,
            description: context.settings().description.clone().into(),
            data: PageData::value("list", subject, context),
            menu: self.menu(&here),
            previous: newer.clone(),
            next: older.clone(),
            ..self.page_scope(context, "list", title, &here, &group.link)
        };
        let has_rows = has_titles(group.posts.len(), archive.per_page);
        let rows = has_rows.then(|| site.href(&titles(&group.link)));
        let values = Scope {
            archive: self.archive_value(
                context,
                at,
                Some(number),
                self.sections(context, archive, posts),
            ),
            term: self.term_value(context, at, number),
            posts: post_list(posts, context),
            pager: PagerScope {
                number: pager.number.into(),
                pages: pager.pages.into(),
                total: pager.total.into(),
                first: (items.start + 1).min(items.end).into(),
                last: items.end.into(),
                newer,
                older,
                numbers: numbers.into(),
                per_page: archive.per_page.map(NonZeroUsize::get).into(),
                base: site.href(&group.link).into(),
                rows: rows.into(),
                newest_first: group.newest_first.into(),
            }
            .into(),
            ..self.scope(context, page)
        };
        let name = archive
            .template
            .as_ref()
            .map_or("archive.html", |template| template.node.as_str());
        self.template(context, name, values)
    }

    fn sections(&self, context: &Arc<RenderContext>, archive: &Archive, posts: &[PostId]) -> Value {
        let site = &self.data.site;
        let by = archive.group.as_ref().and_then(|group| {
            tabulae_core::archive::by(&group.node, &site.catalogue, site.settings.source.top()).ok()
        });
        let section = |heading: Option<String>, link: Value, posts: Vec<PostId>| {
            context! { heading, link, posts => post_list(posts, context) }
        };
        let Some(by) = by else {
            return Value::from(vec![section(None, ().into(), posts.to_vec())]);
        };
        let undated = || {
            matches!(by, By::Year | By::Month | By::Day)
                .then(|| context.settings().words.get("undated").to_owned())
        };
        let sections = sections(&by, posts, site.catalogue.within(context.locale));
        let sections = sections.into_iter().map(|found| {
            let link = found
                .term
                .as_ref()
                .and_then(|term| self.list_of(context, &by, term));
            let heading = found.term.map(|term| term.name).or_else(undated);
            section(heading, link.into(), found.posts)
        });
        sections.collect()
    }

    /// Returns the address of the list of the posts that share a value: that of the first archive that is split by it,
    /// if it is not that of the page.
    fn list_of(&self, context: &RenderContext, by: &By, term: &GroupTerm) -> Option<String> {
        let RenderData { site, plan, .. } = &*self.data;
        let archives = site.settings.archives.iter().zip(&plan.archives);
        let mut split = archives.filter(|(archive, laid)| {
            archive.locale == context.locale && laid.by.as_ref() == Some(by)
        });
        split.find_map(|(archive, laid)| {
            context.track_key(Key::Groups(archive.name.clone(), archive.locale));
            let is_same = |known: &GroupTerm| match (known.id, known.day) {
                (None, None) => known.slug == term.slug,
                (id, day) => (id, day) == (term.id, term.day),
            };
            let group = laid
                .groups
                .iter()
                .find(|group| group.term.as_ref().is_some_and(is_same))?;
            let link = site.href(&group.link);
            (!context.is_own_link(&link)).then_some(link)
        })
    }

    pub(super) fn overview(&self, context: &Arc<RenderContext>, at: usize, link: &Link) -> Bytes {
        let laid = &self.data.plan.archives[at];
        let archive = &self.data.site.settings.archives[at];
        context.track_key(Key::Groups(archive.name.clone(), archive.locale));
        let page = self.site_page(context, "overview", laid.title.as_str(), link);
        let values = Scope {
            archive: self.archive_value(context, at, None, none_of_them()),
            ..self.scope(context, page)
        };
        self.template(context, "overview.html", values)
    }

    /// An archive as its page of one list sees it, or its overview.
    fn archive_value(
        &self,
        context: &Arc<RenderContext>,
        at: usize,
        list: Option<usize>,
        sections: Value,
    ) -> Value {
        let site = &self.data.site;
        let archive = &site.settings.archives[at];
        let laid = &self.data.plan.archives[at];
        let values = &self.archives[at];
        let group = list.map(|list| &laid.groups[list]);
        let (above, below) = self.nested(at, group);
        let title = group.map_or(&laid.title, |group| &group.title);
        let scope = ArchiveScope {
            name: archive.name.as_str().into(),
            title: title.as_str().into(),
            link: match group {
                Some(group) => site.href(&group.link).into(),
                None => values.overview.clone(),
            },
            by: archive.by.as_ref().map(|by| by.node.as_str()).into(),
            show: archive.show.name().into(),
            count: group
                .map_or(laid.groups.len(), |group| group.posts.len())
                .into(),
            overview: values.overview.clone(),
            overview_title: laid.title.as_str().into(),
            terms: Value::from_object(Tracked {
                value: values.terms.clone(),
                dependency: self
                    .data
                    .dependencies
                    .other(Key::Groups(archive.name.clone(), archive.locale)),
                context: Arc::clone(context),
            }),
            above,
            below,
            sections,
        };
        scope.into()
    }

    /// The terms above a list's term, the highest first, and those right below it, as far as
    /// they have pages in this archive.
    fn nested(&self, at: usize, group: Option<&Group>) -> (Value, Value) {
        let Some((field, id)) = group.and_then(|group| group.term.as_ref()?.id) else {
            return (none_of_them(), none_of_them());
        };
        let table = self.data.site.catalogue.terms(field);
        if !table.field.nested {
            return (none_of_them(), none_of_them());
        }
        let values = &self.archives[at];
        let parents = std::iter::successors(table.term(id).parent, |id| table.term(*id).parent);
        let parents: Vec<_> = parents.collect();
        let above = parents.iter().rev().filter_map(|id| values.by_term.get(id));
        let below = values
            .by_term
            .iter()
            .filter(|(other, _)| table.term(**other).parent == Some(id));
        (
            above.cloned().collect(),
            below.map(|(_, term)| term.clone()).collect(),
        )
    }

    /// Returns the value `term` of a list: the term that its posts share, or a part of a date in the same
    /// form.
    fn term_value(&self, context: &Arc<RenderContext>, at: usize, number: usize) -> Value {
        let group = &self.data.plan.archives[at].groups[number];
        // Each page asks for its term, also where what it shows was made for another.
        if let Some((field, id)) = group.term.as_ref().and_then(|term| term.id) {
            context.track(self.data.dependencies.term(field, id));
        }
        let make = |term| group_value((&self.data, context.locale), term, group, None);
        let own = || group.term.as_ref().map_or(Value::from(()), make);
        self.archives[at].own[number].get_or_init(own).clone()
    }
}
