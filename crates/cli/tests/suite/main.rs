//! Runs of the built program, each in a folder of its own.

mod build;
mod demo;
mod init;
mod site;
mod usage;
