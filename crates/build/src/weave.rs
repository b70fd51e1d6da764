//! Filling the marked places of HTML pages that something else made.

mod fill;
mod folder;

use std::sync::Arc;

use rayon::prelude::*;
use tabulae_core::diagnostic::{Collected, Diagnostic, Faults};
use tabulae_core::weave::Page;

use self::fill::Filler;
pub use self::folder::Folder;
use crate::plan::plan;
use crate::render::Renderer;
use crate::run::unwritable;
use crate::site::{Site, unreadable};
use crate::sources::Sources;
use crate::stage::add_once;
use crate::template::{Shared, environment};
use crate::{Options, on_large_stacks};

/// The account of a run.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Woven {
    /// How many pages were looked at.
    pub looked_at: usize,
    /// How many of them have marked places.
    pub pages: usize,
    /// How many places they have.
    pub places: usize,
    /// The pages that changed, or would, sorted by path.
    pub changed: Vec<String>,
}

/// What becomes of a page.
struct Outcome {
    path: String,
    places: usize,
    /// The new bytes, where they are others than before.
    bytes: Option<Vec<u8>>,
}

/// Fills the marked places of all HTML pages below `folder`. Where there is an error nothing is
/// written; nor is it where `options` ask for a dry run.
pub fn weave(
    sources: &dyn Sources,
    folder: &Folder,
    options: &Options<'_>,
) -> Collected<Option<Woven>> {
    let mut faults = Faults::new();
    let output = on_large_stacks(|| woven(sources, folder, options, &mut faults));
    Collected {
        output,
        diagnostics: faults,
    }
}

fn woven(
    sources: &dyn Sources,
    folder: &Folder,
    options: &Options<'_>,
    faults: &mut Faults,
) -> Option<Woven> {
    let pages = match folder.pages() {
        Ok(pages) => pages,
        Err(fault) => {
            faults.push(*fault);
            return None;
        }
    };
    let site = Site::read(sources, options, faults)?;
    let plan = plan(&site, faults);
    let shared = Arc::new(Shared::new(site, plan));
    let env = environment(&shared, faults);
    let renderer = Renderer::new(Arc::clone(&shared), env, sources);
    if faults.iter().any(Diagnostic::is_error) && !options.keep_going {
        return None;
    }
    let filler = Filler::new(&renderer, &shared);
    let outcomes: Vec<(Option<Outcome>, Faults)> = pages
        .par_iter()
        .map(|path| {
            let mut faults = Faults::new();
            (one(folder, path, &filler, &mut faults), faults)
        })
        .collect();
    let mut report = Woven {
        looked_at: pages.len(),
        ..Woven::default()
    };
    let mut changed = Vec::new();
    for (outcome, found) in outcomes {
        add_once(found, faults);
        let Some(outcome) = outcome else {
            continue;
        };
        report.pages += 1;
        report.places += outcome.places;
        if let Some(bytes) = outcome.bytes {
            report.changed.push(outcome.path.clone());
            changed.push((outcome.path, bytes));
        }
    }
    faults.extend(shared.take_warnings());
    if faults.iter().any(Diagnostic::is_error) {
        return None;
    }
    if !options.dry_run {
        let failed: Vec<Diagnostic> = changed
            .par_iter()
            .filter_map(|(path, bytes)| {
                let written = folder.replace(path, bytes);
                written
                    .err()
                    .map(|error| unwritable(&folder.shown(path), &error))
            })
            .collect();
        faults.extend(failed);
    }
    Some(report)
}

/// A page with its places filled; `None` where it has none.
fn one(folder: &Folder, path: &str, filler: &Filler<'_>, faults: &mut Faults) -> Option<Outcome> {
    let shown = folder.shown(path);
    let bytes = match folder.read(path) {
        Ok(bytes) => bytes,
        Err(error) => {
            faults.push(unreadable(&shown, &error));
            return None;
        }
    };
    let before = faults.len();
    let page = Page::read(&shown, &bytes).into_output(faults)?;
    let texts = filler.texts(&page, path, faults);
    let broken = faults[before..].iter().any(Diagnostic::is_error);
    let filled = (!broken).then(|| page.filled(&texts));
    Some(Outcome {
        path: path.to_owned(),
        places: page.places.len(),
        bytes: filled.filter(|filled| *filled != bytes),
    })
}
