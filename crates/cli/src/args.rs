//! The command line, as typed.

use std::ffi::OsStr;
use std::path::{Path, PathBuf};

use clap::builder::{EnumValueParser, PossibleValue, PossibleValuesParser, TypedValueParser};
use clap::{Parser, Subcommand, ValueEnum, ValueHint};
use clap_complete::ArgValueCandidates;
use tabulae_core::lint_levels::LintLevels;
use tabulae_core::post::Include;
use tabulae_core::time::{FORMS, WrittenDate, parse_date};
use tabulae_engine::{BuildPart, Workspace};

use crate::completion;

/// A static site generator for blogs: archives, related posts and feeds from front matter and queries
#[derive(Debug, Clone, Parser)]
#[command(name = "tabulae", version = env!("TABULAE_VERSION"), arg_required_else_help = true, after_help = EXAMPLES)]
pub(crate) struct Args {
    /// The site's folder, instead of the nearest one upward from here that has tabulae.toml
    #[arg(
        short = 'C',
        value_name = "DIR",
        global = true,
        help_heading = GLOBAL,
        value_hint = ValueHint::DirPath
    )]
    pub(crate) folder: Option<PathBuf>,
    /// The file of the settings, instead of tabulae.toml; its folder is the site's
    #[arg(
        long,
        value_name = "FILE",
        global = true,
        help_heading = GLOBAL,
        conflicts_with = "folder",
        value_hint = ValueHint::FilePath
    )]
    pub(crate) config: Option<PathBuf>,
    /// The site's folder, found when the command line was read.
    #[arg(skip)]
    pub(crate) dir: PathBuf,
    /// Output format: text or json; for a query also ndjson, csv, links, template or toml
    #[arg(
        long,
        global = true,
        help_heading = GLOBAL,
        value_enum,
        default_value = "text",
        hide_possible_values = true,
        value_name = "FORM"
    )]
    pub(crate) format: Format,
    /// Include posts that lists exclude: drafts, scheduled, expired, unlisted
    #[arg(long, global = true, help_heading = GLOBAL, value_name = "STATES", value_delimiter = ',', value_parser = PossibleValuesParser::new(Include::NAMES), hide_possible_values = true)]
    pub(crate) include: Vec<String>,
    /// Reference time: 2026-03-01, or 2026-03-01T09:00
    #[arg(long, global = true, help_heading = GLOBAL, value_name = "DATE", value_parser = parse_today)]
    pub(crate) today: Option<WrittenDate>,
    /// Print errors, warnings and answers only, and no report of what was done
    #[arg(short, long, global = true, help_heading = GLOBAL)]
    pub(crate) quiet: bool,
    /// Show every diagnostic, instead of ten of each cause
    #[arg(long, global = true, help_heading = GLOBAL)]
    pub(crate) all: bool,
    /// Colours: auto, always or never
    #[arg(
        long,
        global = true,
        help_heading = GLOBAL,
        value_name = "WHEN",
        default_value = "auto",
        hide_default_value = true,
        hide_possible_values = true
    )]
    pub(crate) color: Color,
    #[command(subcommand)]
    pub(crate) command: Command,
}

/// When to print in colours.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Color {
    /// To a terminal, unless `NO_COLOR` is set
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}

impl Args {
    /// Finds the site's folder: that of `-C` or of `--config`, or else the nearest one upward from the working directory that has
    /// `tabulae.toml`, or else the working directory.
    fn find_folder(&mut self) {
        let site = match (&self.folder, &self.config) {
            (Some(folder), _) => Some(Workspace::at(folder)),
            (None, Some(file)) => Some(Workspace::with_settings(file)),
            (None, None) => Workspace::open(".").ok(),
        };
        let root = site.as_ref().and_then(Workspace::root);
        self.dir = root.unwrap_or(Path::new(".")).to_owned();
    }

    /// Returns the folder of `-C` if it does not exist.
    pub(crate) fn missing_folder(&self) -> Option<&Path> {
        let folder = self.folder.as_deref();
        folder.filter(|folder| !folder.is_dir())
    }

    /// Returns true if the answer is one JSON object.
    pub(crate) fn is_json(&self) -> bool {
        self.format == Format::Json
    }
}

/// The options of every command.
const GLOBAL: &str = "Options of every command";

const EXAMPLES: &str = "Examples:
  tabulae demo towpath        the example site, built
  tabulae init blog           a small site to start from
  tabulae -C blog build       writes the site to blog/out/
  tabulae -C blog query \"from posts where year = 2026 order by title\"";

#[derive(Debug, Clone, Subcommand)]
pub(crate) enum Command {
    /// Writes the site
    #[command(after_help = "Examples:
  tabulae build                             writes what changed to out/
  tabulae build --include drafts            with drafts, to look at them
  tabulae build --dry-run                   prints what would change and why, and writes nothing
  tabulae build --verbose                   writes, and prints the reason of each file
  tabulae build --prune --dry-run           lists the files in out/ that no known build wrote
  tabulae build --deny feed-lost            writes nothing if a feed would be lost
  tabulae build --today 2026-03-01          as on that day, so that any build can be repeated")]
    Build(BuildArgs),
    /// Serves the site with drafts, and builds and reloads at each change
    #[command(after_help = "Examples:
  tabulae preview                  the site at http://127.0.0.1:8247/, with drafts
  tabulae preview --open           and opens it in the browser
  tabulae preview --port 9000      at another port; a taken one gives the next that is free
The workbench at /~tabulae/ tries queries, weights of related posts and terms. Ctrl-C ends it.
docs/site/guides/how-to/workbench.md shows what it can do.")]
    Preview(PreviewArgs),
    /// Runs a query: which posts, in which order, how many
    #[command(after_help = "Examples:
  tabulae query \"from posts where tag = 'lime' limit 5\"
  tabulae query \"from posts where date >= today - 12 months\" --by category
  tabulae query \"from posts\" --fields title,date,info.part --format csv
  tabulae query \"where category = this.category and not current\" --this posts/lime.md
  tabulae query \"from posts where tag = 'lime'\" --format template   the loop to paste
  tabulae query \"from posts where tag = 'lime' and year = 2026\" --explain
  tabulae query - < newest.txt                                     the query of a file
docs/site/guides/reference/queries.md has the language with examples.")]
    Query(QueryArgs),
    /// Explains one post: state, fields, lists, related posts, and where each comes from
    #[command(after_help = "Examples:
  tabulae explain posts/lime.md            everything about the post
  tabulae explain lime --in journal        why it is or is not in that archive
  tabulae explain lime --format json       for a program")]
    Explain {
        /// The post: its path, its slug or its link
        #[arg(value_hint = ValueHint::FilePath)]
        path: String,
        /// Print only why it is or is not in this archive
        #[arg(long = "in", value_name = "ARCHIVE")]
        archive: Option<String>,
    },
    /// Shows all lists of related posts from above, and what other settings would change
    ///
    /// Which lists are empty, filled up or one-sided; which posts are in no list, and which in most. With `--try` the
    /// lists by other settings are compared with the present ones; nothing is built or written.
    #[command(after_help = "Examples:
  tabulae related                              figures, and the posts at both ends
  tabulae related --table                      and a line for each list
  tabulae related --try weigh.body=2           which lists change, side by side
  tabulae related --try 'fill=from posts order by date desc' --try weigh.tag=4
  tabulae related --try other.toml             the [related] of another file")]
    Related(RelatedArgs),
    /// Lists terms with their counts and dates, and near-duplicates
    #[command(after_help = "Examples:
  tabulae terms                    all term fields
  tabulae terms tag                the tags, and pairs that are probably one
  tabulae terms tag --write-notes  and writes the notes that join them
  tabulae terms tag --format json  the same for a program
  tabulae terms rename tag dredge dredging     in all posts, and its page leads to the new one")]
    #[command(args_conflicts_with_subcommands = true)]
    Terms {
        /// The term field: tag, category, author, or one of the site's own
        #[arg(add = ArgValueCandidates::new(completion::term_fields))]
        field: Option<String>,
        /// Write the proposed notes, after showing them; no file is overwritten
        #[arg(long)]
        write_notes: bool,
        #[command(subcommand)]
        action: Option<TermsAction>,
    },
    /// Lists what a build adds and removes for readers: posts newly public, pages, feeds and exports lost
    ///
    /// Compares the sources with the last build in out/, or with a saved list of addresses. `build` prints the
    /// same in short.
    #[command(after_help = "Examples:
  tabulae diff                             against out/
  tabulae diff --save live.json            saves the addresses of the site as it is
  tabulae diff --against live.json --deny address-lost --deny feed-lost    exit 1 if any is lost")]
    Diff(DiffArgs),
    /// Reports everything that a build reports, and lints that need the whole site
    ///
    /// The lints: missing summaries, terms of one post or spelt in two ways, months without posts, implausible
    /// dates, posts in no archive, broken links, missing images, empty feeds, files in out/ that no build made.
    #[command(after_help = "Examples:
  tabulae audit                       all diagnostics by code
  tabulae audit --allow single-post-term     the same without terms that are used once
  tabulae audit --deny all            exit 1 if anything is found
  tabulae audit --fix --dry-run       shows what a program can correct, and writes nothing
  tabulae audit --fix                 corrects it in the sources
docs/site/guides/reference/diagnostics.md explains each code; [audit] in tabulae.toml sets levels for every command.")]
    Audit(AuditArgs),
    /// Serves an editor over the Language Server Protocol, on standard input and output
    #[command(after_help = "Examples:
  tabulae lsp              is what an editor is told to run
  tabulae -C blog lsp      for the site in blog/, whatever folder the editor has open
docs/site/guides/how-to/editors.md sets three editors up.")]
    Lsp,
    /// Fills the placeholders in HTML pages that another program made
    #[command(after_help = "Examples:
  tabulae weave public              fills the placeholders of all pages below public/
  tabulae weave public --check      writes nothing, and exits 1 if a page would change
A placeholder is two comments; what is between them is replaced, and nothing else:
  <!-- tabulae query \"from posts limit 5\" -->
  <!-- tabulae end -->
docs/site/guides/how-to/lists-in-finished-pages.md lists what a placeholder can ask for. In posts and pages `build` fills them.")]
    Weave {
        /// The folder of the pages
        #[arg(value_name = "DIR")]
        pages: PathBuf,
        /// Write nothing, and exit 1 if anything would change
        #[arg(long)]
        check: bool,
    },
    /// Writes a new post, a draft with the front matter that the posts of this blog have
    #[command(after_help = "Examples:
  tabulae new \"The long lock\"                          prints the path of the post
  tabulae new \"The long lock\" --tag lime --tag locks
  tabulae new \"Spring walk\" --set walks                in another content set
No file is overwritten. Format, keys, the form of the date and the kind of file name are those of most posts.")]
    New {
        /// The title
        title: String,
        /// The content set, instead of that of most posts
        #[arg(long, value_name = "NAME", add = ArgValueCandidates::new(completion::content_sets))]
        set: Option<String>,
        /// A tag of the post
        #[arg(long = "tag", value_name = "TAG", add = ArgValueCandidates::new(completion::tags))]
        tags: Vec<String>,
        /// The category of the post
        #[arg(long, value_name = "NAME", add = ArgValueCandidates::new(completion::categories))]
        category: Option<String>,
    },
    /// Writes a small site to start from
    #[command(after_help = "Examples:
  tabulae init blog          tabulae.toml, two posts and a page in blog/
  tabulae init .             the same here; no file is overwritten")]
    Init {
        /// The folder, new or without files of these names
        dir: PathBuf,
    },
    /// Writes the example site and builds it
    #[command(after_help = "Examples:
  tabulae demo towpath                   the example site, built in towpath/out/
  tabulae -C towpath preview --open      and in the browser, as you change it")]
    Demo {
        /// The folder, new or empty
        dir: PathBuf,
    },
    /// Lists the files of the built-in theme, prints one, or copies one into the site
    #[command(after_help = "Examples:
  tabulae theme                          all files, and those that the site has in their place
  tabulae theme show parts/card.html     prints the template of a card
  tabulae theme copy parts/card.html     copies it to templates/parts/card.html, to change it
  tabulae theme copy tabulae.css         copies the style sheet to assets/tabulae.css
A template of the site's own extends the built-in one of its name as theme/NAME:
  {% extends \"theme/post.html\" %}")]
    Theme {
        /// List all files, if it is left out
        #[command(subcommand)]
        action: Option<ThemeAction>,
    },
    /// Prints the effective settings: each key with its value and where it comes from
    #[command(after_help = "Examples:
  tabulae settings                    as TOML, ready to copy
  tabulae settings --format json      the same for a program
The built-in archives and feed are included, with what they yield to.")]
    Settings,
    /// Prints the JSON Schema of tabulae.toml, of front matter, or of a command's JSON
    #[command(after_help = "Examples:
  tabulae schema > tabulae.schema.json      then, as the first line of tabulae.toml:
                                            #:schema ./tabulae.schema.json
  tabulae schema front-matter               that of a post's front matter
  tabulae schema query                      that of `tabulae query --format json`
  tabulae schema export.posts               that of the export `posts` of this site")]
    Schema {
        /// The settings, front matter, the command whose JSON it describes, or an export: `export.NAME`
        #[arg(default_value = "settings", value_name = "WHAT", value_parser = SchemaParser)]
        of: SchemaTarget,
    },
    /// Prints the completion script of a shell
    #[command(after_help = "Examples:
  tabulae completions bash > ~/.local/share/bash-completion/completions/tabulae
  tabulae completions zsh > ~/.zfunc/_tabulae       with ~/.zfunc in fpath
  tabulae completions fish > ~/.config/fish/completions/tabulae.fish")]
    Completions {
        /// The shell
        #[arg(value_enum)]
        shell: clap_complete::Shell,
    },
    /// Prints the manual page, in roff
    #[command(after_help = "Examples:
  tabulae manual | man -l -                         reads it
  tabulae manual build | man -l -                   that of one command
  tabulae manual > ~/.local/share/man/man1/tabulae.1")]
    Manual {
        /// The command, instead of the program as a whole
        #[arg(value_name = "COMMAND")]
        of: Option<String>,
    },
}

#[derive(Debug, Clone, clap::Args)]
pub(crate) struct BuildArgs {
    /// Output folder, instead of out/ in the site's folder
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
    /// Leave out posts with errors, and build the others
    #[arg(long)]
    pub(crate) keep_going: bool,
    /// Number of threads, instead of one for each processor
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1024))]
    pub(crate) jobs: Option<u16>,
    /// Build part N of M alone; all parts together are the whole
    #[arg(long, value_name = "N/M")]
    pub(crate) part: Option<BuildPart>,
    /// Print what would change, and write nothing
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Replace files at outputs' addresses that no known build wrote
    #[arg(long)]
    pub(crate) adopt: bool,
    /// Remove all other files that no known build wrote, and list them
    #[arg(long)]
    pub(crate) prune: bool,
    /// Flush each file to the disk before it gets its name, for a server that serves out/ itself
    #[arg(long)]
    pub(crate) sync: bool,
    /// Print of each written file the reason
    #[arg(short, long)]
    pub(crate) verbose: bool,
    #[command(flatten)]
    pub(crate) levels: LevelArgs,
}

#[derive(Debug, Clone, clap::Args)]
pub(crate) struct QueryArgs {
    /// The query; the empty one is all live posts, `-` reads it from standard input
    pub(crate) query: String,
    /// Count by this field: with bars, or as csv or json
    #[arg(long, value_name = "FIELD")]
    pub(crate) by: Option<String>,
    /// Show these fields: title,date,info.part
    #[arg(
        long,
        value_name = "FIELDS",
        value_delimiter = ',',
        conflicts_with = "by"
    )]
    pub(crate) fields: Vec<String>,
    /// Run it as from this post's page
    #[arg(long, value_name = "PATH", value_hint = ValueHint::FilePath)]
    pub(crate) this: Option<String>,
    /// Run it as on a page in this language
    #[arg(long, value_name = "TAG", conflicts_with = "this")]
    pub(crate) language: Option<String>,
    /// Print how it is run: access path, posts left after each predicate, time
    #[arg(long, conflicts_with_all = ["by", "fields"])]
    pub(crate) explain: bool,
}

/// An action on terms.
#[derive(Debug, Clone, Subcommand)]
pub(crate) enum TermsAction {
    /// Renames a term in the front matter of all posts, and leads its old page to the new one
    #[command(after_help = "Examples:
  tabulae terms rename tag dredge dredging --dry-run     shows the diff, and writes nothing
  tabulae terms rename category \"Narrow boats\" Boats
Spellings that differ in case, spaces, - and _ alone are renamed as well.")]
    Rename {
        /// The term field: tag, category, author, or one of the site's own
        #[arg(add = ArgValueCandidates::new(completion::term_fields))]
        field: String,
        /// The term, in any of its spellings
        #[arg(value_name = "TERM", add = ArgValueCandidates::new(completion::all_terms))]
        from: String,
        /// The new name, as posts are to have it
        #[arg(value_name = "NAME")]
        to: String,
        /// Show the diff, and write nothing
        #[arg(long)]
        dry_run: bool,
    },
}

/// The action on a file of the theme.
#[derive(Debug, Clone, Subcommand)]
pub(crate) enum ThemeAction {
    /// Prints a file of the theme
    Show {
        /// The name, as listed: parts/card.html
        name: String,
    },
    /// Copies a file of the theme into the site, where it takes the place of the built-in one
    Copy {
        /// The name, as listed: parts/card.html
        name: String,
    },
}

/// The lint levels of the command line, which come after those of `[audit]`.
#[derive(Debug, Clone, Default, clap::Args)]
pub(crate) struct LevelArgs {
    /// Make warnings of this code errors, so that the exit code is 1; `all` for every code
    #[arg(long, value_name = "CODE", value_parser = parse_denied)]
    deny: Vec<String>,
    /// Leave warnings of this code out
    #[arg(long, value_name = "CODE", value_parser = parse_allowed)]
    allow: Vec<String>,
}

impl LevelArgs {
    /// Returns the levels.
    pub(crate) fn levels(&self) -> LintLevels {
        let mut levels = LintLevels::default();
        // The names were looked up when the command line was read.
        for code in &self.deny {
            let _ = levels.deny(code);
        }
        for code in &self.allow {
            let _ = levels.allow(code);
        }
        levels
    }
}

#[derive(Debug, Clone, clap::Args)]
pub(crate) struct DiffArgs {
    /// Compare with this list, instead of the last build
    #[arg(long, value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub(crate) against: Option<PathBuf>,
    /// Save the addresses of the site to this file, to compare with later
    #[arg(long, value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub(crate) save: Option<PathBuf>,
    /// The folder that was built to, instead of out/ in the site's folder
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) levels: LevelArgs,
}

#[derive(Debug, Clone, clap::Args)]
pub(crate) struct AuditArgs {
    #[command(flatten)]
    pub(crate) levels: LevelArgs,
    /// The folder that was built to, instead of out/ in the site's folder
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
    /// Correct in the sources what a program can correct, after showing it as a diff
    #[arg(long)]
    pub(crate) fix: bool,
    /// With --fix: show the diff, and write nothing
    #[arg(long, requires = "fix")]
    pub(crate) dry_run: bool,
}

#[derive(Debug, Clone, clap::Args)]
pub(crate) struct RelatedArgs {
    /// Show a line for each list, and all lists that change
    #[arg(long)]
    pub(crate) table: bool,
    /// A key of the table `related` with another value, or a settings file with another such table
    #[arg(long = "try", value_name = "KEY=VALUE|FILE", value_hint = ValueHint::FilePath)]
    pub(crate) trials: Vec<String>,
}

#[derive(Debug, Clone, clap::Args)]
pub(crate) struct PreviewArgs {
    /// The port; if it is taken, the next free one
    #[arg(long, value_name = "N", default_value_t = 8247, value_parser = clap::value_parser!(u16).range(1..))]
    pub(crate) port: u16,
    /// Open the browser
    #[arg(long)]
    pub(crate) open: bool,
}

/// The subject of a schema.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum SchemaTarget {
    /// Something that every site has.
    Known(SchemaOf),
    /// The export of this name.
    Export(String),
}

/// Reads `export.NAME`, or one of the names that every site has.
#[derive(Debug, Clone, Copy)]
pub(crate) struct SchemaParser;

impl TypedValueParser for SchemaParser {
    type Value = SchemaTarget;

    fn parse_ref(
        &self,
        command: &clap::Command,
        arg: Option<&clap::Arg>,
        value: &OsStr,
    ) -> Result<SchemaTarget, clap::Error> {
        if let Some(name) = value.to_str().and_then(|text| text.strip_prefix("export.")) {
            return Ok(SchemaTarget::Export(name.to_owned()));
        }
        let known = EnumValueParser::<SchemaOf>::new();
        known
            .parse_ref(command, arg, value)
            .map(SchemaTarget::Known)
    }

    fn possible_values(&self) -> Option<Box<dyn Iterator<Item = PossibleValue> + '_>> {
        let values = SchemaOf::value_variants().iter();
        Some(Box::new(values.filter_map(ValueEnum::to_possible_value)))
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum SchemaOf {
    /// tabulae.toml
    Settings,
    /// The front matter of a post
    FrontMatter,
    /// audit --format json
    Audit,
    /// build --format json
    Build,
    /// diff --format json
    Diff,
    /// settings --format json
    EffectiveSettings,
    /// explain --format json
    Explain,
    /// new --format json
    New,
    /// query --format json
    Query,
    /// related --format json
    Related,
    /// terms rename --format json
    Rename,
    /// terms --format json
    Terms,
    /// theme --format json
    Theme,
    /// weave --format json
    Weave,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// For people
    Text,
    /// One object, for programs
    Json,
    /// A query's posts as objects, one a line
    Ndjson,
    /// A query's posts as comma-separated values (RFC 4180)
    Csv,
    /// A query's links, one a line
    Links,
    /// A query's loop, to paste into a template
    Template,
    /// A query's archive, to paste into tabulae.toml
    Toml,
}

fn parse_denied(name: &str) -> Result<String, String> {
    LintLevels::default().deny(name).map(|()| name.to_owned())
}

fn parse_allowed(name: &str) -> Result<String, String> {
    LintLevels::default().allow(name).map(|()| name.to_owned())
}

fn parse_today(text: &str) -> Result<WrittenDate, String> {
    parse_date(text).map_err(|diagnostic| match diagnostic {
        tabulae_core::time::DateError::Form => format!("write one of {FORMS}"),
        tabulae_core::time::DateError::NotThere(why) => why,
    })
}

/// Reads the command line.
///
/// # Errors
/// If it is wrong, or asks for help or the version.
pub(crate) fn parse() -> Result<Args, clap::Error> {
    let mut args = Args::try_parse()?;
    args.find_folder();
    Ok(args)
}
