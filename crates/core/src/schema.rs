//! JSON Schemas (draft-07, which editors read) of `tabulae.toml` and of front matter, made of the
//! tables of their keys.

use serde_json::{Map, Value, json};

use crate::diagnostic::Code;
use crate::lint_levels::ALL;
use crate::post::{ENTRIES, EntryHolds};
use crate::settings::{Holds, KEYS, Key, RENAMABLE, SHOWS, TABLES, WORDS};

const DRAFT: &str = "http://json-schema.org/draft-07/schema#";

/// The schema of `tabulae.toml`. Keys that are not known are refused, as a build refuses them.
#[must_use]
pub fn settings() -> Value {
    let tops = [
        "site", "locale", "content", "queries", "archive", "feed", "export", "related", "code",
        "terms", "audit", "words",
    ];
    let properties = tops.map(|top| (top.to_owned(), top_level(top)));
    json!({
        "$schema": DRAFT,
        "title": "tabulae.toml",
        "description": "The settings of a site built by Tabulae",
        "type": "object",
        "properties": properties.into_iter().collect::<Map<_, _>>(),
        "additionalProperties": false,
        "required": ["site"],
    })
}

/// The schema of a post's front matter. Any further entry is the writer's own.
#[must_use]
pub fn front_matter() -> Value {
    let properties = ENTRIES.iter().map(|entry| {
        let mut schema = match entry.holds {
            EntryHolds::Text => json!({ "type": ["string", "number", "boolean", "null"] }),
            EntryHolds::Date => json!({
                "type": ["string", "null"],
                "pattern": r"^\d{4}-\d{2}-\d{2}([Tt ]\d{2}:\d{2}(:\d{2}([.,]\d+)?)? ?([Zz]|[+-]\d{2}:?\d{2})?)?$",
            }),
            EntryHolds::Flag => json!({ "type": ["boolean", "null"] }),
            EntryHolds::Texts => json!({
                "type": ["string", "number", "boolean", "array", "null"],
                "items": { "type": ["string", "number", "boolean", "null"] },
            }),
        };
        schema["description"] = entry.about.into();
        (entry.name.to_owned(), schema)
    });
    json!({
        "$schema": DRAFT,
        "title": "front matter",
        "description": "What a post says of itself before its text",
        "type": "object",
        "properties": properties.collect::<Map<_, _>>(),
        "additionalProperties": true,
    })
}

/// A table, or the tables whose names the writer chooses.
fn top_level(name: &str) -> Value {
    if name == "words" {
        let words = WORDS.iter().map(|(name, word, about)| {
            let schema = json!({ "type": "string", "default": word, "description": about });
            ((*name).to_owned(), schema)
        });
        let words: Map<String, Value> = words.collect();
        let mut schema = object(words.clone(), name, &[]);
        schema["additionalProperties"] = json!({
            "type": "object",
            "description": "The words of another language of the blog, by its tag",
            "properties": words,
            "additionalProperties": false,
        });
        return schema;
    }
    let named = TABLES.iter().find(|(table, _)| {
        let below = table
            .strip_prefix(name)
            .and_then(|below| below.strip_prefix('.'));
        matches!(below, Some("NAME" | "FIELD" | "TAG"))
    });
    match named {
        Some((table, about)) => json!({
            "type": "object",
            "description": about,
            "additionalProperties": table_schema(table),
        }),
        None => table_schema(name),
    }
}

fn table_schema(table: &str) -> Value {
    let keys: Vec<&Key> = KEYS.iter().filter(|key| key.table == table).collect();
    if let [Key { name: "NAME", .. }] = keys[..] {
        let mut schema = json!({
            "type": "object",
            "description": about(table),
            "additionalProperties": value(keys[0]),
        });
        if table == "content.NAME.fields" {
            schema["propertyNames"] = json!({ "anyOf": [
                { "enum": RENAMABLE },
                { "description": "a field of the site's own", "pattern": "." },
            ] });
        }
        return schema;
    }
    let properties = keys.iter().map(|key| (key.name.to_owned(), value(key)));
    let required = keys.iter().filter(|key| key.default.is_none());
    let required: Vec<&str> = required.map(|key| key.name).collect();
    object(properties.collect(), table, &required)
}

fn object(properties: Map<String, Value>, table: &str, required: &[&str]) -> Value {
    let mut schema = json!({
        "type": "object",
        "description": about(table),
        "properties": properties,
        "additionalProperties": false,
    });
    if !required.is_empty() {
        schema["required"] = json!(required);
    }
    schema
}

fn about(table: &str) -> &'static str {
    let found = TABLES.iter().find(|(name, _)| *name == table);
    found.map_or("", |(_, about)| about)
}

fn value(key: &Key) -> Value {
    let one_or_more = |one: Value| json!({ "anyOf": [one, { "type": "array", "items": one }] });
    let mut schema = match key.holds {
        Holds::Text | Holds::Query => json!({ "type": "string" }),
        Holds::Flag => json!({ "type": "boolean" }),
        Holds::FlagOr(words) => json!({ "anyOf": [{ "type": "boolean" }, { "enum": words }] }),
        Holds::TextOrFalse => json!({ "anyOf": [{ "type": "string" }, { "const": false }] }),
        Holds::LinkOrFalse => {
            json!({ "anyOf": [{ "type": "string", "pattern": "^/" }, { "const": false }] })
        }
        Holds::Count => json!({ "type": "integer", "minimum": 1 }),
        Holds::Weight => json!({ "type": "number", "minimum": 0 }),
        Holds::Pattern | Holds::Link => json!({ "type": "string", "pattern": "^/" }),
        Holds::Address => json!({ "type": "string", "pattern": "^https?://[^/:@]" }),
        Holds::Word(words) => json!({ "type": "string", "enum": words }),
        Holds::Show => json!({ "anyOf": [
            { "type": "string", "enum": SHOWS },
            { "type": "string", "pattern": r"\.html$" },
        ] }),
        Holds::Texts => one_or_more(json!({ "type": "string" })),
        Holds::Words(words) => one_or_more(json!({ "type": "string", "enum": words })),
        Holds::Codes => {
            let all = (key.name == "deny").then_some(ALL);
            let codes = all
                .into_iter()
                .chain(Code::ALL.iter().map(|code| code.name()));
            one_or_more(json!({ "type": "string", "enum": codes.collect::<Vec<_>>() }))
        }
        Holds::Menu => json!({ "type": "array", "items": { "anyOf": [
            { "type": "string" },
            {
                "type": "object",
                "properties": { "title": { "type": "string" }, "link": { "type": "string" } },
                "required": ["title", "link"],
                "additionalProperties": false,
            },
        ] } }),
        Holds::Table => table_schema(&format!("{}.{}", key.table, key.name)),
        Holds::TableOrFalse => {
            let table = table_schema(&format!("{}.{}", key.table, key.name));
            json!({ "anyOf": [table, { "const": false }] })
        }
    };
    schema["description"] = key.about.into();
    if let Some(default) = key.default.filter(|default| !default.is_empty()) {
        // What is no value is a sentence on it.
        match serde_json::from_str::<Value>(default) {
            Ok(default) => schema["default"] = default,
            Err(_) => schema["description"] = format!("{} Default: {default}.", key.about).into(),
        }
    }
    schema
}
