//! Fixes: the edits of diagnostics applied to the sources, in memory.

use std::collections::{BTreeMap, BTreeSet};

use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::edit::{Edit, apply, by_file};
use tabulae_core::settings::Settings;

use super::audit::audit;
use super::source_files::{FileChange, Texts, changes, read_text};
use crate::options::BuildOptions;
use crate::publish::Destination;
use crate::source::{Overlay, Sources};

/// The files that fixes change, and the findings of an audit after them.
#[derive(Debug)]
pub struct FixReport {
    /// The files with their texts before and after, by path.
    pub files: Vec<FileChange>,
    /// The diagnostics whose edits were applied, in the order in which they were found.
    pub fixed: Vec<Diagnostic>,
    /// The diagnostics of the fixed site.
    pub left: Vec<Diagnostic>,
    /// The settings of the fixed site, if they can be read.
    pub settings: Option<Settings>,
}

/// The most rounds: a fix can bring mistakes to light that hid behind it.
const ROUNDS: usize = 32;

/// Audits a site and applies the edits of its diagnostics that `wanted` returns true for, until no more can be applied:
/// those of errors before those of warnings, which can follow from errors. Nothing is written. An edit that makes a file
/// unreadable is taken back.
pub(crate) fn fix(
    sources: &dyn Sources,
    destination: &mut dyn Destination,
    options: &BuildOptions<'_>,
    wanted: &dyn Fn(&Diagnostic) -> bool,
) -> FixReport {
    let mut fixing = Fixing {
        sources,
        texts: Texts::new(),
        refused: BTreeSet::new(),
        suspects: BTreeSet::new(),
        fixed: Vec::new(),
    };
    let mut found = audit(sources, destination, options);
    for _ in 0..ROUNDS {
        let before = (fixing.texts.clone(), fixing.fixed.len());
        let is_error = |found: &Diagnostic| found.is_error() && wanted(found);
        let mut changed = fixing.apply(&found.diagnostics, &is_error);
        if changed.is_empty() {
            changed = fixing.apply(&found.diagnostics, wanted);
        }
        if changed.is_empty() {
            break;
        }
        let overlay = Overlay::new(sources.share(), fixing.texts.clone());
        let now = audit(&overlay, destination, options);
        changed.retain(|file, _| {
            unreadable(&now.diagnostics, file) > unreadable(&found.diagnostics, file)
        });
        if changed.is_empty() {
            found = now;
            continue;
        }
        // Once more, with one edit of these files at a time.
        for (file, edits) in changed {
            match <[Edit; 1]>::try_from(edits) {
                Ok([edit]) => fixing.refused.extend([edit]),
                Err(_) => fixing.suspects.extend([file]),
            }
        }
        fixing.texts = before.0;
        fixing.fixed.truncate(before.1);
    }
    FixReport {
        files: changes(sources, fixing.texts),
        fixed: fixing.fixed,
        left: found.diagnostics,
        settings: found.output,
    }
}

/// Returns the number of diagnostics by which a file cannot be read.
fn unreadable(diagnostics: &Diagnostics, file: &str) -> usize {
    let of_file = diagnostics
        .iter()
        .filter(|found| found.location.file.as_deref() == Some(file));
    let syntax = [
        Code::SettingsSyntax,
        Code::FrontMatterSyntax,
        Code::UnclosedFrontMatter,
        Code::DuplicateKey,
        Code::TemplateSyntax,
    ];
    of_file.filter(|found| syntax.contains(&found.code)).count()
}

struct Fixing<'a> {
    sources: &'a dyn Sources,
    /// The texts of changed files, by path.
    texts: Texts,
    /// The edits that made a file unreadable.
    refused: BTreeSet<Edit>,
    /// The files of which an edit makes them unreadable.
    suspects: BTreeSet<String>,
    fixed: Vec<Diagnostic>,
}

impl Fixing<'_> {
    fn text(&self, file: &str) -> Option<String> {
        let known = self.texts.get(file).cloned().flatten();
        known.or_else(|| read_text(self.sources, file))
    }

    /// Applies the edits of diagnostics, and returns the changed files with the edits.
    fn apply(
        &mut self,
        found: &[Diagnostic],
        wanted: &dyn Fn(&Diagnostic) -> bool,
    ) -> BTreeMap<String, Vec<Edit>> {
        let usable = |diagnostic: &&Diagnostic| {
            let mut edits = diagnostic.edits.iter();
            !diagnostic.edits.is_empty()
                && wanted(diagnostic)
                && edits.all(|edit| !self.refused.contains(edit))
        };
        let usable: Vec<&Diagnostic> = found.iter().filter(usable).collect();
        let edits = || usable.iter().flat_map(|diagnostic| &diagnostic.edits);
        let mut changed: BTreeMap<String, Vec<Edit>> = BTreeMap::new();
        for (file, mut replacements) in by_file(edits()) {
            replacements.sort_unstable();
            replacements.dedup();
            if self.suspects.contains(file) {
                replacements.truncate(1);
            }
            let Some(text) = self.text(file) else {
                continue;
            };
            let edited = apply(&text, &replacements);
            if edited.text != text {
                let own = replacements.into_iter().cloned().map(Edit::Replace);
                changed.insert(file.to_owned(), own.collect());
                self.texts.insert(file.to_owned(), Some(edited.text));
            }
        }
        for edit in edits() {
            if let Edit::Create { file, text } = edit
                && self.text(file).is_none()
                && self.sources.stamp(file).is_err()
            {
                changed.insert(file.to_string(), vec![edit.clone()]);
                self.texts.insert(file.to_string(), Some(text.clone()));
            }
        }
        let is_done = |diagnostic: &&&Diagnostic| {
            let mut edits = diagnostic.edits.iter();
            edits.all(|edit| {
                let own = changed.get(&**edit.file());
                own.is_some_and(|own| own.contains(edit))
            })
        };
        let done = usable.iter().filter(is_done).map(|done| (*done).clone());
        self.fixed.extend(done);
        changed
    }
}
