//! Conflicts of outputs: paths that are taken, invalid or not portable, with what makes each.

use std::collections::BTreeSet;

use tabulae_core::archive::Group;
use tabulae_core::catalogue::{PostId, term_location};
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::post::Post;
use tabulae_core::route::{Link, Maker, PathError, taken};
use tabulae_core::source::Location;
use tabulae_core::term::{Term, TermId};

use super::feed_plan::Origin;
use super::output::{ASSETS, FEED_STYLE, Output, OutputKind, SCRIPT, SEARCH_SCRIPT, STYLE};
use super::planner::Planner;

impl Planner<'_> {
    /// Returns the error for two outputs with the same path.
    pub(super) fn taken(&self, path: &str, first: &Output, second: &Output) -> Diagnostic {
        let makers = [first, second].map(|output| self.maker(&output.link, &output.kind));
        let ways = [first, second].map(|output| self.way_out(&output.kind));
        let way_out = match (ways, &makers) {
            ([Some(way), Some(other)], _) if way == other => match self.of_one_field(&first.kind) {
                true => "write both values alike, or so that they differ in letters or digits"
                    .to_owned(),
                false => format!("give one of them {way}"),
            },
            ([Some(way), Some(other)], [one, two]) => {
                format!("give {} {way}, or {} {other}", one.what, two.what)
            }
            ([Some(way), None], [maker, _]) | ([None, Some(way)], [_, maker]) => {
                format!("give {} {way}", maker.what)
            }
            ([None, None], _) => "leave one of them out".to_owned(),
        };
        taken(path, &makers[0], &makers[1], way_out)
    }

    /// Returns the content set of two posts, and the first of them, if its link has nothing that distinguishes posts.
    pub(super) fn constant_link(
        &self,
        first: &OutputKind,
        second: &OutputKind,
    ) -> Option<(usize, PostId)> {
        let (OutputKind::Post(first), OutputKind::Post(second)) = (first, second) else {
            return None;
        };
        let catalogue = &self.site.catalogue;
        let set = catalogue.post(*first).set;
        let is_shared = |variable: &str| {
            matches!(variable, "year" | "month" | "day" | "folder")
                || catalogue.term_field(variable).is_some()
        };
        let mut variables = self.site.settings.content[set].link.variables();
        (set == catalogue.post(*second).set && variables.all(is_shared)).then_some((set, *first))
    }

    /// Returns true for a post of a set whose link is reported, so that its conflicts are not.
    pub(super) fn has_constant_link(&self, kind: &OutputKind) -> bool {
        let OutputKind::Post(id) = kind else {
            return false;
        };
        let set = self.site.catalogue.post(*id).set;
        self.constant_links.contains_key(&set)
    }

    /// Reports the links of content sets that are the same for several posts, once for each set.
    pub(super) fn report_constant_links(&mut self) {
        let settings = &self.site.settings;
        for (set, id) in &self.constant_links {
            let set = &settings.content[*set];
            let post = &self.site.catalogue.post(*id).path;
            let link = self.site.catalogue.link(*id);
            let text = set.link.text();
            let message = format!(
                "the link \"{text}\" gives several posts of `{}` the same address {}, `{post}` among them",
                set.name, link.plain
            );
            let with_slug = match text.strip_suffix('/') {
                Some(folder) => format!("{folder}/{{slug}}/"),
                None => "/{slug}/".to_owned(),
            };
            let location = settings.source.location(set.link_location);
            let help = format!("write {{slug}} into the link: `link = \"{with_slug}\"`");
            let found = Diagnostic::error(Code::AddressConflict, location, message);
            self.diagnostics.push(found.help(help));
        }
    }

    /// Returns the error for an address whose path no output can have.
    pub(super) fn unfit(&self, link: &Link, what: &OutputKind, error: PathError) -> Diagnostic {
        let maker = self.maker(link, what);
        let message = format!(
            "{} cannot be written at \"{}\": {error}",
            maker.what, link.plain
        );
        let help = match self.way_out(what) {
            Some(way) => format!("give it {way}"),
            None => "leave it out".to_owned(),
        };
        Diagnostic::error(Code::InvalidPath, maker.location, message).help(help)
    }

    /// Returns an error for each two outputs whose paths differ only in case, as they overwrite each other on many file
    /// systems; a warning if one of them is a redirect.
    pub(super) fn differing_in_case(&self) -> Diagnostics {
        let pairs = self.outputs.differing_in_case().into_iter();
        let found = pairs.map(|(first, second)| {
            let outputs = [first, second].map(|number| &self.plan.outputs[number]);
            let makers = outputs.map(|output| self.maker(&output.link, &output.kind));
            let ways = outputs.map(|output| self.way_out(&output.kind));
            let help = match ways
                .into_iter()
                .zip(&makers)
                .find_map(|(way, maker)| Some((way?, maker)))
            {
                Some((way, maker)) => format!("give {} {way}", maker.what),
                None => "leave one of them out".to_owned(),
            };
            let message = format!(
                "{} at {} and {} at {} are one file on file systems that do not tell upper from lower case",
                makers[0].what, outputs[0].link.plain, makers[1].what, outputs[1].link.plain
            );
            let location = makers[1].location.clone();
            let is_redirect = |output: &Output| matches!(output.kind, OutputKind::Redirect(_));
            let found = if outputs.into_iter().any(is_redirect) {
                Diagnostic::warning(Code::PathCaseConflict, location, message)
            } else {
                Diagnostic::error(Code::PathCaseConflict, location, message)
            };
            let beside = format!("{} is here", makers[0].what);
            found.help(help).beside(makers[0].location.clone(), beside)
        });
        found.collect()
    }

    /// Returns a warning for each name of a file or folder that some file systems cannot hold.
    pub(super) fn not_portable(&self) -> Diagnostics {
        let mut seen = BTreeSet::new();
        let mut found = Diagnostics::new();
        for output in &self.plan.outputs {
            let Some((name, why)) = output.file.not_portable() else {
                continue;
            };
            if seen.insert(name) {
                let maker = self.maker(&output.link, &output.kind);
                let message = format!(
                    "{} has a path that Windows cannot hold: `{name}`, as {why}",
                    maker.what
                );
                let help = match self.way_out(&output.kind) {
                    Some(way) => {
                        format!("give it {way}; ignore this if the site is never on Windows")
                    }
                    None => "ignore this if the site is never on Windows".to_owned(),
                };
                found.push(
                    Diagnostic::warning(Code::PathNotPortable, maker.location, message).help(help),
                );
            }
        }
        found
    }

    /// Returns the term field and the two terms if two outputs are of lists of one archive.
    pub(super) fn same_slug(
        &self,
        first: &OutputKind,
        second: &OutputKind,
    ) -> Option<(usize, [TermId; 2])> {
        let term = |kind: &OutputKind| {
            let (archive, group) = match kind {
                OutputKind::List { archive, group, .. } | OutputKind::Titles { archive, group } => {
                    (*archive, *group)
                }
                OutputKind::Feed(number) => match self.plan.feeds[*number].of {
                    Origin::List { archive, group } => (archive, group),
                    Origin::Named(_) => return None,
                },
                _ => return None,
            };
            let term = self.group(archive, group).term.as_ref()?;
            Some((archive, term.id?))
        };
        let (archive, (field, one)) = term(first)?;
        let (other, (_, two)) = term(second)?;
        (archive == other && one != two).then_some((field, [one.min(two), one.max(two)]))
    }

    /// Returns the error for two terms whose pages have the same address.
    pub(super) fn terms_in_conflict(
        &self,
        field: usize,
        terms: [TermId; 2],
        link: &Link,
    ) -> Diagnostic {
        let table = self.site.catalogue.terms(field);
        let mut terms = terms.map(|id| table.term(id));
        // A note has the name of its term, and hidden files are no notes.
        terms.sort_by_key(|term| {
            (
                !term.name.starts_with('.'),
                std::cmp::Reverse(term.posts.len()),
            )
        });
        let [more, fewer] = terms;
        let field = &table.field.name;
        let message = format!(
            "the {field} terms \"{}\" and \"{}\" have the same address {}",
            more.name, fewer.name, link.plain
        );
        let settings = || self.site.settings.source.top();
        let location = |term: &Term| term_location(term).unwrap_or_else(settings);
        let help = format!(
            "to make one term of both, run `tabulae terms {field} --write-notes`; for two terms, write `slug: {}-2` into the front matter of a note `terms/{field}/{}.md`",
            fewer.slug, fewer.name
        );
        Diagnostic::error(Code::AddressConflict, location(fewer), message)
            .help(help)
            .beside(location(more), format!("\"{}\" is here", more.name))
    }

    /// Returns true for a list of the posts with one value of a front matter key.
    fn of_one_field(&self, kind: &OutputKind) -> bool {
        let OutputKind::List { archive, group, .. } = kind else {
            return false;
        };
        let term = self.group(*archive, *group).term.as_ref();
        term.is_some_and(|term| term.id.is_none())
    }

    /// Who makes an output of this address.
    pub(super) fn maker(&self, link: &Link, what: &OutputKind) -> Maker {
        let settings = &self.site.settings;
        let of_settings = |what: &str| (what.to_owned(), settings.source.top());
        let (what, location) = match what {
            OutputKind::Post(id) => of_source("post", self.site.catalogue.post(*id)),
            OutputKind::Page(at) => of_source("page", &self.site.pages[*at].post),
            OutputKind::List { archive, group, .. } | OutputKind::Titles { archive, group } => {
                let name = &settings.archives[*archive].name;
                let group = self.group(*archive, *group);
                let of_term = group.term.as_ref();
                let of_term = of_term.map(|term| format!(" of \"{}\"", term.name));
                let what = format!("the archive `{name}`{}", of_term.unwrap_or_default());
                (what, group.location.clone())
            }
            OutputKind::Overview(archive) => {
                let archive = &settings.archives[*archive];
                let link = archive.overview.as_ref().map(|link| link.span);
                (
                    format!("the overview of the archive `{}`", archive.name),
                    settings.source.location(link.unwrap_or(archive.location)),
                )
            }
            OutputKind::Feed(number) => match self.plan.feeds[*number].of {
                Origin::List { archive, .. } => {
                    let archive = &settings.archives[archive];
                    (
                        format!("a feed of the archive `{}`", archive.name),
                        settings.source.location(archive.location),
                    )
                }
                Origin::Named(number) => {
                    let feed = &settings.feeds[number];
                    (
                        format!("the feed `{}`", feed.name),
                        settings.source.location(feed.location),
                    )
                }
            },
            OutputKind::Export(at) => {
                let export = &settings.exports[*at];
                (
                    format!("the export `{}`", export.name),
                    settings.source.location(export.location),
                )
            }
            OutputKind::Copy(source) => {
                let kind = if source.starts_with(ASSETS) {
                    "asset"
                } else {
                    "file"
                };
                (format!("the {kind} `{source}`"), Location::top_of(source))
            }
            OutputKind::Redirect(to) => {
                let key = (link.plain.clone(), to.plain.clone());
                let origin = self.plan.redirects.get(&key).cloned();
                let (who, location) =
                    origin.unwrap_or_else(|| (String::new(), settings.source.top()));
                (format!("the old address of `{who}`"), location)
            }
            OutputKind::Style => of_settings(&format!("the theme's `{STYLE}`")),
            OutputKind::Script => of_settings(&format!("the theme's `{SCRIPT}`")),
            OutputKind::FeedStyle(_) => of_settings(&format!("the theme's `{FEED_STYLE}`")),
            OutputKind::Feeds(_) => of_settings("the page of the site's feeds"),
            OutputKind::Opml(_) => of_settings("the list of feeds for feed readers"),
            OutputKind::Search(_) | OutputKind::Texts(_) | OutputKind::SearchFile(..) => {
                of_settings("the search page")
            }
            OutputKind::SearchScript => of_settings(&format!("the theme's `{SEARCH_SCRIPT}`")),
            OutputKind::Sitemap(_) | OutputKind::SitemapIndex(_) => of_settings("the sitemap"),
        };
        Maker { what, location }
    }

    /// Returns what gives an output another address; `None` if the address is fixed.
    fn way_out(&self, what: &OutputKind) -> Option<String> {
        let way = match what {
            OutputKind::Post(_) | OutputKind::Page(_) => "another `slug`".to_owned(),
            OutputKind::List { archive, group, .. } | OutputKind::Titles { archive, group } => {
                let term = self.group(*archive, *group).term.as_ref();
                match term.and_then(|term| term.id) {
                    Some((field, _)) => {
                        let field = &self.site.catalogue.terms(field).field.name;
                        format!("another `slug` by a note in `terms/{field}/`")
                    }
                    None => "another `link`".to_owned(),
                }
            }
            OutputKind::Overview(_) => "another `overview`".to_owned(),
            OutputKind::Feed(_) | OutputKind::Export(_) => "another `link`".to_owned(),
            OutputKind::Copy(_) => "another name".to_owned(),
            OutputKind::Redirect(_) => "another `moved_from`".to_owned(),
            OutputKind::Style
            | OutputKind::Script
            | OutputKind::FeedStyle(_)
            | OutputKind::Feeds(_)
            | OutputKind::Opml(_)
            | OutputKind::Search(_)
            | OutputKind::Texts(_)
            | OutputKind::SearchFile(..)
            | OutputKind::SearchScript
            | OutputKind::Sitemap(_)
            | OutputKind::SitemapIndex(_) => return None,
        };
        Some(way)
    }

    fn group(&self, archive: usize, group: usize) -> &Group {
        &self.plan.archives[archive].groups[group]
    }
}

/// Returns a post or page in words, with the place that decides its address.
fn of_source(kind: &str, post: &Post) -> (String, Location) {
    let location = if post.front.get("slug").is_some() {
        post.location_of("slug")
    } else {
        Location::top_of(&post.path)
    };
    (format!("the {kind} `{}`", post.path), location)
}
