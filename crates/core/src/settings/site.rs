//! Reading `[site]`.

use jiff::tz::TimeZone;

use super::reader::{Table, Unfit};
use super::{Address, Author, MenuEntry, SEARCHES, SOURCE_LIMIT, Search, Site};
use crate::diagnostic::{Code, Diagnostic, Diagnostics, Help, nearest};
use crate::language::{DateStyle, Language, check_pattern, check_tag};
use crate::route::unsafe_scheme;
use crate::source::{Span, Spanned};
use crate::value::Value;

pub(super) fn read(root: &mut Table<'_>, diagnostics: &mut Diagnostics) -> Site {
    let Some(mut table) = root.table("site", diagnostics) else {
        if root.entry("site").is_none() {
            diagnostics.push(absent(root));
        }
        return unnamed();
    };
    let text = |table: &mut Table<'_>, key, diagnostics: &mut Diagnostics| {
        let text = table.text(key, diagnostics);
        text.map(|text| text.node)
    };
    let fallback = unnamed();
    let site = Site {
        title: required(&mut table, "title", diagnostics, |text| Ok(text.to_owned()))
            .unwrap_or(fallback.title),
        address: required(&mut table, "address", diagnostics, address).unwrap_or(fallback.address),
        language: table
            .read("language", diagnostics, language)
            .unwrap_or(fallback.language),
        timezone: table
            .read("timezone", diagnostics, time_zone)
            .unwrap_or(fallback.timezone),
        description: text(&mut table, "description", diagnostics),
        image: table.read("image", diagnostics, image),
        rights: text(&mut table, "rights", diagnostics),
        hub: table.read("hub", diagnostics, |text| {
            elsewhere(text, "https://hub.example/")
        }),
        styles: files(&mut table, "styles", diagnostics),
        scripts: files(&mut table, "scripts", diagnostics),
        menu: menu(&mut table, diagnostics),
        search: table
            .flag_or("search", SEARCHES, diagnostics)
            .unwrap_or_default(),
        date_format: table
            .read("date_format", diagnostics, |text| date_style("site", text))
            .unwrap_or(fallback.date_format),
        source_limit: table
            .count("source_limit", diagnostics)
            .map_or(fallback.source_limit, |count| count.node),
        follow_links: table.flag("follow_links", false, diagnostics),
        defaults: table.flag("defaults", true, diagnostics),
        author: table.table("author", diagnostics).map(|mut table| {
            let author = Author {
                name: text(&mut table, "name", diagnostics),
                email: text(&mut table, "email", diagnostics),
                link: table.read("link", diagnostics, |text| match text.starts_with('/') {
                    true => Ok(text.to_owned()),
                    false => elsewhere(text, "https://towpath.example/about/"),
                }),
            };
            table.finish(diagnostics);
            author
        }),
    };
    table.finish(diagnostics);
    site
}

/// A site of which nothing is said.
fn unnamed() -> Site {
    Site {
        title: String::new(),
        address: Address {
            origin: "https://site.invalid".to_owned(),
            path: String::new(),
        },
        language: "en".to_owned(),
        timezone: TimeZone::UTC,
        description: None,
        author: None,
        image: None,
        rights: None,
        hub: None,
        styles: Vec::new(),
        scripts: Vec::new(),
        menu: None,
        search: Search::Off,
        date_format: DateStyle::Long,
        source_limit: SOURCE_LIMIT,
        follow_links: false,
        defaults: true,
    }
}

fn absent(root: &Table<'_>) -> Diagnostic {
    let message = "there is no table [site]";
    Diagnostic::error(Code::MissingKey, root.source().top(), message)
        .help("write `[site]`, and below it `title = \"…\"` and `address = \"https://…\"`")
}

/// Reads a text that each site must have.
fn required<T>(
    table: &mut Table<'_>,
    key: &'static str,
    diagnostics: &mut Diagnostics,
    read: impl FnOnce(&str) -> Result<T, Unfit>,
) -> Option<T> {
    if table.entry(key).is_some() {
        return table.read(key, diagnostics, read);
    }
    let start = table.span().start;
    let location = table.source().location(Span::new(start, start + 1));
    let name = table.name();
    let message = match name {
        "site" => format!("[site] has no `{key}`"),
        _ => format!("an entry of `{name}` has no `{key}`"),
    };
    diagnostics.push(Diagnostic::error(Code::MissingKey, location, message).help(
        match (name, key) {
            ("site", "address") => {
                "write the address of the site: `address = \"https://towpath.example/\"`"
            }
            ("site", _) => "write the blog's name: `title = \"…\"`",
            _ => "write `{ title = \"…\", link = \"…\" }`",
        },
    ));
    None
}

fn address(text: &str) -> Result<Address, Unfit> {
    Address::parse(text).ok_or_else(|| {
        not_absolute(
            text,
            "write scheme and host, and a path if there is one: `https://towpath.example/log/`"
                .into(),
        )
    })
}

/// The address of something elsewhere, with scheme and host.
fn elsewhere(text: &str, example: &str) -> Result<String, Unfit> {
    let address = text.split(['?', '#']).next().unwrap_or_default();
    match Address::parse(address) {
        Some(_) => Ok(text.to_owned()),
        None => Err(not_absolute(
            text,
            format!("write it with scheme and host: `{example}`").into(),
        )),
    }
}

/// Reads a list of addresses of files, each from the site's root or absolute.
fn files(
    table: &mut Table<'_>,
    key: &'static str,
    diagnostics: &mut Diagnostics,
) -> Vec<Spanned<String>> {
    let mut files = table.texts(key, diagnostics);
    files.retain(|file| match from_root(&file.node) {
        Ok(()) => true,
        Err(unfit) => {
            diagnostics.push(table.wrong(unfit, file.span));
            false
        }
    });
    files
}

/// Reads the entries of the navigation.
fn menu(table: &mut Table<'_>, diagnostics: &mut Diagnostics) -> Option<Vec<MenuEntry>> {
    let items = table.items("menu", "a list of names and links", diagnostics)?;
    let entries = items
        .iter()
        .filter_map(|item| menu_entry(item, table, diagnostics));
    Some(entries.collect())
}

fn menu_entry(
    item: &Spanned<Value>,
    table: &Table<'_>,
    diagnostics: &mut Diagnostics,
) -> Option<MenuEntry> {
    if let Value::Text(text) = &item.node {
        return Some(MenuEntry::Page(Spanned::new(text.clone(), item.span)));
    }
    let Value::Map(map) = &item.node else {
        let unfit = Unfit {
            code: Code::InvalidType,
            message: format!(
                "an entry of `site.menu` is text or a table, and this is {}",
                item.node.kind().article()
            ),
            help: "write the name of an archive, an address such as \"/about/\", or `{ title = \"…\", link = \"…\" }`".into(),
        };
        diagnostics.push(table.wrong(unfit, item.span));
        return None;
    };
    let mut table = Table::new(table.source(), "site.menu", item.span, map);
    let title = required(&mut table, "title", diagnostics, |text| Ok(text.to_owned()));
    let link = required(&mut table, "link", diagnostics, |text| {
        from_root(text).map(|()| text.to_owned())
    });
    table.finish(diagnostics);
    Some(MenuEntry::Link {
        title: title?,
        link: link?,
    })
}

/// Checks an address that is from the site's root or absolute.
fn from_root(text: &str) -> Result<(), Unfit> {
    match text.starts_with('/') && !text.starts_with("//") {
        true => Ok(()),
        false if text.contains(':') || text.starts_with("//") => {
            elsewhere(text, "https://files.example/extra.css").map(drop)
        }
        false => Err(Unfit {
            code: Code::InvalidAddress,
            message: format!("\"{text}\" is not an address from the site's root"),
            help: format!("put the file into assets/, and write \"/{text}\"").into(),
        }),
    }
}

/// Checks the address of an image; a script is refused.
fn image(text: &str) -> Result<String, Unfit> {
    match unsafe_scheme(text) {
        None => Ok(text.to_owned()),
        Some(scheme) => Err(Unfit {
            code: Code::InvalidAddress,
            message: format!("an address that begins with `{scheme}:` is not an image"),
            help: "write a file in assets/, such as \"/logo.png\"".into(),
        }),
    }
}

fn not_absolute(text: &str, help: Help) -> Unfit {
    Unfit {
        code: Code::InvalidAddress,
        message: format!("\"{text}\" is not an absolute address"),
        help,
    }
}

pub(super) fn language(text: &str) -> Result<String, Unfit> {
    match check_tag(text) {
        Ok(()) if Language::new(text).is_some() => Ok(text.to_owned()),
        checked => Err(Unfit {
            code: Code::InvalidValue,
            message: format!("\"{text}\" is not a language tag"),
            help: match checked {
                Err(Some(near)) => Help::instead(format!("did you mean \"{near}\"?"), near),
                _ => "write a tag by BCP 47, such as \"en\", \"de\" or \"pt-BR\"".into(),
            },
        }),
    }
}

fn time_zone(text: &str) -> Result<TimeZone, Unfit> {
    TimeZone::get(text).map_err(|_| {
        let known: Vec<_> = jiff::tz::db().available().collect();
        Unfit {
            code: Code::InvalidValue,
            message: format!("there is no time zone \"{text}\""),
            help: match nearest(text, known.iter().map(|name| name.as_str())) {
                Some(name) => Help::instead(format!("did you mean \"{name}\"?"), name),
                None => "write a name of the IANA list, such as \"Europe/London\"".into(),
            },
        }
    })
}

pub(super) fn date_style(table: &str, text: &str) -> Result<DateStyle, Unfit> {
    let unfit = |why: String| Unfit {
        code: Code::InvalidValue,
        message: format!("`{table}.date_format` cannot be \"{text}\"{why}"),
        help: "write \"long\", \"medium\", \"short\", or a pattern such as \"%-d %B %Y\"".into(),
    };
    match text {
        "long" => Ok(DateStyle::Long),
        "medium" => Ok(DateStyle::Medium),
        "short" => Ok(DateStyle::Short),
        pattern if pattern.contains('%') => match check_pattern(pattern) {
            Ok(()) => Ok(DateStyle::Pattern(pattern.to_owned())),
            Err(wrong) => Err(Unfit {
                help: wrong.help.into(),
                ..unfit(format!(": {}", wrong.why))
            }),
        },
        _ => Err(unfit(String::new())),
    }
}
