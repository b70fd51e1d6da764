//! Planning: site to plan, with errors for outputs in conflict.

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;
use tabulae_core::archive::{ArchiveLayout, By, lay_out};
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::html::relative_addresses;
use tabulae_core::id::LocaleId;
use tabulae_core::pager::Pager;
use tabulae_core::query::{Query, Scope, Written};
use tabulae_core::route::{Link, OutputPath, Outputs, PathError, decode};
use tabulae_core::settings::{FeedFormat, Search};
use tabulae_core::source::{EmbeddedText, Span};
use tabulae_core::term::TermId;

use super::feed_ids::check_ids;
use super::model::Plan;
use super::output::{
    ASSETS, FEED_STYLE, Output, OutputKind, SCRIPT, SEARCH_SCRIPT, STYLE, has_titles, titles,
};
use crate::site::{Owner, Site};

/// Decides what is made. Outputs that collide are diagnostics.
#[must_use]
pub(crate) fn plan(site: &Site, diagnostics: &mut Diagnostics) -> Plan {
    let mut planner = Planner {
        site,
        outputs: Outputs::default(),
        plan: Plan::default(),
        undated: Undated::default(),
        constant_links: BTreeMap::new(),
        intruders: Vec::new(),
        same_slugs: BTreeSet::new(),
        diagnostics,
    };
    planner.posts();
    planner.report_constant_links();
    planner.pages();
    planner.archives();
    planner.feeds();
    planner.exports();
    planner.report_undated();
    planner.search();
    planner.assets();
    planner.redirects();
    planner.feeds_pages();
    planner.check_feed_pages();
    planner.alternates();
    planner.sitemap();
    planner.check_head_files();
    planner.report_prefixes();
    let found = CHECKS.par_iter().map(|check| check(&planner));
    let found: Vec<Diagnostics> = found.collect();
    planner.diagnostics.extend(found.into_iter().flatten());
    planner.plan
}

/// The checks of all outputs, in the order of their diagnostics.
const CHECKS: [fn(&Planner<'_>) -> Diagnostics; 4] = [
    |planner| planner.shared_by_file_and_folder(),
    |planner| planner.differing_in_case(),
    |planner| planner.not_portable(),
    |planner| check_ids(planner.site, &planner.plan),
];

/// The posts that a query gives in a scope where no post's page is being made; without a query all.
pub(super) fn run(
    query: Option<&EmbeddedText>,
    scope: Scope<'_>,
    diagnostics: &mut Diagnostics,
) -> Vec<PostId> {
    let empty = EmbeddedText::command_line("");
    match Query::parse(query.unwrap_or(&empty)) {
        Ok(query) => answer(&query, scope, diagnostics),
        Err(diagnostic) => {
            diagnostics.push(*diagnostic);
            Vec::new()
        }
    }
}

pub(super) fn answer(
    query: &Query<Written>,
    scope: Scope<'_>,
    diagnostics: &mut Diagnostics,
) -> Vec<PostId> {
    let answer = query.answer(scope);
    let mut found = answer.diagnostics;
    // A query that finds nothing in any language is reported for that of the site.
    let is_first = scope.locale.is_none_or(|locale| locale == LocaleId::SITE);
    found.retain(|found| is_first || found.code != Code::EmptyResult);
    diagnostics.append(&mut found);
    let answer = answer.output;
    answer.unwrap_or_default().posts
}

/// The posts that are left out, by the list in words and its place in the settings.
pub(super) type Undated = BTreeMap<(Span, String), BTreeSet<PostId>>;

pub(super) struct Planner<'a> {
    pub(super) site: &'a Site,
    pub(super) outputs: Outputs,
    pub(super) plan: Plan,
    /// The posts that lists and feeds leave out, as they have no date.
    pub(super) undated: Undated,
    /// The content sets whose link is the same for several posts, each with one of them.
    pub(super) constant_links: BTreeMap<usize, PostId>,
    /// The outputs that are among those of another language and collide with one of them.
    pub(super) intruders: Vec<(LocaleId, Output)>,
    /// The pairs of terms of one field that have the same slug, and are reported.
    pub(super) same_slugs: BTreeSet<(usize, [TermId; 2])>,
    pub(super) diagnostics: &'a mut Diagnostics,
}

impl Planner<'_> {
    /// Plans an output, unless its place is taken, which is an error.
    pub(super) fn add(&mut self, link: Link, what: OutputKind) {
        let file = OutputPath::new(&link.file());
        self.place(file, link, what);
    }

    /// Plans an output whose path is known.
    fn place(&mut self, file: Result<OutputPath, PathError>, link: Link, what: OutputKind) {
        let file = match file {
            Ok(file) => file,
            Err(error) => {
                let diagnostic = self.unfit(&link, &what, error);
                self.diagnostics.push(diagnostic);
                return;
            }
        };
        let planned = Output {
            file,
            link,
            kind: what,
        };
        let claimed = self.outputs.claim(&planned.file, self.plan.outputs.len());
        match claimed {
            Ok(()) => self.plan.outputs.push(planned),
            Err(first) => {
                let both = [self.plan.outputs[first].clone(), planned];
                if self.note_intruders(&both) {
                    return;
                }
                let [_, planned] = both;
                let first = &self.plan.outputs[first];
                if let Some((set, id)) = self.constant_link(&first.kind, &planned.kind) {
                    self.constant_links.entry(set).or_insert(id);
                    return;
                }
                if self.has_constant_link(&first.kind) {
                    return;
                }
                if let Some((field, terms)) = self.same_slug(&first.kind, &planned.kind) {
                    // The pages, feeds and titles of all archives of the field have the same cause.
                    if self.same_slugs.insert((field, terms)) {
                        let diagnostic = self.terms_in_conflict(field, terms, &planned.link);
                        self.diagnostics.push(diagnostic);
                    }
                    return;
                }
                let diagnostic = self.taken(&planned.file, first, &planned);
                self.diagnostics.push(diagnostic);
            }
        }
    }

    /// Returns an error for each path that would be a file and a folder.
    fn shared_by_file_and_folder(&self) -> Diagnostics {
        let outputs = &self.plan.outputs;
        let mut told = BTreeSet::new();
        let found = self.outputs.files_and_folders();
        let found = found.filter(|(path, ..)| told.insert(*path));
        let found =
            found.map(|(path, file, within)| self.taken(path, &outputs[file], &outputs[within]));
        found.collect()
    }

    fn posts(&mut self) {
        let site = self.site;
        let posts = site.catalogue.all().filter(|id| site.has_page(*id));
        let posts: Vec<PostId> = posts.collect();
        let outputs = posts.par_iter().map(|id| {
            let post = site.catalogue.post(*id);
            let link = site.catalogue.link(*id);
            let files = site.files_of(site.owner(*id), &post.addresses, post.image.as_deref());
            (OutputPath::new(&link.file()), link.clone(), files)
        });
        let outputs: Vec<_> = outputs.collect();
        for (id, (file, link, files)) in posts.into_iter().zip(outputs) {
            self.place(file, link, OutputKind::Post(id));
            self.copies(files);
        }
    }

    fn copies(&mut self, files: Vec<(String, Link)>) {
        for (source, link) in files {
            self.add(link, OutputKind::Copy(source));
        }
    }

    fn pages(&mut self) {
        let site = self.site;
        for (at, page) in site.pages.iter().enumerate() {
            self.add(page.link.clone(), OutputKind::Page(at));
            let owner = Owner::new(&page.post.path, &page.link);
            let of_template = page.template.as_deref().map(relative_addresses);
            let addresses = of_template.unwrap_or_else(|| page.post.addresses.clone());
            let files = site.files_of(owner, &addresses, page.post.image.as_deref());
            self.copies(files);
        }
    }

    fn archives(&mut self) {
        let site = self.site;
        let archives = &site.settings.archives;
        let lists = archives.par_iter().map(|archive| {
            let mut diagnostics = Diagnostics::new();
            let scope = site.scope().within(archive.locale);
            let posts = run(archive.query.as_ref(), scope, &mut diagnostics);
            let is_undated = |id: &PostId| site.catalogue.post(*id).date.is_none();
            let undated: Vec<PostId> = posts.iter().copied().filter(is_undated).collect();
            let laid = lay_out(
                archive,
                posts,
                &site.settings,
                &site.catalogue,
                &mut diagnostics,
            );
            (laid, undated, diagnostics)
        });
        let lists: Vec<(ArchiveLayout, Vec<PostId>, Diagnostics)> = lists.collect();
        for ((at, archive), (mut laid, undated, diagnostics)) in
            archives.iter().enumerate().zip(lists)
        {
            self.extend_once(archive.locale, diagnostics);
            let is_absent = archive.locale != LocaleId::SITE && !laid.has_posts();
            if matches!(laid.by, Some(By::Year | By::Month | By::Day)) {
                let who = format!("the archive `{}`", archive.name);
                undated
                    .into_iter()
                    .for_each(|id| self.note_undated(&who, archive.location, id));
            }
            if let Some(group) = &archive.group {
                let location = site.settings.source.location(group.span);
                if let Err(diagnostic) =
                    tabulae_core::archive::by(&group.node, &site.catalogue, location)
                {
                    self.diagnostics.push(*diagnostic);
                }
            }
            let overview = archive.overview.as_ref();
            let overview = overview.filter(|_| !is_absent);
            let overview = overview.map(|link| Link::new(decode(&link.node)));
            if let Some(link) = &overview {
                self.add(link.clone(), OutputKind::Overview(at));
            }
            if is_absent {
                laid.groups.clear();
            }
            self.plan.archives.push(laid);
            self.plan.overviews.push(overview);
            for number in 0..self.plan.archives[at].groups.len() {
                self.list(at, number);
            }
        }
    }

    /// The pages of one list of an archive, and its feeds.
    fn list(&mut self, archive: usize, number: usize) {
        let settings = &self.site.settings.archives[archive];
        let group = &self.plan.archives[archive].groups[number];
        let (link, posts) = (group.link.clone(), group.posts.len());
        if let Some((field, term)) = group.term.as_ref().and_then(|term| term.id) {
            let pages = &mut self.plan.term_pages;
            let page = pages.entry((settings.locale, field, term));
            page.or_insert_with(|| link.clone());
        }
        let group = number;
        if has_titles(posts, settings.per_page) {
            self.add(titles(&link), OutputKind::Titles { archive, group });
        }
        for pager in Pager::all(posts, settings.per_page) {
            let what = OutputKind::List {
                archive,
                group,
                pager,
            };
            self.add(link.page(pager.number), what);
        }
        for format in &settings.feeds {
            self.archive_feed(archive, number, *format);
        }
    }

    /// Adds the diagnostics of an archive or feed in a language, but for those that it has in another as well.
    pub(super) fn extend_once(&mut self, locale: LocaleId, diagnostics: Diagnostics) {
        let known = &*self.diagnostics;
        let is_new = |found: &Diagnostic| locale == LocaleId::SITE || !known.contains(found);
        let new: Vec<_> = diagnostics.into_iter().filter(is_new).collect();
        self.diagnostics.extend(new);
    }

    fn assets(&mut self) {
        let site = self.site;
        for name in &site.assets {
            let what = OutputKind::Copy(format!("{ASSETS}{name}"));
            self.add(Link::new(format!("/{name}")), what);
        }
        let is_own = |name: &str| site.assets.iter().any(|asset| asset == name);
        let own = [
            (STYLE, OutputKind::Style, true),
            (SCRIPT, OutputKind::Script, true),
            (
                SEARCH_SCRIPT,
                OutputKind::SearchScript,
                site.settings.site.search == Search::Full,
            ),
        ];
        for (name, what, is_needed) in own {
            if is_needed && !is_own(name) {
                self.add(Link::new(format!("/{name}")), what);
            }
        }
        for (id, locale) in site.settings.locales.iter() {
            let mut feeds = self.plan.feeds.iter().filter(|feed| feed.locale == id);
            if !feeds.any(|feed| feed.format != FeedFormat::Json) {
                continue;
            }
            let common = Link::new(format!("/{FEED_STYLE}"));
            let style = match is_own(FEED_STYLE) {
                true => common,
                false => {
                    let style = locale.link(&common.plain);
                    self.add(style.clone(), OutputKind::FeedStyle(id));
                    style
                }
            };
            self.plan.feed_styles.insert(id, style);
        }
    }

    fn sitemap(&mut self) {
        let pages = self.plan.outputs.iter();
        let pages = pages.filter(|output| output.kind.is_own_page());
        let pages = pages.filter(|output| match output.kind {
            OutputKind::Post(id) => self.site.catalogue.is_listed(id),
            OutputKind::Page(at) => {
                let page = &self.site.pages[at];
                !page.post.exclusion.unlisted && !page.is_not_found()
            }
            _ => true,
        });
        let mut links: Vec<Link> = pages.map(|output| output.link.clone()).collect();
        links.par_sort_unstable();
        if self.outputs.has("sitemap.xml") {
            return;
        }
        if links.len() <= SITEMAP_PART {
            self.add(Link::new("/sitemap.xml"), OutputKind::Sitemap(links));
            return;
        }
        let parts: Vec<Vec<Link>> = links.chunks(SITEMAP_PART).map(<[Link]>::to_vec).collect();
        self.add(
            Link::new("/sitemap.xml"),
            OutputKind::SitemapIndex(parts.len()),
        );
        for (number, part) in (1..).zip(parts) {
            let link = Link::new(format!("/sitemap-{number}.xml"));
            self.add(link, OutputKind::Sitemap(part));
        }
    }
}

/// The maximum number of addresses in one sitemap (sitemaps.org).
const SITEMAP_PART: usize = 50_000;
