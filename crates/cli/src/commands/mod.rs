//! One file for each command: it opens, asks the builder, and shows the answer.

mod build;
mod demo;
mod init;

use crate::args::{Args, Command};
use crate::ui::Status;

/// Runs the command that was typed.
pub(crate) fn run(args: &Args) -> Status {
    match &args.command {
        Command::Build(build) => build::run(args, build),
        Command::Init { dir } => init::run(args, dir),
        Command::Demo { dir } => demo::run(args, dir),
    }
}
