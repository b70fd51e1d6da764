//! A build from end to end: read, plan, render what changed, stage, publish, remember.

use std::collections::BTreeMap;
use std::sync::Arc;

use rayon::prelude::*;
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Faults};
use tabulae_core::post::State;
use tabulae_core::settings::Settings;
use tabulae_core::source::Place;
use tabulae_core::time::Moment;

use crate::Options;
use crate::cache::{Quiet, Scan, Since, Store, World, leave};
use crate::output::{Manifest, Output, check_place};
use crate::render::{Renderer, check_templates};
use crate::report::{Due, Report};
use crate::session::{Before, Session};
use crate::site::{Site, asked, read_settings, reason};
use crate::sources::Sources;
use crate::stage::Stage;
use crate::template::environment;

struct Build<'a> {
    session: &'a mut Session,
    sources: &'a dyn Sources,
    options: &'a Options<'a>,
    faults: &'a mut Faults,
    /// Whether this build holds the lock.
    locked: bool,
}

pub(crate) fn run(
    session: &mut Session,
    sources: &dyn Sources,
    output: &mut dyn Output,
    options: &Options<'_>,
    faults: &mut Faults,
) -> Report {
    let mut build = Build {
        session,
        sources,
        options,
        faults,
        locked: false,
    };
    let mut report = build.run(output).unwrap_or_default();
    if build.locked {
        output.release();
    }
    report.out = output.name();
    report
}

/// What there is of the last build.
struct Past {
    store: Store,
    manifest: Option<Manifest>,
    /// Where the site is that of the last build with other texts: the posts that have them.
    retexted: Option<Vec<PostId>>,
}

impl Build<'_> {
    /// `None` where there is nothing to tell of but faults.
    fn run(&mut self, output: &mut dyn Output) -> Option<Report> {
        let changed = self.session.changed.take();
        let settings = read_settings(self.sources, self.faults)?;
        self.check_place(&settings, output)?;
        // Before manifest and cache are read: another build may be about to write them.
        if !self.lock(output) {
            return None;
        }
        let (old, manifest, before) = match self.session.take(output) {
            Some(last) => (Some(last.store), Some(last.manifest), Some(last.site)),
            None => {
                let old = output.recall().and_then(|bytes| Store::from_bytes(&bytes));
                (old, output.manifest(), None)
            }
        };
        let last = changed.zip(before.as_ref()).zip(old.as_ref());
        let scan = last.and_then(|((changed, before), old)| {
            let known = (&before.folders, &*old.files);
            Scan::again(self.sources, &settings, known, &changed)
        });
        let scan = scan.unwrap_or_else(|| Scan::new(self.sources, &settings));
        if let Some(known) = &old {
            let quiet = self.quiet(known, &scan, &settings, manifest.as_ref(), output);
            if quiet.is_some() {
                if let (Some(site), Some(store), Some(manifest)) = (before, old, manifest) {
                    self.session.keep(site, store, manifest, output);
                }
                return quiet;
            }
        }
        let old = old.filter(|_| manifest.is_some()).unwrap_or_default();
        let again = before.and_then(|before| before.again(&scan, &old, &settings, self.options));
        let (site, retexted) = match again {
            Some((again, retexted)) => {
                // Those of the settings are among what was complained of then.
                self.faults.clear();
                (again, Some(retexted))
            }
            None => {
                let site = Site::read_by(settings, &scan, Some(&old), self.options, self.faults);
                let read = std::mem::take(self.faults);
                (Before::new(site, read, &scan), None)
            }
        };
        self.faults.extend(site.read.iter().cloned());
        let mut report = summary(&site.shared.site);
        let past = Past {
            store: old,
            manifest,
            retexted,
        };
        let left = self.make(&site, &scan, &past, &mut report, output);
        if let Some((store, manifest)) = left {
            self.session.keep(site, store, manifest, output);
        } else {
            // Nobody waits until thousands of posts are dropped.
            rayon::spawn(move || drop(site));
        }
        Some(report)
    }

    /// Makes what changed and puts it in its place; what is left for the next build, if all of it
    /// was done.
    fn make(
        &mut self,
        site: &Before,
        scan: &Scan<'_>,
        past: &Past,
        report: &mut Report,
        output: &mut dyn Output,
    ) -> Option<(Store, Manifest)> {
        let Before { shared, hashes, .. } = site;
        let (retexted, manifest) = (past.retexted.as_deref(), past.manifest.as_ref());
        let env = environment(shared, self.faults);
        check_templates(shared, self.faults);
        if self.is_blocked(&shared.site) {
            return None;
        }
        let renderer = Renderer::new(Arc::clone(shared), env, scan);
        let errors = self.errors();
        let world = World::new(shared, hashes, retexted, scan, renderer.site_hash());
        let since = Since::new(&past.store, &world, manifest);
        let stage = Stage {
            renderer: &renderer,
            shared,
            since: &since,
            output: &*output,
            options: self.options,
            stands: self.session.keeps_to_itself() && retexted.is_some(),
            is_alone: self.session.keeps_to_itself(),
        };
        let outcomes = stage.all();
        shared.forget_parts();
        let published = crate::feeds::published(&shared.site, &shared.plan, manifest, self.faults);
        let placed = stage.publish(&outcomes, manifest, report, self.faults);
        self.faults.extend(shared.take_warnings());
        if self.errors() > errors && report.written == 0 {
            report.unchanged = 0;
        }
        if !placed {
            return None;
        }
        self.options.progress.stands(report, self.faults);
        let (made, is_new) = stage.manifest(&outcomes, published, manifest);
        let faults = &*self.faults;
        let (remembered, store) = rayon::join(
            || {
                if is_new {
                    output.remember(&made)
                } else {
                    Ok(())
                }
            },
            || leave(&since, outcomes, scan, &made, report, faults, output),
        );
        if let Err(error) = remembered {
            self.faults.push(unwritable(".tabulae", &error));
            return None;
        }
        // Without it the next build is slower, and that is all.
        let _ = output.keep(&|to| store.write(to));
        Some((store, made))
    }

    /// What a build says that finds nothing changed; `None` where anything may have.
    fn quiet(
        &mut self,
        old: &Store,
        scan: &Scan<'_>,
        settings: &Settings,
        manifest: Option<&Manifest>,
        output: &dyn Output,
    ) -> Option<Report> {
        let quiet = old.quiet.as_ref().filter(|_| !self.options.foreign.prune)?;
        let zone = settings.site.timezone.clone();
        let now = self.options.clock.now(&zone);
        let today = Moment { now, zone }.today();
        let same = old.asked == asked(settings, self.options)
            && quiet.holds(now.as_second(), today)
            && scan.is(&old.files)
            && manifest.is_some_and(|manifest| manifest.digest() == old.manifest)
            && old
                .pages
                .par_iter()
                .all(|(path, page)| page.mark.is_some() && output.mark(path) == page.mark);
        if !same {
            return None;
        }
        self.faults.extend(quiet.warnings.iter().cloned());
        let Quiet {
            read, held_back, ..
        } = quiet;
        Some(Report {
            posts: read.0,
            pages: read.1,
            held_back: held_back.iter().cloned().collect(),
            next_due: quiet.next_due.clone(),
            unchanged: old.pages.len(),
            unknown: quiet.unknown.clone(),
            base: settings.site.address.path.clone(),
            ..Report::default()
        })
    }

    /// Returns `None` if the output folder overlaps with the site's sources. One that nobody else writes
    /// to may lie in the site's memory.
    fn check_place(&mut self, settings: &Settings, output: &dyn Output) -> Option<()> {
        let (Some(out), Some(root)) = (output.folder(), self.sources.root()) else {
            return Some(());
        };
        if self.session.keeps_to_itself() {
            return Some(());
        }
        let fault = check_place(&output.name(), out, root, settings);
        let fits = fault.is_none();
        self.faults.extend(fault);
        fits.then_some(())
    }

    fn errors(&self) -> usize {
        self.faults.iter().filter(|fault| fault.is_error()).count()
    }

    /// Whether an error keeps the site from being built; in a build that keeps going, errors in
    /// posts that were left out do not.
    fn is_blocked(&self, site: &Site) -> bool {
        self.faults
            .iter()
            .filter(|fault| fault.is_error())
            .any(|fault| {
                let file = fault.place.file.as_deref().unwrap_or_default();
                !self.options.keep_going || !site.is_left_out(file)
            })
    }

    /// Takes the lock, unless this build writes nothing.
    fn lock(&mut self, output: &mut dyn Output) -> bool {
        if self.options.dry_run {
            return true;
        }
        let locked = lock(output);
        self.locked = locked.is_ok();
        self.faults.extend(locked.err().map(|fault| *fault));
        self.locked
    }
}

/// Takes the lock of an output, which whoever takes it releases.
///
/// # Errors
/// If another build holds it, or it cannot be written.
pub fn lock(output: &mut dyn Output) -> Result<(), Box<Diagnostic>> {
    let error = match output.lock() {
        Ok(()) => return Ok(()),
        Err(error) => error,
    };
    if error.kind() != std::io::ErrorKind::WouldBlock {
        return Err(Box::new(unwritable(".tabulae/lock", &error)));
    }
    let place = Place::top_of(".tabulae/lock");
    let message = "another build of this site is under way";
    let fault = Diagnostic::error(Code::BuildLocked, place, message);
    Err(Box::new(fault.help("wait until it is done, or end it")))
}

pub(crate) fn unwritable(path: &str, error: &std::io::Error) -> Diagnostic {
    Diagnostic::error(
        Code::FileUnwritable,
        Place::top_of(path),
        format!("cannot write `{path}`: {}", reason(error)),
    )
    .help(match error.kind() {
        std::io::ErrorKind::NotADirectory => {
            "what stands where a folder is needed is none: move it away, or write elsewhere with `--out`"
        }
        _ => "look at the folder's permissions and the space that is left",
    })
}

/// What was read, held back, and falls due next.
fn summary(site: &Site) -> Report {
    let catalogue = &site.catalogue;
    let mut held_back = BTreeMap::new();
    for id in catalogue.all().filter(|id| !catalogue.is_listed(*id)) {
        *held_back
            .entry(catalogue.post(id).state.name().to_owned())
            .or_insert(0) += 1;
    }
    let scheduled = catalogue
        .all()
        .map(|id| catalogue.post(id))
        .filter(|post| post.state == State::Scheduled);
    let due = scheduled
        .filter_map(|post| Some((post.date?, post)))
        .min_by_key(|(date, _)| date.at);
    Report {
        base: site.settings.site.address.path.clone(),
        posts: site.posts_read,
        pages: site.pages_read,
        held_back,
        next_due: due.map(|(at, post)| Due {
            at,
            title: post.title.to_string(),
            path: post.path.clone(),
        }),
        ..Report::default()
    }
}
