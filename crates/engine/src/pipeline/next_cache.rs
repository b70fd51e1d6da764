//! The cache for the next build.

use std::collections::BTreeMap;
use std::sync::Arc;

use jiff::Timestamp;
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::query::ast::Validity;
use tabulae_core::similarity::Doc;
use tabulae_core::words::WordTable;

use super::current::{CurrentFingerprints, related_fronts};
use crate::incremental::{BuildCache, CachedOutput, Invalidation, Key, NextKeys, UnchangedReport};
use crate::plan::{OutputKind, maker};
use crate::publish::{Destination, Manifest, Outcome, VersionSource};
use crate::report::BuildReport;
use crate::site::{Bytes, CachedPosts, CachedWords, Vocabulary};
use crate::source::{FileStamp, Scan};

/// A build that published its outputs.
pub(super) struct Finished<'b, 'a> {
    pub(super) current: &'b CurrentFingerprints<'a>,
    pub(super) invalidation: &'b Invalidation<'a>,
    pub(super) scan: &'b Scan<'b>,
    pub(super) manifest: &'b Manifest,
    pub(super) report: &'b BuildReport,
    pub(super) diagnostics: &'b [Diagnostic],
    pub(super) destination: &'b dyn Destination,
}

/// Returns what the next build needs to render only what changed.
pub(super) fn next_cache(build: &Finished<'_, '_>, outcomes: Vec<Outcome<'_>>) -> BuildCache {
    let Finished {
        current,
        invalidation,
        scan,
        manifest,
        destination,
        ..
    } = *build;
    let data = current.data();
    // Whatever depends on all posts is compared by these two first.
    let always = [Key::Posts, Key::Alike];
    let mut next = NextKeys::new(invalidation, data.dependencies.len(), always);
    let mut copied: BTreeMap<&str, u64> = BTreeMap::new();
    let outputs = data.plan.outputs.iter().zip(outcomes);
    let mut versions = Vec::with_capacity(data.plan.outputs.len());
    for (output, outcome) in outputs {
        let Some(version) = outcome.into_version() else {
            continue;
        };
        if let OutputKind::Copy(source) = &output.kind {
            copied.insert(source, version.hash);
        }
        let dependencies = match version.source {
            VersionSource::Cached(known) => known.dependencies.as_ref().map(|numbers| {
                let numbers = numbers.iter().map(|number| *number as usize);
                numbers.map(|number| next.old(number)).collect()
            }),
            VersionSource::Rendered(dependencies) => dependencies.map(|dependencies| {
                let key = |dependency| data.dependencies.key(dependency, &data.site.catalogue);
                let numbers = dependencies.iter();
                numbers
                    .map(|dependency| next.new_one(*dependency, || key(*dependency)))
                    .collect()
            }),
        };
        versions.push((output, version.stamp, dependencies));
    }
    let outputs = versions
        .into_par_iter()
        .map(|(output, stamp, dependencies)| {
            let cached = CachedOutput {
                maker: maker(output, &data.plan, &data.site),
                stamp: stamp.or_else(|| destination.stamp(&output.file)),
                dependencies,
            };
            (output.file.clone(), cached)
        });
    // Collected as a list first: a map that threads fill grows by one entry at a time.
    let outputs: Vec<_> = outputs.collect();
    let outputs = outputs.into_iter().collect();
    let fingerprint = |key: &Key| match key {
        Key::File(path) if copied.contains_key(path.as_str()) => Some(copied[path.as_str()]),
        key => current.fingerprint(key),
    };
    let keys: Vec<(Key, u64)> = next
        .into_keys()
        .into_par_iter()
        .map(|(key, known)| {
            let fingerprint = known.or_else(|| fingerprint(&key));
            (key, fingerprint.unwrap_or_default())
        })
        .collect();
    let (vocabulary, posts) = words(current, invalidation.old());
    let site = current.site();
    BuildCache {
        configuration: site.configuration,
        files: Arc::clone(&scan.files),
        checksums: checksums(&keys, current),
        vocabulary,
        posts,
        code: site.highlighted_code(),
        related: site.cached_hits(|| related_fronts(site, current.posts())),
        unchanged: unchanged_report(build, &keys),
        keys,
        outputs,
        manifest: manifest.digest(),
    }
}

/// Returns the checksums of the files among the keys, with their stamps.
fn checksums(
    keys: &[(Key, u64)],
    current: &CurrentFingerprints<'_>,
) -> BTreeMap<String, (FileStamp, u64)> {
    let files = keys.iter().filter_map(|(key, checksum)| match key {
        Key::File(path) => Some((path.clone(), (current.stamp(path)?, *checksum))),
        _ => None,
    });
    files.collect()
}

/// Returns the posts for the cache, with their term frequencies if they were counted, and the words by number. Posts that
/// were not read again keep their term frequencies, and words their numbers, unless most words are of no post any more.
fn words(current: &CurrentFingerprints<'_>, old: &BuildCache) -> (Vocabulary, CachedPosts) {
    let site = current.site();
    let mut vocabulary = old.vocabulary.clone();
    let mut cached = Arc::clone(&site.cached);
    let mut cache = |table: Option<&WordTable>, words: &mut Arc<[Box<str>]>, of: Counts| {
        let Some(table) = table else { return };
        let posts = Arc::make_mut(&mut cached);
        let numbers = WordNumbers::new(words, table);
        let mut ids: Vec<PostId> = site.catalogue.all().collect();
        ids.retain(|id| {
            let post = posts.get_mut(&site.catalogue.post(*id).path);
            post.is_some_and(|post| numbers.are_new || of(&mut post.words).is_empty())
        });
        let counts: Vec<_> = ids
            .par_iter()
            .map(|id| numbers.encoded(table, *id))
            .collect();
        for (id, counts) in ids.iter().zip(counts) {
            if let Some(post) = posts.get_mut(&site.catalogue.post(*id).path) {
                *of(&mut post.words) = counts.into();
            }
        }
        numbers.update(words);
    };
    let stems = site.catalogue.counted_words().map(|words| &words.body);
    cache(stems, &mut vocabulary.stems, |words| &mut words.stems);
    let folded = site.catalogue.counted_folded_words();
    cache(folded, &mut vocabulary.folded, |words| &mut words.folded);
    (vocabulary, cached)
}

/// Selects the counts by one of the rules.
type Counts = fn(&mut CachedWords) -> &mut Bytes;

/// The numbers of words in the next cache.
struct WordNumbers {
    /// Set if they are not those of the last cache.
    are_new: bool,
    /// By the number in the table.
    by_table: Vec<u32>,
    /// The words to add to those of the last cache, or to replace them.
    words: Vec<Box<str>>,
}

impl WordNumbers {
    /// Numbers the words of a table. `known` are those of the last cache, by number; at most half of them may be in no
    /// text any more.
    fn new(known: &[Box<str>], table: &WordTable) -> Self {
        let count = table.stems().count();
        let are_new = known.len() / 2 > count;
        let known = if are_new { &[] } else { known };
        let numbers = known.iter().map(|word| &**word).zip(0..);
        let numbers: FxHashMap<&str, u32> = numbers.collect();
        let mut next = (0..).skip(known.len());
        let mut words = Vec::new();
        let by_table = table.stems().map(|word| {
            let number = numbers.get(word).copied();
            number.or_else(|| {
                words.push(word.into());
                next.next()
            })
        });
        Self {
            are_new,
            by_table: by_table.map(Option::unwrap_or_default).collect(),
            words,
        }
    }

    /// Returns the term frequencies of a post's text, as the cache has them.
    fn encoded(&self, table: &WordTable, id: PostId) -> Vec<u8> {
        let counts = table.counts.row(Doc(id.0)).iter();
        let counts = counts.map(|(stem, count)| (self.by_table[stem.0 as usize], count));
        let counts: Vec<(u32, u16)> = counts.collect();
        postcard::to_stdvec(&counts).unwrap_or_default()
    }

    /// Makes the words of the last cache those of the next one.
    fn update(self, words: &mut Arc<[Box<str>]>) {
        if self.are_new {
            *words = self.words.into();
        } else if !self.words.is_empty() {
            *words = words.iter().cloned().chain(self.words).collect();
        }
    }
}

/// Returns the report of a build that finds nothing changed, if there can be one.
fn unchanged_report(build: &Finished<'_, '_>, keys: &[(Key, u64)]) -> Option<UnchangedReport> {
    let Finished {
        current,
        scan,
        report,
        diagnostics,
        ..
    } = *build;
    let site = current.site();
    let once = [Code::FeedIdChanged, Code::GuessedFeedId];
    let is_said_once =
        |diagnostic: &Diagnostic| diagnostic.is_error() || once.contains(&diagnostic.code);
    if !scan.whole || diagnostics.iter().any(is_said_once) {
        return None;
    }
    let mut validity = current.validity_of(keys.iter().map(|(key, _)| key));
    if site.include.drafts {
        // The address of a draft without a date is that of the day.
        validity = validity.max(Validity::Today);
    }
    let changes = site.changes_state_at();
    Some(UnchangedReport {
        read: (report.posts, report.pages),
        built: report.built,
        excluded: report.excluded.clone().into_iter().collect(),
        next_due: report.next_due.clone(),
        warnings: diagnostics.to_vec(),
        unknown: report.unknown.clone(),
        yields: report.yields.clone(),
        valid: (
            site.moment.now.as_second(),
            changes.map(Timestamp::as_second),
        ),
        day: UnchangedReport::day_of(validity, site.moment.today())?,
    })
}
