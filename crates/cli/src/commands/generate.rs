//! Output about the program itself: `tabulae schema`, `completions`, `manual`.

use std::io::{self, Write as _};

use clap::{CommandFactory, ValueEnum};
use clap_complete::Shell;
use clap_complete::env::Shells;
use clap_mangen::Man;
use serde_json::{Map, Value, json};
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::schema;
use tabulae_core::source::Source;

use crate::args::{Args, SchemaOf, SchemaTarget};
use crate::ui::{self, Status};

const NAME: &str = "tabulae";

pub(super) fn schema(args: &Args, of: &SchemaTarget) -> Status {
    let schema = match of {
        SchemaTarget::Known(SchemaOf::Settings) => schema::settings(),
        SchemaTarget::Known(SchemaOf::FrontMatter) => schema::front_matter(),
        SchemaTarget::Known(of) => output_schema(*of),
        SchemaTarget::Export(name) => match args.workspace().export_schema(name) {
            Ok(schema) => schema,
            Err(error) => return ui::failed(args, error.diagnostics()),
        },
    };
    let text = serde_json::to_string_pretty(&schema).unwrap_or_default();
    ui::print(&format!("{text}\n"))
}

/// Returns the JSON Schema (draft 7) of what a command prints with `--format json`.
fn output_schema(of: SchemaOf) -> Value {
    let outputs: Map<String, Value> =
        serde_json::from_str(include_str!("outputs.json")).expect("an object of schemas");
    let name = of.to_possible_value().expect("a value that can be typed");
    let mut schema = outputs[name.get_name()].clone();
    let command = name.get_help().map(ToString::to_string);
    schema["title"] = json!(format!("tabulae {}", command.unwrap_or_default()));
    schema["$schema"] = json!("http://json-schema.org/draft-07/schema#");
    schema["definitions"] = ["diagnostics", "addresses", "changes"]
        .into_iter()
        .map(|shared| (shared.to_owned(), outputs[shared].clone()))
        .collect();
    schema
}

pub(super) fn completions(shell: Shell) -> Status {
    let shells = Shells::builtins();
    let mut script = Vec::new();
    let completer = shells.completer(&shell.to_string());
    match completer.map(|shell| shell.write_registration("COMPLETE", NAME, NAME, NAME, &mut script))
    {
        Some(Ok(())) => ui::print(&String::from_utf8_lossy(&script)),
        _ => Status::Machine,
    }
}

pub(super) fn manual(of: Option<&str>) -> Status {
    let mut command = Args::command().name(NAME);
    command.build();
    let page = match of {
        None => command,
        Some(name) => match command.find_subcommand(name) {
            // In a page's title two words are joined, as its file is called.
            Some(found) => found.clone().name(format!("{NAME}-{name}")),
            None => return unknown(name, &command),
        },
    };
    let mut roff = Vec::new();
    match write_page(page, &mut roff) {
        Ok(()) => ui::print(&String::from_utf8_lossy(&roff)),
        Err(_) => Status::Machine,
    }
}

/// A manual page (man(7)), its examples line by line as they are typed.
fn write_page(page: clap::Command, out: &mut Vec<u8>) -> io::Result<()> {
    let examples = page.get_after_help().map(ToString::to_string);
    let (has_commands, has_version) = (page.has_subcommands(), page.get_version().is_some());
    let man = Man::new(page);
    man.render_title(out)?;
    man.render_name_section(out)?;
    man.render_synopsis_section(out)?;
    man.render_description_section(out)?;
    man.render_options_section(out)?;
    if has_commands {
        man.render_subcommands_section(out)?;
    }
    if let Some(examples) = examples {
        writeln!(out, ".SH EXAMPLES\n.nf")?;
        for line in examples.trim_start_matches("Examples:\n").lines() {
            // A zero-width sign keeps a line from being read as a request.
            let line = line.replace('\\', "\\e").replace('-', "\\-");
            writeln!(out, "\\&{line}")?;
        }
        writeln!(out, ".fi")?;
    }
    if has_version {
        man.render_version_section(out)?;
    }
    Ok(())
}

fn unknown(name: &str, command: &clap::Command) -> Status {
    let known = command.get_subcommands().map(clap::Command::get_name);
    let location = Source::command_line(name).top();
    let message = format!("there is no command `{name}`");
    let diagnostic = Diagnostic::error(Code::InvalidUsage, location, message).suggest(name, known);
    ui::report(&[diagnostic], true)
}
