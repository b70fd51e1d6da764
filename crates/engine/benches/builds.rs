//! Builds as whole processes, each case beside what it cannot be faster than, in one run.
//!
//! | case | beside |
//! |---|---|
//! | plain: a new site into a new folder, without related posts | bare: the same sources read and the same bytes written, by as many threads, and nothing else |
//! | code: the same with highlighted code | plain, whose code is not |
//! | cold: the same with what to read next below each post, by terms | floor: the same of its bytes |
//! | texts: the same by terms, titles and texts | floor |
//! | nothing changed; a body edited; a tag added | scan: the metadata of every source and output |
//! | edited text: a body edited where texts are compared | 500 ms |
//! | a template changed, which all pages use | the cold build |
//! | preview: a body edited between two builds of one process, until the new files are in place | 50 ms |
//!
//! `cargo bench -p tabulae-engine --bench builds` measures 1,000 and 10,000 posts of both corpora; other
//! sizes by `-- 100000`, one corpus by its name, `plain` or `engineering`, the number of runs by `--runs 7`;
//! `--markdown` prints the table as Markdown.

#![allow(missing_docs, reason = "a bench, not a library")]
#![allow(clippy::print_stdout, reason = "a bench prints its table")]
#![allow(clippy::cast_precision_loss, reason = "sizes are shown rounded")]
#![allow(
    clippy::cast_possible_truncation,
    reason = "numbers made for a bench are small"
)]
#![allow(
    clippy::cast_sign_loss,
    reason = "numbers made for a bench are positive"
)]

mod generator;
mod process;

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use generator::{Corpus, RELATED};
use process::{edit, head, let_rest, median, of_session, run, scan};
use rayon::prelude::*;

/// A case, the case it is compared with, and the highest ratio of both.
const CASES: [(&str, &str, f64); 10] = [
    ("plain", "bare", 1.5),
    ("code", "plain", 2.5),
    ("cold", "floor", 2.0),
    ("texts", "floor", 2.5),
    ("nothing", "scan", 2.5),
    ("body", "scan", 3.0),
    ("tag", "scan", 3.0),
    ("edited text", "500 ms", 1.0),
    ("template", "cold", 1.2),
    ("preview", "50 ms", 1.0),
];

/// The settings of related posts by terms, titles and texts.
const TEXTS: &str = "\n[related]\nweigh = { tag = 3, category = 2, title = 2, body = 1 }\n";

/// The settings of a site whose code is not highlighted.
const PLAIN_CODE: &str = "\n[code]\nhighlight = false\n";

fn main() {
    if process::is_child() {
        return;
    }
    let (mut sizes, mut corpora) = (Vec::new(), Vec::new());
    let (mut runs, mut markdown) = (5, false);
    let mut words = std::env::args().skip(1);
    while let Some(word) = words.next() {
        match word.as_str() {
            "--markdown" => markdown = true,
            "--runs" => runs = words.next().and_then(|n| n.parse().ok()).unwrap_or(runs),
            word => {
                sizes.extend(word.parse::<usize>().ok());
                corpora.extend(Corpus::named(word));
            }
        }
    }
    if corpora.is_empty() {
        corpora = Corpus::ALL.to_vec();
    }
    if sizes.is_empty() {
        sizes = vec![1_000, 10_000];
    }
    let root = process::scratch();
    println!("{}", head(runs));
    if markdown {
        println!("\n| corpus | posts | case | seconds | ratio | aim | MB |");
        println!("|---|--:|---|--:|--:|--:|--:|");
    } else {
        println!(
            "{:<12} {:>8} {:<12} {:>10} {:>10} {:>14} {:>6} {:>10}",
            "corpus", "posts", "case", "seconds", "beside", "ratio", "aim", "memory"
        );
    }
    for size in sizes {
        for corpus in &corpora {
            let root = root.join(format!("{}-{size}", corpus.name()));
            measure(&root, *corpus, size, runs, markdown);
        }
    }
    // Only now: deleting slows down the writing that follows it.
    let _ = fs::remove_dir_all(&root);
}

/// Seconds by case, and megabytes.
type Measured = BTreeMap<&'static str, (Vec<f64>, Vec<f64>)>;

fn measure(root: &Path, corpus: Corpus, size: usize, runs: usize, markdown: bool) {
    let [plain, code, site, texts] = ["plain", "code", "site", "texts"].map(|name| root.join(name));
    for folder in [&plain, &code, &site, &texts] {
        corpus.write(folder, size);
    }
    edit(&plain.join("tabulae.toml"), |text| text + PLAIN_CODE);
    edit(&site.join("tabulae.toml"), |text| text + RELATED);
    edit(&texts.join("tabulae.toml"), |text| text + TEXTS);
    let made_of = |site: &Path, name: &str| {
        let first = root.join(name);
        run(site, &first);
        tree(&first)
    };
    let bare = made_of(&plain, "first-plain");
    let outputs = made_of(&site, "first");
    let sources = tree(&site);
    let mut measured = Measured::new();
    let mut note = |case, (seconds, memory): (Duration, f64)| {
        let (times, peaks) = measured.entry(case).or_default();
        times.push(seconds.as_secs_f64());
        peaks.push(memory);
    };
    for at in 0..runs {
        let out = root.join(format!("bare-{at}"));
        note("bare", (floor_of(&plain, &sources, &bare, &out), 0.0));
        note("plain", run(&plain, &root.join(format!("plain-{at}"))));
        let floor = root.join(format!("floor-{at}"));
        note("code", run(&code, &root.join(format!("code-{at}"))));
        note("floor", (floor_of(&site, &sources, &outputs, &floor), 0.0));
        let out = root.join(format!("out-{at}"));
        note("cold", run(&site, &out));
        note("nothing", run(&site, &out));
        note("scan", (scan(&[&site, &out]), 0.0));
        let post = site.join(corpus.file((size / 2 + at) % size));
        edit(&post, |text| text + "\nOne more line.\n");
        note("body", run(&site, &out));
        edit(&post, |text| corpus.with_tag(&text, "tag 9"));
        note("tag", run(&site, &out));
        note("preview", of_session(&site, &out, &post));
        let out = root.join(format!("texts-{at}"));
        note("texts", run(&texts, &out));
        let post = texts.join(corpus.file((size / 2 + at) % size));
        edit(&post, |text| text + "\nOne more line.\n");
        note("edited text", run(&texts, &out));
        note("50 ms", (Duration::from_millis(50), 0.0));
        note("500 ms", (Duration::from_millis(500), 0.0));
    }
    // Last, as it replaces every file: for minutes after, a file system that lately gave up
    // thousands of files takes several times as long to make new ones.
    for at in 0..runs {
        let out = root.join(format!("out-{at}"));
        // The posts that were edited for other runs.
        run(&site, &out);
        let template = site.join("templates/parts/foot.html");
        fs::create_dir_all(site.join("templates/parts")).expect("a new folder");
        edit(&template, |_| {
            format!("<p>The foot, changed {at} times.</p>\n")
        });
        note("template", run(&site, &out));
    }
    for (case, beside, aim) in CASES {
        let ratios = measured[case].0.iter().zip(&measured[beside].0);
        let ratio = median(
            &ratios
                .map(|(case, beside)| case / beside)
                .collect::<Vec<_>>(),
        );
        let (seconds, memory) = (median(&measured[case].0), median(&measured[case].1));
        let beside_seconds = median(&measured[beside].0);
        let name = corpus.name();
        match markdown {
            false => println!(
                "{name:<12} {size:>8} {case:<12} {seconds:>8.3} s {beside_seconds:>8.3} s {ratio:>6.2} x {beside:<6} {aim:>5.1} {memory:>7.0} MB",
            ),
            true => println!(
                "| {name} | {size} | {case} | {seconds:.2} | {ratio:.2} × {beside} | {aim} | {memory:.0} |",
            ),
        }
    }
    let bytes: usize = sources.iter().map(|(_, bytes)| bytes.len()).sum();
    let written: usize = outputs.iter().map(|(_, bytes)| bytes.len()).sum();
    let (bytes, written) = (bytes as f64 / 1e6, written as f64 / 1e6);
    let files = outputs.len();
    let name = corpus.name();
    match markdown {
        false => println!(
            "{name:<12} {size:>8} {bytes:.0} MB of sources, {written:.0} MB in {files} outputs",
        ),
        true => println!(
            "| {name} | {size} | sources {bytes:.0} MB, {files} outputs {written:.0} MB | | | | |",
        ),
    }
}

/// Reads all sources and writes all outputs, and does nothing else.
fn floor_of(
    site: &Path,
    sources: &[(PathBuf, Vec<u8>)],
    outputs: &[(PathBuf, Vec<u8>)],
    out: &Path,
) -> Duration {
    let_rest();
    let began = Instant::now();
    let read: usize = sources
        .par_iter()
        .map(|(path, _)| fs::read(site.join(path)).map_or(0, |bytes| bytes.len()))
        .sum();
    outputs.par_iter().for_each(|(path, bytes)| {
        let path = out.join(path);
        if let Some(folder) = path.parent() {
            fs::create_dir_all(folder).expect("a new folder");
        }
        fs::write(path, bytes).expect("a new file");
    });
    let took = began.elapsed();
    assert!(read > 0, "the sources are read");
    took
}

/// All files below a folder with their bytes.
fn tree(root: &Path) -> Vec<(PathBuf, Vec<u8>)> {
    let files = walkdir::WalkDir::new(root)
        .sort_by_file_name()
        .into_iter()
        .filter_map(Result::ok);
    files
        .filter(|entry| entry.file_type().is_file())
        .map(|entry| {
            let bytes = fs::read(entry.path()).expect("a file that was written");
            (
                entry
                    .path()
                    .strip_prefix(root)
                    .expect("below the root")
                    .to_owned(),
                bytes,
            )
        })
        .collect()
}
