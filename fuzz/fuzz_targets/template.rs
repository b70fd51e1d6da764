//! No template makes a build panic or run for ever.
#![no_main]

use libfuzzer_sys::fuzz_target;
use tabulae_core::post::Include;
use tabulae_engine::output::Memory as Output;
use tabulae_engine::sources::Memory;
use tabulae_engine::{Clock, Foreign, Options, Quiet, build};

const SITE: &str = "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n";

fuzz_target!(|text: &str| {
    let mut sources = Memory::default();
    sources.write("tabulae.toml", SITE);
    sources.write(
        "posts/2026-03-14-lime.md",
        "---\ntags: [lime]\n---\nLime.\n",
    );
    sources.write(
        "posts/2026-03-15-sand.md",
        "---\ntags: [lime]\n---\nSand.\n",
    );
    sources.write("templates/post.html", text);
    sources.write("templates/parts/card.html", text);
    let options = Options {
        clock: Clock::At("2026-06-01T12:00:00Z".parse().unwrap()),
        include: Include::default(),
        keep_going: false,
        dry_run: false,
        foreign: Foreign::default(),
        progress: &Quiet,
    };
    let _ = build(&sources, &mut Output::default(), &options);
});
