//! Builds of growing sites: what a post costs among ten times as many.
//!
//! Posts of 1 KB with 200 tags of uneven use, 20 categories, archives by tag, category and year, a feed, and related posts by
//! terms. Each run measures all sizes one after the other, so that each ratio is of one run.
//!
//! | case | what is measured |
//! |---|---|
//! | cold | a new site into a new folder |
//! | nothing | nothing changed |
//! | body | a text edited |
//! | preview | a text edited between two builds of one process, until the new files are in place |
//! | scan | the metadata of every source and output, and nothing else |
//!
//! `cargo bench -p tabulae-engine --bench growth` measures 1,000, 10,000 and 100,000 posts; other sizes by `-- 300000`, the
//! number of runs by `--runs 3`; `--markdown` prints the table as Markdown, `--lines` the figures for a picture. A million
//! posts need 30 GB of room in the folder of temporary files.

#![allow(missing_docs, reason = "a bench, not a library")]
#![allow(clippy::print_stdout, reason = "a bench prints its table")]
#![allow(clippy::cast_precision_loss, reason = "sizes are shown rounded")]
#![allow(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "numbers made for a bench are small and positive"
)]

mod generator;
mod process;

use std::fs;
use std::path::{Path, PathBuf};
use std::time::Duration;

use generator::{Corpus, RELATED};
use process::{edit, head, median, of_session, run, scan};

const CASES: [&str; 5] = ["cold", "nothing", "body", "preview", "scan"];

/// The form in which the figures are printed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Form {
    Table,
    Markdown,
    Lines,
}

/// The seconds and megabytes of each case, in the order of [`CASES`].
type Run = [(f64, f64); CASES.len()];

fn main() {
    if process::is_child() {
        return;
    }
    let (mut sizes, mut runs, mut form) = (Vec::new(), 3, Form::Table);
    let mut words = std::env::args().skip(1);
    while let Some(word) = words.next() {
        match word.as_str() {
            "--lines" => form = Form::Lines,
            "--markdown" => form = Form::Markdown,
            "--runs" => runs = words.next().and_then(|n| n.parse().ok()).unwrap_or(runs),
            word => sizes.extend(word.parse::<usize>().ok()),
        }
    }
    if sizes.is_empty() {
        sizes = vec![1_000, 10_000, 100_000];
    }
    let root = process::scratch();
    let sites: Vec<(usize, PathBuf)> = sizes
        .iter()
        .map(|size| (*size, root.join(size.to_string())))
        .collect();
    for (size, site) in &sites {
        Corpus::Short.write(site, *size);
        edit(&site.join("tabulae.toml"), |text| text + RELATED);
    }
    let mut measured: Vec<Vec<Run>> = vec![Vec::new(); sites.len()];
    for at in 0..runs {
        for ((size, site), known) in sites.iter().zip(&mut measured) {
            known.push(measure(site, &root.join(format!("{size}-{at}")), *size));
        }
    }
    print(&sizes, &measured, runs, form);
    // Only now: deleting slows down the writing that follows it.
    let _ = fs::remove_dir_all(&root);
}

fn measure(site: &Path, out: &Path, size: usize) -> Run {
    let in_seconds = |(took, megabytes): (Duration, f64)| (took.as_secs_f64(), megabytes);
    let cold = run(site, out);
    let nothing = run(site, out);
    let scanned = (scan(&[site, out]), 0.0);
    let post = site.join(Corpus::Short.file(size / 2));
    edit(&post, |text| text + "\nOne more line.\n");
    let body = run(site, out);
    let preview = of_session(site, out, &post);
    [cold, nothing, body, preview, scanned].map(in_seconds)
}

/// Prints each case of each size, and the median ratio to the next smaller size: 10 is linear among ten times as many posts.
fn print(sizes: &[usize], measured: &[Vec<Run>], runs: usize, form: Form) {
    match form {
        Form::Lines => {}
        Form::Table => println!("{}", head(runs)),
        Form::Markdown => {
            println!("{}\n", head(runs));
            println!("| posts | case | seconds | of the size before | MB |");
            println!("|--:|---|--:|--:|--:|");
        }
    }
    for (at, (size, runs)) in sizes.iter().zip(measured).enumerate() {
        for (place, case) in CASES.iter().enumerate() {
            let (times, peaks) = of_case(runs, place);
            let (seconds, memory) = (median(&times), median(&peaks));
            let before = at.checked_sub(1).map(|before| &measured[before]);
            let ratio = before.map_or_else(String::new, |before| {
                let (before, _) = of_case(before, place);
                let ratios = times.iter().zip(before).map(|(now, then)| now / then);
                format!("{:.1} ×", median(&ratios.collect::<Vec<_>>()))
            });
            match form {
                Form::Lines => println!("{size} {case} {seconds:.4} {memory:.0}"),
                Form::Table => {
                    println!("{size:>9} {case:<8} {seconds:>9.3} s {ratio:>8} {memory:>7.0} MB")
                }
                Form::Markdown => {
                    println!("| {size} | {case} | {seconds:.2} | {ratio} | {memory:.0} |")
                }
            }
        }
    }
}

/// Returns the seconds and megabytes of a case in each run.
fn of_case(runs: &[Run], place: usize) -> (Vec<f64>, Vec<f64>) {
    runs.iter().map(|run| run[place]).unzip()
}
