//! Outputs that are rendered, written beside their places, and then put there together.

use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::thread;

use rayon::prelude::*;
use tabulae_core::diagnostic::{Code, Diagnostic, Faults};
use tabulae_core::route::OutputPath;
use tabulae_core::source::Place;

use crate::cache::{Need, Page, Since, record};
use crate::output::{Content, Found, Manifest, Output, Published};
use crate::plan::{Planned, What};
use crate::render::{Rendered, Renderer, reuse};
use crate::report::{Change, ChangeKind, Report};
use crate::run::unwritable;
use crate::site::unreadable;
use crate::sources::Mark;
use crate::template::Shared;
use crate::{Options, Step};

/// So many outputs are rendered by one thread in a row at most.
const TOGETHER: usize = 64;

/// What outputs are staged with.
pub(crate) struct Stage<'a> {
    pub(crate) renderer: &'a Renderer<'a>,
    pub(crate) shared: &'a Shared,
    pub(crate) since: &'a Since<'a>,
    pub(crate) output: &'a dyn Output,
    pub(crate) options: &'a Options<'a>,
    /// Whether what the last build left is known to stand there still.
    pub(crate) stands: bool,
    /// Set if nobody else writes to the output.
    pub(crate) is_alone: bool,
}

/// What became of one output.
pub(crate) enum Outcome<'a> {
    /// It stands there as it should.
    Unchanged(Done<'a>),
    /// It was written beside its place, or would be; with the reason.
    Staged(Done<'a>, ChangeKind, String),
    /// It could not be made.
    Broken(Faults),
    /// It was not made, since the output cannot be written to.
    Left,
}

/// An output that stands in its place, or will.
pub(crate) struct Done<'a> {
    hash: u64,
    /// What tells that it is as it was left, where that was seen.
    pub(crate) mark: Option<Mark>,
    pub(crate) made: Made<'a>,
}

impl<'a> Outcome<'a> {
    /// The output, if it could be made.
    pub(crate) fn done(&self) -> Option<&Done<'a>> {
        match self {
            Self::Unchanged(done) | Self::Staged(done, ..) => Some(done),
            Self::Broken(_) | Self::Left => None,
        }
    }

    /// The same by value.
    pub(crate) fn into_done(self) -> Option<Done<'a>> {
        match self {
            Self::Unchanged(done) | Self::Staged(done, ..) => Some(done),
            Self::Broken(_) | Self::Left => None,
        }
    }
}

/// How an output came to be.
pub(crate) enum Made<'a> {
    /// By the last build.
    Before(&'a Page),
    /// By this one; with what it asked for, unless it is made each time.
    Now(Option<Box<[Need]>>),
}

impl<'a> Stage<'a> {
    /// Renders every output of which anything changed, and writes those that differ beside their
    /// places.
    pub(crate) fn all(&self) -> Vec<Outcome<'a>> {
        let broken = AtomicBool::new(false);
        thread::scope(|scope| {
            if !self.options.dry_run && rayon::current_num_threads() > 1 {
                scope.spawn(|| self.make_folders(&broken));
            }
            self.outcomes(&broken)
        })
    }

    /// Makes the folders of a new site, until something is `broken`. While the file system makes
    /// one it often waits for the disk; those who render are spared that. Each thread begins with
    /// a part of its own, and so the parts are gone through side by side.
    fn make_folders(&self, broken: &AtomicBool) {
        let outputs = &self.shared.plan.outputs;
        let part = outputs.len().div_ceil(rayon::current_num_threads()).max(1);
        let side_by_side = (0..part).flat_map(|first| outputs.iter().skip(first).step_by(part));
        for planned in side_by_side {
            if broken.load(Ordering::Relaxed) || !self.output.make_ready(&planned.file) {
                return;
            }
        }
    }

    fn outcomes(&self, broken: &AtomicBool) -> Vec<Outcome<'a>> {
        let done = AtomicUsize::new(0);
        let ends = AtomicBool::new(false);
        let outputs = &self.shared.plan.outputs;
        let one = |planned| {
            if ends.load(Ordering::Relaxed) {
                return Outcome::Left;
            }
            let outcome = self.one(planned);
            if let Outcome::Broken(faults) = &outcome {
                broken.store(true, Ordering::Relaxed);
                // Each further output would fail alike, and take as long.
                let all_fail = |code| matches!(code, Code::FileUnwritable | Code::TemplateEndless);
                let end = faults.iter().any(|fault| all_fail(fault.code));
                ends.fetch_or(end, Ordering::Relaxed);
            }
            let done = done.fetch_add(1, Ordering::Relaxed) + 1;
            self.options
                .progress
                .step(Step::Writing, done, outputs.len());
            outcome
        };
        // As few of a small site that no thread is without work.
        let together = outputs.len() / (8 * rayon::current_num_threads());
        outputs
            .par_chunks(together.clamp(1, TOGETHER))
            .flat_map_iter(|some| {
                if !ends.load(Ordering::Relaxed) {
                    self.find_related(some);
                }
                some.iter().map(one)
            })
            .collect()
    }

    /// Finds the related posts of posts whose pages no build made before: those of many posts in a
    /// row, as what the search needs then stays in the processor's cache.
    fn find_related(&self, outputs: &[Planned]) {
        let new = outputs
            .iter()
            .filter(|planned| self.since.known(&planned.file).is_none());
        for planned in new {
            if let What::Post(id) = planned.what {
                let _ = self.shared.site.related_to(id);
            }
        }
    }

    fn one(&self, planned: &Planned) -> Outcome<'a> {
        let file = &planned.file;
        let before = self.since.page(planned, self.shared);
        let hash = self.since.hash(file);
        let mark = match self.since.known(file) {
            Some(page) if self.stands => page.mark,
            _ => hash.and_then(|_| self.output.mark(file)),
        };
        let stands = |page: &Page| page.mark.is_some() && page.mark == mark;
        if let (Ok(page), Some(hash)) = (&before, hash)
            && stands(page)
        {
            let made = Made::Before(page);
            return Outcome::Unchanged(Done { hash, mark, made });
        }
        let (rendered, needs) = record(|| self.renderer.render(planned));
        let rendered = match rendered {
            Ok(rendered) => rendered,
            Err(faults) => return Outcome::Broken(faults),
        };
        let sources = self.renderer.sources();
        let open;
        let content = match &rendered {
            Rendered::Bytes(bytes) => Content::Bytes(bytes),
            Rendered::File(source, length) => {
                open = || sources.open(source);
                Content::File {
                    source,
                    length: *length,
                    open: &open,
                }
            }
        };
        let needs = (!is_made_each_time(&planned.what)).then_some(needs);
        let checksum = match content.checksum() {
            Ok(checksum) => checksum,
            Err(error) => return self.failed(file, &content, &error),
        };
        let mut done = Done {
            hash: checksum,
            mark: None,
            made: Made::Now(needs),
        };
        // What was written and stands there as it was need not be read to be compared.
        if hash == Some(done.hash) && self.since.known(file).is_some_and(stands) {
            done.mark = mark;
            return Outcome::Unchanged(done);
        }
        let why = || match &before {
            Ok(_) => "someone changed it".to_owned(),
            Err(why) => self.since.reason(why),
        };
        let outcome = self.stage(planned, &content, done, why);
        if let Rendered::Bytes(bytes) = rendered {
            reuse(bytes);
        }
        outcome
    }

    fn stage(
        &self,
        planned: &Planned,
        content: &Content<'_>,
        done: Done<'a>,
        why: impl FnOnce() -> String,
    ) -> Outcome<'a> {
        let file = &planned.file;
        let path = || format!("{}/{file}", self.output.name());
        let there = match self.output.compare(file, content) {
            Ok(there) => there,
            Err(error) => return self.failed(file, content, &error),
        };
        let foreign = match there {
            Found::Nothing => None,
            Found::Same => return Outcome::Unchanged(done),
            Found::Different => self
                .since
                .is_foreign(file)
                .then_some("was written by no known build"),
            Found::Other => Some("is no regular file"),
        };
        let adopts = self.options.foreign.adopt || self.is_alone;
        if let Some(what) = foreign.filter(|_| !adopts) {
            let path = path();
            return Outcome::Broken(vec![
                Diagnostic::error(
                    Code::FileForeign,
                    Place::top_of(&path),
                    format!("`{path}` {what}, and an output belongs there"),
                )
                .help("move it away, or replace it and all others like it with `tabulae build --adopt`"),
            ]);
        }
        let (kind, why) = match there {
            Found::Different | Found::Other if foreign.is_some() => {
                (ChangeKind::Replace, "no known build wrote it".to_owned())
            }
            Found::Different | Found::Other => (ChangeKind::Replace, why()),
            Found::Nothing | Found::Same => (
                ChangeKind::Make,
                if self.since.hash(file).is_some() {
                    "it is not there".to_owned()
                } else {
                    why()
                },
            ),
        };
        if self.options.dry_run {
            return Outcome::Staged(done, kind, why);
        }
        match self.output.stage(file, content) {
            Ok(mark) => Outcome::Staged(Done { mark, ..done }, kind, why),
            Err(error) => self.failed(file, content, &error),
        }
    }

    /// Returns the outcome of an output that could not be compared or written: a file of the site that
    /// cannot be read to its end, or else the output.
    fn failed(&self, file: &OutputPath, content: &Content<'_>, error: &io::Error) -> Outcome<'a> {
        let fault = match content {
            Content::File { source, .. } if content.checksum().is_err() => {
                unreadable(source, error)
            }
            _ => unwritable(&format!("{}/{file}", self.output.name()), error),
        };
        Outcome::Broken(vec![fault])
    }

    /// Puts everything in its place, and tells what was done. Whether all of it was; in a dry run
    /// nothing is.
    pub(crate) fn publish(
        &self,
        outcomes: &[Outcome<'_>],
        old: Option<&Manifest>,
        report: &mut Report,
        faults: &mut Faults,
    ) -> bool {
        let mut staged: Vec<&OutputPath> = Vec::new();
        let mut broken = Faults::new();
        for (planned, outcome) in self.shared.plan.outputs.iter().zip(outcomes) {
            let made = outcome.done().map(|done| &done.made);
            report.made += usize::from(matches!(made, Some(Made::Now(Some(_)))));
            match outcome {
                Outcome::Unchanged(_) => report.unchanged += 1,
                Outcome::Staged(_, kind, why) => {
                    staged.push(&planned.file);
                    report.changes.push(Change {
                        path: planned.file.to_string(),
                        kind: *kind,
                        why: why.clone(),
                    });
                }
                Outcome::Broken(faults) => broken.extend(faults.iter().cloned()),
                Outcome::Left => {}
            }
        }
        broken.extend(self.shared.site.take_reread_errors());
        if !broken.is_empty() {
            staged.iter().for_each(|path| self.output.discard(path));
            add_once(first_of_foreign(broken, &self.output.name()), faults);
            report.changes.clear();
            return false;
        }
        let mut stale = self.stale(old);
        report.changes.extend(stale.iter().map(|path| Change {
            path: path.to_string(),
            kind: ChangeKind::Remove,
            why: "nothing makes it any more".to_owned(),
        }));
        if self.options.dry_run {
            report.written = staged.len();
            report.removed = stale.len();
            self.unknown(old, report, faults);
            return false;
        }
        let placed = self.place(&staged, report, faults);
        if placed {
            if !stale.is_empty() {
                self.drop_other_names(&mut stale);
            }
            for path in stale {
                self.remove(path, report, faults);
            }
            // A folder that nobody else writes to has no file of anyone else.
            if !self.is_alone && !self.output.is_new() {
                self.unknown(old, report, faults);
            }
        }
        placed
    }

    /// Drops paths that are only other names of outputs, on a file system that does not tell upper from
    /// lower case: their files are the outputs'.
    fn drop_other_names(&self, stale: &mut Vec<&OutputPath>) {
        let folded: BTreeSet<String> = stale.iter().map(|path| path.to_lowercase()).collect();
        let outputs = self.shared.plan.outputs.iter().map(|planned| &planned.file);
        let outputs = outputs.map(|file| (file.to_lowercase(), file));
        let alike: BTreeMap<String, &OutputPath> =
            outputs.filter(|(name, _)| folded.contains(name)).collect();
        if alike.is_empty() {
            return;
        }
        stale.retain(|path| {
            let output = alike.get(&path.to_lowercase());
            !output.is_some_and(|output| self.output.is_same_file(path, output))
        });
    }

    /// The files of the last build that nothing makes any more.
    fn stale<'m>(&self, old: Option<&'m Manifest>) -> Vec<&'m OutputPath> {
        let Some(old) = old.filter(|_| !self.since.has_the_last_plan()) else {
            return Vec::new();
        };
        let outputs = self.shared.plan.outputs.iter();
        let made: BTreeSet<&OutputPath> = outputs.map(|planned| &planned.file).collect();
        old.files
            .keys()
            .filter(|path| !made.contains(path))
            .collect()
    }

    /// Puts what was staged in its place. It is remembered first, so that after a kill the next
    /// build knows the files as its own. Whether all of it was done.
    fn place(&self, staged: &[&OutputPath], report: &mut Report, faults: &mut Faults) -> bool {
        let output = self.output;
        if staged.is_empty() {
            return true;
        }
        if let Err(error) = output.begin(staged) {
            staged.iter().for_each(|path| output.discard(path));
            faults.push(unwritable(".tabulae", &error));
            return false;
        }
        let failed = staged.par_iter().filter_map(|path| {
            output.publish(path).err().map(|error| {
                output.discard(path);
                unwritable(&format!("{}/{path}", output.name()), &error)
            })
        });
        let failed: Faults = failed.collect();
        report.written = staged.len() - failed.len();
        if !failed.is_empty() {
            add_once(failed, faults);
            return false;
        }
        if let Err(error) = output.settle() {
            report.written = 0;
            faults.push(unwritable(&output.name(), &error));
            return false;
        }
        true
    }

    /// What stands there now, and whether that is to be written down: not where it is `old`, and
    /// was not written again.
    pub(crate) fn manifest(
        &self,
        outcomes: &[Outcome<'_>],
        published: BTreeMap<String, Published>,
        old: Option<&Manifest>,
    ) -> (Manifest, bool) {
        let outputs = self.shared.plan.outputs.iter().zip(outcomes);
        let files = outputs.filter_map(|(planned, outcome)| {
            let hash = outcome.done()?.hash;
            Some((planned.file.clone(), Some(hash)))
        });
        let files = files.collect();
        let manifest = Manifest { files, published };
        let staged = |outcome: &Outcome<'_>| matches!(outcome, Outcome::Staged(..));
        let is_new = old != Some(&manifest) || outcomes.iter().any(staged);
        (manifest, is_new)
    }

    /// Removes a file that a build wrote and nothing makes any more, even if someone changed it since: a
    /// retracted post goes offline.
    fn remove(&self, path: &OutputPath, report: &mut Report, faults: &mut Faults) {
        match self.output.remove(path) {
            Ok(removed) => report.removed += usize::from(removed),
            Err(error) => {
                faults.push(unwritable(
                    &format!("{}/{path}", self.output.name()),
                    &error,
                ));
            }
        }
    }

    /// Finds the files that no known build wrote and that are no outputs; removes them if that is asked
    /// for, and else only reports them. Returns false if one could not be removed.
    fn unknown(&self, old: Option<&Manifest>, report: &mut Report, faults: &mut Faults) -> bool {
        let files = match self.output.list() {
            Ok(files) => files,
            Err(error) => {
                faults.push(unwritable(&self.output.name(), &error));
                return false;
            }
        };
        let outputs = self.shared.plan.outputs.iter();
        let outputs: BTreeSet<&str> = outputs.map(|planned| planned.file.as_str()).collect();
        let is_ours = |path: &str| {
            outputs.contains(path) || old.is_some_and(|old| old.files.contains_key(path))
        };
        let unknown = files.into_iter().filter(|path| !is_ours(path));
        let unknown: Vec<String> = unknown.collect();
        if !self.options.foreign.prune {
            report.unknown = unknown;
            return true;
        }
        let before = faults.len();
        for path in unknown {
            let Ok(output_path) = OutputPath::new(&path) else {
                report.unknown.push(path);
                continue;
            };
            report.changes.push(Change {
                path,
                kind: ChangeKind::Prune,
                why: "no known build wrote it".to_owned(),
            });
            if self.options.dry_run {
                report.removed += 1;
            } else {
                self.remove(&output_path, report, faults);
            }
        }
        faults.len() == before
    }
}

/// The number of files of no known build that are reported one by one.
const FOREIGN: usize = 10;

/// Keeps the first errors of files that no known build wrote, and counts the others in one more: without
/// its memory a build may find as many as there are pages.
fn first_of_foreign(mut broken: Faults, out: &str) -> Faults {
    let mut foreign = 0;
    broken.retain(|fault| {
        foreign += usize::from(fault.code == Code::FileForeign);
        fault.code != Code::FileForeign || foreign <= FOREIGN
    });
    let more = foreign.saturating_sub(FOREIGN);
    if more > 0 {
        let message = format!("{more} more files of `{out}` were written by no known build");
        let fault = Diagnostic::error(Code::FileForeign, Place::top_of(out), message);
        broken.push(fault.help("replace all of them with `tabulae build --adopt`"));
    }
    broken
}

/// What is made in no time, and without asking for much.
fn is_made_each_time(what: &What) -> bool {
    matches!(
        what,
        What::Style
            | What::Script
            | What::FeedStyle
            | What::Redirect(_)
            | What::Sitemap(_)
            | What::SitemapIndex(_)
    )
}

/// The same fault of many pages, as of a template that all of them use, is said once.
pub(crate) fn add_once(found: Faults, faults: &mut Faults) {
    for fault in found {
        let same = |known: &Diagnostic| {
            known.code == fault.code && known.place == fault.place && known.message == fault.message
        };
        if !faults.iter().any(same) {
            faults.push(fault);
        }
    }
}
