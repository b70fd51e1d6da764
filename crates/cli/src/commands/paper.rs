//! What the program says of itself: `tabulae schema`, `completions`, `manual`.

use clap::CommandFactory;
use clap_complete::{Shell, generate};
use clap_mangen::Man;
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::schema;
use tabulae_core::source::Source;

use crate::args::{Args, SchemaOf};
use crate::ui::{self, Status};

const NAME: &str = "tabulae";

pub(super) fn schema(of: SchemaOf) -> Status {
    let schema = match of {
        SchemaOf::Settings => schema::settings(),
        SchemaOf::FrontMatter => schema::front_matter(),
    };
    let text = serde_json::to_string_pretty(&schema).unwrap_or_default();
    ui::print(&format!("{text}\n"))
}

pub(super) fn completions(shell: Shell) -> Status {
    let mut script = Vec::new();
    generate(shell, &mut Args::command(), NAME, &mut script);
    ui::print(&String::from_utf8_lossy(&script))
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
    match Man::new(page).render(&mut roff) {
        Ok(()) => ui::print(&String::from_utf8_lossy(&roff)),
        Err(_) => Status::Machine,
    }
}

fn unknown(name: &str, command: &clap::Command) -> Status {
    let known = command.get_subcommands().map(clap::Command::get_name);
    let place = Source::command_line(name).top();
    let message = format!("there is no command `{name}`");
    ui::faults(&[Diagnostic::error(Code::UsageUnfit, place, message).suggest(name, known)])
}
