//! Staging: outputs of which a dependency changed are rendered, and written beside their places if they
//! differ from what is there.

use std::io;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::thread;

use rayon::prelude::*;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::route::OutputPath;
use tabulae_core::source::Location;

use super::errors::unwritable;
use super::manifest::Manifest;
use super::{Content, Destination, Found};
use crate::incremental::{CachedOutput, Dependency, Invalidation, Posts, RebuildReason};
use crate::options::{BuildOptions, Step};
use crate::plan::{Output, OutputKind, maker};
use crate::render::{Rendered, Renderer};
use crate::report::ChangeKind;
use crate::site::{Site, unreadable};
use crate::source::FileStamp;
use crate::template::RenderData;

/// The maximum number of outputs that one thread renders in a row.
const BATCH: usize = 64;

/// Stages the outputs of one build.
pub(crate) struct Stage<'a> {
    pub(crate) renderer: &'a Renderer<'a>,
    pub(crate) data: &'a RenderData,
    pub(crate) invalidation: &'a Invalidation<'a>,
    /// The manifest of the last build.
    pub(crate) manifest: Option<&'a Manifest>,
    pub(crate) destination: &'a dyn Destination,
    pub(crate) options: &'a BuildOptions<'a>,
    /// Set if what the last build published is known to be in its place.
    pub(crate) is_untouched: bool,
    /// Set if nobody else writes to the output folder.
    pub(crate) is_exclusive: bool,
}

/// The outcome of one output.
pub(crate) enum Outcome<'a> {
    /// The file in its place has the right bytes.
    Unchanged(Version<'a>),
    /// The output is written beside its place, or in a dry run would be; with the reason.
    Staged(Version<'a>, ChangeKind, String),
    /// Rendering or writing failed.
    Failed(Diagnostics),
    /// The build ended before it was rendered.
    Skipped,
}

/// The version of an output that is in its place, or will be.
pub(crate) struct Version<'a> {
    /// The checksum of its bytes.
    pub(crate) hash: u64,
    /// The stamp of the file, if it is known.
    pub(crate) stamp: Option<FileStamp>,
    pub(crate) source: VersionSource<'a>,
}

/// The origin of a version.
pub(crate) enum VersionSource<'a> {
    /// The last build.
    Cached(&'a CachedOutput),
    /// Rendered by this build, with the dependencies; `None` if every build renders it.
    Rendered(Option<Box<[Dependency]>>),
}

impl<'a> Outcome<'a> {
    /// Returns the version, if there is one.
    pub(crate) fn version(&self) -> Option<&Version<'a>> {
        match self {
            Self::Unchanged(version) | Self::Staged(version, ..) => Some(version),
            Self::Failed(_) | Self::Skipped => None,
        }
    }

    /// Returns the version by value, if there is one.
    pub(crate) fn into_version(self) -> Option<Version<'a>> {
        match self {
            Self::Unchanged(version) | Self::Staged(version, ..) => Some(version),
            Self::Failed(_) | Self::Skipped => None,
        }
    }
}

impl<'a> Version<'a> {
    /// Returns the output of the last build, if that is its origin.
    pub(crate) fn cached(&self) -> Option<&'a CachedOutput> {
        match self.source {
            VersionSource::Cached(cached) => Some(cached),
            VersionSource::Rendered(_) => None,
        }
    }
}

impl<'a> Stage<'a> {
    /// Renders every output of which a dependency changed, and stages those that differ. The outcomes are in
    /// the order of the plan. A cancelled build skips the rest.
    pub(crate) fn run(&self) -> Vec<Outcome<'a>> {
        let has_failed = AtomicBool::new(false);
        thread::scope(|scope| {
            if !self.options.dry_run && rayon::current_num_threads() > 1 {
                scope.spawn(|| self.make_folders(&has_failed));
            }
            self.outcomes(&has_failed)
        })
    }

    /// Makes the folders of a new site ahead of the threads that render, until one of them fails. A file
    /// system that makes a folder often waits for the disk. The outputs are visited in the order in which
    /// the threads reach them: each begins with a part of its own.
    fn make_folders(&self, has_failed: &AtomicBool) {
        let outputs = &self.data.plan.outputs;
        let part = outputs.len().div_ceil(rayon::current_num_threads()).max(1);
        let interleaved = (0..part).flat_map(|first| outputs.iter().skip(first).step_by(part));
        for output in interleaved {
            let ends = has_failed.load(Ordering::Relaxed) || self.options.is_cancelled();
            if ends || !self.destination.make_ready(&output.file) {
                return;
            }
        }
    }

    fn outcomes(&self, has_failed: &AtomicBool) -> Vec<Outcome<'a>> {
        let done = AtomicUsize::new(0);
        let ends = AtomicBool::new(false);
        let ended = || ends.load(Ordering::Relaxed) || self.options.is_cancelled();
        let outputs = &self.data.plan.outputs;
        let one = |output| {
            if ended() {
                return Outcome::Skipped;
            }
            let outcome = self.output(output);
            if let Outcome::Failed(diagnostics) = &outcome {
                has_failed.store(true, Ordering::Relaxed);
                // Each further output would fail in the same way, and take as long.
                let all_fail = |code| matches!(code, Code::UnwritableFile | Code::TemplateLimit);
                let end = diagnostics
                    .iter()
                    .any(|diagnostic| all_fail(diagnostic.code));
                ends.fetch_or(end, Ordering::Relaxed);
            }
            let done = done.fetch_add(1, Ordering::Relaxed) + 1;
            self.options
                .progress
                .step(Step::Writing, done, outputs.len());
            outcome
        };
        // Small sites are cut into small batches, so that every thread has work.
        let batch = outputs.len() / (8 * rayon::current_num_threads());
        outputs
            .par_chunks(batch.clamp(1, BATCH))
            .flat_map_iter(|batch| {
                if !ended() {
                    self.find_related(batch);
                }
                batch.iter().map(one)
            })
            .collect()
    }

    /// Finds the related posts of new pages, many in a row: the index then stays in the processor's cache.
    fn find_related(&self, outputs: &[Output]) {
        if self.invalidation.same_plan() {
            return;
        }
        let new = outputs
            .iter()
            .filter(|output| self.invalidation.known(&output.file).is_none());
        for output in new {
            if let OutputKind::Post(id) = output.kind {
                let _ = self.data.site.related_to(id);
            }
        }
    }

    fn output(&self, output: &Output) -> Outcome<'a> {
        let path = &output.file;
        let RenderData { site, plan, .. } = self.data;
        let known = self.invalidation.known(path);
        let valid = self.invalidation.valid(known, || maker(output, plan, site));
        let published = self.manifest.and_then(|manifest| manifest.hash_of(path));
        let stamp = match known {
            Some(known) if self.is_untouched => known.stamp,
            _ => published.and_then(|_| self.destination.stamp(path)),
        };
        let is_in_place = |known: &CachedOutput| known.stamp.is_some() && known.stamp == stamp;
        if let (Ok(known), Some(hash)) = (&valid, published)
            && (is_in_place(known) || self.destination.checksum(path) == Some(hash))
        {
            return Outcome::Unchanged(Version {
                hash,
                stamp,
                source: VersionSource::Cached(known),
            });
        }
        let rendering = self.renderer.render(output);
        let rendered = match rendering.rendered {
            Ok(rendered) => rendered,
            Err(diagnostics) => return Outcome::Failed(diagnostics),
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
        let hash = match content.checksum() {
            Ok(hash) => hash,
            Err(error) => return self.failed(path, &content, &error),
        };
        let is_recorded = !output.kind.is_rendered_each_time();
        let mut version = Version {
            hash,
            stamp: None,
            source: VersionSource::Rendered(is_recorded.then_some(rendering.dependencies)),
        };
        // The published file has the same stamp, and so need not be read.
        if published == Some(hash) && known.is_some_and(is_in_place) {
            version.stamp = stamp;
            return Outcome::Unchanged(version);
        }
        let outcome = self.stage(path, &content, version, published, valid.err());
        if let Rendered::Bytes(bytes) = rendered {
            self.renderer.reuse(bytes);
        }
        outcome
    }

    fn stage(
        &self,
        path: &OutputPath,
        content: &Content<'_>,
        version: Version<'a>,
        published: Option<u64>,
        reason: Option<RebuildReason<'_>>,
    ) -> Outcome<'a> {
        let found = match self.destination.compare(path, content) {
            Ok(Found::Same) => return Outcome::Unchanged(version),
            Ok(found) => found,
            Err(error) => return self.failed(path, content, &error),
        };
        let is_known = self
            .manifest
            .is_some_and(|manifest| manifest.files.contains_key(path));
        let foreign = match found {
            Found::Nothing | Found::Same => None,
            Found::Different => (!is_known).then_some("was written by no known build"),
            Found::Other => Some("is not a regular file"),
        };
        let adopts = self.options.foreign.adopt || self.is_exclusive;
        if let Some(what) = foreign.filter(|_| !adopts) {
            return Outcome::Failed(vec![self.foreign(path, what)]);
        }
        let kind = match found {
            Found::Nothing | Found::Same => ChangeKind::Make,
            Found::Different | Found::Other => ChangeKind::Replace,
        };
        let why = match (found, foreign) {
            (_, Some(_)) => "no known build wrote it".to_owned(),
            (Found::Nothing, None) if published.is_some() => "it is missing".to_owned(),
            _ => self.describe(reason),
        };
        if self.options.dry_run {
            return Outcome::Staged(version, kind, why);
        }
        match self.destination.stage(path, content) {
            Ok(stamp) => Outcome::Staged(Version { stamp, ..version }, kind, why),
            Err(error) => self.failed(path, content, &error),
        }
    }

    /// Returns the reason of a change in words; of a valid output whose file differs, that someone edited it.
    fn describe(&self, reason: Option<RebuildReason<'_>>) -> String {
        let site: &Site = &self.data.site;
        let state = |path: &str| {
            let id = site.post_at(path)?;
            Some(site.catalogue.post(id).state())
        };
        let posts = Posts {
            old: &self.invalidation.old().posts,
            new: &site.cached,
            state: &state,
        };
        match reason {
            Some(reason) => reason.describe(&posts),
            None => "someone changed it".to_owned(),
        }
    }

    fn foreign(&self, path: &OutputPath, what: &str) -> Diagnostic {
        let path = format!("{}/{path}", self.destination.name());
        let message = format!("`{path}` {what}, and an output belongs there");
        let help =
            "move it away, or replace it and all others like it with `tabulae build --adopt`";
        Diagnostic::error(Code::ForeignFile, Location::top_of(&path), message).help(help)
    }

    /// Returns the outcome of an output that could not be compared or written: a source file that cannot be
    /// read to its end, or else the output.
    fn failed(&self, path: &OutputPath, content: &Content<'_>, error: &io::Error) -> Outcome<'a> {
        let diagnostic = match content {
            Content::File { source, .. } if content.checksum().is_err() => {
                unreadable(source, error)
            }
            _ => unwritable(&format!("{}/{path}", self.destination.name()), error),
        };
        Outcome::Failed(vec![diagnostic])
    }
}
