//! Traits of the settings' queries.

use tabulae_core::query::Query;
use tabulae_core::query::ast::{Statement, Validity};
use tabulae_core::settings::Settings;
use tabulae_core::source::EmbeddedText;

/// The traits of several queries together.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct QueryTraits {
    /// The validity of the answers: the shortest of all.
    pub(crate) validity: Validity,
    /// Set if any reads texts.
    pub(crate) texts: bool,
    /// Set if any names summaries.
    pub(crate) summaries: bool,
    /// Set if any names likeness.
    pub(crate) likeness: bool,
}

impl QueryTraits {
    /// Of all queries that can be read.
    pub(super) fn of(settings: &Settings) -> Self {
        let statements = statements(settings);
        let any = |asks: fn(&Statement) -> bool| statements.iter().any(asks);
        Self {
            validity: statements
                .iter()
                .map(Statement::validity)
                .max()
                .unwrap_or_default(),
            texts: any(Statement::looks_into_texts),
            summaries: any(|statement| statement.names("summary")),
            likeness: any(|statement| statement.names("likeness")),
        }
    }
}

fn statements(settings: &Settings) -> Vec<Statement> {
    queries(settings)
        .filter_map(|query| Query::parse(query).ok())
        .map(|query| query.statement().clone())
        .collect()
}

/// Returns the queries of the settings: named ones, those of archives, feeds, exports and related posts.
pub(super) fn queries(settings: &Settings) -> impl Iterator<Item = &EmbeddedText> {
    let named = settings.queries.iter().map(|(_, query)| query);
    let archives = settings.archives.iter();
    let archives = archives.filter_map(|archive| archive.query.as_ref());
    let feeds = settings.feeds.iter().filter_map(|feed| feed.query.as_ref());
    let exports = settings.exports.iter();
    let exports = exports.filter_map(|export| export.query.as_ref());
    let related = settings.all_related();
    let related = related.flat_map(|related| related.query.iter().chain(&related.fill));
    let published = archives.chain(feeds).chain(exports);
    named.chain(published).chain(related)
}
