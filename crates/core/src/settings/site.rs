//! Reading `[site]`.

use jiff::tz::TimeZone;

use super::reader::Table;
use super::{Address, Author, Site};
use crate::diagnostic::{Code, Diagnostic, Faults};
use crate::language::{DateStyle, Language, check_pattern};
use crate::source::{Span, Spanned};

pub(super) fn read(root: &mut Table<'_>, faults: &mut Faults) -> Site {
    let mut absent = None;
    let mut table = root.table("site", faults);
    if table.is_none() && root.entry("site").is_none() {
        absent = Some(
            Diagnostic::error(
                Code::KeyMissing,
                root.source().top(),
                "there is no table [site]",
            )
            .help("write `[site]`, and below it `title = \"…\"` and `address = \"https://…\"`"),
        );
    }
    let missing = |key: &str, table: &Table<'_>| {
        Diagnostic::error(
            Code::KeyMissing,
            table
                .source()
                .place(Span::new(table.span().start, table.span().start + 1)),
            format!("[site] has no `{key}`"),
        )
        .help(match key {
            "address" => {
                "write where the site will stand: `address = \"https://towpath.example/\"`"
            }
            _ => "write the blog's name: `title = \"…\"`",
        })
    };
    let mut site = Site {
        title: String::new(),
        address: Address {
            origin: "https://site.invalid".to_owned(),
            path: String::new(),
        },
        language: "en".to_owned(),
        timezone: TimeZone::UTC,
        about: None,
        author: None,
        image: None,
        rights: None,
        hub: None,
        search: false,
        dates: DateStyle::Long,
    };
    faults.extend(absent);
    let Some(table) = &mut table else {
        return site;
    };
    match table.text("title", faults) {
        Some(title) => site.title = title.node,
        None if table.entry("title").is_none() => faults.push(missing("title", table)),
        None => {}
    }
    match table.text("address", faults) {
        Some(text) => match Address::parse(&text.node) {
            Some(address) => site.address = address,
            None => faults.push(
                Diagnostic::error(
                    Code::AddressUnreadable,
                    table.source().place(text.span),
                    format!("\"{}\" is not an absolute address", text.node),
                )
                .help("write scheme and host, and a path if there is one: `https://towpath.example/log/`"),
            ),
        },
        None if table.entry("address").is_none() => faults.push(missing("address", table)),
        None => {}
    }
    if let Some(text) = table.text("language", faults) {
        match Language::new(&text.node) {
            Some(_) => site.language = text.node,
            None => faults.push(
                Diagnostic::error(
                    Code::ValueUnfit,
                    table.source().place(text.span),
                    format!("\"{}\" is not a language tag", text.node),
                )
                .help("write a tag by BCP 47, such as \"en\", \"de\" or \"pt-BR\""),
            ),
        }
    }
    if let Some(text) = table.text("timezone", faults) {
        match TimeZone::get(&text.node) {
            Ok(zone) => site.timezone = zone,
            Err(_) => {
                let known: Vec<String> = jiff::tz::db()
                    .available()
                    .map(|name| name.as_str().to_owned())
                    .collect();
                let fault = Diagnostic::error(
                    Code::ValueUnfit,
                    table.source().place(text.span),
                    format!("there is no time zone \"{}\"", text.node),
                );
                faults.push(
                    match crate::diagnostic::nearest(&text.node, known.iter().map(String::as_str)) {
                        Some(name) => fault.help(format!("did you mean \"{name}\"?")),
                        None => {
                            fault.help("write a name of the IANA list, such as \"Europe/London\"")
                        }
                    },
                );
            }
        }
    }
    site.about = table.text("about", faults).map(|text| text.node);
    site.image = table.text("image", faults).map(|text| text.node);
    site.rights = table.text("rights", faults).map(|text| text.node);
    site.hub = table
        .text("hub", faults)
        .and_then(|text| absolute(table, text, "https://hub.example/", faults));
    site.search = table.flag("search", false, faults);
    if let Some(text) = table.text("dates", faults) {
        site.dates =
            date_style(&text.node).unwrap_or_else(|why| {
                let place = table.source().place(text.span);
                let message = format!("`site.dates` cannot be \"{}\"{why}", text.node);
                faults.push(Diagnostic::error(Code::ValueUnfit, place, message).help(
                    "write \"long\", \"medium\", \"short\", or a pattern such as \"%-d %B %Y\"",
                ));
                DateStyle::Long
            });
    }
    if let Some(mut author) = table.table("author", faults) {
        site.author = Some(Author {
            name: author.text("name", faults).map(|text| text.node),
            email: author.text("email", faults).map(|text| text.node),
            link: author.text("link", faults).and_then(|text| {
                if text.node.starts_with('/') {
                    return Some(text.node);
                }
                absolute(&author, text, "https://towpath.example/about/", faults)
            }),
        });
        author.finish(faults);
    }
    let table = std::mem::replace(table, Table::new(root.source(), "", Span::default(), EMPTY));
    table.finish(faults);
    site
}

/// The address of something elsewhere, with scheme and host.
fn absolute(
    table: &Table<'_>,
    text: Spanned<String>,
    example: &str,
    faults: &mut Faults,
) -> Option<String> {
    if Address::parse(text.node.split(['?', '#']).next().unwrap_or_default()).is_some() {
        return Some(text.node);
    }
    faults.push(
        Diagnostic::error(
            Code::AddressUnreadable,
            table.source().place(text.span),
            format!("\"{}\" is not an absolute address", text.node),
        )
        .help(format!("write it with scheme and host: `{example}`")),
    );
    None
}

const EMPTY: &crate::value::Map = &crate::value::Map {
    entries: Vec::new(),
};

/// How dates are written; the rest of a sentence on why not, where that is known.
fn date_style(text: &str) -> Result<DateStyle, String> {
    match text {
        "long" => Ok(DateStyle::Long),
        "medium" => Ok(DateStyle::Medium),
        "short" => Ok(DateStyle::Short),
        pattern if pattern.contains('%') => match check_pattern(pattern) {
            Ok(()) => Ok(DateStyle::Pattern(pattern.to_owned())),
            Err(why) => Err(format!(": {why}")),
        },
        _ => Err(String::new()),
    }
}
