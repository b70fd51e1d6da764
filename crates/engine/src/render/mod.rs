//! Rendering: one output to bytes, with its dependencies.

mod export;
mod feed;
mod list;
mod metadata;
mod named_templates;
mod navigation;
mod placeholders;
mod search;
mod values;

use std::collections::BTreeSet;
use std::sync::{Arc, Mutex, MutexGuard};

use indexmap::IndexMap;
use minijinja::{Value, context};
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::Diagnostics;
use tabulae_core::id::LocaleId;
use tabulae_core::language::language_name;
use tabulae_core::route::Link;
use tabulae_core::settings::{FeedFormat, Related, Show};
use tabulae_core::weave::Page as PlaceholderPage;

pub(crate) use self::named_templates::check_templates;
pub(crate) use self::navigation::check_menu;
pub(crate) use self::placeholders::{Filler, Host};

use self::export::export;
use self::feed::document;
use self::navigation::navigation;
use self::search::SearchIndex;
use self::values::{ArchiveValues, archive_values, site_value};
use crate::fingerprint::hash;
use crate::incremental::{Dependency, Key};
use crate::plan::{Alternate, FeedPlan, Origin, Output, OutputKind};
use crate::site::{Owner, unreadable};
use crate::source::Sources;
use crate::template::{
    AskedQuery, Environments, PageData, PageScope, PostObject, RenderContext, RenderData, Scope,
    Subject, diagnose, escape, feed_style, feed_value, post_list, script, search_script, style,
    toc,
};
use crate::threads::locked;

/// Renders outputs; what all pages share is made once.
#[derive(Debug)]
pub(crate) struct Renderer<'a> {
    data: Arc<RenderData>,
    environments: Environments,
    sources: &'a dyn Sources,
    /// The value `site` of each language.
    site: Vec<Value>,
    archives: Vec<ArchiveValues>,
    menu: BTreeSet<String>,
    /// The full-text index of each language.
    indexes: Vec<SearchIndex>,
    /// Buffers of outputs that were written.
    buffers: Mutex<Vec<Vec<u8>>>,
}

/// A rendered output.
#[derive(Debug)]
pub(crate) enum Rendered {
    /// The bytes.
    Bytes(Vec<u8>),
    /// The file of the site at this path, with its length, as it is.
    File(String, u64),
}

type Bytes = Result<Vec<u8>, Diagnostics>;

/// The length from which a file is not read whole to be copied, in bytes.
const LARGE: u64 = 1 << 20;

/// The largest buffer that is kept for the next output, in bytes: a page of a list, not a film.
const CAPACITY: usize = 1 << 20;

/// A rendered output, and what it depends on.
#[derive(Debug)]
pub(crate) struct WithDependencies {
    pub(crate) rendered: Result<Rendered, Diagnostics>,
    pub(crate) dependencies: Box<[Dependency]>,
}

impl<'a> Renderer<'a> {
    /// Prepares what all outputs share.
    #[must_use]
    pub(crate) fn new(
        data: Arc<RenderData>,
        environments: Environments,
        sources: &'a dyn Sources,
    ) -> Self {
        let locales = || data.site.settings.locales.ids();
        let site = locales().map(|locale| site_value(&data, locale)).collect();
        let archives = (0..data.plan.archives.len())
            .map(|at| archive_values(&data, at))
            .collect();
        let menus = locales().flat_map(|locale| navigation(&data, locale));
        let menu = menus.map(|(_, link)| link).collect();
        let indexes = locales().map(|_| SearchIndex::default()).collect();
        Self {
            menu,
            data,
            environments,
            sources,
            site,
            archives,
            indexes,
            buffers: Mutex::default(),
        }
    }

    /// Returns the site's files.
    pub(crate) fn sources(&self) -> &'a dyn Sources {
        self.sources
    }

    /// Takes back the buffer of an output that was written.
    pub(crate) fn reuse(&self, buffer: Vec<u8>) {
        if buffer.capacity() <= CAPACITY {
            self.buffers().push(buffer);
        }
    }

    fn buffers(&self) -> MutexGuard<'_, Vec<Vec<u8>>> {
        locked(&self.buffers)
    }

    /// Renders an output.
    ///
    /// # Errors
    /// Those of a template, or a source file that cannot be read.
    #[must_use]
    pub(crate) fn render(&self, output: &Output) -> WithDependencies {
        let context = self.context_of(output);
        let (rendered, dependencies) = context.record(|| self.rendered(output, &context));
        WithDependencies {
            rendered,
            dependencies,
        }
    }

    /// Renders an output, and returns the queries that templates and placeholders ran, in order; those before an error
    /// if there is one.
    #[must_use]
    pub(crate) fn queries_of(&self, output: &Output) -> Vec<AskedQuery> {
        let context = self.context_of(output);
        context.watch_queries();
        let _ = context.record(|| self.rendered(output, &context));
        context.take_queries()
    }

    fn context_of(&self, output: &Output) -> Arc<RenderContext> {
        let data = Arc::clone(&self.data);
        match &output.kind {
            OutputKind::Post(id) => {
                RenderContext::of_post(data, *id, self.data.site.related_to(*id))
            }
            kind => {
                let locale = kind.locale(&data.site, &data.plan);
                RenderContext::new(data, locale)
            }
        }
    }

    fn rendered(
        &self,
        output: &Output,
        context: &Arc<RenderContext>,
    ) -> Result<Rendered, Diagnostics> {
        let bytes = match &output.kind {
            OutputKind::Post(id) => self.post(context, *id, self.data.site.related_to(*id)),
            OutputKind::Page(at) => self.page(context, *at),
            OutputKind::List {
                archive,
                group,
                pager,
            } => self.list(context, *archive, *group, *pager),
            OutputKind::Overview(archive) => self.overview(context, *archive, &output.link),
            OutputKind::Feed(at) => {
                let feed = &self.data.plan.feeds[*at];
                let document = document(feed, context, self.sources);
                Ok(document.write(feed.format).into_bytes())
            }
            OutputKind::Export(at) => Ok(export(*at, context).into_bytes()),
            OutputKind::Copy(source) => {
                context.track_key(Key::File(source.clone()));
                let length = self.sources.size(source);
                let rendered = match length {
                    Ok(length) if length > LARGE => Ok(Rendered::File(source.clone(), length)),
                    _ => self.sources.read(source).map(Rendered::Bytes),
                };
                return rendered.map_err(|error| vec![unreadable(source, &error)]);
            }
            OutputKind::Redirect(to) => Ok(self.redirect(to).into_bytes()),
            OutputKind::Style => Ok(style(&self.data.site.settings).into_bytes()),
            OutputKind::Script => Ok(script().into_bytes()),
            OutputKind::SearchScript => Ok(search_script().into_bytes()),
            OutputKind::FeedStyle(_) => Ok(feed_style(context.settings()).into_bytes()),
            OutputKind::Feeds(_) => self.feeds(context, &output.link),
            OutputKind::Opml(locale) => {
                context.track_key(Key::Settings);
                context.track_key(Key::Feeds(*locale));
                Ok(self.opml(*locale).into_bytes())
            }
            OutputKind::Titles { archive, group } => {
                Ok(self.titles(context, *archive, *group).into_bytes())
            }
            OutputKind::Search(_) => self.search(context, &output.link),
            OutputKind::Texts(_) => Ok(self.texts(context).into_bytes()),
            OutputKind::SearchFile(_, file) => Ok(self.search_file(context, *file)),
            OutputKind::Sitemap(links) => Ok(self.sitemap("urlset", "url", links)),
            OutputKind::SitemapIndex(parts) => {
                let parts = (1..=*parts).map(|part| Link::new(format!("/sitemap-{part}.xml")));
                Ok(self.sitemap("sitemapindex", "sitemap", &parts.collect::<Vec<_>>()))
            }
        };
        bytes.map(Rendered::Bytes)
    }

    fn template(&self, context: &Arc<RenderContext>, name: &str, values: Scope) -> Bytes {
        context.track_key(Key::Settings);
        context.track_key(Key::Site(context.locale));
        context.track_template(name);
        let mut page = self.buffers().pop().unwrap_or_default();
        page.clear();
        let rendered = self.environments.with(context, |env| {
            let template = env.get_template(name)?;
            template.render_captured_to(values, &mut page).map(|_| ())
        });
        rendered.map_err(|error| diagnose(&error, self.data.templates(), context.last_read()))?;
        page.truncate(page.trim_ascii_end().len());
        page.push(b'\n');
        Ok(page)
    }

    /// Renders a template as the text of a placeholder.
    ///
    /// # Errors
    /// Those of the template.
    pub(crate) fn part(
        &self,
        context: &Arc<RenderContext>,
        name: &str,
        values: Value,
    ) -> Result<String, Diagnostics> {
        context.track_template(name);
        let values = context! { site => self.site[context.locale.at()].clone(), ..values };
        let text = self.environments.with(context, |env| {
            let template = env.get_template(name)?;
            template.render(values)
        });
        text.map_err(|error| diagnose(&error, self.data.templates(), context.last_read()))
    }

    /// Returns the HTML of a post or page of the site with its placeholders filled.
    ///
    /// # Errors
    /// Those of its placeholders, at their places in the source file, or that the file cannot be read again.
    fn filled(
        &self,
        context: &Arc<RenderContext>,
        this: Option<PostId>,
        path: &str,
        html: &str,
    ) -> Result<String, Diagnostics> {
        let source = self.data.site.source_of(path);
        let source = source.map_err(|error| vec![unreadable(path, &error)])?;
        let read = PlaceholderPage::of_source(&source, html);
        let (page, mut diagnostics) = (read.output, read.diagnostics);
        if diagnostics.is_empty() {
            let host = Host {
                page: &page,
                this,
                locale: context.locale,
                output: Some((context, path)),
            };
            let texts = Filler::new(self).texts(host, &mut diagnostics);
            if diagnostics.is_empty() {
                return Ok(page.replaced(&texts));
            }
        }
        Err(diagnostics)
    }

    fn post(&self, context: &Arc<RenderContext>, id: PostId, related: &[PostId]) -> Bytes {
        let site = &self.data.site;
        context.track_post(id);
        context.track(context.data.dependencies.related(id));
        let post = site.catalogue.post(id);
        let link = site.catalogue.link(id);
        if post.has_placeholders {
            context.track(context.data.dependencies.text(id));
            let html = context.with_lookups(site.owner(id), |owner| site.html_of(owner, post));
            let filled = self.filled(context, Some(id), &post.path, &html)?;
            context.set_content(id, filled);
        }
        let listed = site.related_settings(id);
        context.track_key(Key::Beside(post.path.clone()));
        let beside = site.catalogue.beside(id);
        let link_of = |beside: &PostId| self.data.post_link(*beside).clone();
        let [previous, next] = beside.map(|id| id.as_ref().map_or(Value::from(()), link_of));
        let page = PageScope {
            description: post.summary.clone().into(),
            data: PageData::value("post", Subject::Post(id), context),
            image: self.image_of(context, id).into(),
            json_ld: self.json_ld_of_post(context, id),
            previous,
            next,
            ..self.page_scope(context, "post", post.title.clone(), link, link)
        };
        let [previous, next] = beside.map(|beside| match beside {
            Some(beside) => PostObject::value(beside, context),
            None => ().into(),
        });
        let scope = Scope {
            post: PostObject::value(id, context),
            previous,
            next,
            related: post_list(related, context),
            related_show: related_show(listed).into(),
            empty_text: listed
                .and_then(|related| empty_text(related, context))
                .into(),
            fill_title: fill_title(id, context).into(),
            ..self.scope(context, page)
        };
        let of_set = &site.settings.content[post.set].template;
        let name = self.template_of(post, of_set.as_ref(), "post.html", context);
        self.template(context, name, scope)
    }

    fn page(&self, context: &Arc<RenderContext>, at: usize) -> Bytes {
        let site = &self.data.site;
        let page = &site.pages[at];
        context.track_key(Key::Page(page.post.path.clone()));
        let owner = Owner::new(&page.post.path, &page.link);
        let mut html = context.with_lookups(owner, |owner| site.html_of(owner, &page.post));
        if page.post.has_placeholders && page.template.is_none() {
            html = self.filled(context, None, &page.post.path, &html)?;
        }
        let values = PageScope {
            description: page.post.summary.clone().into(),
            menu: self.menu(&page.link),
            json_ld: self.json_ld_of_page(context, "page", &page.post.title, &page.link, None),
            toc: toc(&html),
            content: Value::from_safe_string(html),
            ..self.page_scope(
                context,
                "page",
                page.post.title.clone(),
                &page.link,
                &page.link,
            )
        };
        let name = if page.template.is_some() {
            page.post.path.as_str()
        } else {
            self.template_of(&page.post, None, "page.html", context)
        };
        self.template(context, name, self.scope(context, values))
    }

    /// Returns the values of a page's template.
    fn scope(&self, context: &RenderContext, page: PageScope) -> Scope {
        Scope {
            site: self.site[context.locale.at()].clone(),
            page: page.into(),
            ..Scope::default()
        }
    }

    /// Returns the values `page` of a page without a source of its own.
    fn site_page(
        &self,
        context: &Arc<RenderContext>,
        kind: &'static str,
        title: &str,
        link: &Link,
    ) -> PageScope {
        PageScope {
            description: context.settings().description.clone().into(),
            menu: self.menu(link),
            json_ld: self.json_ld_of_page(context, kind, title, link, None),
            ..self.page_scope(context, kind, title, link, link)
        }
    }

    /// Returns the values `page`, with the feeds of the page `of`.
    fn page_scope(
        &self,
        context: &Arc<RenderContext>,
        kind: &'static str,
        title: impl Into<Value>,
        link: &Link,
        of: &Link,
    ) -> PageScope {
        let site = &self.data.site;
        let (alternates, languages) = self.in_languages(context, link, of);
        let href = site.href(link);
        context.set_own_link(&site.href(of));
        let own_feeds = self.own_feeds(of);
        PageScope {
            title: title.into(),
            canonical: site.settings.site.address.absolute(&href).into(),
            link: href.into(),
            description: ().into(),
            image: self.image_of_site().into(),
            json_ld: ().into(),
            feeds: self.with_the_sites(context, &own_feeds),
            alternates,
            languages,
            own_feeds,
            menu: ().into(),
            kind: kind.into(),
            data: PageData::value(kind, Subject::None, context),
            previous: ().into(),
            next: ().into(),
            content: Value::UNDEFINED,
            toc: Value::UNDEFINED,
        }
    }

    /// Returns the addresses of a page in the site's languages for `hreflang`, and the switch between languages. Both
    /// are empty on a blog in one language. A further page of a list (`of`) is no translation; its switch leads to
    /// the list.
    fn in_languages(&self, context: &RenderContext, link: &Link, of: &Link) -> (Value, Value) {
        let none = || (none_of_them(), none_of_them());
        let RenderData { site, plan, .. } = &*self.data;
        if !site.settings.locales.are_several() {
            return none();
        }
        context.track_key(Key::Alternates(of.plain.clone()));
        let alternates = self.hreflang(plan.alternates(link));
        let alternates = alternates
            .into_iter()
            .map(|(language, link)| context! { language, link });
        let same = plan.alternates(of);
        let languages = site.languages().map(|(id, locale)| {
            let page = same.iter().find(|page| page.locale == id);
            let home = locale.link("/");
            let link = page.map_or(&home, |page| &page.link);
            context! {
                language => locale.tag.as_str(),
                name => language_name(&locale.tag),
                link => site.href(link),
                translated => page.is_some(),
                current => id == context.locale,
            }
        });
        let languages: Vec<Value> = languages.collect();
        match languages.len() {
            0 | 1 => none(),
            _ => (alternates.collect(), languages.into()),
        }
    }

    /// Returns the absolute addresses of a page in the site's languages by tag; `x-default` is the page in the
    /// language of `[site]`, or else the first.
    fn hreflang(&self, alternates: &[Alternate]) -> Vec<(&str, String)> {
        let site = &self.data.site;
        let tag = |page: &Alternate| site.locale(page.locale).tag.as_str();
        let pages = alternates.iter();
        let own = pages.map(|page| (tag(page), site.absolute(&page.link)));
        let default = alternates.first();
        let default = default.map(|page| ("x-default", site.absolute(&page.link)));
        own.chain(default).collect()
    }

    /// The link of a page that the navigation leads to.
    fn menu(&self, link: &Link) -> Value {
        let href = self.data.site.href(link);
        if self.menu.contains(&href) {
            Value::from(href)
        } else {
            Value::from(())
        }
    }

    /// The feeds that belong to a page and are not the site's.
    fn own_feeds(&self, page: &Link) -> Value {
        let RenderData { site, plan, .. } = &*self.data;
        let numbers = plan.feeds_of.get(&page.plain).into_iter().flatten();
        let feeds = numbers.map(|at| &plan.feeds[*at]);
        feeds
            .filter(|feed| !feed.is_of_the_site(site))
            .map(|feed| feed_value(&self.data, feed))
            .collect()
    }

    /// A page's own feeds, and then those of the site.
    fn with_the_sites(&self, context: &RenderContext, own_feeds: &Value) -> Value {
        let site = &self.site[context.locale.at()];
        let site = site.get_attr("feeds").unwrap_or_default();
        if own_feeds.len() == Some(0) {
            return site;
        }
        let lists = [own_feeds, &site];
        let feeds = lists.iter().filter_map(|feeds| feeds.try_iter().ok());
        feeds.flatten().collect()
    }

    /// Returns the feeds of a language for feed readers (OPML 2.0): those in Atom or RSS.
    fn opml(&self, id: LocaleId) -> String {
        let RenderData { site, plan, .. } = &*self.data;
        let title = escape(&site.locale(id).title);
        let mut text = format!(
            "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n<opml version=\"2.0\">\n<head>\n<title>{title}</title>\n</head>\n<body>\n"
        );
        let feeds = plan.feeds.iter();
        let feeds = feeds.filter(|feed| feed.part.number == 1 && feed.locale == id);
        for feed in feeds.filter(|feed| feed.format != FeedFormat::Json) {
            let (title, page) = (escape(&feed.title), site.absolute(&feed.home));
            text += &format!(
                "<outline type=\"rss\" text=\"{title}\" title=\"{title}\" xmlUrl=\"{}\" htmlUrl=\"{}\"/>\n",
                escape(&site.absolute(&feed.link)),
                escape(&page)
            );
        }
        text + "</body>\n</opml>\n"
    }

    /// The page that lists the feeds for people: by archive, and within it by page.
    fn feeds(&self, context: &Arc<RenderContext>, link: &Link) -> Bytes {
        context.track_key(Key::Feeds(context.locale));
        let RenderData { site, plan, .. } = &*self.data;
        let mut sections: IndexMap<Option<usize>, IndexMap<&str, Vec<&FeedPlan>>> = IndexMap::new();
        let is_own = |feed: &&FeedPlan| feed.part.number == 1 && feed.locale == context.locale;
        for feed in plan.feeds.iter().filter(is_own) {
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
                .map(|feed| feed_value(&self.data, feed))
                .collect();
            context! { label => feeds.get_item(&Value::from(0)).and_then(|feed| feed.get_attr("label")).unwrap_or_default(), feeds }
        };
        let sections = sections.into_iter().map(|(archive, rows)| {
            context! {
                title => archive.map(|at| plan.archives[at].title.as_str()),
                rows => rows.into_values().map(row).collect::<Value>(),
            }
        });
        let title = context.settings().words.get("all_feeds");
        let page = self.site_page(context, "feeds", title, link);
        let values = Scope {
            sections: sections.collect(),
            ..self.scope(context, page)
        };
        self.template(context, "feeds.html", values)
    }

    /// Returns the fingerprint of the value `site` of each language.
    pub(crate) fn site_hashes(&self) -> Vec<u64> {
        self.site
            .iter()
            .map(|site| hash(&site.to_string()))
            .collect()
    }

    /// Links as a sitemap, or an index of such.
    fn sitemap(&self, outer: &str, inner: &str, links: &[Link]) -> Vec<u8> {
        let address = &self.data.site.settings.site.address;
        let root = address.absolute(&address.path);
        let root = escape(&root);
        let alternates = |link| self.data.plan.alternates(link);
        let namespace = match links.iter().any(|link| !alternates(link).is_empty()) {
            true => " xmlns:xhtml=\"http://www.w3.org/1999/xhtml\"",
            false => "",
        };
        let mut text = format!(
            "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n<{outer} xmlns=\"http://www.sitemaps.org/schemas/sitemap/0.9\"{namespace}>\n"
        );
        for link in links {
            let encoded = escape(&link.encoded);
            text.extend(["<", inner, "><loc>", &root, &encoded, "</loc>"]);
            for (tag, link) in self.hreflang(alternates(link)) {
                let (tag, link) = (escape(tag), escape(&link));
                text.extend([
                    "<xhtml:link rel=\"alternate\" hreflang=\"",
                    &tag,
                    "\" href=\"",
                    &link,
                    "\"/>",
                ]);
            }
            text.extend(["</", inner, ">\n"]);
        }
        text.extend(["</", outer, ">\n"]);
        text.into_bytes()
    }

    fn redirect(&self, to: &Link) -> String {
        let site = &self.data.site;
        let locale = site.settings.locales.of_link(&to.plain);
        let settings = site.locale(locale);
        let address = site.absolute(to);
        let shown = escape(&address).into_owned();
        format!(
            "<!doctype html>\n<html lang=\"{}\"{}>\n<head>\n<meta charset=\"utf-8\">\n<title>{shown}</title>\n<meta name=\"robots\" content=\"noindex\">\n<link rel=\"canonical\" href=\"{shown}\">\n<meta http-equiv=\"refresh\" content=\"0; url={}\">\n</head>\n<body>\n<p>{} <a href=\"{}\">{shown}</a></p>\n</body>\n</html>\n",
            escape(&settings.tag),
            match site.catalogue.language(locale).is_right_to_left() {
                true => " dir=\"rtl\"",
                false => "",
            },
            escape(&site.href(to)),
            escape(settings.words.get("moved")),
            escape(&site.href(to)),
        )
    }
}

fn none_of_them() -> Value {
    Value::from(Vec::<Value>::new())
}

/// Returns the form of a list of related posts.
fn related_show(related: Option<&Related>) -> &str {
    related.map_or(Show::Lines.name(), |related| related.show.name())
}

/// Returns the heading of the related posts of a post in the language of the page, if they are all fill and such lists
/// have a heading of their own.
fn fill_title(id: PostId, context: &RenderContext) -> Option<String> {
    let site = &context.data.site;
    let related = site.related_settings(id)?;
    let own = context.settings().fill_title.as_ref();
    let title = own.or(related.fill_title.as_ref())?;
    site.is_all_fill(id).then(|| title.clone())
}

/// Returns the text of an empty list of related posts in the language of the page.
fn empty_text(related: &Related, context: &RenderContext) -> Option<String> {
    let own = context.settings().empty_text.clone();
    own.or_else(|| related.empty_text.clone())
}
