//! Queries: which posts, in which order, how many. A small compiler from text to posts.
//!
//! A query is read or [built](builder), resolved against a catalogue, and run:
//!
//! ```
//! # use tabulae_core::catalogue::Catalogue;
//! # use tabulae_core::post::{Body, Include, assemble};
//! # use tabulae_core::settings::Settings;
//! # use tabulae_core::source::Source;
//! # use tabulae_core::{front_matter, time::Moment};
//! use tabulae_core::query::{Library, Query, Scope};
//! use tabulae_core::source::EmbeddedText;
//!
//! # let site = "[site]\ntitle = \"Log\"\naddress = \"https://log.example/\"\n";
//! # let settings = Settings::read(&Source::new("tabulae.toml", site)).output;
//! # let zone = settings.site.timezone.clone();
//! # let moment = Moment { now: "2026-11-20T09:00:00Z".parse().unwrap(), zone };
//! # let posts = [("lime", "2026-03-14", "lime"), ("eels", "2026-05-01", "eels")];
//! # let posts = posts.map(|(name, date, tag)| {
//! #     let path = format!("posts/{name}.md");
//! #     let text = format!("---\ntitle: On {name}\ndate: {date}\ntags: {tag}\n---\n");
//! #     let source = Source::new(&path, &text);
//! #     let front = front_matter::read(&source, &moment.zone).output;
//! #     let set = (0, &settings.content[0]);
//! #     assemble(&path, set, &settings, &moment, &source, front, Body::default()).output
//! # });
//! # let today = moment.today();
//! # let catalogue =
//! #     Catalogue::new(posts, Vec::new(), &settings, Include::default(), today).output;
//! // `catalogue` holds two posts, one of them tagged "lime".
//! let query = Query::parse(&EmbeddedText::command_line("where tag = 'Lime' limit 5"))?;
//! let scope = Scope {
//!     catalogue: &catalogue,
//!     library: &Library::default(),
//!     moment: &moment,
//!     locale: None,
//!     has_this: false,
//!     parameters: &[],
//! };
//! let resolved = query.resolve(scope);
//! assert!(resolved.diagnostics.is_empty());
//! let answer = resolved.output.expect("a sound query").run(&catalogue, None);
//! assert_eq!(answer.total, 1);
//! assert_eq!(&*catalogue.post(answer.posts[0]).title, "On lime");
//! # Ok::<(), Box<tabulae_core::diagnostic::Diagnostic>>(())
//! ```

mod access_path;
pub mod ast;
pub mod builder;
mod chain;
pub mod clause;
mod eval;
mod explain_empty;
mod explain_plan;
pub mod fields;
mod foreign_syntax;
mod lexer;
mod library;
mod normalize;
mod parser;
pub mod place;
mod predicate;
mod print;
mod resolve;
mod run;
mod scope;
mod similar;
mod words;

use std::fmt;
use std::sync::Arc;

use self::access_path::Goal;
use crate::catalogue::{Catalogue, PostId};
use crate::diagnostic::{Code, Collected, Diagnostic, Help};
use crate::id::LocaleId;
use crate::source::{EmbeddedText, Location, Span};

pub use self::chain::{Chain, ChainLink};
pub use self::explain_plan::{PlanStep, QueryPlan};
pub use self::parser::KEYWORDS;
pub(crate) use self::print::name_text;
pub use self::scope::{Library, Parameter, Scope};

/// A query at one of its stages: [`Written`] has names, [`Resolved`] their meaning.
#[derive(Debug, Clone, PartialEq)]
pub struct Query<S>(S);

/// A query as it was written.
#[derive(Debug, Clone, PartialEq)]
pub struct Written {
    statement: ast::Statement,
    embedded: EmbeddedText,
}

/// A query whose names are found; it cannot fail to run.
#[derive(Debug, Clone)]
pub struct Resolved {
    sources: Vec<predicate::Source>,
    /// The language to which the posts of content sets are limited; that of named queries is their own.
    within: Option<LocaleId>,
    /// The language whose collation orders texts.
    collation: LocaleId,
    /// The predicates that must all hold, cheapest first.
    conjuncts: Vec<Conjunct>,
    order: Vec<predicate::Order>,
    limit: Option<usize>,
    offset: usize,
    needs_this: bool,
    similar: Option<Arc<similar::Similar>>,
}

/// A predicate that must hold, with the condition that it was resolved from.
#[derive(Debug, Clone)]
struct Conjunct {
    written: ast::Condition,
    predicate: predicate::Predicate,
}

/// The answer of a query.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Answer {
    /// The posts, in order, after limit and offset.
    pub posts: Vec<PostId>,
    /// The number of posts before limit and offset.
    pub total: usize,
}

/// A syntax error in a statement, before its location is known.
#[derive(Debug, Clone)]
struct SyntaxError {
    span: Span,
    message: String,
    help: Option<Help>,
}

fn diagnostic(span: Span, message: impl Into<String>) -> SyntaxError {
    SyntaxError {
        span,
        message: message.into(),
        help: None,
    }
}

impl SyntaxError {
    fn help(mut self, help: impl Into<Help>) -> Self {
        self.help.get_or_insert(help.into());
        self
    }

    fn at(self, embedded: &EmbeddedText) -> Diagnostic {
        let diagnostic = Diagnostic::error(
            Code::QuerySyntax,
            embedded.location(self.span),
            self.message,
        );
        match self.help {
            Some(help) => diagnostic.help(help),
            None => diagnostic.help("a query is: from … where … order by … limit … offset …, each part left out at will"),
        }
    }
}

impl Query<Written> {
    /// Reads a query. The empty text is the query for all live posts.
    ///
    /// # Errors
    /// Where the text is not a query: what was expected, and the right form of what is known
    /// from elsewhere.
    pub fn parse(embedded: &EmbeddedText) -> Result<Self, Box<Diagnostic>> {
        match parser::parse(embedded.text()) {
            Ok(statement) => Ok(Query(Written {
                statement,
                embedded: embedded.clone(),
            })),
            Err(diagnostic) => Err(Box::new(diagnostic.at(embedded))),
        }
    }

    /// Returns the location of the whole query.
    #[must_use]
    pub fn location(&self) -> Location {
        let whole = Span::new(0, self.0.embedded.text().len());
        self.0.embedded.location(whole)
    }

    /// Returns the query without its limit, and the limit.
    #[must_use]
    pub fn without_limit(mut self) -> (Self, Option<usize>) {
        let limit = self.0.statement.limit.take();
        (self, limit)
    }

    /// Returns the query without limit and offset.
    #[must_use]
    pub fn whole(mut self) -> Self {
        (self.0.statement.limit, self.0.statement.offset) = (None, None);
        self
    }

    /// The statement's tree.
    #[must_use]
    pub fn statement(&self) -> &ast::Statement {
        &self.0.statement
    }

    /// Resolves the names. After an error there is no query.
    #[must_use]
    pub fn resolve(&self, scope: Scope<'_>) -> Collected<Option<Query<Resolved>>> {
        resolve::resolve(&self.0.statement, &self.0.embedded, scope)
    }
}

impl Query<Written> {
    /// Resolves and runs it on no post's page. Where it finds nothing, and that is likely a slip,
    /// a warning says why. After an error there is no answer.
    #[must_use]
    pub fn answer(&self, scope: Scope<'_>) -> Collected<Option<Answer>> {
        let mut diagnostics = Vec::new();
        let resolved = self.resolve(scope).into_output(&mut diagnostics);
        let answer = resolved.map(|query| query.run(scope.catalogue, None));
        if answer.as_ref().is_some_and(|answer| answer.total == 0) {
            diagnostics.extend(self.slip(scope));
        }
        Collected {
            output: answer,
            diagnostics,
        }
    }
}

impl fmt::Display for Query<Written> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.statement.fmt(f)
    }
}

impl Query<Resolved> {
    /// The posts that the query gives on the page of `this`. The order is total: ties are by
    /// date descending, then language, title and path.
    #[must_use]
    pub fn run(&self, catalogue: &Catalogue, this: Option<PostId>) -> Answer {
        let runner = self.runner(catalogue, this);
        runner.execute(self, &runner.plan(self, Goal::All))
    }

    /// Returns the posts of [`Self::run`] without counting those beyond the limit, which is much faster for the
    /// posts most alike to `this`.
    #[must_use]
    pub fn first(&self, catalogue: &Catalogue, this: Option<PostId>) -> Vec<PostId> {
        let runner = self.runner(catalogue, this);
        runner.execute(self, &runner.plan(self, Goal::First)).posts
    }

    fn runner<'a>(&'a self, catalogue: &'a Catalogue, this: Option<PostId>) -> eval::Runner<'a> {
        eval::Runner {
            catalogue,
            language: catalogue.language(self.0.collation),
            this,
            index: self.index(catalogue),
        }
    }

    /// Returns the limit.
    #[must_use]
    pub fn limit(&self) -> Option<usize> {
        self.0.limit
    }

    /// Returns true if the answer depends on the post whose page is rendered.
    #[must_use]
    pub fn needs_this(&self) -> bool {
        self.0.needs_this
    }
}

impl Resolved {
    /// The content sets that its posts come from.
    fn sets(&self) -> Vec<usize> {
        let mut sets: Vec<usize> = self
            .sources
            .iter()
            .flat_map(|source| match source {
                predicate::Source::Set(set) => vec![*set],
                predicate::Source::Named(named) => named.query.0.sets(),
            })
            .collect();
        sets.sort_unstable();
        sets.dedup();
        sets
    }
}

#[cfg(test)]
mod tests;
