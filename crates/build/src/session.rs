//! What builds in one process hand on to one another, so that what the last one read is not read
//! again. A session is never needed: without one the same files come out.

use std::collections::BTreeMap;
use std::sync::Arc;

use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::Faults;
use tabulae_core::query::ast::Lasts;
use tabulae_core::settings::Settings;

use crate::Options;
use crate::cache::{Hashes, Scan, Store};
use crate::output::{Manifest, Output};
use crate::plan::plan;
use crate::site::{Site, asked};
use crate::sources::Mark;
use crate::template::Shared;

/// Builds of one site in one process, as a preview makes them.
#[derive(Debug, Default)]
pub struct Session {
    last: Option<Last>,
    keeps_to_itself: bool,
    /// The only files of the site that may have changed since the last build.
    pub(crate) changed: Option<Vec<String>>,
}

/// What the last build left.
#[derive(Debug)]
pub(crate) struct Last {
    pub(crate) store: Store,
    pub(crate) manifest: Manifest,
    pub(crate) site: Before,
    /// What tells that nobody else built since.
    mark: Mark,
}

/// The site as the last build read it.
#[derive(Debug)]
pub(crate) struct Before {
    pub(crate) shared: Arc<Shared>,
    /// What was complained of while it was read.
    pub(crate) read: Faults,
    pub(crate) hashes: Hashes,
    /// The folders that files were looked for in, and whether they are there.
    pub(crate) folders: BTreeMap<String, bool>,
}

impl Session {
    /// Of builds into a folder that nobody else writes to: what one left there is not looked at
    /// by the next, as long as the manifest is as it was left.
    #[must_use]
    pub fn keeping_to_itself() -> Self {
        Self {
            keeps_to_itself: true,
            ..Self::default()
        }
    }

    pub(crate) fn keeps_to_itself(&self) -> bool {
        self.keeps_to_itself
    }

    /// Says that since the last build nothing of the site changed but these files, if any did, by
    /// their paths below the site's folder: the next build looks at no others. Where nothing is
    /// said, it looks at all.
    pub fn only_changed(&mut self, files: Vec<String>) {
        self.changed = Some(files);
    }

    /// What the last build left, unless someone else built into the output since.
    pub(crate) fn take(&mut self, output: &dyn Output) -> Option<Last> {
        let last = self.last.take();
        last.filter(|last| output.remembered() == Some(last.mark))
    }

    pub(crate) fn keep(
        &mut self,
        site: Before,
        store: Store,
        manifest: Manifest,
        output: &dyn Output,
    ) {
        self.last = output.remembered().map(|mark| Last {
            store,
            manifest,
            site,
            mark,
        });
    }
}

/// How many posts may have other texts before the site is read as a whole.
const FEW: usize = 16;

impl Before {
    /// A site as it was just read, with the faults of that; they are joined by those of its plan.
    pub(crate) fn new(site: Site, mut faults: Faults, scan: &Scan<'_>) -> Self {
        // A plan is laid by one thread.
        let (plan, hashes) = rayon::join(|| plan(&site, &mut faults), || Hashes::of(&site));
        Self {
            hashes,
            shared: Arc::new(Shared::new(site, plan)),
            read: faults,
            folders: scan.folders.clone(),
        }
    }

    /// The same site with other texts of a few posts, where nothing else changed that can be seen
    /// in a list, an address or a plan, and these posts; `None` where the site must be read.
    pub(crate) fn again(
        mut self,
        scan: &Scan<'_>,
        old: &Store,
        settings: &Settings,
        options: &Options<'_>,
    ) -> Option<(Self, Vec<PostId>)> {
        let Some(posts) = self.retext(scan, old, settings, options) else {
            // Nobody waits until thousands of posts are dropped.
            rayon::spawn(move || drop(self));
            return None;
        };
        Some((self, posts))
    }

    fn retext(
        &mut self,
        scan: &Scan<'_>,
        old: &Store,
        settings: &Settings,
        options: &Options<'_>,
    ) -> Option<Vec<PostId>> {
        let shared = Arc::get_mut(&mut self.shared)?;
        let site = &shared.site;
        if site.settings_stand_on_texts()
            || options.keep_going
            || asked(settings, options) != old.asked
        {
            return None;
        }
        let now = options.clock.now(&site.moment.zone);
        let same_day = site.moment.zone.to_datetime(now).date() == site.moment.today();
        if site.asks.last == Lasts::Moment || !same_day || site.changes_state_before(now) {
            return None;
        }
        let changed = scan.changed(&old.files, FEW)?;
        let told = |path: &String| {
            let mut files = self
                .read
                .iter()
                .filter_map(|fault| fault.place.file.as_deref());
            files.any(|file| file == path)
        };
        if changed.iter().any(told) {
            return None;
        }
        let posts = shared.site.retext(&changed, scan, now)?;
        shared.forget();
        self.hashes.retext(&shared.site, &posts);
        Some(posts)
    }
}
