//! Runs of the built program, each in a folder of its own.

mod audit;
mod build;
mod demo;
mod diff;
mod doc_links;
mod docs;
mod explain;
mod generated_docs;
mod grammar;
mod init;
mod killed;
mod layers;
mod lsp;
mod new_post;
mod preview;
mod query;
mod settings;
mod site;
mod terms;
mod theme;
mod usage;
mod weave;
