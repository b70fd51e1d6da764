//! Weaving: filling the placeholders of HTML pages that another program made.

mod folder;

use std::collections::BTreeMap;
use std::sync::Arc;

use rayon::prelude::*;
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Collected, Diagnostic, Diagnostics};
use tabulae_core::id::LocaleId;
use tabulae_core::weave::Page;

pub(crate) use self::folder::PageFolder;
use super::echoes::drop_echoes;
use crate::options::BuildOptions;
use crate::plan::plan;
use crate::publish::{add_once, unwritable};
use crate::render::{Filler, Host, Renderer};
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
    pub placeholders: usize,
    /// The pages that changed, or in a dry run would, sorted by path.
    pub changed: Vec<String>,
    /// The warnings.
    pub diagnostics: Vec<Diagnostic>,
}

/// The outcome of one page.
struct Outcome {
    path: String,
    placeholders: usize,
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
    let weaver = Weaver {
        filler: Filler::new(&renderer),
        posts: posts_by_file(&data),
        site: &data.site,
        base: data.site.settings.site.address.path.trim_start_matches('/'),
    };
    let outcomes: Vec<(Option<Outcome>, Diagnostics)> = pages
        .par_iter()
        .map(|path| {
            let mut diagnostics = Diagnostics::new();
            (one(folder, path, &weaver, &mut diagnostics), diagnostics)
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
        report.placeholders += outcome.placeholders;
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

/// Fills the pages of a folder.
struct Weaver<'a> {
    filler: Filler<'a>,
    /// The posts by the files that their pages are in.
    posts: BTreeMap<String, PostId>,
    site: &'a Site,
    /// The path of the site's address, without the slash at its start.
    base: &'a str,
}

fn posts_by_file(data: &RenderData) -> BTreeMap<String, PostId> {
    let catalogue = &data.site.catalogue;
    let files = catalogue.all().map(|id| (catalogue.link(id).file(), id));
    files.collect()
}

impl Weaver<'_> {
    /// Returns the post whose page a file is: `2026/lime/index.html`, or `2026/lime.html` for an address with or without
    /// a slash at its end.
    fn post_at(&self, path: &str) -> Option<PostId> {
        let mut paths = self.paths(path);
        paths.find_map(|path| self.post_of(path))
    }

    /// Returns the language of a page: that of its post, else that of its address.
    fn locale_of(&self, this: Option<PostId>, path: &str) -> LocaleId {
        let of_link = |path: &str| self.site.settings.locales.of_link(&format!("/{path}"));
        let mut of_links = self.paths(path).map(of_link);
        match this {
            Some(id) => self.site.locale_of(id),
            None => of_links
                .find(|locale| *locale != LocaleId::SITE)
                .unwrap_or_default(),
        }
    }

    /// Returns the path of a page below the folder, and that below the path of the site's address.
    fn paths<'p>(&self, path: &'p str) -> impl Iterator<Item = &'p str> + use<'p> {
        let below = path
            .strip_prefix(self.base)
            .filter(|_| !self.base.is_empty());
        [Some(path), below.map(|below| below.trim_start_matches('/'))]
            .into_iter()
            .flatten()
    }

    fn post_of(&self, path: &str) -> Option<PostId> {
        let stem = path.rsplit_once('.').map_or(path, |(stem, _)| stem);
        let folder = stem.strip_suffix("/index").unwrap_or(stem);
        let names = [
            path.to_owned(),
            folder.to_owned(),
            format!("{folder}/index.html"),
            format!("{folder}.html"),
        ];
        names.iter().find_map(|name| self.posts.get(name).copied())
    }
}

/// Returns a page with its placeholders filled; `None` if it has none.
fn one(
    folder: &PageFolder,
    path: &str,
    weaver: &Weaver<'_>,
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
    let this = weaver.post_at(path);
    let host = Host {
        page: &page,
        this,
        locale: weaver.locale_of(this, path),
        output: None,
    };
    let texts = weaver.filler.texts(host, diagnostics);
    let broken = diagnostics[before..].iter().any(Diagnostic::is_error);
    let filled = (!broken).then(|| page.filled(&texts));
    Some(Outcome {
        path: path.to_owned(),
        placeholders: page.placeholders.len(),
        bytes: filled.filter(|filled| *filled != bytes),
    })
}
