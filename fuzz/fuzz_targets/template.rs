//! No template makes a build panic or run for ever.
#![no_main]

use libfuzzer_sys::fuzz_target;
use tabulae_engine::{BuildOptions, MemoryOutput, MemorySources, Workspace};

const SITE: &str = "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n";

fuzz_target!(|text: &str| {
    let sources = MemorySources::default();
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
    let site = Workspace::from_sources(sources);
    let _ = site.build(&mut MemoryOutput::default(), BuildOptions::default());
});
