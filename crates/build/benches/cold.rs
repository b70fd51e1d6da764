//! A cold build beside the floor: reading the same sources and writing the same bytes into a
//! new tree, with as many threads, and doing nothing else. Both in turn, each in a new folder.
//!
//! `cargo bench -p tabulae-build` measures 1,000 and 10,000 posts; other sizes by
//! `cargo bench -p tabulae-build -- 100000`, how often by `--runs 7`, and `--keep` leaves
//! the sites where they are.

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

use std::fs;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use jiff::Timestamp;
use rayon::prelude::*;
use tabulae_build::output::Disk as Output;
use tabulae_build::sources::Disk as Sources;
use tabulae_build::{Clock, Options, Quiet, build};
use tabulae_core::post::Include;

/// The allocator of the program.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() {
    let mut sizes = Vec::new();
    let mut runs = 5;
    let mut keep = false;
    let mut words = std::env::args().skip(1);
    while let Some(word) = words.next() {
        match word.as_str() {
            "--keep" => keep = true,
            "--runs" => runs = words.next().and_then(|n| n.parse().ok()).unwrap_or(runs),
            word => sizes.extend(word.parse::<usize>().ok()),
        }
    }
    if sizes.is_empty() {
        sizes = vec![1_000, 10_000];
    }
    let root = std::env::temp_dir().join(format!("tabulae-bench-{}", std::process::id()));
    println!(
        "medians of {runs} runs in turn, {} threads",
        rayon::current_num_threads()
    );
    println!(
        "{:>8} {:>9} {:>10} {:>10} {:>10} {:>7}",
        "posts", "files", "output", "floor", "cold", "ratio"
    );
    for size in sizes {
        measure(&root.join(size.to_string()), size, runs);
    }
    if keep {
        println!("the sites are in {}", root.display());
    } else {
        // Only now: deleting slows down the writing that follows it.
        let _ = fs::remove_dir_all(&root);
    }
}

fn measure(root: &Path, size: usize, runs: usize) {
    let site = root.join("site");
    generator::write_site(&site, size);
    cold(&site, &root.join("first"));
    let outputs = tree(&root.join("first"));
    let sources = tree(&site);
    let bytes: usize = outputs.iter().map(|(_, bytes)| bytes.len()).sum();
    let (mut floors, mut colds) = (Vec::new(), Vec::new());
    for run in 0..runs {
        floors.push(floor(
            &site,
            &sources,
            &outputs,
            &root.join(format!("floor-{run}")),
        ));
        colds.push(cold(&site, &root.join(format!("cold-{run}"))));
    }
    let ratio = median(
        &mut floors
            .iter()
            .zip(&colds)
            .map(|(f, c)| c.as_secs_f64() / f.as_secs_f64())
            .collect::<Vec<_>>(),
    );
    let seconds = |times: Vec<Duration>| {
        median(&mut times.iter().map(Duration::as_secs_f64).collect::<Vec<_>>())
    };
    println!(
        "{size:>8} {:>9} {:>7.1} MB {:>8.2} s {:>8.2} s {ratio:>7.2}",
        outputs.len(),
        bytes as f64 / 1e6,
        seconds(floors),
        seconds(colds),
    );
}

fn median(values: &mut [f64]) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

fn cold(site: &Path, out: &Path) -> Duration {
    let began = Instant::now();
    let mut output = Output::new(out, out.with_extension("memory"), "out");
    let options = Options {
        clock: Clock::At(Timestamp::from_second(1_790_000_000).expect("a time")),
        include: Include::default(),
        keep_going: false,
        dry_run: false,
        progress: &Quiet,
    };
    let built = build(&Sources::new(site), &mut output, &options);
    let took = began.elapsed();
    assert!(
        built.diagnostics.is_empty() && built.output.written > 0,
        "{:?}",
        built.diagnostics
    );
    took
}

/// Reads all sources and writes all outputs, and does nothing else.
fn floor(
    site: &Path,
    sources: &[(PathBuf, Vec<u8>)],
    outputs: &[(PathBuf, Vec<u8>)],
    out: &Path,
) -> Duration {
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
