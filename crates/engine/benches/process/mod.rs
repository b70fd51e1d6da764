//! Builds in processes of their own, with their time and peak memory. A bench that uses them begins with
//! [`is_child`].

#![allow(dead_code, reason = "each bench uses a part of it")]

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use jiff::Timestamp;
use jiff::tz::TimeZone;
use tabulae_core::diagnostic::Diagnostic;
use tabulae_engine::{BuildOptions, BuildReport, Clock, DiskOutput, Progress, Step, Workspace};

/// The allocator of the program.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Builds and returns true if this process was started by [`run`] or [`of_session`].
pub(crate) fn is_child() -> bool {
    let mut words = std::env::args().skip(1);
    let what = words.next();
    let mut path = || PathBuf::from(words.next().expect("a path"));
    match what.as_deref() {
        Some("--child") => child(&path(), &path()),
        Some("--session") => session(&path(), &path(), &path()),
        _ => return false,
    }
    true
}

/// A build in a process of its own, from its start to its end, with its peak memory in megabytes.
pub(crate) fn run(site: &Path, out: &Path) -> (Duration, f64) {
    let_rest();
    let began = Instant::now();
    let said = say("--child", &[site, out]);
    (began.elapsed(), said[0])
}

/// Waits until the disk has written what runs before this one left to it.
pub(crate) fn let_rest() {
    // Where there is no such command, runs disturb one another more.
    let _ = Command::new("sync").status();
}

/// The second build of a process, with the peak memory of the process.
pub(crate) fn of_session(site: &Path, out: &Path, post: &Path) -> (Duration, f64) {
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

/// The reference time of all builds.
pub(crate) fn now() -> Timestamp {
    Timestamp::from_second(1_790_000_000).expect("a time")
}

pub(crate) fn workspace(site: &Path) -> Workspace {
    Workspace::at(site).clock(Clock::At(now()))
}

fn output_at(out: &Path) -> DiskOutput {
    let output = DiskOutput::new(out).expect("a folder");
    output.state(out.with_extension("state"))
}

fn child(site: &Path, out: &Path) {
    build(site, out);
    println!("{}", peak());
}

/// A build in this process.
pub(crate) fn build(site: &Path, out: &Path) {
    let built = workspace(site).build(&mut output_at(out), BuildOptions::default());
    let built = built.expect("a sound site");
    assert!(built.diagnostics.is_empty(), "{:?}", built.diagnostics);
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
pub(crate) fn scan(roots: &[&Path]) -> Duration {
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

/// Returns the folder of this bench among temporary files.
pub(crate) fn scratch() -> PathBuf {
    std::env::temp_dir().join(format!("tabulae-bench-{}", std::process::id()))
}

/// Returns the day, the processor and how often each case is measured, as a sentence.
pub(crate) fn head(runs: usize) -> String {
    let now = Timestamp::try_from(std::time::SystemTime::now()).expect("a time of this age");
    let today = TimeZone::UTC.to_datetime(now).date();
    let threads = rayon::current_num_threads();
    let machine = machine();
    format!(
        "{today}, {machine}: medians of {runs} runs in turn, {threads} threads; each ratio within one run."
    )
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

/// Returns the middle one of the values, the upper of two.
pub(crate) fn median(values: &[f64]) -> f64 {
    let mut values = values.to_vec();
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

/// Changes a file, and waits until its time of change differs from now.
pub(crate) fn edit(path: &Path, change: impl FnOnce(String) -> String) {
    let text = fs::read_to_string(path).unwrap_or_default();
    fs::write(path, change(text)).expect("an edited file");
    std::thread::sleep(Duration::from_millis(120));
}
