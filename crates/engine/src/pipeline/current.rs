//! The current fingerprints of keys.
//!
//! | key | what is hashed |
//! |---|---|
//! | `Post` | header, title, slug, link, date, state, terms, summary |
//! | `Text` | the bytes of its file |
//! | `Related` | the paths of its list, the terms they share, whether it is all fill |
//! | `Likeness` | the likeness of the posts of its list |
//! | `Term`, `Count` | name, slug, link and note; how many posts |
//! | `List` | title, link, term, its posts' paths in order, the terms above and below, its feeds |
//! | `Rows` | what the posts of the list say |
//! | `Groups` | name, link, count, newest and months of each |
//! | `Alternates`, `Translations` | language and address of each |
//! | `Export` | the paths of its posts in order |
//! | `Feed`, `Feeds` | title, address, page, style and entries; titles and addresses of all |
//! | `Page`, `Template` | their texts and links |
//! | `Query`, `Terms` | the paths found; the terms found, with their counts |
//! | `Field`, `Address`, `File` | existence and shape; the address; the checksum |
//! | `Site`, `Settings` | the value that templates see; the text of `tabulae.toml` and the options |
//! | `Alike`, `Posts`, `All` | those of all posts together, and of terms |

use std::collections::{BTreeMap, BTreeSet};
use std::sync::OnceLock;

use rayon::prelude::*;
use tabulae_core::archive::months;
use tabulae_core::catalogue::PostId;
use tabulae_core::id::LocaleId;
use tabulae_core::query::ast::Validity;
use tabulae_core::query::{Query, Written};
use tabulae_core::source::EmbeddedText;
use tabulae_core::term::TermId;

use super::post_fingerprints::PostFingerprints;
use crate::fingerprint::{Fingerprint, checksum_of, hash};
use crate::incremental::{BuildCache, Key, Listing};
use crate::plan::FeedPlan;
use crate::site::Site;
use crate::source::{FileStamp, Sources};
use crate::template::{Memo, RenderData, has_maps};

/// Returns the fingerprint of all that related posts depend on but texts.
pub(super) fn related_fronts(site: &Site, posts: &PostFingerprints) -> u64 {
    let mut all = Fingerprint::new();
    all.number(site.configuration);
    for front in &posts.fronts {
        all.number(*front);
    }
    valid_until(site, site.query_traits.validity, &mut all);
    all.done()
}

/// Adds the time of the build, as exactly as answers of a validity depend on it.
fn valid_until(site: &Site, validity: Validity, into: &mut Fingerprint) {
    match validity {
        Validity::Ever => {}
        Validity::Today => {
            into.text(&site.moment.today().to_string());
        }
        Validity::Moment => {
            into.text(&site.moment.now.to_string());
        }
    }
}

/// Computes the current fingerprints of keys. Whatever several keys need is computed once.
pub(super) struct CurrentFingerprints<'a> {
    data: &'a RenderData,
    sources: &'a dyn Sources,
    posts: &'a PostFingerprints,
    old: &'a BuildCache,
    /// The posts with other texts, if nothing else of the site changed since the last build.
    retexted: Option<BTreeSet<&'a str>>,
    lists: OnceLock<BTreeMap<&'a str, (usize, usize)>>,
    /// Terms by field and slug. Terms without pages may have one slug.
    terms: OnceLock<BTreeMap<(usize, &'a str), Vec<TermId>>>,
    feeds: OnceLock<BTreeMap<String, &'a FeedPlan>>,
    alike: OnceLock<u64>,
    groups: Vec<OnceLock<u64>>,
    all_posts: u64,
    /// The fingerprint of the value `site` of templates.
    site: Vec<u64>,
    /// Parsed queries by their texts.
    statements: Memo<String, Option<Query<Written>>>,
}

impl<'a> CurrentFingerprints<'a> {
    pub(super) fn new(
        data: &'a RenderData,
        posts: &'a PostFingerprints,
        old: &'a BuildCache,
        retexted: Option<&[PostId]>,
        sources: &'a dyn Sources,
        site_values: Vec<u64>,
    ) -> Self {
        let path = |id: &PostId| data.site.catalogue.post(*id).path.as_str();
        let metadata = posts.metadata.iter().copied();
        let all_posts = Fingerprint::of([posts.terms].into_iter().chain(metadata));
        Self {
            data,
            sources,
            posts,
            old,
            retexted: retexted.map(|ids| ids.iter().map(path).collect()),
            lists: OnceLock::new(),
            terms: OnceLock::new(),
            feeds: OnceLock::new(),
            alike: OnceLock::new(),
            groups: vec![OnceLock::new(); data.plan.archives.len()],
            site: site_values,
            all_posts,
            statements: Memo::default(),
        }
    }

    fn list_at(&self, link: &str) -> Option<(usize, usize)> {
        let lists = self.lists.get_or_init(|| {
            let archives = self.data.plan.archives.iter().enumerate();
            let lists = archives.flat_map(|(at, laid)| {
                let groups = laid.groups.iter().enumerate();
                groups.map(move |(number, group)| (group.link.plain.as_str(), (at, number)))
            });
            lists.collect()
        });
        lists.get(link).copied()
    }

    fn feed_at(&self, address: &str) -> Option<&'a FeedPlan> {
        let feeds = self.feeds.get_or_init(|| {
            let feeds = self.data.plan.feeds.iter();
            let feeds = feeds.map(|feed| (feed.address(feed.part.number).plain, feed));
            feeds.collect()
        });
        feeds.get(address).copied()
    }

    /// Returns true if the outputs and their makers are those of the last build.
    pub(super) fn same_plan(&self) -> bool {
        self.retexted.is_some()
    }

    /// Returns true if a fingerprint is the same without computing it, as the key does not depend on what
    /// changed.
    fn stays(&self, key: &Key, same_posts: bool) -> bool {
        let Some(retexted) = &self.retexted else {
            return false;
        };
        match key {
            Key::Post(path) | Key::Text(path) => !retexted.contains(path.as_str()),
            Key::Beside(_) | Key::Term(..) | Key::Count(..) => true,
            Key::List(_) | Key::Groups(..) => true,
            Key::Feed(_) | Key::Feeds(_) | Key::Export(_) | Key::Field(_) => true,
            Key::Alternates(_) | Key::Translations(_) => true,
            Key::Rows(_) => same_posts,
            _ => false,
        }
    }

    /// The site.
    pub(super) fn site(&self) -> &'a Site {
        &self.data.site
    }

    /// Returns the fingerprints of all posts.
    pub(super) fn posts(&self) -> &'a PostFingerprints {
        self.posts
    }

    /// Returns the data that all outputs share.
    pub(super) fn data(&self) -> &'a RenderData {
        self.data
    }

    /// Returns the current fingerprints of the keys of the last build, in its order; `None` for those that no
    /// longer exist or always change.
    pub(super) fn of_old(&self) -> Vec<Option<u64>> {
        let keys = &self.old.keys;
        let known = |wanted: &Key| {
            let found = keys.iter().find(|(key, _)| key == wanted);
            found.map(|(_, fingerprint)| *fingerprint)
        };
        let same_posts = known(&Key::Posts) == Some(self.all_posts);
        let same_alike = known(&Key::Alike) == Some(self.alike());
        keys.par_iter()
            .map(|(key, old)| match key {
                key if self.stays(key, same_posts) => Some(*old),
                Key::Related(path) | Key::Likeness(path)
                    if same_alike && (self.same_plan() || self.site().post_at(path).is_some()) =>
                {
                    Some(*old)
                }
                key => match key.query() {
                    Some(text) if same_posts && self.depends_on_posts(text) => Some(*old),
                    _ => self.fingerprint(key),
                },
            })
            .collect()
    }

    /// The fingerprint of something now; `None` where there is no such thing, or where it is
    /// never the same.
    pub(super) fn fingerprint(&self, key: &Key) -> Option<u64> {
        let site = &self.data.site;
        // The settings of the last build may have had more languages.
        let languages = site.settings.locales.iter().len();
        if key.locale().is_some_and(|locale| locale.at() >= languages) {
            return None;
        }
        let posts = self.posts;
        match key {
            Key::Post(path) => Some(posts.metadata[site.post_at(path)?.0 as usize]),
            Key::Text(path) => Some(posts.texts[site.post_at(path)?.0 as usize]),
            Key::Beside(path) => {
                let beside = site.catalogue.beside(site.post_at(path)?);
                let path = |id: &Option<PostId>| id.map_or(0, |id| posts.paths[id.0 as usize]);
                Some(Fingerprint::of(beside.iter().map(path)))
            }
            Key::Related(path) => Some(self.related(site.post_at(path)?)),
            Key::Likeness(path) => Some(self.likeness(site.post_at(path)?)),
            Key::Term(field, slug) => self.term(field, slug),
            Key::Count(field, slug) => self.count(field, slug),
            Key::List(link) => Some(self.list(self.list_at(link)?)),
            Key::Rows(link) => {
                let (archive, group) = self.list_at(link)?;
                let group = &self.data.plan.archives[archive].groups[group];
                Some(self.each(&group.posts, &posts.metadata))
            }
            Key::Groups(name, locale) => {
                let mut archives = site.settings.archives.iter();
                let at = archives
                    .position(|archive| archive.name == *name && archive.locale == *locale)?;
                Some(self.groups(at))
            }
            Key::Feed(address) => Some(self.feed(self.feed_at(address)?)),
            Key::Export(name) => {
                let mut exports = site.settings.exports.iter();
                let at = exports.position(|export| export.name == *name)?;
                Some(self.each(&self.data.plan.exports[at].posts, &posts.paths))
            }
            Key::Feeds(locale) => {
                let feeds = self.data.plan.feeds.iter();
                let feeds = feeds.filter(|feed| feed.locale == *locale);
                Some(Fingerprint::of(feeds.map(announced)))
            }
            Key::Page(path) => self.page(path),
            Key::Template(name) => {
                let source = self.data.sources.get(name);
                Some(source.map_or(0, |source| hash(source.text())))
            }
            Key::Alternates(link) => {
                let pages = self.data.plan.alternates.get(link);
                let pages = pages.iter().flat_map(|pages| pages.iter());
                let mut all = Fingerprint::new();
                for page in pages {
                    all.number(page.locale.at() as u64).text(&page.link.plain);
                }
                Some(all.done())
            }
            Key::Translations(path) => {
                let translations = site.catalogue.translations(site.post_at(path)?);
                Some(self.each(&translations.collect::<Vec<_>>(), &posts.paths))
            }
            Key::Query(text, this, locale) => {
                let this = match this {
                    Some(path) => Some(site.post_at(path)?),
                    None => None,
                };
                Some(self.each(&self.found(text, this, *locale)?, &posts.paths))
            }
            Key::Terms(listing) => self.listing(listing),
            Key::Field(name) => {
                let known = has_maps(name, &site.catalogue);
                Some(known.map_or(0, |has_maps| 1 + u64::from(has_maps)))
            }
            Key::Address(named) => Some(hash(&site.address_of(named))),
            Key::File(path) => self.file(path),
            Key::Site(locale) => self.site.get(locale.at()).copied(),
            Key::Settings => Some(site.configuration),
            Key::Alike => Some(self.alike()),
            Key::Posts => Some(self.all_posts),
            Key::All => {
                let texts = posts.texts.iter().copied();
                Some(Fingerprint::of([self.all_posts].into_iter().chain(texts)))
            }
            Key::Day => Some(hash(&site.moment.today().to_string())),
            Key::QueryReport(..) => Some(0),
            Key::Moment | Key::Warned => None,
        }
    }

    /// Returns the checksum of a file; that of the last build if its stamp is the same.
    fn file(&self, path: &str) -> Option<u64> {
        let stamp = self.sources.stamp(path).ok()?;
        match self.old.checksums.get(path) {
            Some((known, checksum)) if stamp.as_ref() == Some(known) => Some(*checksum),
            _ => checksum_of(self.sources.open(path).ok()?).ok(),
        }
    }

    /// Returns the stamp of a file, if it can be relied on.
    pub(super) fn stamp(&self, path: &str) -> Option<FileStamp> {
        self.sources.stamp(path).ok().flatten()
    }

    /// Returns the fingerprint of the number of posts with a term.
    fn count(&self, field: &str, slug: &str) -> Option<u64> {
        let (field, ids) = self.terms(field, slug)?;
        let table = self.data.site.catalogue.terms(field);
        let catalogue = &self.data.site.catalogue;
        let locales = self.data.site.settings.locales.ids();
        let counts = locales.flat_map(|locale| {
            let ids = ids.iter();
            ids.map(move |id| catalogue.within(locale).posts_of(table.term(*id)).0 as u64)
        });
        Some(Fingerprint::of(counts))
    }

    /// Returns the fingerprint of a page of `pages/`.
    fn page(&self, path: &str) -> Option<u64> {
        let mut pages = self.data.site.pages.iter();
        let page = pages.find(|page| page.post.path == path)?;
        let mut text = Fingerprint::new();
        text.text(page.post.source.text())
            .text(&page.post.html.get())
            .text(page.template.as_deref().unwrap_or_default())
            .text(&page.post.title)
            .text(&page.link.plain);
        Some(text.done())
    }

    /// Returns the fingerprint of a list of terms with their counts.
    fn listing(&self, listing: &Listing) -> Option<u64> {
        let catalogue = &self.data.site.catalogue;
        let field = catalogue.term_field(&listing.field)?;
        let posts = match &listing.query {
            Some(text) => Some(self.found(text, None, listing.locale)?),
            None => None,
        };
        let (order, limit) = (listing.order, listing.limit);
        let terms = self
            .data
            .listed_terms((field, listing.locale), order, limit, posts.as_deref());
        let mut found = Fingerprint::new();
        for (id, count) in terms {
            let slug = &catalogue.terms(field).term(id).slug;
            found.text(slug).number(count as u64);
        }
        Some(found.done())
    }

    /// The hashes of posts, in their order.
    fn each(&self, posts: &[PostId], hashes: &[u64]) -> u64 {
        Fingerprint::of(posts.iter().map(|id| hashes[id.0 as usize]))
    }

    fn terms<'w>(&'w self, field: &str, slug: &'w str) -> Option<(usize, &'w [TermId])> {
        let field = self.data.site.catalogue.term_field(field)?;
        let terms = self.terms.get_or_init(|| {
            let mut terms: BTreeMap<_, Vec<_>> = BTreeMap::new();
            let tables = self.data.site.catalogue.term_tables();
            for (field, table) in tables.iter().enumerate() {
                for (term, number) in table.terms.iter().zip(0..) {
                    let same = terms.entry((field, term.slug.as_str())).or_default();
                    same.push(TermId(number));
                }
            }
            terms
        });
        let ids = terms.get(&(field, slug));
        Some((field, ids.map_or(&[], Vec::as_slice)))
    }

    fn term(&self, field: &str, slug: &str) -> Option<u64> {
        let (field, ids) = self.terms(field, slug)?;
        let mut all = Fingerprint::new();
        for id in ids {
            self.name(field, *id, &mut all);
        }
        Some(all.done())
    }

    fn name(&self, field: usize, id: TermId, into: &mut Fingerprint) {
        let term = self.data.site.catalogue.terms(field).term(id);
        for locale in self.data.site.settings.locales.ids() {
            let link = self.data.plan.term_pages.get(&(locale, field, id));
            into.text(term.name_in(locale))
                .text(term.slug_in(locale))
                .text(link.map_or("", |link| &link.plain))
                .text(term.about_in(locale).unwrap_or_default());
        }
    }

    fn related(&self, id: PostId) -> u64 {
        let site = &self.data.site;
        if site.related.is_empty() {
            return 0;
        }
        let known = site.likeness(id);
        let mut all = Fingerprint::new();
        all.number(site.is_all_fill(id).into());
        for other in site.related_to(id) {
            all.number(self.posts.paths[other.0 as usize]);
            let Some((index, _)) = known else {
                continue;
            };
            for (field, term) in index.shared_terms(id, *other) {
                self.name(field, term, &mut all);
            }
        }
        all.done()
    }

    fn likeness(&self, id: PostId) -> u64 {
        let site = &self.data.site;
        let Some((index, _)) = site.likeness(id) else {
            return 0;
        };
        let mut all = Fingerprint::new();
        for other in site.related_to(id) {
            all.number(u64::from(index.likeness(id, *other).units()));
        }
        all.done()
    }

    fn alike(&self) -> u64 {
        *self.alike.get_or_init(|| {
            let site = &self.data.site;
            let related = site.settings.all_related();
            let queries = related.flat_map(|related| [&related.query, &related.fill]);
            let queries = queries.flatten();
            let statements: Vec<_> = queries.map(|query| self.statement(query.text())).collect();
            let names = |name: &str| {
                let mut known = statements.iter().flatten();
                known.any(|known| known.statement().names(name))
            };
            let mut known = statements.iter().flatten();
            let of_texts = known.any(|known| known.statement().looks_into_texts());
            let weighed = site.likeness_weighs_texts();
            let mut all = Fingerprint::new();
            all.number(site.configuration);
            let fronts = if names("summary") {
                &self.posts.metadata
            } else {
                &self.posts.fronts
            };
            fronts.iter().for_each(|front| {
                all.number(*front);
            });
            if of_texts || weighed {
                self.posts.texts.iter().for_each(|text| {
                    all.number(*text);
                });
            }
            let validity = statements
                .iter()
                .flatten()
                .map(|known| known.statement().validity());
            let validity = validity
                .max()
                .unwrap_or_default()
                .max(site.query_traits.validity);
            valid_until(site, validity, &mut all);
            all.done()
        })
    }

    fn list(&self, (at, number): (usize, usize)) -> u64 {
        let site = &self.data.site;
        let laid = &self.data.plan.archives[at];
        let group = &laid.groups[number];
        let mut all = Fingerprint::new();
        all.text(&group.title)
            .text(&group.link.plain)
            .text(&laid.title)
            .number(group.newest_first.into());
        all.number(self.each(&group.posts, &self.posts.paths));
        all.number(self.group(at, number));
        if let Some((field, id)) = group.term.as_ref().and_then(|term| term.id) {
            self.name(field, id, &mut all);
            // The terms above and below a nested term are shown with name and count.
            if site.catalogue.terms(field).field.nested {
                all.number(self.groups(at));
            }
        }
        let feeds = self.data.plan.feeds_of.get(&group.link.plain);
        for feed in feeds.into_iter().flatten() {
            all.number(announced(&self.data.plan.feeds[*feed]));
        }
        all.done()
    }

    /// One of the terms, or other parts, that an archive is split by.
    fn group(&self, at: usize, number: usize) -> u64 {
        let catalogue = &self.data.site.catalogue;
        let group = &self.data.plan.archives[at].groups[number];
        let mut all = Fingerprint::new();
        all.text(&group.title).text(&group.link.plain);
        all.number(group.posts.len() as u64);
        let newest = group.posts.iter().min();
        let newest = newest.and_then(|id| catalogue.post(*id).date);
        all.text(&newest.map(|date| date.rfc3339()).unwrap_or_default());
        if let Some(term) = &group.term {
            all.text(&term.name).text(&term.slug);
            if let Some((field, id)) = term.id {
                self.name(field, id, &mut all);
            }
            if let Some(day) = term.day {
                for count in months(&group.posts, day.year(), catalogue) {
                    all.number(count as u64);
                }
            }
        }
        all.done()
    }

    fn groups(&self, at: usize) -> u64 {
        *self.groups[at].get_or_init(|| {
            let numbers = 0..self.data.plan.archives[at].groups.len();
            Fingerprint::of(numbers.map(|number| self.group(at, number)))
        })
    }

    fn feed(&self, feed: &FeedPlan) -> u64 {
        let mut all = Fingerprint::new();
        let style = self.data.plan.feed_styles.get(&feed.locale);
        all.number(announced(feed))
            .text(style.map_or("", |style| &style.plain))
            .number(feed.part.number as u64)
            .number(feed.part.pages as u64)
            .number(self.each(&feed.posts, &self.posts.paths));
        all.done()
    }

    fn found(&self, text: &str, this: Option<PostId>, locale: LocaleId) -> Option<Vec<PostId>> {
        let site = &self.data.site;
        let known = self.data.of(locale).resolved_query(text, this.is_some());
        let resolved = known.or_else(|| {
            let scope = site.scope().within(locale).on_page(this.is_some());
            self.statement(text)?.resolve(scope).output.map(Into::into)
        })?;
        Some(resolved.first(&site.catalogue, this))
    }

    fn statement(&self, text: &str) -> Option<Query<Written>> {
        let parse = |text: &String| Query::parse(&EmbeddedText::command_line(text)).ok();
        self.statements.get_or_insert(text.to_owned(), parse)
    }

    /// Returns true if the answer of a query changes only with the metadata of posts.
    fn depends_on_posts(&self, text: &str) -> bool {
        let statement = self.statement(text);
        self.validity(text) == Validity::Ever
            && statement.is_some_and(|known| !known.statement().looks_into_texts())
            && !self.data.site.query_traits.texts
    }

    fn validity(&self, text: &str) -> Validity {
        let own = self
            .statement(text)
            .map(|known| known.statement().validity());
        own.unwrap_or_default()
            .max(self.data.site.query_traits.validity)
    }

    /// Returns how long the values of keys are valid.
    pub(super) fn validity_of<'k>(&self, keys: impl Iterator<Item = &'k Key>) -> Validity {
        let validity = keys.map(|key| match key {
            Key::Day => Validity::Today,
            Key::Moment => Validity::Moment,
            key => key
                .query()
                .map_or(Validity::Ever, |text| self.validity(text)),
        });
        validity
            .max()
            .unwrap_or_default()
            .max(self.data.site.query_traits.validity)
    }
}

/// A feed as pages announce it.
fn announced(feed: &FeedPlan) -> u64 {
    let mut all = Fingerprint::new();
    all.text(&feed.title)
        .text(&feed.link.plain)
        .text(&feed.home.plain)
        .text(feed.format.name());
    all.done()
}
