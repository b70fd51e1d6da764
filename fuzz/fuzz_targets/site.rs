//! A small site in memory, its files parted by lines of `==== path`: no build panics, and one after
//! an edit gives what a clean build gives.
#![no_main]

use libfuzzer_sys::fuzz_target;
use tabulae_engine::{BuildOptions, Clock, MemoryOutput, MemorySources, Workspace};

const SITE: &str = "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n";

fuzz_target!(|text: &str| {
    let sources = MemorySources::default();
    sources.write("tabulae.toml", SITE);
    sources.write(
        "posts/2026-03-14-lime.md",
        "---\ntags: [lime]\n---\nLime.\n",
    );
    let site = Workspace::from_sources(sources.clone());
    let site = site.clock(Clock::At("2026-06-01T12:00:00Z".parse().unwrap()));
    let mut output = MemoryOutput::default();
    let _ = site.build(&mut output, BuildOptions::default());
    for file in text.split("==== ").take(12) {
        let (path, text) = file.split_once('\n').unwrap_or((file, ""));
        let path = path.trim();
        if !path.is_empty() {
            sources.write(path, text);
        }
    }
    let built = site.build(&mut output, BuildOptions::default());
    let mut clean = MemoryOutput::default();
    let anew = site.build(&mut clean, BuildOptions::default());
    assert_eq!(built.is_ok(), anew.is_ok());
    if built.is_ok() {
        assert_eq!(output.files(), clean.files());
    }
});
