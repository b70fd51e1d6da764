//! The command line, as typed.

use std::path::PathBuf;

use clap::error::ErrorKind;
use clap::{Parser, Subcommand, ValueEnum};
use tabulae_core::audit::Verdict;
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::post::Include;
use tabulae_core::source::Source;
use tabulae_core::time::{FORMS, Written, parse_date};

use crate::ui::{self, Status};

/// Keeps the lists of a blog true: archives, overviews and feeds from front matter and queries.
#[derive(Debug, Clone, Parser)]
#[command(name = "tabulae", version, arg_required_else_help = true, after_help = EXAMPLES)]
pub(crate) struct Args {
    /// The site's folder
    #[arg(
        short = 'C',
        value_name = "DIR",
        global = true,
        default_value = ".",
        hide_default_value = true
    )]
    pub(crate) dir: PathBuf,
    #[arg(
        long,
        global = true,
        value_enum,
        default_value = "text",
        hide_possible_values = true,
        value_name = "FORM"
    )]
    pub(crate) format: Format,
    /// Let posts into lists that are held back: drafts, scheduled, expired, unlisted
    #[arg(long, global = true, value_name = "STATES", value_delimiter = ',', value_parser = parse_state)]
    pub(crate) include: Vec<String>,
    /// What counts as now: 2026-03-01, or 2026-03-01T09:00
    #[arg(long, global = true, value_name = "DATE", value_parser = parse_today)]
    pub(crate) today: Option<Written>,
    #[command(subcommand)]
    pub(crate) command: Command,
}

const EXAMPLES: &str = "Examples:
  tabulae demo towpath        the example site, built, with a word on what to look at
  tabulae init blog           a small site to start from
  tabulae -C blog build       writes the site to blog/out/
  tabulae -C blog query \"from posts where year = 2026 order by title\"";

#[derive(Debug, Clone, Subcommand)]
pub(crate) enum Command {
    /// Writes the site
    #[command(after_help = "Examples:
  tabulae build                             writes what changed to out/
  tabulae build --include drafts            with drafts, to look at them
  tabulae build --dry-run                   says what would change and why, and writes nothing
  tabulae build --verbose                   writes, and says of each file why
  tabulae build --today 2026-03-01          as on that day, so that any build can be repeated")]
    Build(BuildArgs),
    /// Runs a query: which posts, in which order, how many
    #[command(after_help = "Examples:
  tabulae query \"from posts where tag = 'lime' limit 5\"
  tabulae query \"from posts where date >= today - 12 months\" --by category
  tabulae query \"where category = this.category and not current\" --this posts/lime.md
  tabulae query \"from posts where tag = 'lime'\" --format template   the loop to paste
docs/queries.md goes from the first query to the last.")]
    Query {
        /// The query; the empty one is all live posts
        query: String,
        /// Count by this field, with bars
        #[arg(long, value_name = "FIELD")]
        by: Option<String>,
        /// Run it as from this post's page
        #[arg(long, value_name = "PATH")]
        this: Option<String>,
    },
    /// Explains one post: its state and why, its fields and where they come from, the lists it is
    /// in, its related posts
    #[command(after_help = "Examples:
  tabulae explain posts/lime.md
  tabulae explain lime --in journal        why it is or is not in that archive")]
    Explain {
        /// The post: its path, its slug or its link
        path: String,
        /// Say only why it is or is not in this archive
        #[arg(long = "in", value_name = "ARCHIVE")]
        archive: Option<String>,
    },
    /// Lists terms with their counts and dates, and those that look like one another
    #[command(after_help = "Examples:
  tabulae terms                    all term fields
  tabulae terms tag                the tags, and pairs that are probably one
  tabulae terms tag --format json  the same for a program")]
    Terms {
        /// The term field: tag, category, author, or one of the site's own
        field: Option<String>,
    },
    /// Looks for what a build would complain of, and for what it would not: missing summaries,
    /// terms used once, gaps, links that lead nowhere, files in out/ that no build made
    #[command(after_help = "Examples:
  tabulae audit                                   what is worth a look, by kind
  tabulae audit --allow term-lone --allow month-empty   the same without these
  tabulae audit --deny all                        exit 1 if anything is found
docs/faults.md explains each kind; [audit] in tabulae.toml does for good what the options do.")]
    Audit(AuditArgs),
    /// Serves the site with drafts, and builds and reloads at each change
    #[command(after_help = "Examples:
  tabulae preview                  the site at http://127.0.0.1:8247/, with drafts
  tabulae preview --open           and opens it in the browser
  tabulae preview --port 9000      at another port; a taken one gives the next that is free
The page /~tabulae/ tries queries. Ctrl-C ends it.")]
    Preview(PreviewArgs),
    /// Fills marked places in HTML that something else made
    #[command(after_help = "Examples:
  tabulae weave public              fills every marked place of the pages below public/
  tabulae weave public --check      writes nothing, and exits 1 if anything would change
A place stands between two comments; what is between them is replaced, and not a byte else:
  <!-- tabulae query \"from posts limit 5\" -->
  <!-- tabulae end -->
docs/weave.md shows what a mark can ask for.")]
    Weave {
        /// The folder of the pages
        #[arg(value_name = "DIR")]
        pages: PathBuf,
        /// Write nothing, and exit 1 if anything would change
        #[arg(long)]
        check: bool,
    },
    /// Makes a small site to start from
    Init {
        /// The folder, new or without files of these names
        dir: PathBuf,
    },
    /// Makes the example site and builds it
    Demo {
        /// The folder, new or empty
        dir: PathBuf,
    },
}

#[derive(Debug, Clone, clap::Args)]
pub(crate) struct BuildArgs {
    /// Where to write, instead of out/ in the site's folder
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
    /// Build without the posts in which an error stands
    #[arg(long)]
    pub(crate) keep_going: bool,
    /// How many threads, instead of one for each processor
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1024))]
    pub(crate) jobs: Option<u16>,
    /// Say what would change, and write nothing
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Say of each file that was written why
    #[arg(long)]
    pub(crate) verbose: bool,
}

#[derive(Debug, Clone, clap::Args)]
pub(crate) struct AuditArgs {
    /// Make findings of this kind errors, so that the exit is 1; `all` for every kind
    #[arg(long, value_name = "CODE", value_parser = parse_denied)]
    pub(crate) deny: Vec<String>,
    /// Leave findings of this kind out
    #[arg(long, value_name = "CODE", value_parser = parse_allowed)]
    pub(crate) allow: Vec<String>,
    /// Show every finding, instead of the first few of each kind
    #[arg(long)]
    pub(crate) all: bool,
    /// The folder that was built to, instead of out/ in the site's folder
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
}

#[derive(Debug, Clone, clap::Args)]
pub(crate) struct PreviewArgs {
    /// The port to begin with
    #[arg(long, value_name = "N", default_value_t = 8247, value_parser = clap::value_parser!(u16).range(1..))]
    pub(crate) port: u16,
    /// Open the browser
    #[arg(long)]
    pub(crate) open: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// For people
    Text,
    /// One object, for programs
    Json,
    /// A query's posts as comma-separated values (RFC 4180)
    Csv,
    /// A query's links, one a line
    Links,
    /// A query's loop, to paste into a template
    Template,
    /// A query's archive, to paste into tabulae.toml
    Toml,
}

fn parse_state(text: &str) -> Result<String, String> {
    if Include::default().let_in(text) {
        return Ok(text.to_owned());
    }
    Err(
        match tabulae_core::diagnostic::nearest(text, Include::NAMES) {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!(
                "write one or more of {}, with commas between",
                Include::NAMES.join(", ")
            ),
        },
    )
}

fn parse_denied(name: &str) -> Result<String, String> {
    Verdict::default().deny(name).map(|()| name.to_owned())
}

fn parse_allowed(name: &str) -> Result<String, String> {
    Verdict::default().allow(name).map(|()| name.to_owned())
}

fn parse_today(text: &str) -> Result<Written, String> {
    parse_date(text).map_err(|fault| match fault {
        tabulae_core::time::DateFault::Form => format!("write one of {FORMS}"),
        tabulae_core::time::DateFault::NotThere(why) => why,
    })
}

/// Reads the command line. What was asked of the command itself (`--help`) is answered here.
pub(crate) fn parse() -> Result<Args, Status> {
    Args::try_parse().map_err(|error| {
        if matches!(
            error.kind(),
            ErrorKind::DisplayHelp | ErrorKind::DisplayVersion
        ) {
            return ui::print(&error.render().ansi().to_string());
        }
        if !asks_for_json() {
            ui::complain(&error.render().ansi().to_string());
            return Status::Usage;
        }
        let text = error.render().to_string();
        let message = text
            .lines()
            .next()
            .unwrap_or_default()
            .trim_start_matches("error: ")
            .to_owned();
        let fault = Diagnostic::error(Code::UsageUnfit, Source::command_line("").top(), message)
            .help("`tabulae --help` lists commands and options");
        ui::json(&serde_json::json!({}), &[fault]).max(Status::Usage)
    })
}

/// Whether `--format json` is among the words, although they could not be read as a whole.
fn asks_for_json() -> bool {
    let words: Vec<String> = std::env::args().collect();
    words.iter().any(|word| word == "--format=json")
        || words
            .windows(2)
            .any(|pair| pair[0] == "--format" && pair[1] == "json")
}
