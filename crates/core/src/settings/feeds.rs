//! Reading `[feed.NAME]`.

use super::reader::Table;
use super::{CONTENTS, FORMATS, Feed, FeedFormat};
use crate::diagnostic::Diagnostics;
use crate::source::Spanned;

pub(super) fn read(root: &mut Table<'_>, diagnostics: &mut Diagnostics) -> Vec<Feed> {
    root.tables("feed", diagnostics)
        .into_iter()
        .map(|(name, table)| feed(name, table, diagnostics))
        .collect()
}

fn feed(name: Spanned<String>, mut table: Table<'_>, diagnostics: &mut Diagnostics) -> Feed {
    let format = table
        .choice("format", &FORMATS, diagnostics)
        .unwrap_or(FeedFormat::Atom);
    let ending = match format {
        FeedFormat::Json => "json",
        FeedFormat::Atom | FeedFormat::Rss => "xml",
    };
    let link = table.text("link", diagnostics);
    if let Some(link) = &link {
        table.check_fixed(link, diagnostics);
    }
    let page = table.text("page", diagnostics);
    let page = page.filter(|page| table.check_fixed(page, diagnostics));
    let feed = Feed {
        query: table.passage("query", diagnostics),
        link: link.map_or_else(|| format!("/{}.{ending}", name.node), |text| text.node),
        page,
        format,
        content: table
            .choice("content", &CONTENTS, diagnostics)
            .unwrap_or_default(),
        title: table.text("title", diagnostics).map(|text| text.node),
        about: table.text("about", diagnostics).map(|text| text.node),
        ttl: table.count("ttl", diagnostics).map(|n| n.node),
        history: table.flag("history", false, diagnostics),
        place: name.span,
        name: name.node,
    };
    table.finish(diagnostics);
    feed
}
