//! Feeds: plan to document.

use tabulae_core::catalogue::PostId;
use tabulae_core::feed::{self, Category, Document, Entry, Image, Pages, Person};
use tabulae_core::route::{Link, decode};
use tabulae_core::settings::FeedContent;
use tabulae_core::term::slug;

use super::fill_title;
use crate::incremental::Key;
use crate::plan::{FeedPlan, Part, Plan, entry_id};
use crate::site::{Owner, Site};
use crate::source::Sources;
use crate::template::{RenderContext, escape};

/// Returns the document of a feed.
pub(super) fn document(
    feed: &FeedPlan,
    context: &RenderContext,
    sources: &dyn Sources,
) -> Document {
    let (site, plan) = (&context.data.site, &context.data.plan);
    let making = Making {
        context,
        site,
        plan,
        sources,
        content: feed.content,
    };
    context.track_key(Key::Settings);
    context.track_key(Key::Feed(feed.address(feed.part.number).plain));
    let settings = &site.settings.site;
    let author = settings.author.clone().unwrap_or_default();
    let locale = site.locale(feed.locale);
    let root = locale.link("/");
    Document {
        title: feed.title.clone(),
        description: feed
            .description
            .clone()
            .or_else(|| locale.description.clone()),
        id: site.absolute(&feed.link),
        address: site.absolute(&feed.address(feed.part.number)),
        home: site.absolute(&feed.home),
        language: locale.tag.clone(),
        author: Person {
            name: author.name.unwrap_or_else(|| locale.title.clone()),
            email: author.email,
            link: author.link.map(|link| making.rooted(link)),
        },
        rights: settings.rights.clone(),
        image: settings
            .image
            .as_deref()
            .map(|image| making.image(Owner::new("", &root), image)),
        hub: settings.hub.clone(),
        ttl: feed.ttl,
        pages: (feed.part.pages > 1).then(|| pages(feed, site)),
        style: (plan.feed_styles.get(&feed.locale)).map(|style| site.href(style)),
        entries: feed
            .posts
            .iter()
            .filter_map(|id| making.entry(*id))
            .collect(),
    }
}

fn pages(feed: &FeedPlan, site: &Site) -> Pages {
    let Part { number, pages } = feed.part;
    let address = |number| site.absolute(&feed.address(number));
    Pages {
        first: address(1),
        last: address(pages),
        previous: (number > 1).then(|| address(number - 1)),
        next: (number < pages).then(|| address(number + 1)),
    }
}

/// Returns the text of a post as HTML that is complete without its page.
pub(super) fn content(id: PostId, context: &RenderContext) -> String {
    context.track(context.data.dependencies.text(id));
    let site = &context.data.site;
    let html = site.catalogue.post(id).html.get();
    context.with_lookups(site.owner(id), |owner| {
        feed::content(&html, &slug(&owner.link.plain), &mut |address| {
            site.absolute_address(owner, address)
        })
    })
}

/// Makes entries of posts.
struct Making<'a> {
    context: &'a RenderContext,
    site: &'a Site,
    plan: &'a Plan,
    sources: &'a dyn Sources,
    content: FeedContent,
}

impl Making<'_> {
    fn entry(&self, id: PostId) -> Option<Entry> {
        self.context.track_post(id);
        let post = self.site.catalogue.post(id);
        let owner = self.site.owner(id);
        let link = self.site.absolute(owner.link);
        let (authors, categories) = self.terms(id);
        Some(Entry {
            id: entry_id(id, self.site),
            link,
            title: post.title.to_string(),
            language: (post.locale != self.context.locale)
                .then(|| self.site.locale(post.locale).tag.clone()),
            published: post.date,
            // An entry is never updated before it is published (RFC 4287, 4.2.15).
            updated: [post.updated, post.date]
                .into_iter()
                .flatten()
                .max_by_key(|date| date.at)?,
            authors,
            categories,
            summary: post.summary.as_deref().map(str::to_owned),
            content: (self.content == FeedContent::Full).then(|| self.text(id)),
            image: post.image.as_deref().map(|image| self.image(owner, image)),
        })
    }

    /// The whole text, and the related posts where the settings ask for them.
    fn text(&self, id: PostId) -> String {
        let mut text = content(id, self.context);
        text.push_str(&related(id, self.context));
        text
    }

    /// The authors, and all other terms in the order of their fields.
    fn terms(&self, id: PostId) -> (Vec<Person>, Vec<Category>) {
        let locale = self.context.locale;
        let (mut authors, mut categories) = (Vec::new(), Vec::new());
        for (field, table) in self.site.catalogue.term_tables().iter().enumerate() {
            let scheme = self
                .plan
                .overview_of(&table.field.name, locale, &self.site.settings);
            let scheme = scheme.map(|link| self.site.absolute(link));
            for term in self.site.catalogue.terms_of(id, field) {
                self.context
                    .track(self.context.data.dependencies.term(field, *term));
                let name = table.term(*term).name_in(locale).to_owned();
                if table.field.name == "author" {
                    let page = self.plan.term_pages.get(&(locale, field, *term));
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
        let (file, address) = self.context.with_lookups(owner, |owner| {
            let file = match named.strip_prefix('/') {
                Some(asset) => Some(format!("assets/{}", decode(asset))),
                None => self.site.named_file(owner, named),
            };
            (file, self.site.absolute_address(owner, named))
        });
        let path = named.split(['?', '#']).next().unwrap_or_default();
        Image {
            address: address.unwrap_or_else(|| named.to_owned()),
            media_type: mime_guess::from_path(path)
                .first()
                .map(|kind| kind.to_string()),
            length: file.and_then(|file| {
                self.context.track_key(Key::File(file.clone()));
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
fn related(id: PostId, context: &RenderContext) -> String {
    let site = &context.data.site;
    let asked = site
        .related_settings(id)
        .is_some_and(|related| related.feeds);
    if asked {
        context.track(context.data.dependencies.related(id));
    }
    let posts = if asked { site.related_to(id) } else { &[] };
    if posts.is_empty() {
        return String::new();
    }
    let items = posts.iter().map(|id| {
        context.track_post(*id);
        let link = site.absolute(site.catalogue.link(*id));
        let title = &site.catalogue.post(*id).title;
        format!(
            "<li><a href=\"{}\">{}</a></li>\n",
            escape(&link),
            escape(title)
        )
    });
    let heading = fill_title(id, context);
    let heading = heading.as_deref();
    let heading = escape(heading.unwrap_or_else(|| context.settings().words.get("related")));
    format!(
        "<h2>{heading}</h2>\n<ul>\n{}</ul>\n",
        items.collect::<String>()
    )
}
