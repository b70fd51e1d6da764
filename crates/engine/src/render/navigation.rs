//! The navigation of a language: what `[site] menu` names, or all lists and pages.

use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics, Help, nearest};
use tabulae_core::id::LocaleId;
use tabulae_core::route::{Link, decode};
use tabulae_core::settings::MenuEntry;
use tabulae_core::source::Spanned;

use crate::plan::{OutputKind, SEARCH};
use crate::template::RenderData;

/// The text and the address of an entry.
type Entry = (String, String);

/// Returns the entries of the navigation of a language, in order.
pub(super) fn navigation(data: &RenderData, id: LocaleId) -> Vec<Entry> {
    let Some(menu) = &data.site.settings.site.menu else {
        return all(data, id);
    };
    let base = &data.site.settings.site.address.path;
    let entries = menu.iter().filter_map(|entry| match entry {
        MenuEntry::Page(name) => of_name(data, id, &name.node),
        MenuEntry::Link { title, link } => {
            let base = if link.starts_with('/') { base } else { "" };
            Some((title.clone(), format!("{base}{link}")))
        }
    });
    entries.collect()
}

/// Returns the entries of archives and their overviews, of pages and of the search page, but for those that are kept
/// out.
fn all(data: &RenderData, id: LocaleId) -> Vec<Entry> {
    let site = &data.site;
    let locale = site.locale(id);
    let archives = site.settings.archives.iter().enumerate();
    let archives = archives.filter(|(_, archive)| archive.locale == id && archive.menu);
    let mut entries: Vec<Entry> = archives
        .filter_map(|(at, _)| of_archive(data, at))
        .collect();
    let pages = site.pages.iter();
    let pages = pages.filter(|page| page.post.locale == id && page.link.plain != locale.below("/"));
    let pages = pages.filter(|page| !page.post.exclusion.unlisted && page.is_in_menu());
    entries.extend(pages.map(|page| (page.post.title.to_string(), site.href(&page.link))));
    if data.plan.searched.contains(&id) {
        let title = locale.words.get("search").to_owned();
        entries.push((title, site.href(&locale.link(SEARCH))));
    }
    entries
}

/// Returns the entry of an archive: its overview, or its list if it is whole.
fn of_archive(data: &RenderData, at: usize) -> Option<Entry> {
    let laid = &data.plan.archives[at];
    let list = || laid.groups.first().filter(|_| laid.by.is_none());
    let link = data.plan.overviews[at]
        .as_ref()
        .or_else(|| Some(&list()?.link))?;
    Some((laid.title.clone(), data.site.href(link)))
}

/// Returns the entry of an archive's name, or of a page's address in the language; of a page that is not in the
/// language that of its translation.
fn of_name(data: &RenderData, id: LocaleId, name: &str) -> Option<Entry> {
    let site = &data.site;
    if !name.starts_with('/') {
        let mut archives = site.settings.archives.iter();
        let at = archives.position(|archive| archive.name == name && archive.locale == id)?;
        return of_archive(data, at);
    }
    let link = Link::new(decode(name));
    if site.settings.locales.of_link(&link.plain) == id {
        return of_address(data, &link);
    }
    let mut alternates = data.plan.alternates(&link).iter();
    let own = alternates.find(|page| page.locale == id)?;
    of_address(data, &own.link)
}

fn of_address(data: &RenderData, link: &Link) -> Option<Entry> {
    let site = &data.site;
    let mut outputs = data.plan.outputs.iter();
    let output = outputs.find(|output| output.link == *link && output.is_page())?;
    let word = |locale: &LocaleId, word| site.locale(*locale).words.get(word).to_owned();
    let title = match &output.kind {
        OutputKind::Post(id) => site.catalogue.post(*id).title.to_string(),
        OutputKind::Page(at) => site.pages[*at].post.title.to_string(),
        OutputKind::List { archive, group, .. } => {
            data.plan.archives[*archive].groups[*group].title.clone()
        }
        OutputKind::Overview(at) => data.plan.archives[*at].title.clone(),
        OutputKind::Feeds(locale) => word(locale, "all_feeds"),
        OutputKind::Search(locale) => word(locale, "search"),
        _ => return None,
    };
    Some((title, site.href(link)))
}

/// Reports entries of `[site] menu` that lead nowhere in any language.
pub(crate) fn check_menu(data: &RenderData, diagnostics: &mut Diagnostics) {
    let settings = &data.site.settings;
    let names = settings.site.menu.iter().flatten();
    let names = names.filter_map(|entry| match entry {
        MenuEntry::Page(name) => Some(name),
        MenuEntry::Link { .. } => None,
    });
    let leads = |name: &str| {
        let mut locales = settings.locales.ids();
        locales.any(|id| of_name(data, id, name).is_some())
    };
    let lost = names.filter(|name| !leads(&name.node));
    diagnostics.extend(lost.map(|name| nowhere(data, name)));
}

fn nowhere(data: &RenderData, name: &Spanned<String>) -> Diagnostic {
    let settings = &data.site.settings;
    let location = settings.source.location(name.span);
    let written = name.node.as_str();
    let of_archives = settings
        .archives
        .iter()
        .map(|archive| archive.name.as_str());
    let found = |message: String| Diagnostic::error(Code::InvalidValue, location, message);
    if of_archives.clone().any(|known| known == written) {
        let message = format!("the archive `{written}` is split and has no page of all its terms");
        return found(message).help(format!(
            "give it one, such as `overview = \"/{written}/\"`, or write the address of one of its lists"
        ));
    }
    if !written.starts_with('/') {
        let message = format!("there is no archive `{written}`");
        return found(message).suggest(written, of_archives);
    }
    let message = format!("no page of this site has the address {written}");
    let pages = data.plan.outputs.iter().filter(|output| output.is_page());
    let pages = pages.map(|output| output.link.plain.as_str());
    match nearest(written, pages) {
        Some(near) => found(message).help(Help::did_you_mean(near)),
        None => found(message).help(format!(
            "write `{{ title = \"…\", link = \"{written}\" }}` if another program makes this page"
        )),
    }
}
