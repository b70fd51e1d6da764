//! Pages of the documentation that are made of the program's own tables and schemas.

use std::fmt::Write as _;
use std::fs;

use rstest::rstest;
use tabulae_core::post::{ENTRIES, EntryHolds};
use tabulae_core::query::fields::FIELDS;
use tabulae_core::settings::{Holds, KEYS, TABLES, WORDS};

use crate::docs::read;
use crate::site::{Site, repository};

/// The reference, made of the tables that the program itself reads.
fn reference() -> String {
    let mut text = String::from(
        "---\ncategory: Reference\ntags: [settings, front matter, queries]\nsummary: Every key, front matter key, field and word, made of the tables that the program reads\n---\n# Keys and fields\n\nThis page is made of the tables that the program reads: every key of `tabulae.toml`, every front\nmatter key, every derived field, every word of the theme. [Settings](settings.md) shows the keys at\nwork.\n\n## tabulae.toml\n",
    );
    let cell = |text: &str| text.replace('|', "\\|");
    for (table, about) in TABLES {
        if *table == "words" {
            continue;
        }
        let _ = write!(
            text,
            "\n### [{table}]\n\n{about}\n\n| key | holds | default | meaning |\n|---|---|---|---|\n"
        );
        for key in KEYS.iter().filter(|key| key.table == *table) {
            let default = match key.default {
                None => "must be there".to_owned(),
                Some("") => String::new(),
                Some(default) if is_value(default) => format!("`{default}`"),
                Some(default) => default.to_owned(),
            };
            let _ = writeln!(
                text,
                "| `{}` | {} | {} | {} |",
                key.name,
                holds(key.holds),
                cell(&default),
                cell(key.about)
            );
        }
    }
    text.push_str("\n## Front matter\n\n| key | holds | meaning |\n|---|---|---|\n");
    for entry in ENTRIES {
        let holds = match entry.holds {
            EntryHolds::Text => "text",
            EntryHolds::Date => "date",
            EntryHolds::Flag => "true or false",
            EntryHolds::Texts => "list of texts, or one text split at commas",
        };
        let _ = writeln!(
            text,
            "| `{}` | {holds} | {} |",
            entry.name,
            cell(entry.about)
        );
    }
    text.push_str("\n## Derived fields\n\n| field | kind | meaning |\n|---|---|---|\n");
    for field in FIELDS {
        let kind = field.kind.article();
        let _ = writeln!(
            text,
            "| `{}` | {kind} | {} |",
            field.name,
            cell(field.about)
        );
    }
    text.push_str("\n## [words]\n\n| word | English | where |\n|---|---|---|\n");
    for (name, word, shown_on) in WORDS {
        let _ = writeln!(text, "| `{name}` | {word} | {shown_on} |");
    }
    text
}

const JSON_HEAD: &str = "---
category: Reference
tags: [commands, diagnostics]
summary: What each command prints with --format json, and its JSON Schema
---
# JSON output

With `--format json` a command prints one object to standard output. A list has all its items; nothing is cut
as in the text for people. The exit code is that of the text. A command that fails prints at least `diagnostics`.

`tabulae query --format ndjson` prints the posts alone, one object a line.

This page is made of the JSON Schemas (draft 7) that `tabulae schema` prints. `[]` after a name is each item of the list or
object.
";

/// The page of what commands print as JSON, made of its schemas.
fn json_reference() -> String {
    let outputs = read("crates/cli/src/commands/outputs.json");
    let outputs: serde_json::Value = serde_json::from_str(&outputs).expect("JSON");
    let mut text = String::from(JSON_HEAD);
    for (name, schema) in outputs.as_object().expect("an object") {
        let head = match name.as_str() {
            "diagnostics" | "addresses" | "changes" => format!(
                "\n## `{name}`\n\n{}\n",
                schema["description"].as_str().unwrap_or_default()
            ),
            _ => {
                let command = match name.as_str() {
                    "rename" => "terms rename",
                    name => name.strip_prefix("effective-").unwrap_or(name),
                };
                format!("\n## tabulae {command}\n\nThe schema: `tabulae schema {name}`.\n")
            }
        };
        text += &head;
        text += "\n| member | holds | meaning |\n|---|---|---|\n";
        let inner = if schema["type"] == "array" {
            &schema["items"]
        } else {
            schema
        };
        json_members(inner, "", &mut text);
    }
    text
}

/// Adds a row for each member of an object, and below it those of the objects in it.
fn json_members(schema: &serde_json::Value, within: &str, text: &mut String) {
    for (name, member) in schema["properties"].as_object().into_iter().flatten() {
        if let Some(shared) = member["$ref"].as_str() {
            let name = shared.rsplit('/').next().unwrap_or_default();
            let link = match shared.contains("/addresses/") {
                true => "as in [`addresses`](#addresses)".to_owned(),
                false => format!("see [`{name}`](#{name})"),
            };
            let _ = writeln!(text, "| `{within}{name}` | | {link} |");
            continue;
        }
        let about = member["description"].as_str().unwrap_or_default();
        let _ = writeln!(
            text,
            "| `{within}{name}` | {} | {about} |",
            json_type(member)
        );
        json_members(member, &format!("{within}{name}."), text);
        for inner in [
            &member["items"],
            &member["additionalProperties"],
            &member["additionalProperties"]["items"],
        ] {
            json_members(inner, &format!("{within}{name}[]."), text);
        }
    }
}

/// The type of a member in words.
fn json_type(schema: &serde_json::Value) -> String {
    if let Some(words) = schema["enum"].as_array() {
        let words = words.iter().map(|word| format!("`{word}`"));
        return words.collect::<Vec<_>>().join(", ");
    }
    let one = |name: &str| match name {
        "array" => format!("list of {}", plural(&schema["items"])),
        "object" if schema["properties"].is_null() => {
            format!("object of {}", plural(&schema["additionalProperties"]))
        }
        "string" => "text".to_owned(),
        "boolean" => "true or false".to_owned(),
        "integer" => "whole number".to_owned(),
        name => name.to_owned(),
    };
    match &schema["type"] {
        serde_json::Value::Array(types) => {
            let types = types.iter().filter_map(|name| name.as_str()).map(one);
            types.collect::<Vec<_>>().join(" or ")
        }
        name => one(name.as_str().unwrap_or_default()),
    }
}

fn plural(schema: &serde_json::Value) -> String {
    match schema["type"].as_str() {
        Some("string") => "texts".to_owned(),
        Some("integer" | "number") => "numbers".to_owned(),
        Some("array") => format!("lists of {}", plural(&schema["items"])),
        _ => "objects".to_owned(),
    }
}

const COMMAND_LINE_HEAD: &str = "---
category: Reference
tags: [commands]
summary: Every command with its arguments, options and examples
---
# Command line

This page is what `tabulae --help` and `tabulae COMMAND --help` print. The options of every command are listed once, at the
end. [Commands](commands.md) shows what some of them print, [JSON output](json-output.md) what all print for programs.
";

/// The page of commands and options, made of the program's help.
fn command_line() -> String {
    let site = Site::empty();
    let help = |words: &[&str]| site.run(words).sound().out.clone();
    let program = help(&["--help"]);
    let (_, commands) = program
        .split_once("Commands:\n")
        .expect("a list of commands");
    let (commands, _) = commands.split_once("\n\n").expect("an end of the list");
    // A line that goes on is indented further.
    let names = commands
        .lines()
        .filter(|line| !line.starts_with("   "))
        .filter_map(|line| line.split_whitespace().next())
        .filter(|name| *name != "help");
    let mut text = String::from(COMMAND_LINE_HEAD);
    for name in names {
        let of_command = help(&[name, "--help"]);
        let (own, shared) = of_command
            .split_once("Options of every command:\n")
            .expect("options of every command");
        let _ = write!(text, "\n## tabulae {name}\n\n```\n{}\n```\n", own.trim());
        if let Some((_, examples)) = shared.split_once("\nExamples:\n") {
            let _ = write!(text, "\n```\nExamples:\n{}\n```\n", examples.trim_end());
        }
    }
    assert_eq!(
        text.matches("--color").count(),
        0,
        "no shared option is repeated"
    );
    let (_, shared) = program
        .split_once("Options of every command:\n")
        .expect("options of every command");
    let (shared, _) = shared.split_once("\n\n").expect("an end of the options");
    let _ = write!(
        text,
        "\n## Options of every command\n\n```\n{}\n```\n",
        shared.trim_end()
    );
    text
}

/// Returns true if a default is a TOML value, and no sentence.
fn is_value(default: &str) -> bool {
    default.starts_with('{') || serde_json::from_str::<serde_json::Value>(default).is_ok()
}

fn holds(holds: Holds) -> String {
    let words = |words: &[&str]| {
        let words: Vec<String> = words.iter().map(|word| format!("`\"{word}\"`")).collect();
        words.join(", ")
    };
    match holds {
        Holds::Text => "text".to_owned(),
        Holds::Flag => "true or false".to_owned(),
        Holds::Count => "number of at least 1".to_owned(),
        Holds::Weight => "number of at least 0".to_owned(),
        Holds::Query => "query".to_owned(),
        Holds::Pattern => "link, with variables".to_owned(),
        Holds::Link => "link".to_owned(),
        Holds::LinkOrFalse => "link, or false".to_owned(),
        Holds::TextOrFalse => "text, or false".to_owned(),
        Holds::FlagOr(known) => format!("true, false or {}", words(known)),
        Holds::Address => "absolute address".to_owned(),
        Holds::Word(known) => words(known),
        Holds::Texts => "list of texts".to_owned(),
        Holds::Words(known) => format!("list of {}", words(known)),
        Holds::Codes => "list of [codes](diagnostics.md)".to_owned(),
        Holds::Table => "table".to_owned(),
        Holds::TableOrFalse => "table, or false".to_owned(),
        Holds::Menu => "list of names, addresses, and tables with `title` and `link`".to_owned(),
        Holds::Show => "`\"cards\"`, `\"lines\"`, or the name of a part".to_owned(),
    }
}

/// With `TABULAE_WRITE_REFERENCE` set the page is written, to be looked at.
#[rstest]
#[case::keys("keys.md", &reference())]
#[case::json("json-output.md", &json_reference())]
#[case::command_line("command-line.md", &command_line())]
fn generated_pages_are_up_to_date(#[case] page: &str, #[case] expected: &str) {
    let path = format!("docs/site/guides/reference/{page}");
    let file = repository().join(&path);
    if std::env::var_os("TABULAE_WRITE_REFERENCE").is_some() {
        fs::write(&file, expected).expect("written");
    }
    assert!(read(&path) == expected, "{path} is not up to date");
}
