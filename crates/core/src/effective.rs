//! The effective settings of a site: each key with its value and where it comes from.

use std::collections::BTreeSet;
use std::fmt::Write as _;

use jiff::tz::TimeZone;
use serde_json::{Map as Object, Value as Json, json};

use crate::diagnostic::Diagnostics;
use crate::front_matter::parse_toml;
use crate::settings::{Archive, ContentSet, Export, Feed, KEYS, Locale, Settings};
use crate::source::Span;
use crate::value::{Map, Value};

/// A table of the effective settings.
#[derive(Debug, Clone, PartialEq)]
pub struct EffectiveTable {
    /// The steps of its name: `archive`, `tags`.
    pub name: Vec<String>,
    /// The keys that have a value, in the order of the reference, then those whose names the writer chose.
    pub keys: Vec<EffectiveKey>,
}

/// A key of the effective settings.
#[derive(Debug, Clone, PartialEq)]
pub struct EffectiveKey {
    /// The key.
    pub name: String,
    /// The value.
    pub value: Json,
    /// The origin of the value.
    pub from: Origin,
}

/// The origin of a value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Origin {
    /// A place of the settings, as `tabulae.toml:3:9`.
    Written(String),
    /// The built-in archive, feed or content set.
    BuiltIn,
    /// The default of the key.
    Default,
}

impl Origin {
    /// Returns the origin in words.
    #[must_use]
    pub fn shown(&self) -> &str {
        match self {
            Self::Written(location) => location,
            Self::BuiltIn => "built in",
            Self::Default => "default",
        }
    }
}

/// Returns the effective settings, table by table. Keys without a value are left out.
#[must_use]
pub fn effective(settings: &Settings) -> Vec<EffectiveTable> {
    let whole = Span::new(0, settings.source.text().len());
    let written = parse_toml(
        &settings.source,
        whole,
        &TimeZone::UTC,
        &mut Diagnostics::new(),
    );
    let reader = Reader { settings, written };
    let mut tables = vec![reader.table(&["site"], "site", |_| None, Origin::Default)];
    for (_, locale) in settings.locales.iter().skip(1) {
        let value = |key: &str| of_locale(locale, key);
        let name = ["locale", &locale.tag];
        tables.push(reader.table(&name, "locale.TAG", value, Origin::Default));
    }
    for set in &settings.content {
        let origin = match set.is_implicit {
            true => Origin::BuiltIn,
            false => Origin::Default,
        };
        let value = |key: &str| of_set(set, key);
        tables.push(reader.table(&["content", &set.name], "content.NAME", value, origin));
    }
    tables.push(reader.table(&["queries"], "queries", |_| None, Origin::Default));
    for archive in once_each(&settings.archives, |archive| &archive.name) {
        let value = |key: &str| of_archive(archive, key);
        let origin = built_in_or_default(archive.inherited.query || archive.inherited.link);
        tables.push(reader.table(&["archive", &archive.name], "archive.NAME", value, origin));
    }
    for feed in once_each(&settings.feeds, |feed| &feed.name) {
        let value = |key: &str| of_feed(feed, key);
        let origin = built_in_or_default(feed.inherited.link);
        tables.push(reader.table(&["feed", &feed.name], "feed.NAME", value, origin));
    }
    for export in &settings.exports {
        let value = |key: &str| of_export(export, key);
        let name = ["export", &export.name];
        tables.push(reader.table(&name, "export.NAME", value, Origin::Default));
    }
    for (table, pattern) in [("archive", "archive.NAME"), ("feed", "feed.NAME")] {
        tables.extend(reader.turned_off(table, pattern));
    }
    for table in ["related", "code", "audit", "words"] {
        if reader.map(&[table]).is_some() {
            tables.push(reader.table(&[table], table, |_| None, Origin::Default));
        }
    }
    for name in reader.names("terms") {
        tables.push(reader.table(&["terms", &name], "terms.FIELD", |_| None, Origin::Default));
    }
    tables.retain(|table| !table.keys.is_empty());
    tables
}

fn built_in_or_default(is_built_in: bool) -> Origin {
    if is_built_in {
        Origin::BuiltIn
    } else {
        Origin::Default
    }
}

/// Returns archives or feeds without those of further languages.
fn once_each<T>(all: &[T], name: impl Fn(&T) -> &str) -> Vec<&T> {
    let mut known = BTreeSet::new();
    let first = all.iter().filter(|one| known.insert(name(one).to_owned()));
    first.collect()
}

fn of_locale(locale: &Locale, key: &str) -> Option<Json> {
    match key {
        "title" => Some(json!(locale.title)),
        "description" => locale.description.as_ref().map(|text| json!(text)),
        "prefix" => Some(json!(locale.below("/"))),
        _ => None,
    }
}

/// The values that no key's own default tells.
fn of_set(set: &ContentSet, key: &str) -> Option<Json> {
    match key {
        "folder" => Some(json!(set.folder)),
        "link" => Some(json!(set.link.text())),
        _ => None,
    }
}

fn of_archive(archive: &Archive, key: &str) -> Option<Json> {
    let text = |text: Option<&str>| text.map(Json::from);
    match key {
        "query" => text(archive.query.as_ref().map(|query| query.text())),
        "by" => text(archive.by.as_ref().map(|by| by.node.as_str())),
        "link" => text(Some(archive.link.text())),
        "overview" => text(archive.overview.as_ref().map(|link| link.node.as_str())),
        "group" => text(archive.group.as_ref().map(|group| group.node.as_str())),
        "show" => text(Some(archive.show.name())),
        _ => None,
    }
}

fn of_export(export: &Export, key: &str) -> Option<Json> {
    match key {
        "link" => Some(json!(export.link)),
        "format" => Some(json!(export.format.name())),
        _ => None,
    }
}

fn of_feed(feed: &Feed, key: &str) -> Option<Json> {
    match key {
        "query" => feed.query.as_ref().map(|query| json!(query.text())),
        "link" => Some(json!(feed.link)),
        "title" => feed.title.as_ref().map(|title| json!(title)),
        _ => None,
    }
}

struct Reader<'a> {
    settings: &'a Settings,
    /// The settings as written.
    written: Map,
}

impl Reader<'_> {
    /// Returns a table as written.
    fn map(&self, name: &[&str]) -> Option<&Map> {
        name.iter().try_fold(&self.written, |map, step| {
            match &map.get(step)?.value.node {
                Value::Map(map) => Some(map),
                _ => None,
            }
        })
    }

    fn names(&self, table: &str) -> Vec<String> {
        let map = self.map(&[table]);
        let entries = map.into_iter().flat_map(|map| &map.entries);
        entries.map(|entry| entry.key.node.clone()).collect()
    }

    /// Returns a table: what is written, else what `value` has, which comes from `origin`, else the default of
    /// the key.
    fn table(
        &self,
        name: &[&str],
        pattern: &str,
        value: impl Fn(&str) -> Option<Json>,
        origin: Origin,
    ) -> EffectiveTable {
        let written = self.map(name);
        let mut keys = Vec::new();
        let known = KEYS.iter().filter(|key| key.table == pattern);
        for key in known.filter(|key| key.name != "NAME") {
            let found = written.and_then(|map| map.get(key.name));
            let found = match (found, value(key.name)) {
                (Some(entry), _) => Some((entry.value.node.json(), self.location(entry.key.span))),
                (None, Some(value)) => Some((value, origin.clone())),
                (None, None) => {
                    let default = serde_json::from_str(key.default.unwrap_or_default());
                    default.ok().map(|default| (default, Origin::Default))
                }
            };
            keys.extend(found.map(|(value, from)| EffectiveKey {
                name: key.name.to_owned(),
                value,
                from,
            }));
        }
        let is_new = |name: &str| !keys.iter().any(|key| key.name == name);
        let own = written.into_iter().flat_map(|map| &map.entries);
        let own = own.filter(|entry| is_new(&entry.key.node));
        let own: Vec<EffectiveKey> = own
            .map(|entry| EffectiveKey {
                name: entry.key.node.clone(),
                value: entry.value.node.json(),
                from: self.location(entry.key.span),
            })
            .collect();
        keys.extend(own);
        EffectiveTable {
            name: name.iter().map(|step| (*step).to_owned()).collect(),
            keys,
        }
    }

    /// Returns the archives or feeds that are turned off, as written.
    fn turned_off(&self, table: &str, pattern: &str) -> Vec<EffectiveTable> {
        let settings = self.settings;
        let archives = settings.archives.iter().map(|archive| &archive.name);
        let feeds = settings.feeds.iter().map(|feed| &feed.name);
        let known: Vec<&String> = match table {
            "archive" => archives.collect(),
            _ => feeds.collect(),
        };
        let names = self.names(table).into_iter();
        let off = names.filter(|name| !known.contains(&name));
        off.map(|name| {
            let mut table = self.table(&[table, &name], pattern, |_| None, Origin::Default);
            table.keys.retain(|key| key.from != Origin::Default);
            table
        })
        .collect()
    }

    fn location(&self, span: Span) -> Origin {
        let location = self.settings.source.location(span);
        let file = location.file.as_deref().unwrap_or_default();
        Origin::Written(format!("{file}:{}:{}", location.line, location.column))
    }
}

/// Returns the effective settings as TOML (1.0), each key with its origin in a comment.
#[must_use]
pub fn as_toml(tables: &[EffectiveTable], yields: &[String]) -> String {
    let mut text = String::new();
    for sentence in yields {
        let _ = writeln!(text, "# {sentence}");
    }
    for table in tables {
        if !text.is_empty() {
            text.push('\n');
        }
        let name: Vec<String> = table.name.iter().map(|step| toml_key(step)).collect();
        let _ = writeln!(text, "[{}]", name.join("."));
        let lines = table.keys.iter();
        let lines =
            lines.map(|key| format!("{} = {}", toml_key(&key.name), toml_value(&key.value)));
        let lines: Vec<String> = lines.collect();
        let widest = lines.iter().map(|line| line.chars().count()).max();
        let column = widest.unwrap_or_default().min(WIDEST);
        for (line, key) in lines.iter().zip(&table.keys) {
            let _ = writeln!(text, "{line:<column$}  # {}", key.from.shown());
        }
    }
    text
}

/// The maximum column of comments, in characters.
const WIDEST: usize = 60;

/// Returns the effective settings as one object: tables by name, each key with its value and origin.
#[must_use]
pub fn as_object(tables: &[EffectiveTable], yields: &[String]) -> Json {
    let mut object = json!({});
    for table in tables {
        let keys = table.keys.iter().map(|key| {
            let value = json!({ "value": key.value, "from": key.from.shown() });
            (key.name.clone(), value)
        });
        let keys: Object<_, _> = keys.collect();
        let inner = table
            .name
            .iter()
            .fold(&mut object, |inner, step| &mut inner[step]);
        *inner = Json::Object(keys);
    }
    json!({ "settings": object, "yields": yields })
}

fn toml_key(name: &str) -> String {
    let is_bare = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_');
    match !name.is_empty() && name.chars().all(is_bare) {
        true => name.to_owned(),
        false => toml_value(&json!(name)),
    }
}

fn toml_value(value: &Json) -> String {
    match value {
        Json::Array(items) => {
            let items: Vec<String> = items.iter().map(toml_value).collect();
            format!("[{}]", items.join(", "))
        }
        Json::Object(entries) => {
            let entries = entries.iter();
            let entries =
                entries.map(|(key, value)| format!("{} = {}", toml_key(key), toml_value(value)));
            let entries: Vec<String> = entries.collect();
            format!("{{ {} }}", entries.join(", "))
        }
        // A text in JSON is a basic string of TOML, but for one character that TOML wants escaped.
        other => other.to_string().replace('\u{7f}', "\\u007F"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::Source;
    use crate::yields::Claims;
    use rstest::rstest;

    const SITE: &str = "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n";

    fn settings(text: &str) -> Settings {
        let read = Settings::read(&Source::new("tabulae.toml", text));
        assert_eq!(read.diagnostics, [], "{text}");
        let mut settings = read.output;
        settings.settle(&Claims::new());
        settings
    }

    fn key(settings: &Settings, table: &str, name: &str) -> Option<String> {
        let tables = effective(settings);
        let table = tables.iter().find(|known| known.name.join(".") == table)?;
        let key = table.keys.iter().find(|key| key.name == name)?;
        Some(format!("{} # {}", toml_value(&key.value), key.from.shown()))
    }

    #[rstest]
    #[case::written("site", "title", Some("\"T\" # tabulae.toml:2:1"))]
    #[case::default("site", "language", Some("\"en\" # default"))]
    #[case::no_value("site", "hub", None)]
    #[case::table(
        "site",
        "author",
        Some("{ name = \"A \\\"B\\\"\" } # tabulae.toml:4:1")
    )]
    #[case::a_built_in_set("content.posts", "folder", Some("\"posts\" # built in"))]
    #[case::a_key_of_an_archive("archive.tags", "per_page", Some("3 # tabulae.toml:6:1"))]
    #[case::inherited("archive.tags", "link", Some("\"/tags/{tag}/\" # built in"))]
    #[case::turned_off_key("archive.tags", "overview", Some("false # tabulae.toml:7:1"))]
    #[case::a_default_link("archive.x", "link", Some("\"/x/\" # default"))]
    #[case::turned_off("archive.years", "enabled", Some("false # tabulae.toml:9:1"))]
    #[case::turned_off_no_more("archive.years", "link", None)]
    #[case::list("archive.x", "feeds", Some("[\"atom\", \"rss\"] # tabulae.toml:11:1"))]
    #[case::built_in_feed("feed.atom", "link", Some("\"/atom.xml\" # built in"))]
    #[case::its_title("feed.atom", "title", Some("\"T\" # built in"))]
    fn each_key_has_its_value_and_origin(
        #[case] table: &str,
        #[case] name: &str,
        #[case] expected: Option<&str>,
    ) {
        let text = format!(
            "{SITE}author = {{ name = \"A \\\"B\\\"\" }}\n[archive.tags]\nper_page = 3\noverview = false\n[archive.years]\nenabled = false\n[archive.x]\nfeeds = [\"atom\", \"rss\"]\n"
        );
        assert_eq!(key(&settings(&text), table, name).as_deref(), expected);
    }

    /// The printed settings, read again, are the same.
    #[rstest]
    #[case::nothing("")]
    #[case::many(
        "[content.pots]\ndated = false\nterms = [\"class\"]\n[content.pots.fields]\ndate = [\"on\"]\n[queries]\n\"my query\" = \"from pots where title = 'x'\"\n[archive.\"a b\"]\nlink = \"/ab/\"\n[archive.years]\nenabled = false\n[related]\nweigh = { tag = 1.5 }\n[terms.tag]\nnested = true\n[audit]\ndeny = [\"all\"]\n[words]\nolder = \"Älter\"\n[feed.atom]\ncontent = \"full\"\n"
    )]
    fn what_is_printed_can_be_copied(#[case] text: &str) {
        let settings_as_written = settings(&format!("{SITE}{text}"));
        let printed = as_toml(&effective(&settings_as_written), &[]);
        let values = |settings: &Settings| {
            let keys = effective(settings).into_iter().flat_map(|table| {
                let name = table.name.join(".");
                let keys = table.keys.into_iter();
                keys.map(move |key| format!("{name}.{} = {}", key.name, key.value))
            });
            keys.collect::<Vec<_>>()
        };
        let copied = settings(&printed);
        let (mut before, mut after) = (values(&settings_as_written), values(&copied));
        before.sort();
        after.sort();
        assert_eq!(before, after, "{printed}");
    }
}
