//! Reading `[feed.NAME]`.

use super::reader::Table;
use super::{CONTENTS, FORMATS, Feed, FeedFormat};
use crate::diagnostic::Faults;
use crate::source::Spanned;

pub(super) fn read(root: &mut Table<'_>, faults: &mut Faults) -> Vec<Feed> {
    root.tables("feed", faults)
        .into_iter()
        .map(|(name, table)| feed(name, table, faults))
        .collect()
}

fn feed(name: Spanned<String>, mut table: Table<'_>, faults: &mut Faults) -> Feed {
    let format = table
        .choice("format", &FORMATS, faults)
        .unwrap_or(FeedFormat::Atom);
    let ending = match format {
        FeedFormat::Json => "json",
        FeedFormat::Atom | FeedFormat::Rss => "xml",
    };
    let link = table.text("link", faults);
    if let Some(link) = &link {
        table.check_fixed(link, faults);
    }
    let page = table.text("page", faults);
    let page = page.filter(|page| table.check_fixed(page, faults));
    let feed = Feed {
        query: table.passage("query", faults),
        link: link.map_or_else(|| format!("/{}.{ending}", name.node), |text| text.node),
        page,
        format,
        content: table
            .choice("content", &CONTENTS, faults)
            .unwrap_or_default(),
        title: table.text("title", faults).map(|text| text.node),
        about: table.text("about", faults).map(|text| text.node),
        ttl: table.count("ttl", faults).map(|n| n.node),
        history: table.flag("history", false, faults),
        place: name.span,
        name: name.node,
    };
    table.finish(faults);
    feed
}
