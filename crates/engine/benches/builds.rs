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
//! `--markdown` prints the table as Markdown, `--lines` the figures of the plain corpus alone, for a picture.

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

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use generator::Corpus;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use rayon::prelude::*;
use tabulae_core::diagnostic::Diagnostic;
use tabulae_engine::{BuildOptions, BuildReport, Clock, DiskOutput, Progress, Step, Workspace};

/// The allocator of the program.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

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

/// The settings of related posts by terms.
const RELATED: &str = "\n[related]\nweigh = { tag = 3, category = 2 }\n";

/// The settings of related posts by terms, titles and texts.
const TEXTS: &str = "\n[related]\nweigh = { tag = 3, category = 2, title = 2, body = 1 }\n";

/// The form in which the figures are printed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Form {
    Table,
    Markdown,
    Lines,
}

/// The settings of a site whose code is not highlighted.
const PLAIN_CODE: &str = "\n[code]\nhighlight = false\n";

fn main() {
    let (mut sizes, mut corpora) = (Vec::new(), Vec::new());
    let (mut runs, mut form) = (5, Form::Table);
    let mut words = std::env::args().skip(1);
    while let Some(word) = words.next() {
        match word.as_str() {
            "--child" => {
                let mut folder = || PathBuf::from(words.next().expect("a folder"));
                return child(&folder(), &folder());
            }
            "--session" => {
                let mut folder = || PathBuf::from(words.next().expect("a path"));
                return session(&folder(), &folder(), &folder());
            }
            "--lines" => form = Form::Lines,
            "--markdown" => form = Form::Markdown,
            "--runs" => runs = words.next().and_then(|n| n.parse().ok()).unwrap_or(runs),
            word => {
                sizes.extend(word.parse::<usize>().ok());
                corpora.extend(Corpus::named(word));
            }
        }
    }
    if form == Form::Lines {
        corpora = vec![Corpus::Plain];
    } else if corpora.is_empty() {
        corpora = Corpus::ALL.to_vec();
    }
    if sizes.is_empty() {
        sizes = vec![1_000, 10_000];
    }
    let root = std::env::temp_dir().join(format!("tabulae-bench-{}", std::process::id()));
    head(form, runs);
    for size in sizes {
        for corpus in &corpora {
            let root = root.join(format!("{}-{size}", corpus.name()));
            measure(&root, *corpus, size, runs, form);
        }
    }
    // Only now: deleting slows down the writing that follows it.
    let _ = fs::remove_dir_all(&root);
}

/// Prints the head of the table.
fn head(form: Form, runs: usize) {
    let threads = rayon::current_num_threads();
    let about =
        format!("medians of {runs} runs in turn, {threads} threads; each ratio within one run");
    match form {
        Form::Lines => {}
        Form::Table => {
            println!("{about}");
            println!(
                "{:<12} {:>8} {:<12} {:>10} {:>10} {:>14} {:>6} {:>10}",
                "corpus", "posts", "case", "seconds", "beside", "ratio", "aim", "memory"
            );
        }
        Form::Markdown => {
            let now = std::time::SystemTime::now();
            let now = Timestamp::try_from(now).expect("a time of this age");
            let today = TimeZone::UTC.to_datetime(now).date();
            println!("{today}, {}: {about}.\n", machine());
            println!("| corpus | posts | case | seconds | ratio | aim | MB |");
            println!("|---|--:|---|--:|--:|--:|--:|");
        }
    }
}

/// Returns the processor in words.
fn machine() -> String {
    let known = fs::read_to_string("/proc/cpuinfo").unwrap_or_default();
    let name = known
        .lines()
        .find_map(|line| line.strip_prefix("model name"));
    let name = name.and_then(|name| Some(name.split_once(':')?.1.trim().to_owned()));
    name.unwrap_or_else(|| std::env::consts::ARCH.to_owned())
}

/// Seconds by case, and megabytes.
type Measured = BTreeMap<&'static str, (Vec<f64>, Vec<f64>)>;

fn measure(root: &Path, corpus: Corpus, size: usize, runs: usize, form: Form) {
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
        match form {
            Form::Lines => println!(
                "{size} {} {seconds:.4} {} {beside_seconds:.4} {ratio:.3} {memory:.1}",
                case.replace(' ', "-"),
                beside.replace(' ', "-"),
            ),
            Form::Table => println!(
                "{name:<12} {size:>8} {case:<12} {seconds:>8.3} s {beside_seconds:>8.3} s {ratio:>6.2} x {beside:<6} {aim:>5.1} {memory:>7.0} MB",
            ),
            Form::Markdown => println!(
                "| {name} | {size} | {case} | {seconds:.2} | {ratio:.2} × {beside} | {aim} | {memory:.0} |",
            ),
        }
    }
    let bytes: usize = sources.iter().map(|(_, bytes)| bytes.len()).sum();
    let written: usize = outputs.iter().map(|(_, bytes)| bytes.len()).sum();
    let (bytes, written) = (bytes as f64 / 1e6, written as f64 / 1e6);
    let files = outputs.len();
    let name = corpus.name();
    match form {
        Form::Lines => {}
        Form::Table => println!(
            "{name:<12} {size:>8} {bytes:.0} MB of sources, {written:.0} MB in {files} outputs",
        ),
        Form::Markdown => println!(
            "| {name} | {size} | sources {bytes:.0} MB, {files} outputs {written:.0} MB | | | | |",
        ),
    }
}

fn median(values: &[f64]) -> f64 {
    let mut values = values.to_vec();
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

/// Changes a file, and waits until its time of change differs from now.
fn edit(path: &Path, change: impl FnOnce(String) -> String) {
    let text = fs::read_to_string(path).unwrap_or_default();
    fs::write(path, change(text)).expect("an edited file");
    std::thread::sleep(Duration::from_millis(120));
}

/// A build in a process of its own, from its start to its end, with its peak memory in megabytes.
fn run(site: &Path, out: &Path) -> (Duration, f64) {
    let_rest();
    let began = Instant::now();
    let said = say("--child", &[site, out]);
    (began.elapsed(), said[0])
}

/// Waits until the disk has written what runs before this one left to it.
fn let_rest() {
    // Where there is no such command, runs disturb one another more.
    let _ = Command::new("sync").status();
}

/// The second build of a process, with the peak memory of the process.
fn of_session(site: &Path, out: &Path, post: &Path) -> (Duration, f64) {
    let said = say("--session", &[site, out, post]);
    (Duration::from_secs_f64(said[0]), said[1])
}

/// The numbers that a process of this bench says.
fn say(what: &str, paths: &[&Path]) -> Vec<f64> {
    let program = std::env::current_exe().expect("this bench");
    let ended = Command::new(program).arg(what).args(paths).output();
    let ended = ended.expect("a process");
    assert!(ended.status.success(), "{ended:?}");
    let said = String::from_utf8_lossy(&ended.stdout);
    let numbers = said.split_whitespace().map(str::parse);
    numbers.collect::<Result<_, _>>().expect("numbers")
}

fn workspace(site: &Path) -> Workspace {
    let now = Timestamp::from_second(1_790_000_000).expect("a time");
    Workspace::at(site).clock(Clock::At(now))
}

fn output_at(out: &Path) -> DiskOutput {
    let output = DiskOutput::new(out).expect("a folder");
    output.state(out.with_extension("state"))
}

fn child(site: &Path, out: &Path) {
    let built = workspace(site).build(&mut output_at(out), BuildOptions::default());
    let built = built.expect("a sound site");
    assert!(built.diagnostics.is_empty(), "{:?}", built.diagnostics);
    println!("{}", peak());
}

/// The time at which the outputs were in their places.
#[derive(Debug, Default)]
struct Finished(Mutex<Option<Instant>>);

impl Progress for Finished {
    fn step(&self, _: Step, _: usize, _: usize) {}

    fn published(&self, _: &BuildReport, _: &[Diagnostic]) {
        *self.0.lock().unwrap_or_else(PoisonError::into_inner) = Some(Instant::now());
    }
}

fn session(site: &Path, out: &Path, post: &Path) {
    let mut session = workspace(site).session().exclusive();
    let finished = Finished::default();
    // The first of a process reads what the one before it left.
    for at in 0..2 {
        edit(post, |text| text + "\nAnother line.\n");
        let below = post.strip_prefix(site).unwrap_or(post).display();
        session.only_changed(vec![below.to_string()]);
        let began = Instant::now();
        let options = BuildOptions::default().progress(&finished);
        let built = session.build(&mut output_at(out), options);
        let built = built.expect("a sound site");
        assert!(built.diagnostics.is_empty(), "{:?}", built.diagnostics);
        let finished = finished.0.lock().unwrap_or_else(PoisonError::into_inner);
        let took = finished.map_or(Duration::MAX, |finished| finished - began);
        if at == 1 {
            println!("{} {}", took.as_secs_f64(), peak());
        }
    }
}

/// The most memory that this process had, in megabytes; 0 where the system does not tell.
fn peak() -> f64 {
    let status = fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:"));
    let kilobytes = line.and_then(|line| line.split_whitespace().next()?.parse::<f64>().ok());
    kilobytes.unwrap_or(0.0) / 1e3
}

/// Reads the metadata of every file.
fn scan(roots: &[&Path]) -> Duration {
    let began = Instant::now();
    let files = roots.iter().flat_map(walkdir::WalkDir::new);
    let bytes: u64 = files
        .filter_map(Result::ok)
        .filter_map(|entry| Some(entry.metadata().ok()?.len()))
        .sum();
    let took = began.elapsed();
    assert!(bytes > 0, "there are files");
    took
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
