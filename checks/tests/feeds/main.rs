//! Feeds, judged by a feed parser that is not ours.

#![allow(clippy::unwrap_used, reason = "a test fails where it unwraps")]

#[allow(dead_code, reason = "other tests use what these do not")]
#[path = "../../../crates/engine/src/tests/bench.rs"]
mod bench;
mod documents;
mod example;
mod sites;
mod stop_words;
