//! What builds in one process hand on to one another, so that what the last one read is not read
//! again. A session is never needed: without one the same files come out.

use std::sync::Arc;

use tabulae_core::diagnostic::Faults;
use tabulae_core::query::ast::Lasts;
use tabulae_core::settings::Settings;

use crate::Options;
use crate::cache::{Scan, Store};
use crate::output::{Manifest, Output};
use crate::site::asked;
use crate::sources::Mark;
use crate::template::Shared;

/// Builds of one site in one process, as a preview makes them.
#[derive(Debug, Default)]
pub struct Session {
    last: Option<Last>,
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
}

impl Session {
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
    /// The same site with other texts of a few posts, where nothing else changed that can be seen
    /// in a list, an address or a plan; `None` where the site must be read.
    pub(crate) fn again(
        mut self,
        scan: &Scan<'_>,
        old: &Store,
        settings: &Settings,
        options: &Options<'_>,
    ) -> Option<Self> {
        let same = self.retext(scan, old, settings, options).is_some();
        if !same {
            // Nobody waits until thousands of posts are dropped.
            rayon::spawn(move || drop(self));
            return None;
        }
        Some(self)
    }

    fn retext(
        &mut self,
        scan: &Scan<'_>,
        old: &Store,
        settings: &Settings,
        options: &Options<'_>,
    ) -> Option<()> {
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
        if site.settings_last == Lasts::Moment || !same_day || site.changes_state_before(now) {
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
        shared.site.retext(&changed, scan, now)?;
        shared.forget();
        Some(())
    }
}
