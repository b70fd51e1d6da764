//! The command `tabulae`.

mod args;
mod commands;
mod completion;
mod objects;
mod options;
mod preview;
mod snippets;
mod ui;

use std::process::ExitCode;

use clap::CommandFactory;
use clap_complete::CompleteEnv;

/// Builds on many threads make and drop many small texts, which it is good at.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    // A shell that completes a command asks the program itself.
    CompleteEnv::with_factory(args::Args::command).complete();
    let status = match args::parse() {
        Ok(args) => commands::run(&args),
        Err(error) => ui::usage(&error),
    };
    ExitCode::from(status as u8)
}
