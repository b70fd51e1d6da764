//! Weaving: filling the placeholders of HTML pages that another program made.

mod fill;
mod folder;

use std::sync::Arc;

use rayon::prelude::*;
use tabulae_core::diagnostic::{Collected, Diagnostic, Diagnostics};
use tabulae_core::weave::Page;

use self::fill::Filler;
pub(crate) use self::folder::PageFolder;
use super::echoes::drop_echoes;
use crate::options::BuildOptions;
use crate::plan::plan;
use crate::publish::{add_once, unwritable};
use crate::render::Renderer;
use crate::site::{Site, unreadable};
use crate::source::Sources;
use crate::template::{Environments, RenderData};
use crate::threads::on_pool;

/// The report of a run.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct WeaveReport {
    /// The number of pages that were read.
    pub looked_at: usize,
    /// The number of pages with placeholders.
    pub pages: usize,
    /// The number of placeholders.
    pub places: usize,
    /// The pages that changed, or in a dry run would, sorted by path.
    pub changed: Vec<String>,
    /// The warnings.
    pub diagnostics: Vec<Diagnostic>,
}

/// The outcome of one page.
struct Outcome {
    path: String,
    places: usize,
    /// The new bytes, where they are others than before.
    bytes: Option<Vec<u8>>,
}

/// Fills the placeholders of all HTML pages below `folder`. Where there is an error nothing is
/// written; nor is it where `options` ask for a dry run.
pub(crate) fn weave(
    sources: &dyn Sources,
    folder: &PageFolder,
    options: &BuildOptions<'_>,
) -> Collected<Option<WeaveReport>> {
    let mut diagnostics = Diagnostics::new();
    let output = on_pool(options.jobs, || {
        woven(sources, folder, options, &mut diagnostics)
    });
    drop_echoes(&mut diagnostics);
    Collected {
        output,
        diagnostics,
    }
}

fn woven(
    sources: &dyn Sources,
    folder: &PageFolder,
    options: &BuildOptions<'_>,
    diagnostics: &mut Diagnostics,
) -> Option<WeaveReport> {
    let pages = match folder.pages() {
        Ok(pages) => pages,
        Err(diagnostic) => {
            diagnostics.push(*diagnostic);
            return None;
        }
    };
    let site = Site::read(sources, options, diagnostics)?;
    let plan = plan(&site, diagnostics);
    let data = Arc::new(RenderData::new(site, plan));
    let environments = Environments::new(&data, diagnostics);
    let renderer = Renderer::new(Arc::clone(&data), environments, sources);
    if diagnostics.iter().any(Diagnostic::is_error) && !options.keep_going {
        return None;
    }
    let levels = options.levels_of(Some(&data.site.settings));
    *diagnostics = levels.of(std::mem::take(diagnostics));
    let filler = Filler::new(&renderer, &data);
    let outcomes: Vec<(Option<Outcome>, Diagnostics)> = pages
        .par_iter()
        .map(|path| {
            let mut diagnostics = Diagnostics::new();
            (one(folder, path, &filler, &mut diagnostics), diagnostics)
        })
        .collect();
    let mut report = WeaveReport {
        looked_at: pages.len(),
        ..WeaveReport::default()
    };
    let mut changed = Vec::new();
    for (outcome, found) in outcomes {
        add_once(found, diagnostics);
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
    diagnostics.extend(data.take_warnings());
    *diagnostics = levels.of(std::mem::take(diagnostics));
    if diagnostics.iter().any(Diagnostic::is_error) {
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
        diagnostics.extend(failed);
    }
    Some(report)
}

/// A page with its places filled; `None` where it has none.
fn one(
    folder: &PageFolder,
    path: &str,
    filler: &Filler<'_>,
    diagnostics: &mut Diagnostics,
) -> Option<Outcome> {
    let shown = folder.shown(path);
    let bytes = match folder.read(path) {
        Ok(bytes) => bytes,
        Err(error) => {
            diagnostics.push(unreadable(&shown, &error));
            return None;
        }
    };
    let before = diagnostics.len();
    let page = Page::read(&shown, &bytes).into_output(diagnostics)?;
    let texts = filler.texts(&page, path, diagnostics);
    let broken = diagnostics[before..].iter().any(Diagnostic::is_error);
    let filled = (!broken).then(|| page.filled(&texts));
    Some(Outcome {
        path: path.to_owned(),
        places: page.places.len(),
        bytes: filled.filter(|filled| *filled != bytes),
    })
}
