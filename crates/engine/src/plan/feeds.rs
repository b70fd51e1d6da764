//! Planning of feeds: of archives, and those that the settings name.

use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics, Help, nearest};
use tabulae_core::id::LocaleId;
use tabulae_core::query::Query;
use tabulae_core::route::{Link, decode};
use tabulae_core::settings::{Feed, FeedFormat};
use tabulae_core::source::{EmbeddedText, Location, Span, Spanned};

use super::feed_plan::{FEEDS_PAGE, FeedPlan, OPML, Origin, Part};
use super::output::OutputKind;
use super::planner::{Planner, answer};

/// The number of entries of a feed whose query has no limit.
const LIMIT: usize = 20;

impl Planner<'_> {
    /// A feed of a list of an archive.
    pub(super) fn archive_feed(&mut self, at: usize, number: usize, format: FeedFormat) {
        let site = self.site;
        let archive = &site.settings.archives[at];
        let group = &self.plan.archives[at].groups[number];
        let locale = site.locale(archive.locale);
        let title = match &group.term {
            None if group.link.plain == locale.below("/") => locale.title.clone(),
            _ => format!("{}: {}", locale.title, group.lasting_title),
        };
        let mut feed = FeedPlan {
            title,
            locale: archive.locale,
            description: None,
            link: group.link.below(format.file_name()),
            home: group.link.clone(),
            format,
            content: archive.feed_content,
            ttl: None,
            posts: group.posts.clone(),
            of: Origin::List {
                archive: at,
                group: number,
            },
            part: Part::WHOLE,
        };
        let who = format!("a feed of the archive `{}`", archive.name);
        feed.posts
            .retain(|post| self.is_datable(&who, archive.location, *post));
        self.add_feed(feed, archive.feed_limit, archive.feed_history);
    }

    /// Plans a feed of at most `limit` entries, and further pages for the others where it has a
    /// history.
    fn add_feed(&mut self, mut feed: FeedPlan, limit: usize, history: bool) {
        let pages = if history {
            feed.posts.len().div_ceil(limit.max(1)).max(1)
        } else {
            1
        };
        let posts = std::mem::take(&mut feed.posts);
        for number in 1..=pages {
            let shown = posts.iter().skip((number - 1) * limit).take(limit);
            let feed = FeedPlan {
                posts: shown.copied().collect(),
                part: Part { number, pages },
                ..feed.clone()
            };
            let (at, address) = (self.plan.feeds.len(), feed.address(number));
            if number == 1 {
                let page = feed.home.plain.clone();
                self.plan.feeds_of.entry(page).or_default().push(at);
            }
            self.plan.feeds.push(feed);
            self.add(address, OutputKind::Feed(at));
        }
    }

    /// Returns true if a post has a date for feeds. Otherwise notes that the feed leaves it out.
    fn is_datable(&mut self, who: &str, location: Span, id: PostId) -> bool {
        let is_datable = self.site.catalogue.post(id).updated.is_some();
        if !is_datable {
            self.note_undated(who, location, id);
        }
        is_datable
    }

    /// The feeds that the settings name.
    pub(super) fn feeds(&mut self) {
        let site = self.site;
        for (number, feed) in site.settings.feeds.iter().enumerate() {
            self.feed(number, feed);
        }
    }

    fn feed(&mut self, number: usize, feed: &Feed) {
        let site = self.site;
        let before = self.diagnostics.len();
        let mut diagnostics = Diagnostics::new();
        let empty = EmbeddedText::command_line("");
        let (posts, limit) = match Query::parse(feed.query.as_ref().unwrap_or(&empty)) {
            Ok(query) => {
                let (query, limit) = query.without_limit();
                (
                    answer(&query, site.scope().within(feed.locale), &mut diagnostics),
                    limit,
                )
            }
            Err(diagnostic) => {
                diagnostics.push(*diagnostic);
                (Vec::new(), None)
            }
        };
        self.extend_once(feed.locale, diagnostics);
        let mut posts = posts;
        if limit == Some(0) {
            posts.clear();
        }
        let found = posts.len();
        let who = format!("the feed `{}`", feed.name);
        posts.retain(|post| self.is_datable(&who, feed.location, *post));
        if posts.is_empty() {
            // The feed has no entries, which is reported with this as the reason.
            self.undated.remove(&(feed.location, who));
        }
        if posts.is_empty() && feed.locale != LocaleId::SITE {
            return;
        }
        if posts.is_empty() && self.diagnostics.len() == before && !feed.inherited.whole {
            self.diagnostics.push(empty_feed(
                feed,
                found,
                site.settings.source.location(feed.location),
            ));
        }
        let locale = site.locale(feed.locale);
        let planned = FeedPlan {
            title: feed.title.clone().unwrap_or_else(|| {
                let name = tabulae_core::post::title_of_name(&feed.name);
                format!("{}: {name}", locale.title)
            }),
            locale: feed.locale,
            description: feed.description.clone(),
            link: Link::new(decode(&feed.link)),
            home: Link::new(
                feed.page
                    .as_ref()
                    .map_or_else(|| locale.below("/"), |page| decode(&page.node).into_owned()),
            ),
            format: feed.format,
            content: feed.content,
            ttl: feed.ttl,
            posts,
            of: Origin::Named(number),
            part: Part::WHOLE,
        };
        self.add_feed(planned, limit.unwrap_or(LIMIT), feed.history);
    }

    /// The page of each language that lists its feeds for people, unless the site has one of its own there.
    pub(super) fn feeds_pages(&mut self) {
        let site = self.site;
        for (id, locale) in site.settings.locales.iter() {
            let link = locale.link(FEEDS_PAGE);
            let has_feeds = self.plan.feeds.iter().any(|feed| feed.locale == id);
            if has_feeds && !self.outputs.has(&link.file()) {
                self.plan.feeds_pages.insert(id, link.clone());
                self.add(link, OutputKind::Feeds(id));
            }
            let opml = locale.link(OPML);
            if has_feeds && !self.outputs.has(&opml.file()) {
                self.add(opml, OutputKind::Opml(id));
            }
        }
    }

    /// A feed belongs to a page of the site. Asked when everything else is planned.
    pub(super) fn check_feed_pages(&mut self) {
        let site = self.site;
        for page in site
            .settings
            .feeds
            .iter()
            .filter_map(|feed| feed.page.as_ref())
        {
            let link = Link::new(decode(&page.node));
            if !self.outputs.has(&link.file()) {
                let diagnostic = self.no_such_page(page);
                self.diagnostics.push(diagnostic);
            }
        }
    }

    fn no_such_page(&self, page: &Spanned<String>) -> Diagnostic {
        let known = self
            .plan
            .outputs
            .iter()
            .map(|output| output.link.plain.as_str());
        let near = nearest(&page.node, known.filter(|link| link.ends_with('/')));
        let diagnostic = Diagnostic::error(
            Code::InvalidAddress,
            self.site.settings.source.location(page.span),
            format!("the site has no page at \"{}\"", page.node),
        );
        diagnostic.help(match near {
            Some(near) => Help::instead(format!("did you mean \"{near}\"?"), near),
            None => {
                "name a page from the site's root, such as \"/tags/lime/\", or leave `page` out"
                    .into()
            }
        })
    }
}

fn empty_feed(feed: &Feed, found: usize, location: Location) -> Diagnostic {
    let message = match found {
        0 => format!("the feed `{}` has no entries", feed.name),
        _ => format!(
            "the feed `{}` has no entries: none of its posts has a date",
            feed.name
        ),
    };
    let help = match &feed.query {
        Some(query) => format!(
            "look at what its query finds: `tabulae query \"{}\"`",
            query.text().trim()
        ),
        None => "it fills with the first post that is live".to_owned(),
    };
    Diagnostic::warning(Code::EmptyFeed, location, message).help(help)
}
