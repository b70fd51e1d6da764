//! The related posts of every post, beside the cold build of the same site without them, in one
//! run: terms only; terms, title and body; and the same when the words were counted before. Measures
//! the plain corpus and that of an engineering blog.
//!
//! `cargo bench -p tabulae-engine --bench likeness` measures 10,000 posts; other sizes by
//! `-- 100000`, the number of runs by `--runs 5`, one corpus by its name: `plain` or `engineering`.

#![allow(missing_docs, reason = "a bench, not a library")]
#![allow(clippy::print_stdout, reason = "a bench prints its table")]
#![allow(clippy::cast_precision_loss, reason = "sizes are shown rounded")]
#![allow(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "numbers made for a bench are small"
)]
#![allow(
    clippy::disallowed_methods,
    reason = "a bench is where time is measured"
)]

mod generator;
mod process;

use std::fs;
use std::path::Path;
use std::time::Instant;

use generator::{Corpus, RELATED};
use process::{build, median, now, workspace};
use rayon::prelude::*;
use tabulae_core::diagnostic::Diagnostics;
use tabulae_core::query::{Library, Scope};
use tabulae_core::related::RelatedList;
use tabulae_core::time::Moment;
use tabulae_engine::Workspace;

fn main() {
    let (mut sizes, mut corpora) = (Vec::new(), Vec::new());
    let mut runs = 5;
    let mut words = std::env::args().skip(1);
    while let Some(word) = words.next() {
        match word.as_str() {
            "--runs" => runs = words.next().and_then(|n| n.parse().ok()).unwrap_or(runs),
            word => {
                sizes.extend(word.parse::<usize>().ok());
                corpora.extend(Corpus::named(word));
            }
        }
    }
    if sizes.is_empty() {
        sizes = vec![10_000];
    }
    if corpora.is_empty() {
        corpora = Corpus::ALL.to_vec();
    }
    let root = std::env::temp_dir().join(format!("tabulae-likeness-{}", std::process::id()));
    println!(
        "medians of {runs} runs in turn, {} threads",
        rayon::current_num_threads()
    );
    println!(
        "{:<12} {:>8} {:>10} {:>16} {:>16} {:>16} {:>16}",
        "corpus", "posts", "cold", "terms only", "words counted", "then all", "all together"
    );
    for size in sizes {
        for corpus in &corpora {
            let root = root.join(format!("{corpus:?}-{size}"));
            measure(&root, *corpus, size, runs);
        }
    }
    let _ = fs::remove_dir_all(&root);
}

fn measure(root: &Path, corpus: Corpus, size: usize, runs: usize) {
    let site = root.join("site");
    corpus.write(&site, size);
    let settings = fs::read_to_string(site.join("tabulae.toml")).expect("settings");
    let (mut colds, mut terms, mut words, mut rest) =
        (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    for run in 0..runs {
        let write = |more: &str| {
            fs::write(site.join("tabulae.toml"), format!("{settings}{more}")).expect("settings");
        };
        write("");
        let began = Instant::now();
        let out = root.join(format!("out-{run}"));
        build(&site, &out);
        colds.push(began.elapsed().as_secs_f64());
        write(RELATED);
        let known = workspace(&site);
        terms.push(lists(&known, &list_of(&known)));
        write("[related]\n");
        let known = workspace(&site);
        let list = list_of(&known);
        let began = Instant::now();
        let _ = known.catalogue().expect("a site").words();
        words.push(began.elapsed().as_secs_f64());
        rest.push(lists(&known, &list));
    }
    let cold = median(&colds);
    let share = |seconds: f64| format!("{seconds:>7.3} s {:>6.3}", seconds / cold);
    let (terms, words, rest) = (median(&terms), median(&words), median(&rest));
    println!(
        "{:<12} {size:>8} {cold:>8.2} s {} {} {} {}",
        corpus.name(),
        share(terms),
        share(words),
        share(rest),
        share(words + rest)
    );
}

/// The list of related posts by the settings of a site.
fn list_of(site: &Workspace) -> RelatedList {
    let settings = site.settings().expect("settings");
    let catalogue = site.catalogue().expect("posts");
    let zone = settings.site.timezone.clone();
    let moment = Moment { now: now(), zone };
    let mut diagnostics = Diagnostics::new();
    let library = Library::new(settings, catalogue, &moment).into_output(&mut diagnostics);
    let list = RelatedList::new(
        settings.related.as_ref().expect("related posts"),
        settings,
        Scope::new(catalogue, &library, &moment),
    );
    let list = list.into_output(&mut diagnostics);
    assert!(diagnostics.is_empty(), "{diagnostics:?}");
    list.expect("a list")
}

/// Seconds for the lists of all posts, with the index that they need.
fn lists(site: &Workspace, list: &RelatedList) -> f64 {
    let began = Instant::now();
    let catalogue = site.catalogue().expect("posts");
    let ids: Vec<_> = catalogue.all().collect();
    let found: usize = ids.par_iter().map(|id| list.of(catalogue, *id).len()).sum();
    assert!(found > 0);
    began.elapsed().as_secs_f64()
}
