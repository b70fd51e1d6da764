//! `[feed.NAME]`: reading, with the built-in feed.

use super::locales::{Locales, only_in};
use super::reader::Table;
use super::{CONTENTS, FORMATS, Feed, FeedContent, FeedFormat, Inherited, Site};
use crate::diagnostic::{Code, Diagnostic, Diagnostics};
use crate::id::LocaleId;
use crate::source::{Span, Spanned};

/// Reads all feeds. The built-in one exists as well, or is changed by the table of its name, unless the site
/// has no defaults.
pub(super) fn read(
    root: &mut Table<'_>,
    (site, locales): (&Site, &Locales),
    diagnostics: &mut Diagnostics,
) -> Vec<Feed> {
    let base = built_in(site);
    let mut feeds: Vec<Feed> = Vec::new();
    for (name, table) in root.tables("feed", diagnostics) {
        let base = (site.defaults && name.node == base.name).then_some(&base);
        feeds.push(feed(name, table, base, (site, locales), diagnostics));
    }
    if site.defaults && !feeds.iter().any(|feed| feed.name == base.name) {
        feeds.insert(0, base);
    }
    feeds.retain(|feed| feed.enabled);
    feeds
}

/// Returns the feed of the newest posts at `/atom.xml`, which has the title of the site.
fn built_in(site: &Site) -> Feed {
    Feed {
        title: Some(site.title.clone()),
        inherited: Inherited::ALL,
        ..plain("atom", Span::default(), FeedFormat::Atom)
    }
}

fn plain(name: &str, location: Span, format: FeedFormat) -> Feed {
    let ending = match format {
        FeedFormat::Json => "json",
        FeedFormat::Atom | FeedFormat::Rss => "xml",
    };
    Feed {
        name: name.to_owned(),
        location,
        locale: LocaleId::SITE,
        locales: None,
        enabled: true,
        inherited: Inherited::default(),
        query: None,
        link: format!("/{name}.{ending}"),
        page: None,
        format,
        content: FeedContent::Summary,
        title: None,
        description: None,
        ttl: None,
        history: false,
        moved_from: Vec::new(),
    }
}

fn feed(
    name: Spanned<String>,
    mut table: Table<'_>,
    base: Option<&Feed>,
    (site, locales): (&Site, &Locales),
    diagnostics: &mut Diagnostics,
) -> Feed {
    let format = table.choice("format", &FORMATS, diagnostics);
    // In another format it is another feed, but for its name.
    let base = base.filter(|base| format.is_none_or(|format| format == base.format));
    let own = plain(&name.node, name.span, format.unwrap_or(FeedFormat::Atom));
    let base = base.unwrap_or(&own);
    let link = table.text("link", diagnostics);
    let link = link.filter(|link| table.check_fixed(link, diagnostics));
    let page = table.text("page", diagnostics);
    let page = page.filter(|page| table.check_fixed(page, diagnostics));
    let text = |table: &mut Table<'_>, key, diagnostics: &mut Diagnostics| {
        table.text(key, diagnostics).map(|text| text.node)
    };
    let title = text(&mut table, "title", diagnostics);
    let feed = Feed {
        inherited: Inherited {
            link: base.inherited.link && link.is_none(),
            title: base.inherited.title && title.is_none(),
            ..Inherited::default()
        },
        locale: LocaleId::SITE,
        locales: only_in(&mut table, locales, diagnostics),
        enabled: table.flag("enabled", true, diagnostics),
        query: table.query_text("query", diagnostics),
        link: link.map_or_else(|| base.link.clone(), |text| text.node),
        page,
        format: base.format,
        content: table
            .choice("content", &CONTENTS, diagnostics)
            .unwrap_or_default(),
        title: title.or_else(|| base.title.clone()),
        description: text(&mut table, "description", diagnostics),
        ttl: ttl(&mut table, base.format, diagnostics),
        history: table.flag("history", false, diagnostics),
        moved_from: table.moved_from(site, diagnostics),
        location: name.span,
        name: name.node,
    };
    table.finish(diagnostics);
    feed
}

/// Reads the minutes for which readers may keep a feed, which only RSS has.
fn ttl(table: &mut Table<'_>, format: FeedFormat, diagnostics: &mut Diagnostics) -> Option<usize> {
    let ttl = table.count("ttl", diagnostics)?;
    if format != FeedFormat::Rss {
        let location = table.source().location(ttl.span);
        let message = "`ttl` has no effect: only RSS feeds have it";
        let found = Diagnostic::warning(Code::InvalidValue, location, message);
        diagnostics.push(found.help("write `format = \"rss\"`, or leave `ttl` out"));
    }
    Some(ttl.node)
}
