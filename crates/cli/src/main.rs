//! The command `tabulae`.

mod args;
mod commands;
mod settle;
mod ui;

use std::process::ExitCode;

fn main() -> ExitCode {
    let status = match args::parse() {
        Ok(args) => commands::run(&args),
        Err(status) => status,
    };
    ExitCode::from(status as u8)
}
