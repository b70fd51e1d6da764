//! No text makes the query parser panic, and what it prints is read as the same query.
#![no_main]

use libfuzzer_sys::fuzz_target;
use tabulae_core::query::Query;
use tabulae_core::source::EmbeddedText;

fuzz_target!(|text: &str| {
    let Ok(query) = Query::parse(&EmbeddedText::command_line(text)) else {
        return;
    };
    let printed = query.to_string();
    let again = Query::parse(&EmbeddedText::command_line(&printed));
    let again = again.unwrap_or_else(|diagnostic| panic!("{printed}: {}", diagnostic.message));
    assert_eq!(again.statement(), query.statement(), "{printed}");
});
