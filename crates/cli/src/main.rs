//! The command `tabulae`.

mod args;
mod commands;
mod options;
mod preview;
mod ui;

use std::process::ExitCode;

/// Builds on many threads make and drop many small texts, which it is good at.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    let status = match args::parse() {
        Ok(args) => commands::run(&args),
        Err(error) => ui::usage(&error),
    };
    ExitCode::from(status as u8)
}
