//! `[archive.NAME]`: reading, with the built-in archives that a table changes or that stay beside it.

use std::num::NonZeroUsize;

use super::locales::{Locales, only_in};
use super::reader::{Table, read_pattern};
use super::{Archive, CONTENTS, FORMATS, FeedContent, Inherited, ORDERS, Show, Site};
use crate::diagnostic::{Code, Diagnostic, Diagnostics};
use crate::id::LocaleId;
use crate::route::{Pattern, folder_unless_file};
use crate::source::{EmbeddedText, Source, Span, Spanned};

/// Reads all archives. If the site has defaults, the built-in ones exist as well, and a table of the name of one changes
/// it. A built-in archive that is not changed is placed behind the one that it follows among the built-in
/// ones, others are in the order written.
pub(super) fn read(
    root: &mut Table<'_>,
    (site, locales): (&Site, &Locales),
    diagnostics: &mut Diagnostics,
) -> Vec<Archive> {
    let built_in = if site.defaults {
        built_in()
    } else {
        Vec::new()
    };
    let mut archives: Vec<Archive> = Vec::new();
    for (name, mut table) in root.tables("archive", diagnostics) {
        let by = table.text("by", diagnostics);
        let base = built_in.iter().find(|base| base.name == name.node);
        // One that is split by something else has nothing in common with the built-in one.
        let base = base.filter(|base| by.as_ref().is_none_or(|by| is_by(base, &by.node)));
        archives.push(archive(
            &name,
            by,
            table,
            base,
            (site, locales),
            diagnostics,
        ));
    }
    let mut at = 0;
    for base in built_in {
        match archives
            .iter()
            .position(|archive| archive.name == base.name)
        {
            Some(written) => at = written + 1,
            None => {
                archives.insert(at, base);
                at += 1;
            }
        }
    }
    archives.retain(|archive| archive.enabled);
    archives
}

fn is_by(archive: &Archive, by: &str) -> bool {
    archive.by.as_ref().is_some_and(|own| own.node == by)
}

/// Returns the built-in archives: the journal, tags, categories, years.
fn built_in() -> Vec<Archive> {
    vec![
        whole("journal", "/"),
        split("tags", "tag", "/tags/{tag}/", "/tags/"),
        split(
            "categories",
            "category",
            "/categories/{category}/",
            "/categories/",
        ),
        Archive {
            show: Show::Lines,
            group: Some(Spanned::new("month".to_owned(), Span::default())),
            ..split("years", "year", "/{year}/", "/archive/")
        },
    ]
}

fn split(name: &str, by: &str, link: &str, overview: &str) -> Archive {
    let text = |text: &str| Some(Spanned::new(text.to_owned(), Span::default()));
    Archive {
        by: text(by),
        overview: text(overview),
        ..whole(name, link)
    }
}

fn whole(name: &str, link: &str) -> Archive {
    Archive {
        name: name.to_owned(),
        location: Span::default(),
        locale: LocaleId::SITE,
        locales: None,
        enabled: true,
        inherited: Inherited::ALL,
        query: None,
        by: None,
        link: Pattern::fixed(link),
        link_location: Span::default(),
        overview: None,
        overview_order: None,
        per_page: None,
        feeds: Vec::new(),
        feed_limit: 20,
        feed_content: FeedContent::Summary,
        feed_history: false,
        at_least: 1,
        group: None,
        show: Show::Cards,
        title: None,
        template: None,
        menu: true,
        moved_from: Vec::new(),
    }
}

/// Reads a table; the keys that it leaves out are those of `base`, the built-in archive of its name.
fn archive(
    name: &Spanned<String>,
    by: Option<Spanned<String>>,
    mut table: Table<'_>,
    base: Option<&Archive>,
    (site, locales): (&Site, &Locales),
    diagnostics: &mut Diagnostics,
) -> Archive {
    let inherited = Inherited {
        link: base.is_some() && table.entry("link").is_none(),
        overview: base.is_some() && table.entry("overview").is_none(),
        query: base.is_some() && table.entry("query").is_none(),
        feeds: base.is_some() && table.entry("feeds").is_none(),
        ..Inherited::default()
    };
    let own;
    let base = match base {
        Some(base) => base,
        None => {
            own = whole(&name.node, "/");
            &own
        }
    };
    let by = by.or_else(|| base.by.clone());
    let link = if inherited.link {
        Spanned::new(base.link.clone(), name.span)
    } else {
        let default = default_link(name, by.as_ref());
        read_pattern(name, &mut table, "link", &default, diagnostics)
    };
    let overview = table.text_or_false("overview", diagnostics);
    let overview = overview.unwrap_or_else(|| base.overview.clone());
    if let Some(text) = overview.as_ref().filter(|_| !inherited.overview) {
        table.check_fixed(text, diagnostics);
    }
    if by.is_none() {
        diagnostics.extend(split_without_by(&table, &link, overview.as_ref()));
    }
    let link = match by.as_ref().filter(|_| !inherited.link) {
        Some(by) => with_own_variable(name, by, link, &table, diagnostics),
        None => link,
    };
    let count = |count: Option<Spanned<usize>>| count.map(|count| count.node);
    let per_page = count(table.count("per_page", diagnostics)).and_then(NonZeroUsize::new);
    let feeds = table.choices("feeds", &FORMATS, diagnostics);
    let overview_order = table.choice("overview_order", &ORDERS, diagnostics);
    let content = table.choice("feed_content", &CONTENTS, diagnostics);
    let group = table.text_or_false("group", diagnostics);
    let title = table.text("title", diagnostics);
    if let Some(title) = &title {
        diagnostics.extend(unknown_variable(title, by.as_ref(), table.source()));
    }
    let title = title.map(|text| text.node);
    let archive = Archive {
        name: name.node.clone(),
        location: name.span,
        locale: LocaleId::SITE,
        locales: only_in(&mut table, locales, diagnostics),
        enabled: table.flag("enabled", true, diagnostics),
        inherited,
        query: table.query_text("query", diagnostics),
        by,
        link_location: link.span,
        link: link.node,
        overview,
        overview_order: overview_order.or(base.overview_order),
        per_page: per_page.or(base.per_page),
        feeds: if inherited.feeds {
            base.feeds.clone()
        } else {
            feeds
        },
        feed_limit: count(table.count("feed_limit", diagnostics)).unwrap_or(base.feed_limit),
        feed_content: content.unwrap_or(base.feed_content),
        feed_history: table.flag("feed_history", base.feed_history, diagnostics),
        at_least: count(table.count("at_least", diagnostics)).unwrap_or(base.at_least),
        group: group.unwrap_or_else(|| base.group.clone()),
        show: table.show(diagnostics).unwrap_or_else(|| base.show.clone()),
        title: title.or_else(|| base.title.clone()),
        template: table
            .text("template", diagnostics)
            .or_else(|| base.template.clone()),
        menu: table.flag("menu", base.menu, diagnostics),
        moved_from: moved_from(&mut table, site, diagnostics),
    };
    table.finish(diagnostics);
    archive
}

/// Returns the error of a title with a variable that no archive has.
fn unknown_variable(
    title: &Spanned<String>,
    by: Option<&Spanned<String>>,
    source: &Source,
) -> Option<Diagnostic> {
    let mut known = vec!["count", "posts"];
    if let Some(by) = by {
        known.extend(["term", by.node.as_str()]);
    }
    let named = title.node.split('{').skip(1);
    let named = named.filter_map(|rest| rest.split_once('}').map(|(name, _)| name));
    let unknown = named.into_iter().find(|name| {
        !known.contains(name) && name.chars().all(|c| c.is_alphanumeric() || c == '_')
    })?;
    let shown: Vec<String> = known.iter().map(|name| format!("{{{name}}}")).collect();
    let message = format!("the title of this archive has no variable {{{unknown}}}");
    let found = Diagnostic::error(Code::InvalidValue, source.location(title.span), message);
    Some(found.help(format!("write one of {}", shown.join(", "))))
}

/// Reads the earlier addresses of an archive, which may hold variables as its link does.
fn moved_from(
    table: &mut Table<'_>,
    site: &Site,
    diagnostics: &mut Diagnostics,
) -> Vec<Spanned<Pattern>> {
    let addresses = table.moved_from(site, diagnostics).into_iter();
    let patterns =
        addresses.filter_map(|old| match Pattern::parse(&folder_unless_file(&old.node)) {
            Ok(pattern) => Some(Spanned::new(pattern, old.span)),
            Err(diagnostic) => {
                let embedded = EmbeddedText::new(&old.node, table.source(), old.span);
                diagnostics.push(diagnostic.at(&embedded));
                None
            }
        });
    patterns.collect()
}

/// Returns the link of an archive that names none.
fn default_link(name: &Spanned<String>, by: Option<&Spanned<String>>) -> String {
    let name = &name.node;
    match by.map(|by| by.node.as_str()) {
        None => format!("/{name}/"),
        Some("month") => format!("/{name}/{{year}}/{{month}}/"),
        Some("day") => format!("/{name}/{{year}}/{{month}}/{{day}}/"),
        Some(field) => format!("/{name}/{{{field}}}/"),
    }
}

/// Returns the link of an archive with `by`. One that is the same for several terms is an error, and the default takes its
/// place.
fn with_own_variable(
    name: &Spanned<String>,
    by: &Spanned<String>,
    link: Spanned<Pattern>,
    table: &Table<'_>,
    diagnostics: &mut Diagnostics,
) -> Spanned<Pattern> {
    let wanted: &[&str] = match by.node.as_str() {
        "month" => &["year", "month"],
        "day" => &["year", "month", "day"],
        // The field may go by another name, its plural.
        field if link.node.variables().next().is_none() => &[field],
        _ => &[],
    };
    let has = |wanted: &str| link.node.variables().any(|variable| variable == wanted);
    let Some(missing) = wanted.iter().find(|wanted| !has(wanted)) else {
        return link;
    };
    let default = default_link(name, Some(by));
    let message = format!(
        "the link of an archive by `{}` needs {{{missing}}}, or several of its pages have the same address",
        by.node
    );
    let help = format!("write it into the link, such as `link = \"{default}\"`");
    let location = table.source().location(link.span);
    diagnostics.push(Diagnostic::error(Code::InvalidLinkPattern, location, message).help(help));
    let default = Pattern::parse(&default);
    Spanned::new(default.unwrap_or(link.node), link.span)
}

/// Returns the errors of keys that only an archive with `by` can have.
fn split_without_by(
    table: &Table<'_>,
    link: &Spanned<Pattern>,
    overview: Option<&Spanned<String>>,
) -> Diagnostics {
    let overview = overview.map(|text| {
        let location = table.source().location(text.span);
        let message = "an overview lists an archive's terms, and this archive has no `by`";
        Diagnostic::error(Code::InvalidValue, location, message).help(
            "name what the archive is split by, such as `by = \"tag\"`, or leave `overview` out",
        )
    });
    let variable = link.node.variables().next().map(|variable| {
        let location = table.source().location(link.span);
        let message = format!("the link of an archive without `by` has {{{variable}}}");
        Diagnostic::error(Code::InvalidLinkPattern, location, message).help(format!(
            "write `by = \"{variable}\"`, or a link without a variable"
        ))
    });
    overview.into_iter().chain(variable).collect()
}
