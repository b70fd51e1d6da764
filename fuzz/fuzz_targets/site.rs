//! A small site in memory, its files parted by lines of `==== path`: no build panics, and one after
//! an edit gives what a clean build gives.
#![no_main]

use libfuzzer_sys::fuzz_target;
use tabulae_core::post::Include;
use tabulae_engine::output::Memory as Output;
use tabulae_engine::sources::Memory;
use tabulae_engine::{Clock, Foreign, Options, Quiet, build};

const SITE: &str = "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n";

fuzz_target!(|text: &str| {
    let options = Options {
        clock: Clock::At("2026-06-01T12:00:00Z".parse().unwrap()),
        include: Include::default(),
        keep_going: true,
        dry_run: false,
        foreign: Foreign::default(),
        progress: &Quiet,
    };
    let mut sources = Memory::default();
    sources.write("tabulae.toml", SITE);
    sources.write(
        "posts/2026-03-14-lime.md",
        "---\ntags: [lime]\n---\nLime.\n",
    );
    let mut output = Output::default();
    let _ = build(&sources, &mut output, &options);
    for file in text.split("==== ").take(12) {
        let (path, text) = file.split_once('\n').unwrap_or((file, ""));
        let path = path.trim();
        if !path.is_empty() {
            sources.write(path, text);
        }
    }
    let built = build(&sources, &mut output, &options);
    let mut clean = Output::default();
    let anew = build(&sources, &mut clean, &options);
    let failed =
        |faults: &[tabulae_core::diagnostic::Diagnostic]| faults.iter().any(|f| f.is_error());
    assert_eq!(
        built.output.unchanged + built.output.written > 0,
        anew.output.written > 0
    );
    if !failed(&built.diagnostics) && !failed(&anew.diagnostics) {
        assert_eq!(output.files(), clean.files());
    }
});
