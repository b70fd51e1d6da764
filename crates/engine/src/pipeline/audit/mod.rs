//! The audit: the diagnostics of a build, the lints of the core, and lints that need pages or files.

use std::collections::BTreeSet;

use rayon::prelude::*;
use tabulae_core::audit::audit as audit_posts;
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Collected, Diagnostic, Diagnostics, nearest, without};
use tabulae_core::edit::Edit;
use tabulae_core::related::RelatedPosts;
use tabulae_core::settings::Settings;
use tabulae_core::source::Location;
use tabulae_core::term::Term;

use super::broken_links::broken_links;
use super::build;
use super::terms::terms;
use crate::options::{BuildOptions, ForeignFiles};
use crate::plan::{Origin, Plan, plan};
use crate::publish::{Destination, is_woven};
use crate::site::Site;
use crate::source::Sources;
use crate::template;

/// Checks a site and what was built of it, and writes nothing. Returns the settings, if they could be read.
/// All findings are warnings, except errors that fail a build.
pub(crate) fn audit(
    sources: &dyn Sources,
    destination: &mut dyn Destination,
    options: &BuildOptions<'_>,
) -> Collected<Option<Settings>> {
    let dry = BuildOptions {
        without_levels: true,
        ..options.dry_run(true).foreign(ForeignFiles::default())
    };
    let mut found = build(sources, destination, &dry).diagnostics;
    // A second time without broken posts, whose errors are reported already.
    let going = options.keep_going(true);
    let site = Site::read(sources, &going, &mut Diagnostics::new());
    if let Some(site) = &site {
        let plan = plan(site, &mut Diagnostics::new());
        let lints = lints((site, &plan), sources, destination, &found);
        found.extend(lints);
    }
    Collected {
        output: site.map(|site| site.settings),
        diagnostics: found,
    }
}

/// Returns the lints of a site that are not among `found`, the diagnostics of a build.
pub(crate) fn lints(
    (site, plan): (&Site, &Plan),
    sources: &dyn Sources,
    destination: &dyn Destination,
    found: &[Diagnostic],
) -> Diagnostics {
    let mut lints = audit_posts(&site.catalogue, &site.settings, &site.moment);
    lints.extend(unfiled(site, plan));
    lints.extend(filled(site));
    lints.extend(unused_templates(site));
    let others = OtherFiles::of(plan, destination);
    lints.extend(broken_links(site, plan, others.published(), sources));
    add_notes(site, &mut lints);
    lints.extend(empty_feeds(site, plan, found));
    lints.extend(others.stray(destination));
    without(lints, found)
}

/// Adds the note that joins terms to the findings of near-duplicates. A note that exists, or is to replace others, is for
/// its writer.
fn add_notes(site: &Site, found: &mut Diagnostics) {
    let alike = |found: &&mut Diagnostic| found.code == Code::NearDuplicateTerms;
    if !found.iter_mut().any(|found| alike(&found)) {
        return;
    }
    let Ok(fields) = terms(site, None, || Location::top_of("")) else {
        return;
    };
    for join in fields.iter().flat_map(|field| &field.joins) {
        let note = &join.note;
        if !note.is_complete() {
            continue;
        }
        let written = |(term, _): &(&Term, _)| {
            let (source, written) = term.written.as_ref()?;
            Some(source.location(written.span))
        };
        let places: Vec<Location> = join.others.iter().filter_map(written).collect();
        for found in found.iter_mut().filter(alike) {
            if places.contains(&found.location) {
                found.edits = vec![Edit::Create {
                    file: note.path.as_str().into(),
                    text: note.text.clone(),
                }];
            }
        }
    }
}

/// Listed posts that no page of an archive has.
fn unfiled(site: &Site, plan: &Plan) -> Diagnostics {
    let groups = plan.archives.iter().flat_map(|laid| &laid.groups);
    let filed: BTreeSet<PostId> = groups
        .flat_map(|group| group.posts.iter().copied())
        .collect();
    let listed = site.catalogue.listed(None).iter();
    let unfiled = listed.filter(|id| !filed.contains(id)).map(|id| {
        let path = &site.catalogue.post(*id).path;
        Diagnostic::warning(
            Code::OrphanedPost,
            Location::top_of(path),
            "this post is in no archive",
        )
        .help(format!(
            "`tabulae explain {path} --in ARCHIVE` says why it is not in one"
        ))
    });
    unfiled.collect()
}

/// Posts most of whose related posts only fill the list.
fn filled(site: &Site) -> Diagnostics {
    let listed = site.catalogue.listed(None).par_iter();
    let filled = listed.filter_map(|id| {
        let list = site.related_list(*id)?;
        let RelatedPosts { posts, found, .. } = list.find(&site.catalogue, *id, None);
        (found * 2 < posts.len()).then(|| {
            let path = &site.catalogue.post(*id).path;
            let message = format!(
                "{} of {} related posts only fill up the list",
                posts.len() - found,
                posts.len()
            );
            Diagnostic::warning(Code::WeakRelatedPosts, Location::top_of(path), message)
                .help("give it terms that other posts have, or name posts in its `related`")
        })
    });
    filled.collect()
}

/// Templates that no page comes by, as when a name is misspelt.
fn unused_templates(site: &Site) -> Diagnostics {
    let diagnostics = template::unused(site).into_iter().map(|name| {
        let path = format!("templates/{name}");
        let message = "no page and no other template loads this template";
        let diagnostic = Diagnostic::warning(Code::UnusedTemplate, Location::top_of(&path), message);
        let built_in = template::TEMPLATES.iter().map(|template| template.name);
        match nearest(name, built_in) {
            Some(near) => diagnostic.help(format!(
                "rename it to `{near}` if it is to replace that one; otherwise load it, or delete it"
            )),
            None => diagnostic.help("load it with `include`, name it in an archive, or remove it"),
        }
    });
    diagnostics.collect()
}

/// Returns warnings for feeds without entries about which a build says nothing.
fn empty_feeds(site: &Site, plan: &Plan, told: &[Diagnostic]) -> Diagnostics {
    let empty = plan.feeds.iter().filter(|feed| feed.posts.is_empty());
    let settings = &site.settings;
    let diagnostics = empty.map(|feed| {
        let declared = match feed.of {
            Origin::List { archive, .. } => settings.archives[archive].location,
            Origin::Named(number) => settings.feeds[number].location,
        };
        let message = format!("the feed {} has no entries", feed.link.plain);
        let location = settings.source.location(declared);
        let diagnostic = Diagnostic::warning(Code::EmptyFeed, location, message);
        diagnostic.help("run its query with `tabulae query`, or delete the feed")
    });
    let is_told = |diagnostic: &Diagnostic| {
        let same = |told: &Diagnostic| {
            told.code == diagnostic.code && told.location == diagnostic.location
        };
        told.iter().any(same)
    };
    diagnostics
        .filter(|diagnostic| !is_told(diagnostic))
        .collect()
}

/// Returns the files of the output folder that are published, though no build made them.
pub(crate) fn files_of_others(plan: &Plan, destination: &dyn Destination) -> Vec<String> {
    let others = OtherFiles::of(plan, destination);
    others.published().to_vec()
}

/// The files of the output folder that no build made.
struct OtherFiles {
    paths: Vec<String>,
    /// Set if `weave` fills the folder, so that they are published as well.
    are_woven: bool,
}

impl OtherFiles {
    fn of(plan: &Plan, destination: &dyn Destination) -> Self {
        let manifest = destination.manifest().unwrap_or_default();
        let planned: BTreeSet<&str> = plan.outputs.iter().map(|made| made.file.as_str()).collect();
        let is_ours = |path: &str| planned.contains(path) || manifest.files.contains_key(path);
        let files = destination.list().unwrap_or_default();
        let paths: Vec<String> = files.into_iter().filter(|path| !is_ours(path)).collect();
        let folder = destination.folder();
        Self {
            are_woven: folder.is_some_and(|folder| is_woven(folder, &paths)),
            paths,
        }
    }

    /// Returns those that are published: pages by hand or of another program, and what belongs to them.
    fn published(&self) -> &[String] {
        match self.are_woven {
            true => &self.paths,
            false => &[],
        }
    }

    /// Returns a warning for each, unless they are published.
    fn stray(&self, destination: &dyn Destination) -> Diagnostics {
        let stray = self.paths.iter().filter(|_| !self.are_woven);
        let stray = stray.map(|path| {
            let path = format!("{}/{path}", destination.name());
            Diagnostic::warning(
                Code::StrayFile,
                Location::top_of(&path),
                "no build made this file, and none removes it",
            )
            .help("remove it, or move it to assets/ if it is to be published")
        });
        stray.collect()
    }
}
