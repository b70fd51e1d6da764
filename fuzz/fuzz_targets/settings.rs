//! No text makes the reader of `tabulae.toml` panic, and each diagnostic points into the text.
#![no_main]

use libfuzzer_sys::fuzz_target;
use tabulae_core::settings::{FILE, Settings};
use tabulae_core::source::Source;

fuzz_target!(|text: &str| {
    let source = Source::new(FILE, text);
    let lines = text.lines().count() + 1;
    for diagnostic in Settings::read(&source).diagnostics {
        assert!(diagnostic.location.line <= lines, "{diagnostic:?}");
    }
});
