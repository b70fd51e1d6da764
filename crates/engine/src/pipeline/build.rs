//! A build from end to end: read, plan, compare with the cache, render what changed, publish, cache.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::Arc;

use rayon::prelude::*;
use tabulae_core::addresses::AddressList;
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Collected, Diagnostic, Diagnostics};
use tabulae_core::lint_levels::LintLevels;
use tabulae_core::settings::Settings;
use tabulae_core::source::Location;
use tabulae_core::time::Moment;

use super::current::{CurrentFingerprints, related_fronts};
use super::echoes::drop_echoes;
use super::next_cache::{Finished, next_cache};
use super::session::{LoadedSite, Session};
use crate::incremental::{BuildCache, Invalidation, UnchangedReport};
use crate::options::BuildOptions;
use crate::plan::{addresses, changes};
use crate::publish::{
    Destination, Manifest, Outcome, Stage, Version, check_out_folder, feed_ids, lock, unwritable,
};
use crate::render::{Renderer, check_menu, check_templates};
use crate::report::{BuildReport, Due};
use crate::site::{Site, configuration, read_settings};
use crate::source::{Scan, Sources};
use crate::template::{Environments, RenderData};
use crate::threads::on_pool;

/// Builds a site. All diagnostics are reported together. If there is an error, nothing is written; the
/// report exists whenever the site could be read.
pub(crate) fn build(
    sources: &dyn Sources,
    destination: &mut dyn Destination,
    options: &BuildOptions<'_>,
) -> Collected<BuildReport> {
    let mut session = Session::default();
    let (built, _) = session.build(sources, destination, options);
    // Dropped in the background: freeing thousands of posts takes a while.
    rayon::spawn(move || drop(session));
    built
}

impl Session {
    /// Builds a site as [`build`] does, but does not read again what is known to be unchanged. Returns true
    /// if the outputs were published, or in a dry run could be.
    pub(crate) fn build(
        &mut self,
        sources: &dyn Sources,
        destination: &mut dyn Destination,
        options: &BuildOptions<'_>,
    ) -> (Collected<BuildReport>, bool) {
        let mut diagnostics = Diagnostics::new();
        let (report, levels, is_done) = on_pool(options.jobs, || {
            run(self, sources, destination, options, &mut diagnostics)
        });
        drop_echoes(&mut diagnostics);
        let built = Collected {
            output: report,
            diagnostics: levels.of(diagnostics),
        };
        (built, is_done)
    }
}

struct Build<'a> {
    session: &'a mut Session,
    sources: &'a dyn Sources,
    options: &'a BuildOptions<'a>,
    /// The diagnostics as they are found, whatever their levels.
    diagnostics: &'a mut Diagnostics,
    levels: LintLevels,
    is_locked: bool,
    /// Set if the outputs are published, or in a dry run could be.
    is_done: bool,
}

fn run(
    session: &mut Session,
    sources: &dyn Sources,
    destination: &mut dyn Destination,
    options: &BuildOptions<'_>,
    diagnostics: &mut Diagnostics,
) -> (BuildReport, LintLevels, bool) {
    let mut build = Build {
        session,
        sources,
        options,
        diagnostics,
        levels: options.levels_of(None),
        is_locked: false,
        is_done: false,
    };
    let mut report = build.run(destination).unwrap_or_default();
    if build.is_locked {
        destination.release();
    }
    report.out = destination.name();
    (report, build.levels, build.is_done)
}

/// The state of the last build.
struct Past {
    cache: BuildCache,
    manifest: Option<Manifest>,
    /// The posts with other texts, if nothing else of the site changed since the last build.
    retexted: Option<Vec<PostId>>,
}

impl Build<'_> {
    /// Returns `None` if there is nothing to report but diagnostics.
    fn run(&mut self, destination: &mut dyn Destination) -> Option<BuildReport> {
        let changed = self.session.changed.take();
        let settings = read_settings(self.sources, self.diagnostics)?;
        self.levels = self.options.levels_of(Some(&settings));
        self.check_out_folder(&settings, destination)?;
        // Before manifest and cache are read: another build may be about to write them.
        if !self.lock(destination) {
            return None;
        }
        let sources = self.sources;
        let (old, manifest, known, scan) = match self.session.take(destination) {
            Some(last) => {
                let scan = changed.and_then(|changed| {
                    let files = (&last.site.folders, &*last.cache.files);
                    Scan::again(sources, &settings, files, &changed)
                });
                let scan = scan.unwrap_or_else(|| Scan::new(sources, &settings));
                (Some(last.cache), Some(last.manifest), Some(last.site), scan)
            }
            None => {
                let destination = &*destination;
                let cache = || BuildCache::from_bytes(&destination.load_cache()?);
                let scan = || (destination.manifest(), Scan::new(sources, &settings));
                let (cache, (manifest, scan)) = rayon::join(cache, scan);
                (cache, manifest, None, scan)
            }
        };
        if let Some(diagnostic) = self.other_part(manifest.as_ref(), destination) {
            self.diagnostics.push(diagnostic);
            return None;
        }
        if let Some(cache) = &old {
            let report = self.unchanged(cache, &scan, &settings, manifest.as_ref(), destination);
            if report.is_some() {
                self.is_done = true;
                if let (Some(site), Some(cache), Some(manifest)) = (known, old, manifest) {
                    self.session.keep(site, cache, manifest, destination);
                }
                return report;
            }
        }
        let mut old = old.filter(|_| manifest.is_some()).unwrap_or_default();
        let again = known.and_then(|known| known.again(&scan, &mut old, &settings, self.options));
        let (mut site, retexted) = match again {
            Some((site, retexted)) => {
                // The diagnostics of the settings are among those of the site.
                self.diagnostics.clear();
                (site, Some(retexted))
            }
            None => {
                let previous = old.previous_posts(configuration(&settings, self.options));
                let site = Site::read_by(
                    settings,
                    &scan,
                    Some(previous),
                    self.options,
                    self.diagnostics,
                );
                let diagnostics = std::mem::take(self.diagnostics);
                (
                    LoadedSite::new(site, diagnostics, &scan, self.options.part),
                    None,
                )
            }
        };
        self.diagnostics.extend(site.diagnostics.iter().cloned());
        let LoadedSite {
            data, broken_links, ..
        } = &mut site;
        broken_links.look(&data.site, &data.plan, &scan, retexted.as_deref());
        let mut report = summary(&site.data.site);
        let past = Past {
            cache: old,
            manifest,
            retexted,
        };
        match self.publish(&site, &scan, &past, &mut report, destination) {
            Some((cache, manifest)) => self.session.keep(site, cache, manifest, destination),
            // Dropped in the background: freeing thousands of posts takes a while.
            None => rayon::spawn(move || drop(site)),
        }
        Some(report)
    }

    /// Renders what changed and publishes it. Returns the cache and the manifest if all of it was done.
    fn publish(
        &mut self,
        site: &LoadedSite,
        scan: &Scan<'_>,
        past: &Past,
        report: &mut BuildReport,
        destination: &mut dyn Destination,
    ) -> Option<(BuildCache, Manifest)> {
        let data = &site.data;
        let (retexted, manifest) = (past.retexted.as_deref(), past.manifest.as_ref());
        let previous = past.cache.previous_posts(data.site.configuration);
        let fronts = || related_fronts(&data.site, &site.fingerprints);
        data.site
            .know_related(&past.cache.related, fronts, previous);
        let environments = Environments::new(data, self.diagnostics);
        check_templates(data, self.diagnostics);
        check_menu(data, self.diagnostics);
        let broken = site.broken_links.warnings().cloned();
        self.diagnostics.extend(broken);
        // Where only texts changed, addresses and ids are those of the last build.
        let same = manifest.filter(|_| retexted.is_some());
        let addresses = match same {
            Some(same) => Cow::Borrowed(&same.addresses),
            None => {
                let now = addresses(&data.site, &data.plan);
                self.compare(&now, data, manifest, report);
                Cow::Owned(Some(now.addresses))
            }
        };
        if self.is_blocked(&data.site) {
            return None;
        }
        let renderer = Renderer::new(Arc::clone(data), environments, scan);
        let errors = self.errors();
        let (fingerprints, cache) = (&site.fingerprints, &past.cache);
        let site_values = renderer.site_hashes();
        let current =
            CurrentFingerprints::new(data, fingerprints, cache, retexted, scan, site_values);
        let invalidation = Invalidation::new(cache, &current.of_old(), current.same_plan());
        let is_exclusive = self.session.is_exclusive();
        let stage = Stage {
            renderer: &renderer,
            data,
            invalidation: &invalidation,
            manifest,
            destination: &*destination,
            options: self.options,
            is_untouched: is_exclusive && retexted.is_some(),
            is_exclusive,
        };
        let outcomes = stage.run();
        let versions = outcomes.iter().filter_map(Outcome::version);
        let valid = versions.filter_map(Version::cached);
        for place in invalidation.reported_queries(valid) {
            data.report_query(place);
        }
        data.forget_parts();
        let published = match same {
            Some(same) => Cow::Borrowed(&same.published),
            None => Cow::Owned(feed_ids(&data.site, &data.plan, manifest, self.diagnostics)),
        };
        self.diagnostics.extend(data.take_warnings());
        let is_denied = self.errors() > errors;
        let is_published = stage.commit(&outcomes, is_denied, report, self.diagnostics);
        if self.errors() > errors && report.written == 0 {
            report.unchanged = 0;
            report.built = 0;
        }
        let could_be = self.options.dry_run && self.errors() == errors;
        self.is_done = is_published || could_be;
        if !is_published {
            return None;
        }
        self.options.progress.published(report, self.diagnostics);
        let (published, addresses) = (published.into_owned(), addresses.into_owned());
        let (made, is_new) = stage.manifest_of(&outcomes, published, addresses);
        let finished = Finished {
            current: &current,
            invalidation: &invalidation,
            scan,
            manifest: &made,
            report,
            diagnostics: &*self.diagnostics,
            destination,
        };
        let save = || match is_new {
            true => destination.save_manifest(&made),
            false => Ok(()),
        };
        let (saved, cache) = rayon::join(save, || next_cache(&finished, outcomes));
        if let Err(error) = saved {
            self.diagnostics.push(unwritable(".tabulae", &error));
            return None;
        }
        // Without the cache the next build is slower, and otherwise the same.
        let _ = destination.save_cache(&|to| cache.write(to));
        Some((cache, made))
    }

    /// Returns the report of a build that finds nothing changed; `None` if anything may have.
    fn unchanged(
        &mut self,
        cache: &BuildCache,
        scan: &Scan<'_>,
        settings: &Settings,
        manifest: Option<&Manifest>,
        destination: &dyn Destination,
    ) -> Option<BuildReport> {
        let unchanged = cache.unchanged.as_ref();
        let unchanged = unchanged.filter(|_| !self.options.foreign.prune)?;
        let zone = settings.site.timezone.clone();
        let now = self.options.clock.now(&zone);
        let today = Moment { now, zone }.today();
        let is_same = cache.configuration == configuration(settings, self.options)
            && unchanged.is_valid_at(now.as_second(), today)
            && scan.is(&cache.files)
            && manifest.is_some_and(|manifest| manifest.digest() == cache.manifest)
            && cache.outputs.par_iter().all(|(path, output)| {
                output.stamp.is_some() && destination.stamp(path) == output.stamp
            });
        if !is_same {
            return None;
        }
        self.diagnostics.extend(unchanged.warnings.iter().cloned());
        let UnchangedReport { read, excluded, .. } = unchanged;
        Some(BuildReport {
            posts: read.0,
            pages: read.1,
            built: unchanged.built,
            excluded: excluded.iter().cloned().collect(),
            next_due: unchanged.next_due.clone(),
            unchanged: cache.outputs.len(),
            unknown: unchanged.unknown.clone(),
            yields: unchanged.yields.clone(),
            base: settings.site.address.path.clone(),
            ..BuildReport::default()
        })
    }

    /// Returns the error of a part in a folder with other outputs, which it would remove.
    fn other_part(
        &self,
        manifest: Option<&Manifest>,
        destination: &dyn Destination,
    ) -> Option<Diagnostic> {
        let part = self.options.part?;
        let manifest = manifest?;
        let name = destination.name();
        let there = match manifest.part {
            Some(other) if other == part => return None,
            Some(other) => format!("part {other}"),
            None if manifest.files.is_empty() => return None,
            None => "a whole build".to_owned(),
        };
        let message = format!("{name} has {there}, and part {part} would remove its files");
        let location = Location::top_of(&name);
        let diagnostic = Diagnostic::error(Code::InvalidOutputFolder, location, message);
        let folder = format!("out-{}", part.number());
        Some(diagnostic.help(format!(
            "give each part a folder of its own: `--out {folder}`"
        )))
    }

    /// Returns `None` if the output folder overlaps with the site's sources. One that nobody else writes
    /// to may lie in the site's memory.
    fn check_out_folder(
        &mut self,
        settings: &Settings,
        destination: &dyn Destination,
    ) -> Option<()> {
        let (Some(out), Some(root)) = (destination.folder(), self.sources.root()) else {
            return Some(());
        };
        if self.session.is_exclusive() {
            return Some(());
        }
        let diagnostic = check_out_folder(&destination.name(), out, root, settings);
        let fits = diagnostic.is_none();
        self.diagnostics.extend(diagnostic);
        fits.then_some(())
    }

    /// Compares the addresses with those of the last build. Changes that are denied are diagnostics.
    fn compare(
        &mut self,
        now: &AddressList,
        data: &RenderData,
        manifest: Option<&Manifest>,
        report: &mut BuildReport,
    ) {
        // What a preview has is not what readers see.
        let manifest = manifest.filter(|_| !self.session.is_exclusive());
        let Some(before) = manifest.and_then(Manifest::address_list) else {
            return;
        };
        let changes = changes(&before, now, &data.plan);
        let levels = &self.levels;
        let denied = changes.warnings(&data.site.settings.source).into_iter();
        let denied = denied.filter(|warning| levels.denies(warning.code));
        self.diagnostics.extend(denied);
        report.addresses = changes.only(|code| !levels.allows(code));
    }

    /// Returns true for an error, and for a warning that the levels deny.
    fn is_error(&self, diagnostic: &Diagnostic) -> bool {
        diagnostic.is_error() || self.levels.denies(diagnostic.code)
    }

    fn errors(&self) -> usize {
        self.diagnostics
            .iter()
            .filter(|diagnostic| self.is_error(diagnostic))
            .count()
    }

    /// Returns true if an error prevents the build. In a build that keeps going, errors in posts that are
    /// left out do not.
    fn is_blocked(&self, site: &Site) -> bool {
        self.diagnostics
            .iter()
            .filter(|diagnostic| self.is_error(diagnostic))
            .any(|diagnostic| {
                let file = diagnostic.location.file.as_deref().unwrap_or_default();
                !self.options.keep_going || !site.is_left_out(file)
            })
    }

    /// Takes the lock, unless this build writes nothing.
    fn lock(&mut self, destination: &mut dyn Destination) -> bool {
        if self.options.dry_run {
            return true;
        }
        let locked = lock(destination);
        self.is_locked = locked.is_ok();
        self.diagnostics
            .extend(locked.err().map(|diagnostic| *diagnostic));
        self.is_locked
    }
}

/// Returns a report of what was read and excluded, and of the next scheduled post.
fn summary(site: &Site) -> BuildReport {
    let catalogue = &site.catalogue;
    let mut excluded = BTreeMap::new();
    for id in catalogue.all() {
        if let Some(reason) = site.include.excludes(catalogue.post(id).exclusion) {
            *excluded.entry(reason.name().to_owned()).or_insert(0) += 1;
        }
    }
    let scheduled = catalogue
        .all()
        .map(|id| catalogue.post(id))
        .filter(|post| post.exclusion.scheduled);
    let due = scheduled
        .filter_map(|post| Some((post.date?, post)))
        .min_by_key(|(date, _)| date.at);
    BuildReport {
        base: site.settings.site.address.path.clone(),
        yields: site.settings.yields.clone(),
        posts: site.posts_read,
        pages: site.pages_read,
        excluded,
        next_due: due.map(|(at, post)| Due {
            at,
            title: post.title.to_string(),
            path: post.path.clone(),
        }),
        ..BuildReport::default()
    }
}
