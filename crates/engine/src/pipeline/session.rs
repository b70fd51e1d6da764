//! Build sessions: builds of one site in one process, each of which starts from the site in memory.

use std::collections::BTreeMap;
use std::sync::Arc;

use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::Diagnostics;
use tabulae_core::query::ast::Validity;
use tabulae_core::settings::Settings;

use super::broken_links::BrokenSourceLinks;
use super::page_lists::{PageLists, page_lists};
use super::post_fingerprints::PostFingerprints;
use crate::incremental::BuildCache;
use crate::options::{BuildOptions, BuildPart};
use crate::plan::plan;
use crate::publish::{Destination, Manifest};
use crate::site::{CachedPosts, Site, configuration};
use crate::source::{FileStamp, Scan, Sources};
use crate::template::RenderData;

/// Builds of one site in one process, as a preview makes them. The output is the same as without a session.
#[derive(Debug, Default)]
pub(crate) struct Session {
    last: Option<LastBuild>,
    is_exclusive: bool,
    /// The only files of the site that may have changed since the last build; `None` if any may have.
    pub(super) changed: Option<Vec<String>>,
    /// The site as it is shown, if the last build found nothing to do and has not read it.
    shown: Option<Arc<RenderData>>,
}

/// The state after the last build.
#[derive(Debug)]
pub(super) struct LastBuild {
    pub(super) cache: BuildCache,
    pub(super) manifest: Manifest,
    pub(super) site: LoadedSite,
    /// The stamp of the manifest: if it is the same, nobody else built since.
    manifest_stamp: FileStamp,
}

/// A site in memory, with its plan and fingerprints.
#[derive(Debug)]
pub(super) struct LoadedSite {
    pub(super) data: Arc<RenderData>,
    /// The diagnostics of reading and planning.
    pub(super) diagnostics: Diagnostics,
    pub(super) fingerprints: PostFingerprints,
    pub(super) broken_links: BrokenSourceLinks,
    /// The folders that were listed, and whether they exist.
    pub(super) folders: BTreeMap<String, bool>,
}

impl Session {
    /// Returns a session of builds into a folder that nobody else writes to: the files of the last build are
    /// not looked at, as long as the manifest has the same stamp.
    pub(crate) fn exclusive() -> Self {
        Self {
            is_exclusive: true,
            ..Self::default()
        }
    }

    pub(super) fn is_exclusive(&self) -> bool {
        self.is_exclusive
    }

    /// States that at most these files changed since the last build, by their paths below the site's folder.
    /// The next build looks at no others.
    pub(crate) fn only_changed(&mut self, files: Vec<String>) {
        self.changed = Some(files);
    }

    /// Returns the lists of a page of the site as it was last built; `None` if there is no such page.
    pub(crate) fn page_lists(
        &mut self,
        sources: &dyn Sources,
        options: &BuildOptions<'_>,
        address: &str,
    ) -> Option<PageLists> {
        if let Some(last) = &self.last {
            return page_lists(&last.site.data, sources, address);
        }
        if self.shown.is_none() {
            let mut diagnostics = Diagnostics::new();
            let site = Site::read(sources, options, &mut diagnostics)?;
            let plan = plan(&site, &mut diagnostics);
            self.shown = Some(Arc::new(RenderData::new(site, plan)));
        }
        page_lists(self.shown.as_ref()?, sources, address)
    }

    /// Takes the state after the last build, unless someone else built since.
    pub(super) fn take(&mut self, destination: &dyn Destination) -> Option<LastBuild> {
        self.shown = None;
        let last = self.last.take();
        last.filter(|last| destination.manifest_stamp() == Some(last.manifest_stamp))
    }

    /// Keeps the state after a build, unless the site is in use elsewhere.
    pub(super) fn keep(
        &mut self,
        mut site: LoadedSite,
        cache: BuildCache,
        manifest: Manifest,
        destination: &dyn Destination,
    ) {
        // Term frequencies go by the numbers of words in the cache.
        let Some(data) = Arc::get_mut(&mut site.data) else {
            return;
        };
        data.site.cached = Arc::clone(&cache.posts);
        let stamp = destination.manifest_stamp();
        self.last = stamp.map(|manifest_stamp| LastBuild {
            cache,
            manifest,
            site,
            manifest_stamp,
        });
    }
}

/// The maximum number of posts with other texts for which the site in memory is updated.
const FEW: usize = 16;

impl LoadedSite {
    /// Plans a site that was read with diagnostics, and adds those of the plan.
    pub(super) fn new(
        site: Site,
        mut diagnostics: Diagnostics,
        scan: &Scan<'_>,
        part: Option<BuildPart>,
    ) -> Self {
        // Planning uses one thread.
        let (mut plan, fingerprints) = rayon::join(
            || plan(&site, &mut diagnostics),
            || PostFingerprints::of(&site),
        );
        if let Some(part) = part {
            plan.keep_part(part);
        }
        Self {
            fingerprints,
            data: Arc::new(RenderData::new(site, plan)),
            diagnostics,
            broken_links: BrokenSourceLinks::default(),
            folders: scan.folders.clone(),
        }
    }

    /// Returns the site with other texts of a few posts, and these posts; `None` if anything changed that is
    /// seen in a list, an address or the plan, so that the site must be read again.
    pub(super) fn again(
        mut self,
        scan: &Scan<'_>,
        old: &mut BuildCache,
        settings: &Settings,
        options: &BuildOptions<'_>,
    ) -> Option<(Self, Vec<PostId>)> {
        // Posts that only one has are updated in place.
        old.posts = CachedPosts::default();
        let Some(posts) = self.retext(scan, old, settings, options) else {
            old.posts = Arc::clone(&self.data.site.cached);
            // Dropped in the background: freeing thousands of posts takes a while.
            rayon::spawn(move || drop(self));
            return None;
        };
        Some((self, posts))
    }

    fn retext(
        &mut self,
        scan: &Scan<'_>,
        old: &BuildCache,
        settings: &Settings,
        options: &BuildOptions<'_>,
    ) -> Option<Vec<PostId>> {
        let data = Arc::get_mut(&mut self.data)?;
        let site = &data.site;
        if site.settings_depend_on_texts()
            || options.keep_going
            || configuration(settings, options) != old.configuration
        {
            return None;
        }
        let now = options.clock.now(&site.moment.zone);
        let same_day = site.moment.zone.to_datetime(now).date() == site.moment.today();
        if site.query_traits.validity == Validity::Moment
            || !same_day
            || site.changes_state_before(now)
        {
            return None;
        }
        let changed = scan.changed(&old.files, FEW)?;
        let told = |path: &String| {
            let mut files = self
                .diagnostics
                .iter()
                .filter_map(|diagnostic| diagnostic.location.file.as_deref());
            files.any(|file| file == path)
        };
        if changed.iter().any(told) {
            return None;
        }
        let posts = data.site.retext(&changed, scan, now)?;
        data.forget();
        self.fingerprints.retext(&data.site, &posts);
        Some(posts)
    }
}
