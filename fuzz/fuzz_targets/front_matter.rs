//! No text makes the reader of front matter panic, and a body is never longer than its file.
#![no_main]

use libfuzzer_sys::fuzz_target;
use tabulae_core::front_matter;
use tabulae_core::source::Source;

fuzz_target!(|text: &str| {
    let source = Source::new("posts/a.md", text);
    let read = front_matter::read(&source, &jiff::tz::TimeZone::UTC).output;
    assert!(read.body <= source.text().len());
});
