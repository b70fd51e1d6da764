//! The built-in theme, and the templates of a site by name.

use std::collections::BTreeMap;

use tabulae_core::source::Source;

use super::loads::reached;
use crate::site::Site;

/// The built-in templates by name.
pub(crate) const BUILT_IN: [(&str, &str); 20] = [
    ("base.html", include_str!("../theme/base.html")),
    ("post.html", include_str!("../theme/post.html")),
    ("page.html", include_str!("../theme/page.html")),
    ("archive.html", include_str!("../theme/archive.html")),
    ("overview.html", include_str!("../theme/overview.html")),
    ("feeds.html", include_str!("../theme/feeds.html")),
    ("search.html", include_str!("../theme/search.html")),
    (
        "parts/related.html",
        include_str!("../theme/parts/related.html"),
    ),
    ("parts/find.html", include_str!("../theme/parts/find.html")),
    ("parts/card.html", include_str!("../theme/parts/card.html")),
    (
        "parts/links.html",
        include_str!("../theme/parts/links.html"),
    ),
    ("parts/top.html", include_str!("../theme/parts/top.html")),
    ("parts/foot.html", include_str!("../theme/parts/foot.html")),
    (
        "parts/languages.html",
        include_str!("../theme/parts/languages.html"),
    ),
    ("parts/menu.html", include_str!("../theme/parts/menu.html")),
    (
        "parts/lines.html",
        include_str!("../theme/parts/lines.html"),
    ),
    (
        "parts/pager.html",
        include_str!("../theme/parts/pager.html"),
    ),
    (
        "parts/woven.html",
        include_str!("../theme/parts/woven.html"),
    ),
    (
        "parts/woven-terms.html",
        include_str!("../theme/parts/woven-terms.html"),
    ),
    (
        "parts/terms.html",
        include_str!("../theme/parts/terms.html"),
    ),
];

/// The theme's style sheet.
const STYLE: &str = include_str!("../theme/tabulae.css");

/// The further rules of the style sheet on a blog in several languages.
const LANGUAGES_STYLE: &str = include_str!("../theme/languages.css");

/// Returns the theme's style sheet for a site.
pub(crate) fn style(site: &Site) -> String {
    match site.settings.locales.are_several() {
        true => [STYLE, LANGUAGES_STYLE].concat(),
        false => STYLE.to_owned(),
    }
}

/// The style sheet by which browsers show feeds; `OPENED` in it is the sentence above.
pub(crate) const FEED_STYLE: &str = include_str!("../theme/tabulae-feeds.css");

/// The theme's script.
const SCRIPT: &str = include_str!("../theme/tabulae.js");

/// Returns the theme's script without comments and indentation.
#[must_use]
pub(crate) fn script() -> String {
    let lines = SCRIPT.lines().map(str::trim_start);
    let code = lines.filter(|line| !line.is_empty() && !line.starts_with("//"));
    code.flat_map(|line| [line, "\n"]).collect()
}

/// Returns the templates by name: the built-in ones, overridden by the site's own, and its pages.
pub(super) fn sources(site: &Site) -> BTreeMap<String, Source> {
    let mut sources = BTreeMap::new();
    for (name, text) in BUILT_IN {
        sources.insert(
            name.to_owned(),
            Source::new(&format!("built-in template {name}"), text),
        );
    }
    for (name, text) in &site.templates {
        sources.insert(
            name.clone(),
            Source::new(&format!("templates/{name}"), text),
        );
    }
    for page in &site.pages {
        if let Some(text) = &page.template {
            sources.insert(page.post.path.clone(), Source::new(&page.post.path, text));
        }
    }
    sources
}

/// Returns the site's own templates that no page, archive or other template loads.
pub(crate) fn unused(site: &Site) -> Vec<&str> {
    let sources = sources(site);
    let built_in = BUILT_IN.iter().map(|(name, _)| *name);
    let pages = site.pages.iter().map(|page| page.post.path.as_str());
    let archives = site.settings.archives.iter();
    let named = archives.filter_map(|archive| Some(archive.template.as_ref()?.node.as_str()));
    let used = reached(built_in.chain(pages).chain(named), &sources);
    let own = site.templates.iter().map(|(name, _)| name.as_str());
    own.filter(|name| used.as_ref().is_some_and(|used| !used.contains(name)))
        .collect()
}
