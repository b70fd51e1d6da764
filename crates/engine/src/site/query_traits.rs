//! What the queries of the settings ask for, taken together.

use tabulae_core::query::Query;
use tabulae_core::query::ast::{Lasts, Statement};
use tabulae_core::settings::Settings;

/// What they look into, and how long their answers stay the same.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct QueryTraits {
    /// How long the answers stay the same by themselves: of all the shortest.
    pub(crate) lasts: Lasts,
    /// Whether any looks into texts.
    pub(crate) texts: bool,
    /// Whether any names summaries.
    pub(crate) summaries: bool,
    /// Whether any names likeness.
    pub(crate) likeness: bool,
}

impl QueryTraits {
    /// Of all queries that can be read.
    pub(super) fn of(settings: &Settings) -> Self {
        let statements = statements(settings);
        let any = |asks: fn(&Statement) -> bool| statements.iter().any(asks);
        Self {
            lasts: statements
                .iter()
                .map(Statement::lasts)
                .max()
                .unwrap_or_default(),
            texts: any(Statement::looks_into_texts),
            summaries: any(|statement| statement.names("summary")),
            likeness: any(|statement| statement.names("likeness")),
        }
    }
}

fn statements(settings: &Settings) -> Vec<Statement> {
    let named = settings.queries.iter().map(|(_, query)| query);
    let archives = settings.archives.iter();
    let archives = archives.filter_map(|archive| archive.query.as_ref());
    let feeds = settings.feeds.iter().filter_map(|feed| feed.query.as_ref());
    let related = settings.related.iter();
    let related = related.flat_map(|related| related.query.iter().chain(&related.fill));
    named
        .chain(archives)
        .chain(feeds)
        .chain(related)
        .filter_map(|query| Query::parse(query).ok())
        .map(|query| query.statement().clone())
        .collect()
}
