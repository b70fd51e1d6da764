//! Committing: staged outputs are put in their places together, and what no output is any more is removed.

use std::collections::{BTreeMap, BTreeSet};

use indexmap::IndexMap;
use rayon::prelude::*;
use tabulae_core::addresses::Address;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::route::OutputPath;
use tabulae_core::source::Location;

use super::errors::{add_once, unwritable};
use super::manifest::{Manifest, Published};
use super::stage::{Outcome, Stage, VersionSource};
use super::woven::is_woven;
use crate::report::{BuildReport, Change, ChangeKind};

impl Stage<'_> {
    /// Puts everything in its place, and reports what was done. Returns true if all of it was. In a dry run,
    /// in a cancelled build, and if a warning `is_denied`, nothing is.
    pub(crate) fn commit(
        &self,
        outcomes: &[Outcome<'_>],
        is_denied: bool,
        report: &mut BuildReport,
        diagnostics: &mut Diagnostics,
    ) -> bool {
        let mut staged: Vec<&OutputPath> = Vec::new();
        let mut failed = Diagnostics::new();
        for (output, outcome) in self.data.plan.outputs.iter().zip(outcomes) {
            let source = outcome.version().map(|version| &version.source);
            report.built += usize::from(output.is_page());
            report.rendered +=
                usize::from(matches!(source, Some(VersionSource::Rendered(Some(_)))));
            match outcome {
                Outcome::Unchanged(_) => report.unchanged += 1,
                Outcome::Staged(_, kind, why) => {
                    staged.push(&output.file);
                    report.changes.push(Change {
                        path: output.file.to_string(),
                        kind: *kind,
                        why: why.clone(),
                    });
                }
                Outcome::Failed(diagnostics) => failed.extend(diagnostics.iter().cloned()),
                Outcome::Skipped => {}
            }
        }
        failed.extend(self.data.site.take_reread_errors());
        report.cancelled = self.options.is_cancelled();
        if !failed.is_empty() || report.cancelled || is_denied {
            staged
                .iter()
                .for_each(|path| self.destination.discard(path));
            add_once(
                first_of_foreign(failed, &self.destination.name()),
                diagnostics,
            );
            report.changes.clear();
            return false;
        }
        let mut stale = self.stale();
        report.changes.extend(stale.iter().map(|path| Change {
            path: path.to_string(),
            kind: ChangeKind::Remove,
            why: "no output has its path any more".to_owned(),
        }));
        if self.options.dry_run {
            report.written = staged.len();
            report.removed = stale.len();
            self.find_unknown(report, diagnostics);
            return false;
        }
        let is_placed = self.place(&staged, report, diagnostics);
        if is_placed {
            if !stale.is_empty() {
                self.drop_other_names(&mut stale);
            }
            for path in stale {
                self.remove(path, report, diagnostics);
            }
            // A folder that nobody else writes to, or that was new, has no file of anyone else.
            if !self.is_exclusive && !self.destination.is_new() {
                self.find_unknown(report, diagnostics);
            }
        }
        is_placed
    }

    /// Drops paths that are only other names of outputs, on a file system that ignores case: their files are
    /// the outputs'.
    fn drop_other_names(&self, stale: &mut Vec<&OutputPath>) {
        let folded: BTreeSet<String> = stale.iter().map(|path| path.to_lowercase()).collect();
        let outputs = self.data.plan.outputs.iter().map(|output| &output.file);
        let outputs = outputs.map(|file| (file.to_lowercase(), file));
        let alike: BTreeMap<String, &OutputPath> =
            outputs.filter(|(name, _)| folded.contains(name)).collect();
        if alike.is_empty() {
            return;
        }
        stale.retain(|path| {
            let output = alike.get(&path.to_lowercase());
            !output.is_some_and(|output| self.destination.is_same_file(path, output))
        });
    }

    /// Returns the files of the last build that are no outputs any more.
    fn stale(&self) -> Vec<&OutputPath> {
        let Some(old) = self.manifest.filter(|_| !self.invalidation.same_plan()) else {
            return Vec::new();
        };
        let outputs = self.data.plan.outputs.iter();
        let outputs: BTreeSet<&OutputPath> = outputs.map(|output| &output.file).collect();
        old.files
            .keys()
            .filter(|path| !outputs.contains(path))
            .collect()
    }

    /// Puts staged files in their places. The journal is written first, so that after a kill the next build
    /// knows the files as its own. Returns true if all of it was done.
    fn place(
        &self,
        staged: &[&OutputPath],
        report: &mut BuildReport,
        diagnostics: &mut Diagnostics,
    ) -> bool {
        let destination = self.destination;
        if staged.is_empty() {
            return true;
        }
        if let Err(error) = destination.write_journal(staged) {
            staged.iter().for_each(|path| destination.discard(path));
            diagnostics.push(unwritable(".tabulae", &error));
            return false;
        }
        let failed = staged.par_iter().filter_map(|path| {
            destination.publish(path).err().map(|error| {
                destination.discard(path);
                unwritable(&format!("{}/{path}", destination.name()), &error)
            })
        });
        let failed: Diagnostics = failed.collect();
        report.written = staged.len() - failed.len();
        if !failed.is_empty() {
            add_once(failed, diagnostics);
            return false;
        }
        if let Err(error) = destination.commit() {
            report.written = 0;
            diagnostics.push(unwritable(&destination.name(), &error));
            return false;
        }
        true
    }

    /// Returns the manifest of this build, and true if it has to be saved: not if it is that of the last
    /// build, and nothing was written.
    pub(crate) fn manifest_of(
        &self,
        outcomes: &[Outcome<'_>],
        published: BTreeMap<String, Published>,
        addresses: Option<BTreeMap<String, Address>>,
    ) -> (Manifest, bool) {
        let outputs = self.data.plan.outputs.iter().zip(outcomes);
        let files = outputs.filter_map(|(output, outcome)| {
            let hash = outcome.version()?.hash;
            Some((output.file.clone(), Some(hash)))
        });
        let mut files: IndexMap<_, _, _> = files.collect();
        files.sort_unstable_keys();
        let manifest = Manifest {
            files,
            addresses,
            published,
            part: self.options.part,
        };
        let is_staged = |outcome: &Outcome<'_>| matches!(outcome, Outcome::Staged(..));
        let is_new = self.manifest != Some(&manifest) || outcomes.iter().any(is_staged);
        (manifest, is_new)
    }

    /// Removes a file that a build published, even if someone edited it since: a retracted post goes offline.
    fn remove(&self, path: &OutputPath, report: &mut BuildReport, diagnostics: &mut Diagnostics) {
        match self.destination.remove(path) {
            Ok(removed) => report.removed += usize::from(removed),
            Err(error) => {
                let path = format!("{}/{path}", self.destination.name());
                diagnostics.push(unwritable(&path, &error));
            }
        }
    }

    /// Finds the files that no known build wrote and that are no outputs. Removes them if the options say so,
    /// or else reports them.
    fn find_unknown(&self, report: &mut BuildReport, diagnostics: &mut Diagnostics) {
        let files = match self.destination.list() {
            Ok(files) => files,
            Err(error) => {
                diagnostics.push(unwritable(&self.destination.name(), &error));
                return;
            }
        };
        let outputs = self.data.plan.outputs.iter();
        let outputs: BTreeSet<&str> = outputs.map(|output| output.file.as_str()).collect();
        let is_ours = |path: &str| {
            let published = self.manifest.map(|manifest| &manifest.files);
            outputs.contains(path) || published.is_some_and(|files| files.contains_key(path))
        };
        let unknown = files.into_iter().filter(|path| !is_ours(path));
        let unknown: Vec<String> = unknown.collect();
        let folder = self.destination.folder();
        if !unknown.is_empty() && folder.is_some_and(|folder| is_woven(folder, &unknown)) {
            if self.options.foreign.prune {
                diagnostics.push(not_pruned(&self.destination.name()));
            }
            return;
        }
        if !self.options.foreign.prune {
            report.unknown = unknown;
            return;
        }
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
                self.remove(&output_path, report, diagnostics);
            }
        }
    }
}

/// Returns the warning of `--prune` in a folder to which other programs write.
fn not_pruned(out: &str) -> Diagnostic {
    let message = format!(
        "nothing is removed from `{out}`: pages in it have placeholders for `tabulae weave`, and are of another program"
    );
    Diagnostic::warning(Code::StrayFile, Location::top_of(out), message)
        .help("remove by hand what is not to be published")
}

/// The number of foreign files that are reported one by one.
const FOREIGN: usize = 10;

/// Keeps the first errors of foreign files, and counts the others in one more: without its manifest a build
/// may find as many as there are pages.
fn first_of_foreign(mut failed: Diagnostics, out: &str) -> Diagnostics {
    let mut foreign = 0;
    failed.retain(|diagnostic| {
        foreign += usize::from(diagnostic.code == Code::ForeignFile);
        diagnostic.code != Code::ForeignFile || foreign <= FOREIGN
    });
    let more = foreign.saturating_sub(FOREIGN);
    if more > 0 {
        let message = format!("{more} more files of `{out}` were written by no known build");
        let diagnostic = Diagnostic::error(Code::ForeignFile, Location::top_of(out), message);
        failed.push(diagnostic.help("replace all of them with `tabulae build --adopt`"));
    }
    failed
}
