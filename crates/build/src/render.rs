//! One planned output to bytes.

mod values;

use std::cell::Cell;
use std::collections::BTreeSet;
use std::num::NonZeroUsize;
use std::sync::Arc;

use indexmap::IndexMap;
use minijinja::{Environment, Value, context};
use tabulae_core::archive::{By, Group, sections};
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Faults};
use tabulae_core::pager::Pager;
use tabulae_core::route::Link;
use tabulae_core::search;
use tabulae_core::settings::Archive;

use self::values::{ArchiveValues, Asking, archive_values, group_value, lists, site_value};
use crate::cache::{Key, need};
use crate::feeds::{FeedPlan, Origin};
use crate::plan::{Planned, What, has_titles, titles};
use crate::site::unreadable;
use crate::sources::Sources;
use crate::template::{
    ArchiveScope, FEED_STYLE, PageScope, PagerScope, PostObject, STYLE, Scope, Shared, diagnose,
    escape, post_list, script, with_this, without_this,
};

/// Renders outputs; what all pages share is made once.
#[derive(Debug)]
pub struct Renderer<'a> {
    shared: Arc<Shared>,
    env: Environment<'static>,
    sources: &'a dyn Sources,
    site: Value,
    archives: Vec<ArchiveValues>,
    menu: BTreeSet<String>,
}

/// What an output is made of.
#[derive(Debug)]
pub enum Rendered {
    /// Its bytes.
    Bytes(Vec<u8>),
    /// The file of the site at this path, with its length, as it is.
    File(String, u64),
}

type Bytes = Result<Vec<u8>, Faults>;

/// The length from which a file is not read whole to be copied, in bytes.
const LARGE: u64 = 1 << 20;

thread_local! {
    /// Room for a page while it is made, so that not each has to grow from nothing.
    static PAGE: Cell<Vec<u8>> = const { Cell::new(Vec::new()) };
}

/// The largest room that is kept, in bytes: a page of a list, not a film that is copied.
const ROOM: usize = 1 << 20;

/// Takes back the bytes of an output that was written.
pub(crate) fn reuse(bytes: Vec<u8>) {
    if bytes.capacity() <= ROOM {
        PAGE.set(bytes);
    }
}

impl<'a> Renderer<'a> {
    /// Makes what all pages share.
    #[must_use]
    pub fn new(shared: Arc<Shared>, env: Environment<'static>, sources: &'a dyn Sources) -> Self {
        let site = site_value(&shared);
        let archives = (0..shared.plan.archives.len())
            .map(|at| archive_values(&shared, at))
            .collect();
        let menu = lists(&shared).into_iter().map(|(_, link)| link).collect();
        Self {
            menu,
            shared,
            env,
            sources,
            site,
            archives,
        }
    }

    /// The site's files.
    pub(crate) fn sources(&self) -> &'a dyn Sources {
        self.sources
    }

    /// Makes an output; `reuse` gives the room of its bytes to the next one.
    ///
    /// # Errors
    /// A template's fault, or a source file that cannot be read.
    pub fn render(&self, output: &Planned) -> Result<Rendered, Faults> {
        without_this(|| self.rendered(output))
    }

    fn rendered(&self, output: &Planned) -> Result<Rendered, Faults> {
        let bytes = match &output.what {
            What::Post(id) => {
                let related = self.shared.site.related_to(*id);
                with_this(*id, related, || self.post(*id, related))
            }
            What::Page(at) => self.page(*at),
            What::List {
                archive,
                group,
                pager,
            } => self.list(*archive, *group, *pager),
            What::Overview(archive) => self.overview(*archive, &output.link),
            What::Feed(at) => {
                let Shared { site, plan, .. } = &*self.shared;
                let feed = &plan.feeds[*at];
                let document = feed.document(site, plan, self.sources);
                Ok(document.write(feed.format).into_bytes())
            }
            What::Copy(source) => {
                self.ask(Key::File(source.clone()));
                let length = self.sources.size(source);
                let rendered = match length {
                    Ok(length) if length > LARGE => Ok(Rendered::File(source.clone(), length)),
                    _ => self.sources.read(source).map(Rendered::Bytes),
                };
                return rendered.map_err(|error| vec![unreadable(source, &error)]);
            }
            What::Redirect(to) => Ok(self.redirect(to).into_bytes()),
            What::Style => Ok(STYLE.as_bytes().to_vec()),
            What::Script => Ok(script().into_bytes()),
            What::FeedStyle => Ok(self.feed_style().into_bytes()),
            What::Feeds => self.feeds(&output.link),
            What::Titles { archive, group } => {
                let group = &self.shared.plan.archives[*archive].groups[*group];
                self.ask(Key::Settings);
                self.ask(Key::Rows(group.link.plain.clone()));
                let rows = group.posts.iter().map(|id| self.shared.row(*id));
                Ok(search::titles(rows).into_bytes())
            }
            What::Search => self.search(&output.link),
            What::Texts => {
                let listed = self.shared.site.catalogue.listed();
                self.ask(Key::Settings);
                self.ask(Key::Posts);
                let rows = listed.iter().map(|id| (*id, self.shared.row(*id)));
                Ok(search::texts(&self.shared.site.catalogue, rows).into_bytes())
            }
            What::Sitemap(links) => Ok(self.sitemap("urlset", "url", links)),
            What::SitemapIndex(parts) => {
                let parts = (1..=*parts).map(|part| format!("/sitemap-{part}.xml"));
                Ok(self.sitemap("sitemapindex", "sitemap", &parts.collect::<Vec<_>>()))
            }
        };
        bytes.map(Rendered::Bytes)
    }

    /// Says that what is being made asks for something.
    fn ask(&self, key: Key) {
        need(self.shared.site.needs.other(key));
    }

    fn template(&self, name: &str, values: Scope) -> Bytes {
        self.ask(Key::Settings);
        self.ask(Key::Site);
        self.shared.ask_template(name);
        let mut page = PAGE.take();
        page.clear();
        let template = self.env.get_template(name);
        let rendered = template.and_then(|template| template.render_captured_to(values, &mut page));
        rendered.map_err(|error| diagnose(&error, &self.shared))?;
        page.truncate(page.trim_ascii_end().len());
        page.push(b'\n');
        Ok(page)
    }

    /// A template part as it stands within a page that something else made.
    ///
    /// # Errors
    /// The template's fault.
    pub(crate) fn part(&self, name: &str, values: Value) -> Result<String, Faults> {
        let values = context! { site => self.site.clone(), ..values };
        let template = self.env.get_template(name);
        let text = template.and_then(|template| template.render(values));
        text.map_err(|error| diagnose(&error, &self.shared))
    }

    fn post(&self, id: PostId, related: &[PostId]) -> Bytes {
        let site = &self.shared.site;
        need(site.needs.post(id));
        need(site.needs.related(id));
        let post = site.catalogue.post(id);
        let link = site.catalogue.link(id);
        let page = PageScope {
            description: post.summary.clone().into(),
            ..self.page_scope("post", post.title.clone(), link, link)
        };
        let settings = site.settings.related.as_ref();
        let scope = Scope {
            post: PostObject::value(id, &self.shared),
            related: post_list(related, &self.shared),
            notice: settings.and_then(|related| related.notice.clone()).into(),
            ..self.scope(page)
        };
        self.template("post.html", scope)
    }

    fn page(&self, at: usize) -> Bytes {
        let site = &self.shared.site;
        let page = &site.pages[at];
        self.ask(Key::Page(page.post.path.clone()));
        let owner = crate::site::Owner {
            path: &page.post.path,
            link: &page.link,
        };
        let html = site.html_of(owner, &page.post);
        let values = PageScope {
            description: page.post.summary.clone().into(),
            menu: self.menu(&page.link),
            content: Value::from_safe_string(html),
            ..self.page_scope("page", page.post.title.clone(), &page.link, &page.link)
        };
        let name = if page.template.is_some() {
            page.post.path.as_str()
        } else {
            "page.html"
        };
        self.template(name, self.scope(values))
    }

    fn list(&self, at: usize, number: usize, pager: Pager) -> Bytes {
        let site = &self.shared.site;
        let archive = &site.settings.archives[at];
        let laid = &self.shared.plan.archives[at];
        let group = &laid.groups[number];
        let posts = &group.posts[pager.items()];
        self.ask(Key::List(group.link.plain.clone()));
        if archive.group.is_some() {
            posts.iter().for_each(|id| need(site.needs.post(*id)));
        }
        let link = |number: usize| site.href(&group.link.page(number));
        let here = group.link.page(pager.number);
        let title = match pager.number {
            1 => group.title.clone(),
            number => format!(
                "{} · {} {number}",
                group.title,
                site.settings.words.get("page")
            ),
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
        let page = PageScope {
            description: site.settings.site.about.clone().into(),
            menu: self.menu(&here),
            newer: newer.clone(),
            older: older.clone(),
            ..self.page_scope("list", title, &here, &group.link)
        };
        let has_rows = has_titles(group.posts.len(), archive.per_page);
        let rows = has_rows.then(|| site.href(&titles(&group.link)));
        let values = Scope {
            archive: self.archive_value(at, Some(number), self.sections(archive, posts)),
            term: self.term_value(at, number),
            posts: post_list(posts, &self.shared),
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
            }
            .into(),
            ..self.scope(page)
        };
        let name = archive
            .template
            .as_ref()
            .map_or("archive.html", |template| template.node.as_str());
        self.template(name, values)
    }

    fn search(&self, link: &Link) -> Bytes {
        let site = &self.shared.site;
        let page = self.site_page("search", site.settings.words.get("search"), link);
        let values = Scope {
            rows: site.href(&link.below("posts.json")).into(),
            ..self.scope(page)
        };
        self.template("search.html", values)
    }

    /// What every template of a page sees.
    fn scope(&self, page: PageScope) -> Scope {
        Scope {
            site: self.site.clone(),
            page: page.into(),
            ..Scope::default()
        }
    }

    /// What a page that is no list and has no source says of itself.
    fn site_page(&self, kind: &str, title: &str, link: &Link) -> PageScope {
        PageScope {
            description: self.shared.site.settings.site.about.clone().into(),
            menu: self.menu(link),
            ..self.page_scope(kind, title, link, link)
        }
    }

    /// What any page says of itself; it announces the feeds of the page `of`.
    fn page_scope(&self, kind: &str, title: impl Into<Value>, link: &Link, of: &Link) -> PageScope {
        let site = &self.shared.site;
        let href = site.href(link);
        let own_feeds = self.own_feeds(of);
        PageScope {
            title: title.into(),
            canonical: site.settings.site.address.absolute(&href).into(),
            link: href.into(),
            description: ().into(),
            feeds: self.with_the_sites(&own_feeds),
            own_feeds,
            menu: ().into(),
            kind: kind.into(),
            newer: ().into(),
            older: ().into(),
            content: Value::UNDEFINED,
        }
    }

    /// The link of a page that the navigation leads to.
    fn menu(&self, link: &Link) -> Value {
        let href = self.shared.site.href(link);
        if self.menu.contains(&href) {
            Value::from(href)
        } else {
            Value::from(())
        }
    }

    /// The feeds that belong to a page and are not the site's.
    fn own_feeds(&self, page: &Link) -> Value {
        let Shared { site, plan, .. } = &*self.shared;
        let numbers = plan.feeds_of.get(&page.plain).into_iter().flatten();
        let feeds = numbers.map(|at| &plan.feeds[*at]);
        feeds
            .filter(|feed| !feed.is_of_the_site(site))
            .map(|feed| crate::template::feed_value(&self.shared, feed))
            .collect()
    }

    /// A page's own feeds, and then those of the site.
    fn with_the_sites(&self, own_feeds: &Value) -> Value {
        let site = self.site.get_attr("feeds").unwrap_or_default();
        if own_feeds.len() == Some(0) {
            return site;
        }
        let lists = [own_feeds, &site];
        let feeds = lists.iter().filter_map(|feeds| feeds.try_iter().ok());
        feeds.flatten().collect()
    }

    /// The page that lists the feeds for people: by archive, and within it by page.
    fn feeds(&self, link: &Link) -> Bytes {
        self.ask(Key::Feeds);
        let Shared { site, plan, .. } = &*self.shared;
        let mut sections: IndexMap<Option<usize>, IndexMap<&str, Vec<&FeedPlan>>> = IndexMap::new();
        for feed in plan.feeds.iter().filter(|feed| feed.part.number == 1) {
            let split = match feed.of {
                Origin::List { archive, .. } if !feed.is_of_the_site(site) => Some(archive),
                _ => None,
            };
            let rows = sections.entry(split).or_default();
            rows.entry(&feed.title).or_default().push(feed);
        }
        sections.sort_by(|a, _, b, _| a.cmp(b));
        let row = |feeds: Vec<&FeedPlan>| {
            let feeds: Value = feeds
                .into_iter()
                .map(|feed| crate::template::feed_value(&self.shared, feed))
                .collect();
            context! { label => feeds.get_item(&Value::from(0)).and_then(|feed| feed.get_attr("label")).unwrap_or_default(), feeds }
        };
        let sections = sections.into_iter().map(|(archive, rows)| {
            context! {
                title => archive.map(|at| plan.archives[at].title.as_str()),
                rows => rows.into_values().map(row).collect::<Value>(),
            }
        });
        let page = self.site_page("feeds", site.settings.words.get("all_feeds"), link);
        let values = Scope {
            sections: sections.collect(),
            ..self.scope(page)
        };
        self.template("feeds.html", values)
    }

    /// What all pages see of the site, hashed.
    pub(crate) fn site_hash(&self) -> u64 {
        let text = self.site.to_string();
        crate::output::checksum(text.as_bytes())
    }

    /// The style sheet of feeds, with its sentence in the site's words.
    fn feed_style(&self) -> String {
        let sentence = self.shared.site.settings.words.get("feed_opened");
        let quoted = sentence
            .replace('\\', "\\\\")
            .replace('"', "\\\"")
            .replace('\n', " ");
        FEED_STYLE.replace("OPENED", &quoted)
    }

    fn sections(&self, archive: &Archive, posts: &[PostId]) -> Value {
        let site = &self.shared.site;
        let by = archive.group.as_ref().and_then(|group| {
            tabulae_core::archive::by(&group.node, &site.catalogue, site.settings.source.top()).ok()
        });
        let section = |heading: Option<String>, posts: Vec<PostId>| {
            context! { heading, posts => post_list(posts, &self.shared) }
        };
        match by {
            None => Value::from(vec![section(None, posts.to_vec())]),
            Some(by) => {
                let undated = |by: &By| {
                    matches!(by, By::Year | By::Month | By::Day)
                        .then(|| site.settings.words.get("undated").to_owned())
                };
                let sections = sections(&by, posts, &site.catalogue);
                Value::from_iter(
                    sections
                        .into_iter()
                        .map(|found| section(found.heading.or_else(|| undated(&by)), found.posts)),
                )
            }
        }
    }

    /// An archive as its page of one list sees it, or its overview.
    fn archive_value(&self, at: usize, list: Option<usize>, sections: Value) -> Value {
        let site = &self.shared.site;
        let archive = &site.settings.archives[at];
        let laid = &self.shared.plan.archives[at];
        let shared = &self.archives[at];
        let group = list.map(|list| &laid.groups[list]);
        let (above, below) = self.nested(at, group);
        let title = group.map_or(&laid.title, |group| &group.title);
        let values = ArchiveScope {
            name: archive.name.as_str().into(),
            title: title.as_str().into(),
            link: match group {
                Some(group) => site.href(&group.link).into(),
                None => shared.overview.clone(),
            },
            by: archive.by.as_ref().map(|by| by.node.as_str()).into(),
            show: archive.show.name().into(),
            count: group
                .map_or(laid.groups.len(), |group| group.posts.len())
                .into(),
            overview: shared.overview.clone(),
            overview_title: laid.title.as_str().into(),
            terms: Value::from_object(Asking {
                value: shared.terms.clone(),
                need: site.needs.other(Key::Groups(archive.name.clone())),
            }),
            above,
            below,
            sections,
        };
        values.into()
    }

    /// The terms above a list's term, the highest first, and those right below it, as far as
    /// they have pages in this archive.
    fn nested(&self, at: usize, group: Option<&Group>) -> (Value, Value) {
        let Some((field, id)) = group.and_then(|group| group.term.as_ref()?.id) else {
            return (none_of_them(), none_of_them());
        };
        let table = self.shared.site.catalogue.terms(field);
        if !table.field.nested {
            return (none_of_them(), none_of_them());
        }
        let shared = &self.archives[at];
        let parents = std::iter::successors(table.term(id).parent, |id| table.term(*id).parent);
        let parents: Vec<_> = parents.collect();
        let above = parents.iter().rev().filter_map(|id| shared.by_term.get(id));
        let below = shared
            .by_term
            .iter()
            .filter(|(other, _)| table.term(**other).parent == Some(id));
        (
            above.cloned().collect(),
            below.map(|(_, term)| term.clone()).collect(),
        )
    }

    /// What the posts of a list share: a term, or a date part in the shape of one.
    fn term_value(&self, at: usize, number: usize) -> Value {
        let group = &self.shared.plan.archives[at].groups[number];
        // Each page asks for its term, also where what it shows was made for another.
        if let Some((field, id)) = group.term.as_ref().and_then(|term| term.id) {
            need(self.shared.site.needs.term(field, id));
        }
        let make = |term| group_value(&self.shared, term, group, None);
        let own = || group.term.as_ref().map_or(Value::from(()), make);
        self.archives[at].own[number].get_or_init(own).clone()
    }

    fn overview(&self, at: usize, link: &Link) -> Bytes {
        let laid = &self.shared.plan.archives[at];
        let name = &self.shared.site.settings.archives[at].name;
        self.ask(Key::Groups(name.clone()));
        let page = self.site_page("overview", laid.title.as_str(), link);
        let values = Scope {
            archive: self.archive_value(at, None, none_of_them()),
            ..self.scope(page)
        };
        self.template("overview.html", values)
    }

    /// Links as a sitemap, or an index of such.
    fn sitemap(&self, outer: &str, inner: &str, links: &[String]) -> Vec<u8> {
        let address = &self.shared.site.settings.site.address;
        let root = address.absolute(&address.path);
        let root = escape(&root);
        let mut text = format!(
            "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n<{outer} xmlns=\"http://www.sitemaps.org/schemas/sitemap/0.9\">\n"
        );
        for link in links {
            let link = escape(link);
            text.extend(["<", inner, "><loc>", &root, &link, "</loc></", inner, ">\n"]);
        }
        text.extend(["</", outer, ">\n"]);
        text.into_bytes()
    }

    fn redirect(&self, to: &Link) -> String {
        let site = &self.shared.site;
        let address = site.absolute(to);
        let shown = escape(&address).into_owned();
        format!(
            "<!doctype html>\n<html lang=\"{}\">\n<head>\n<meta charset=\"utf-8\">\n<title>{shown}</title>\n<meta name=\"robots\" content=\"noindex\">\n<link rel=\"canonical\" href=\"{shown}\">\n<meta http-equiv=\"refresh\" content=\"0; url={}\">\n</head>\n<body>\n<p>{} <a href=\"{}\">{shown}</a></p>\n</body>\n</html>\n",
            escape(&site.settings.site.language),
            escape(&site.href(to)),
            escape(site.settings.words.get("moved")),
            escape(&site.href(to)),
        )
    }
}

fn none_of_them() -> Value {
    Value::from(Vec::<Value>::new())
}

/// A template that an archive names and that is not there is a fault at its place.
pub fn check_templates(shared: &Shared, faults: &mut Vec<Diagnostic>) {
    for archive in &shared.site.settings.archives {
        if let Some(template) = &archive.template
            && !shared.sources.contains_key(&template.node)
        {
            let place = shared.site.settings.source.place(template.span);
            faults.push(
                Diagnostic::error(
                    Code::TemplateFailed,
                    place,
                    format!("there is no template `{}`", template.node),
                )
                .suggest(&template.node, shared.sources.keys().map(String::as_str)),
            );
        }
    }
}
