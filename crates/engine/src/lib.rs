//! The site engine: posts with front matter to pages, archives, related posts and feeds.
//!
//! # Guide
//!
//! A [`Workspace`] is a site: a folder with `tabulae.toml`, found upward from any folder within it.
//!
//! ```
//! # fn main() -> Result<(), tabulae_engine::Error> {
//! # let folder = tempfile::tempdir().expect("a folder");
//! # let blog = folder.path();
//! # let site = "[site]\ntitle = \"Log\"\naddress = \"https://log.example/\"\n[related]\n";
//! # std::fs::write(blog.join("tabulae.toml"), site).expect("a file");
//! # std::fs::create_dir(blog.join("posts")).expect("a folder");
//! # let post = |name: &str, tag: &str| {
//! #     let text = format!("---\ntags: {tag}\nhours: 4\n---\nText.\n");
//! #     std::fs::write(blog.join(format!("posts/2026-03-14-{name}.md")), text).expect("a file");
//! # };
//! # post("lime", "lime");
//! # post("sand", "lime");
//! use tabulae_engine::{Direction, Query, Workspace, field};
//!
//! let site = Workspace::open(blog)?;
//! for post in site.query("from posts where tag = 'lime' order by date desc limit 5")? {
//!     println!("{} {}", post.date(), post.title());
//! }
//!
//! // The same as typed code: a value can never be taken for a part of the query.
//! let query = Query::from("posts")
//!     .filter(field("tag").eq("lime").and(field("hours").gt(3)))
//!     .order_by("date", Direction::Descending)
//!     .limit(5);
//! assert_eq!(site.query(query)?.len(), 2);
//!
//! // Related posts with their likeness, and what they share.
//! for related in site.related("lime")? {
//!     println!("{:.2} {}", related.score(), related.post.title());
//! }
//! # Ok(())
//! # }
//! ```
//!
//! Errors are [`Error`] values, which hold [`Diagnostic`]s: a code, a place, a sentence, and what to do.
//! [`Workspace::check`] returns all diagnostics of a build without writing anything, and
//! [`Workspace::check_with`] those of texts that are not on disk yet.
//!
//! [`Workspace::build`] writes to a [`DiskOutput`] or a [`MemoryOutput`]. It renders only outputs of which a
//! dependency changed since the last build, and removes files of outputs that no longer exist.
//!
//! ```
//! # fn main() -> Result<(), tabulae_engine::Error> {
//! use tabulae_engine::{BuildOptions, MemoryOutput, MemorySources, Workspace};
//!
//! let mut files = MemorySources::default();
//! files.write("tabulae.toml", "[site]\ntitle = \"Log\"\naddress = \"https://log.example/\"\n");
//! files.write("posts/2026-03-14-lime.md", "---\ntags: [lime]\n---\nLime first.\n");
//! let site = Workspace::from_sources(files);
//! let mut output = MemoryOutput::default();
//! let report = site.build(&mut output, BuildOptions::default())?;
//! assert_eq!(report.posts, 1);
//! assert!(output.text("2026/lime/index.html").is_some());
//! // Nothing changed, and nothing is written.
//! assert_eq!(site.build(&mut output, BuildOptions::default())?.written, 0);
//! # Ok(())
//! # }
//! ```
//!
//! `examples/` has three small programs: `list.rs`, `related.rs` and `json_api.rs`. The modules and their
//! order are described in `ARCHITECTURE.md`.

mod error;
mod fingerprint;
mod incremental;
mod options;
mod pipeline;
mod plan;
mod publish;
mod render;
mod report;
mod site;
mod source;
mod template;
mod threads;
mod workspace;

pub use tabulae_core::addresses::{Address, AddressChanges, AddressKind, AddressList};
pub use tabulae_core::diagnostic::{Code, Diagnostic, Severity};
pub use tabulae_core::edit::{Edit, Replacement};
pub use tabulae_core::lint_levels::LintLevels;
pub use tabulae_core::post::{Include, State};
pub use tabulae_core::query::builder::{
    Builder as Query, Direction, Field, field, parameter, this,
};
pub use tabulae_core::query::{Chain, ChainLink, PlanStep, QueryPlan};
pub use tabulae_core::settings::Settings;
pub use tabulae_core::value::Value;

pub use self::error::Error;
pub use self::options::{BuildOptions, BuildPart, Clock, ForeignFiles, NoProgress, Progress, Step};
pub use self::pipeline::explain::{Explanation, Field as ExplainedField, Listed, Membership};
pub use self::pipeline::fixes::FixReport;
pub use self::pipeline::page_lists::{ListKind, PageList, PageLists};
pub use self::pipeline::rename::Rename;
pub use self::pipeline::source_files::FileChange;
pub use self::pipeline::terms::{FieldTerms, Join, Note, Used};
pub use self::pipeline::text_findings::TextFindings;
pub use self::pipeline::weave::WeaveReport;
pub use self::publish::{
    Content, Destination, DiskOutput, Found, Manifest, MemoryOutput, Opener, Published, Writer,
};
pub use self::report::{BuildReport, Change, ChangeKind, Due};
pub use self::source::{DiskSources, FileStamp, MemorySources, Sources};
pub use self::template::{ThemeFile, escape, template_words, theme_files};
pub use self::workspace::{
    BuildSession, Choice, ChoiceKind, IntoQuery, OUTPUT_FOLDER, PostDate, PostRef, Posts,
    QueryPage, RelatedOverview, RelatedPost, STATE_FOLDER, Shared, Workspace,
};

#[cfg(test)]
extern crate self as tabulae_engine;
#[cfg(test)]
mod tests;
