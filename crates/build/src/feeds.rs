//! A planned feed to the document that is written, and the ids by which readers know its entries.

use std::collections::{BTreeMap, BTreeSet};

use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Faults};
use tabulae_core::feed::{self, Category, Document, Entry, Image, Pages, Person};
use tabulae_core::route::{Link, decode};
use tabulae_core::settings::{FeedContent, FeedFormat};
use tabulae_core::source::Place;
use tabulae_core::term::slug;

use crate::cache::{Key, need};
use crate::output::{Manifest, Published, checksum};
use crate::plan::Plan;
use crate::site::{Owner, Site};
use crate::sources::Sources;
use crate::template::escape;

/// The address of the page that lists the feeds for people.
pub const PAGE: &str = "/feeds/";

/// A feed that is made, or a page of it.
#[derive(Debug, Clone)]
pub struct FeedPlan {
    /// The title.
    pub title: String,
    /// One sentence on it, where it is not the site's.
    pub about: Option<String>,
    /// The address of its first page.
    pub link: Link,
    /// The page that it belongs to.
    pub home: Link,
    /// The format.
    pub format: FeedFormat,
    /// Summary or whole text.
    pub content: FeedContent,
    /// Minutes (RSS only).
    pub ttl: Option<usize>,
    /// The posts, in order.
    pub posts: Vec<PostId>,
    /// What asks for it.
    pub of: Origin,
    /// Which page of it this is.
    pub part: Part,
}

/// What asks for a feed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Origin {
    /// A list of an archive.
    List {
        /// The archive's number.
        archive: usize,
        /// The list's number within it.
        group: usize,
    },
    /// A feed of the settings, by number.
    Named(usize),
}

/// Which page of a feed one is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Part {
    /// From 1.
    pub number: usize,
    /// How many there are.
    pub pages: usize,
}

impl Part {
    /// The only page.
    pub const WHOLE: Part = Part {
        number: 1,
        pages: 1,
    };
}

impl FeedPlan {
    /// The address of a page of it: `/works.xml`, then `/works-2.xml`.
    #[must_use]
    pub fn address(&self, number: usize) -> Link {
        if number == 1 {
            return self.link.clone();
        }
        let plain = &self.link.plain;
        let name = plain.rfind('/').map_or(0, |slash| slash + 1);
        let dot = plain[name..]
            .rfind('.')
            .map_or(plain.len(), |dot| name + dot);
        Link::new(format!("{}-{number}{}", &plain[..dot], &plain[dot..]))
    }

    /// Whether it is one of the whole site, which every page announces.
    #[must_use]
    pub fn is_of_the_site(&self, site: &Site) -> bool {
        match self.of {
            Origin::Named(_) => self.home.plain == "/",
            Origin::List { archive, .. } => site.settings.archives[archive].by.is_none(),
        }
    }

    /// The document to be written.
    #[must_use]
    pub fn document(&self, site: &Site, plan: &Plan, sources: &dyn Sources) -> Document {
        let making = Making {
            site,
            plan,
            sources,
            content: self.content,
        };
        ask(site, Key::Settings);
        ask(site, Key::Feed(self.address(self.part.number).plain));
        let settings = &site.settings.site;
        let author = settings.author.clone().unwrap_or_default();
        let root = Link::new("/");
        Document {
            title: self.title.clone(),
            about: self.about.clone().or_else(|| settings.about.clone()),
            id: site.absolute(&self.link),
            address: site.absolute(&self.address(self.part.number)),
            home: site.absolute(&self.home),
            language: settings.language.clone(),
            author: Person {
                name: author.name.unwrap_or_else(|| settings.title.clone()),
                email: author.email,
                link: author.link.map(|link| making.rooted(link)),
            },
            rights: settings.rights.clone(),
            image: settings.image.as_deref().map(|image| {
                making.image(
                    Owner {
                        path: "",
                        link: &root,
                    },
                    image,
                )
            }),
            hub: settings.hub.clone(),
            ttl: self.ttl,
            pages: (self.part.pages > 1).then(|| self.pages(site)),
            style: plan.feed_style.as_ref().map(|style| site.href(style)),
            entries: self
                .posts
                .iter()
                .filter_map(|id| making.entry(*id))
                .collect(),
        }
    }

    fn pages(&self, site: &Site) -> Pages {
        let Part { number, pages } = self.part;
        let address = |number| site.absolute(&self.address(number));
        Pages {
            first: address(1),
            last: address(pages),
            previous: (number > 1).then(|| address(number - 1)),
            next: (number < pages).then(|| address(number + 1)),
        }
    }
}

/// Says that what is being made asks for something.
fn ask(site: &Site, key: Key) {
    need(site.needs.other(key));
}

/// What entries are made of.
struct Making<'a> {
    site: &'a Site,
    plan: &'a Plan,
    sources: &'a dyn Sources,
    content: FeedContent,
}

impl Making<'_> {
    fn entry(&self, id: PostId) -> Option<Entry> {
        need(self.site.needs.post(id));
        let post = self.site.catalogue.post(id);
        let owner = self.site.owner(id);
        let link = self.site.absolute(owner.link);
        let (authors, categories) = self.terms(id);
        Some(Entry {
            id: entry_id(id, self.site),
            link,
            title: post.title.to_string(),
            published: post.date,
            updated: post.updated?,
            authors,
            categories,
            summary: post.summary.as_deref().map(str::to_owned),
            content: (self.content == FeedContent::Full).then(|| self.text(id)),
            image: post.image.as_deref().map(|image| self.image(owner, image)),
        })
    }

    /// The whole text, and the related posts where the settings ask for them.
    fn text(&self, id: PostId) -> String {
        need(self.site.needs.text(id));
        let owner = self.site.owner(id);
        let html = self.site.catalogue.post(id).html.get();
        let mut text = feed::content(&html, &slug(&owner.link.plain), &mut |address| {
            self.site.absolute_address(owner, address)
        });
        text.push_str(&related(id, self.site));
        text
    }

    /// The authors, and all other terms in the order of their fields.
    fn terms(&self, id: PostId) -> (Vec<Person>, Vec<Category>) {
        let (mut authors, mut categories) = (Vec::new(), Vec::new());
        for (field, table) in self.site.catalogue.term_tables().iter().enumerate() {
            let scheme = self
                .plan
                .overview_of(&table.field.name, &self.site.settings);
            let scheme = scheme.map(|link| self.site.absolute(link));
            for term in self.site.catalogue.terms_of(id, field) {
                need(self.site.needs.term(field, *term));
                let name = table.term(*term).name.clone();
                if table.field.name == "author" {
                    let page = self.plan.term_pages.get(&(field, *term));
                    authors.push(Person {
                        name,
                        email: None,
                        link: page.map(|page| self.site.absolute(page)),
                    });
                } else {
                    let scheme = scheme.clone();
                    categories.push(Category { name, scheme });
                }
            }
        }
        (authors, categories)
    }

    /// An image that `owner` names, with its length where its file is there.
    fn image(&self, owner: Owner<'_>, named: &str) -> Image {
        let file = match named.strip_prefix('/') {
            Some(asset) => Some(format!("assets/{}", decode(asset))),
            None => self.site.named_file(owner, named),
        };
        let address = self.site.absolute_address(owner, named);
        let path = named.split(['?', '#']).next().unwrap_or_default();
        Image {
            address: address.unwrap_or_else(|| named.to_owned()),
            media_type: mime_guess::from_path(path)
                .first()
                .map(|kind| kind.to_string()),
            length: file.and_then(|file| {
                ask(self.site, Key::File(file.clone()));
                self.sources.size(&file).ok()
            }),
        }
    }

    /// A link that may start at the site's root, absolute.
    fn rooted(&self, link: String) -> String {
        match link.strip_prefix('/') {
            Some(_) => self.site.absolute(&Link::new(decode(&link))),
            None => link,
        }
    }
}

/// The related posts as the end of a feed entry, where the settings ask for it.
fn related(id: PostId, site: &Site) -> String {
    let asked = site
        .settings
        .related
        .as_ref()
        .is_some_and(|related| related.feeds);
    if asked {
        need(site.needs.related(id));
    }
    let posts = if asked { site.related_to(id) } else { &[] };
    if posts.is_empty() {
        return String::new();
    }
    let items = posts.iter().map(|id| {
        need(site.needs.post(*id));
        let link = site.absolute(site.catalogue.link(*id));
        let title = &site.catalogue.post(*id).title;
        format!(
            "<li><a href=\"{}\">{}</a></li>\n",
            escape(&link),
            escape(title)
        )
    });
    let heading = escape(site.settings.words.get("related"));
    format!(
        "<h2>{heading}</h2>\n<ul>\n{}</ul>\n",
        items.collect::<String>()
    )
}

/// The id of a post's entry (RFC 4287, 4.2.6): its own, else the first address at which it stood,
/// else its link; always absolute.
fn entry_id(id: PostId, site: &Site) -> String {
    let post = site.catalogue.post(id);
    if let Some(own) = &post.id {
        if is_uri(own) {
            return own.clone();
        }
        let below = own.trim_start_matches('/');
        return site.absolute(&Link::new(format!("/{}", decode(below))));
    }
    match post.moved_from.first() {
        Some(old) => site.absolute(&Link::new(decode(&old.node))),
        None => site.absolute(site.catalogue.link(id)),
    }
}

/// Whether a text begins with a scheme (RFC 3986, 3.1).
fn is_uri(text: &str) -> bool {
    text.split_once(':').is_some_and(|(scheme, rest)| {
        !rest.is_empty()
            && scheme.starts_with(|c: char| c.is_ascii_alphabetic())
            && scheme
                .chars()
                .all(|c| c.is_ascii_alphanumeric() || matches!(c, '+' | '-' | '.'))
    })
}

/// So many changes of ids are told one by one; more have one reason.
const TOLD: usize = 5;

/// The ids by which the posts of this build's feeds go, with those that they had before, by the
/// posts' paths. An id that changes, although the post does not say so itself, is a warning: a
/// reader shows the entry once more.
#[must_use]
pub fn published(
    site: &Site,
    plan: &Plan,
    old: Option<&Manifest>,
    faults: &mut Faults,
) -> BTreeMap<String, Published> {
    let known = Known::new(site, old);
    let mut now = known.kept();
    let mut changed = Vec::new();
    for id in in_feeds(plan) {
        let post = site.catalogue.post(id);
        let mark = mark(id, site);
        let entry = entry_id(id, site);
        let mut ids = known.ids(&post.path, mark).to_vec();
        if !ids.contains(&entry) {
            if let (Some(last), None) = (ids.last(), &post.id) {
                changed.push((id, last.clone(), entry.clone()));
            }
            ids.push(entry);
        }
        now.insert(post.path.clone(), Published { mark, ids });
    }
    warn(site, &changed, faults);
    now
}

/// The posts that stand in any feed.
fn in_feeds(plan: &Plan) -> BTreeSet<PostId> {
    let posts = plan.feeds.iter().flat_map(|feed| &feed.posts);
    posts.copied().collect()
}

/// Two posts of one id are one entry to a reader, which shows the one or the other.
pub fn check_ids(site: &Site, plan: &Plan, faults: &mut Faults) {
    let mut known: BTreeMap<String, PostId> = BTreeMap::new();
    for id in in_feeds(plan) {
        let entry = entry_id(id, site);
        let Some(first) = known.get(&entry) else {
            known.insert(entry, id);
            continue;
        };
        if site.catalogue.link(*first) == site.catalogue.link(id) {
            // Of posts at one address was told already.
            continue;
        }
        let [first, second] = [*first, id].map(|id| site.catalogue.post(id));
        faults.push(
            Diagnostic::error(
                Code::FeedIdTaken,
                second.place_of("id"),
                format!(
                    "`{}` and `{}` have the id \"{entry}\" in feeds, so that readers take them for one",
                    first.path, second.path
                ),
            )
            .beside(first.place_of("id"), "it is taken here")
            .help("give one of them another `id`, or none"),
        );
    }
}

/// What a post is known by when its file was renamed: its title and its date.
fn mark(id: PostId, site: &Site) -> u64 {
    let post = site.catalogue.post(id);
    let date = post.date.map(|date| date.rfc3339()).unwrap_or_default();
    checksum(format!("{date}\n{}", post.title).as_bytes())
}

/// The ids of earlier builds.
struct Known<'a> {
    by_path: BTreeMap<&'a str, &'a Published>,
    /// Those of files that are gone, by mark; where two have one mark, neither is known by it.
    gone: BTreeMap<u64, Option<&'a Published>>,
}

impl<'a> Known<'a> {
    fn new(site: &Site, old: Option<&'a Manifest>) -> Self {
        let there: BTreeSet<&str> = site
            .catalogue
            .all()
            .map(|id| site.catalogue.post(id).path.as_str())
            .collect();
        let mut known = Self {
            by_path: BTreeMap::new(),
            gone: BTreeMap::new(),
        };
        for (path, published) in old.iter().flat_map(|old| &old.published) {
            if there.contains(path.as_str()) || site.is_left_out(path) {
                known.by_path.insert(path, published);
            } else {
                known
                    .gone
                    .entry(published.mark)
                    .and_modify(|known| *known = None)
                    .or_insert(Some(published));
            }
        }
        known
    }

    fn ids(&self, path: &str, mark: u64) -> &'a [String] {
        let gone = || self.gone.get(&mark).copied().flatten();
        let known = self.by_path.get(path).copied().or_else(gone);
        known.map_or(&[], |published| &published.ids)
    }

    /// What is known of posts that are still there, in a feed or not.
    fn kept(&self) -> BTreeMap<String, Published> {
        let kept = self.by_path.iter();
        kept.map(|(path, published)| ((*path).to_owned(), (*published).clone()))
            .collect()
    }
}

fn warn(site: &Site, changed: &[(PostId, String, String)], faults: &mut Faults) {
    let Some((first, old, new)) = changed.first() else {
        return;
    };
    if changed.len() > TOLD {
        let message = format!(
            "the ids of {} posts in feeds change, as that of `{}` from \"{old}\" to \"{new}\": readers will show them once more",
            changed.len(),
            site.catalogue.post(*first).path,
        );
        faults.push(
            Diagnostic::warning(Code::FeedIdChanged, site.settings.source.top(), message).help(
                "keep `address` and the posts' `link` as they were, or write each old address into the front matter as `moved_from`",
            ),
        );
        return;
    }
    let root = site.settings.site.address.root();
    for (id, old, new) in changed {
        let post = site.catalogue.post(*id);
        let help = match old.strip_prefix(&root) {
            Some(below) => format!(
                "write `moved_from: /{below}` into the front matter, which also leads readers of the old address here; or `id: {old}`"
            ),
            None => format!("write `id: {old}` into the front matter"),
        };
        let message = format!(
            "the id of this post in feeds changes from \"{old}\" to \"{new}\": readers will show it once more"
        );
        faults.push(
            Diagnostic::warning(Code::FeedIdChanged, Place::top_of(&post.path), message).help(help),
        );
    }
}
