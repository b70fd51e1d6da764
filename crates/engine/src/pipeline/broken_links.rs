//! Addresses in posts and pages that lead nowhere within the site.

use std::collections::BTreeMap;
use std::sync::OnceLock;

use rayon::prelude::*;
use rustc_hash::FxHashSet;
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics, Help, KnownNames};
use tabulae_core::html::{addresses, is_local};
use tabulae_core::post::Post;
use tabulae_core::route::{Link, decode, folder_of};
use tabulae_core::settings::FileKind;
use tabulae_core::source::{Location, Source, Span};

use crate::plan::Plan;
use crate::site::{Owner, Site};
use crate::source::Sources;

/// Links and images of posts and pages that lead to no output of the site. Where the pages of a
/// content set are made by something else, an address from the site's root may be one of its. `others` are further
/// files that are published.
pub(super) fn broken_links(
    site: &Site,
    plan: &Plan,
    others: &[String],
    sources: &dyn Sources,
) -> Diagnostics {
    let checker = Checker::new(site, plan, others);
    let all: Vec<(&Post, &Link)> = texts(site).collect();
    let found: Vec<Diagnostics> = all
        .par_iter()
        .map(|(post, link)| checker.of(post, link, sources))
        .collect();
    found.into_iter().flatten().collect()
}

/// Links of posts and pages to source files that lead to no page of the site: the file is missing, or its post is
/// excluded.
#[derive(Debug, Default)]
pub(super) struct BrokenSourceLinks {
    /// By the number of the text among [`texts`], for those with links to source files.
    by_text: BTreeMap<usize, Diagnostics>,
}

impl BrokenSourceLinks {
    /// Looks through posts and pages; with `retexted` only through these posts, whose texts alone changed since the last
    /// look, and whose addresses are the same.
    pub(super) fn look(
        &mut self,
        site: &Site,
        plan: &Plan,
        sources: &dyn Sources,
        retexted: Option<&[PostId]>,
    ) {
        let is_new = |post: &Post, ids: &[PostId]| {
            let mut paths = ids.iter().map(|id| &site.catalogue.post(*id).path);
            paths.any(|path| *path == post.path)
        };
        let is_wanted = |post: &Post| {
            retexted.is_none_or(|ids| is_new(post, ids))
                && post.addresses.iter().any(|address| is_source(address))
        };
        let linking = texts(site).enumerate();
        let linking = linking.filter(|(_, (post, _))| is_wanted(post));
        let linking: Vec<(usize, (&Post, &Link))> = linking.collect();
        if retexted.is_none() {
            self.by_text.clear();
        }
        if linking.is_empty() {
            return;
        }
        let checker = Checker::new(site, plan, &[]);
        let found = linking
            .into_par_iter()
            .map(|(at, (post, link))| (at, checker.of_sources(post, link, sources)));
        let found: Vec<(usize, Diagnostics)> = found.collect();
        self.by_text.extend(found);
    }

    /// Returns a warning for each, in the order of the texts.
    pub(super) fn warnings(&self) -> impl Iterator<Item = &Diagnostic> {
        self.by_text.values().flatten()
    }
}

/// Returns the posts with a page, and then the pages in Markdown, with their addresses.
pub(super) fn texts(site: &Site) -> impl Iterator<Item = (&Post, &Link)> {
    let posts = site.catalogue.all().filter(|id| site.has_page(*id));
    let posts = posts.map(|id| (site.catalogue.post(id), site.catalogue.link(id)));
    let pages = site.pages.iter().filter(|page| page.template.is_none());
    posts.chain(pages.map(|page| (&page.post, &page.link)))
}

/// Returns true for the address of a source file in Markdown.
fn is_source(address: &str) -> bool {
    FileKind::of(path_of(address)) == Some(FileKind::Markdown)
}

/// Returns an address without its query and fragment (RFC 3986, section 3).
fn path_of(address: &str) -> &str {
    address.split(['?', '#']).next().unwrap_or_default()
}

/// Looks for addresses that lead nowhere.
pub(super) struct Checker<'a> {
    site: &'a Site,
    plan: &'a Plan,
    files: FxHashSet<&'a str>,
    /// The posts without a page by their addresses; of several the first.
    excluded: BTreeMap<&'a str, PostId>,
    /// The addresses of posts whose pages another program makes.
    of_others: FxHashSet<&'a str>,
    /// Set if every page of the site is an output.
    whole: bool,
    /// The addresses of pages and of images, for suggestions, when one is first wanted.
    pages: OnceLock<KnownNames<'a>>,
    images: OnceLock<KnownNames<'a>>,
    /// The paths below each folder that has a post or page.
    beside: BTreeMap<&'a str, OnceLock<KnownNames<'a>>>,
}

impl<'a> Checker<'a> {
    /// Returns a checker that knows the outputs of the plan and the files `others`.
    pub(super) fn new(site: &'a Site, plan: &'a Plan, others: &'a [String]) -> Self {
        let files = plan.all_outputs().map(|made| made.file.as_str());
        let catalogue = &site.catalogue;
        let link = |id: PostId| catalogue.link(id).plain.as_str();
        let excluded = catalogue.all().rev().filter(|id| !site.has_page(*id));
        let has_pages = |id: &PostId| site.settings.content[catalogue.post(*id).set].pages;
        let of_others = catalogue.all().filter(|id| !has_pages(id));
        Self {
            site,
            plan,
            files: files.chain(others.iter().map(String::as_str)).collect(),
            excluded: excluded.map(|id| (link(id), id)).collect(),
            of_others: of_others.map(link).collect(),
            whole: site.settings.makes_all_pages(),
            pages: OnceLock::new(),
            images: OnceLock::new(),
            beside: texts(site)
                .map(|(post, _)| (folder_of(&post.path), OnceLock::new()))
                .collect(),
        }
    }

    /// Returns a warning for each address of a post, and for its image, that leads nowhere.
    pub(super) fn of(&self, post: &Post, link: &Link, sources: &dyn Sources) -> Diagnostics {
        let owner = Owner::new(&post.path, link);
        let mut diagnostics = Diagnostics::new();
        if let Some(image) = &post.image
            && let Some(target) = self.nowhere(owner, image)
        {
            let location = post.location_of("image");
            diagnostics.push(self.diagnostic(Code::MissingImage, location, image, &target));
        }
        let in_text = addresses(&post.html.get()).into_iter();
        let broken: Vec<_> = in_text
            .filter_map(|address| Some((self.nowhere(owner, &address)?, address)))
            .collect();
        diagnostics.extend(self.at_their_places(post, broken, sources));
        diagnostics
    }

    /// Returns a warning for each link of a post to a source file that leads to no page.
    pub(super) fn of_sources(
        &self,
        post: &Post,
        link: &Link,
        sources: &dyn Sources,
    ) -> Diagnostics {
        let owner = Owner::new(&post.path, link);
        let named = post.addresses.iter().filter(|address| is_source(address));
        let broken: Vec<_> = named
            .filter_map(|address| Some((self.nowhere(owner, address)?, address.clone())))
            .collect();
        self.at_their_places(post, broken, sources)
    }

    /// Returns a warning for each address of a post that leads nowhere, with its target.
    fn at_their_places(
        &self,
        post: &Post,
        broken: Vec<(String, String)>,
        sources: &dyn Sources,
    ) -> Diagnostics {
        let mut diagnostics = Diagnostics::new();
        if broken.is_empty() {
            return diagnostics;
        }
        let text = sources.read(&post.path).unwrap_or_default();
        let source = Source::new(&post.path, &String::from_utf8_lossy(&text));
        for (target, address) in broken {
            let code = if is_image(&target) {
                Code::MissingImage
            } else {
                Code::BrokenLink
            };
            diagnostics.push(self.diagnostic(
                code,
                location_of(&source, &address),
                &address,
                &target,
            ));
        }
        diagnostics
    }

    /// Returns the path that an address leads to, below the site's root, if no output has it.
    fn nowhere(&self, owner: Owner<'_>, address: &str) -> Option<String> {
        if address.is_empty() || address.starts_with(['#', '?']) || !is_local(address) {
            return None;
        }
        let base = &self.site.settings.site.address.path;
        let target = match self.site.resolve(owner, address) {
            Some(whole) => whole.strip_prefix(base.as_str())?.to_owned(),
            None => address.to_owned(),
        };
        let link = Link::new(decode(path_of(&target)));
        let file = link.file();
        let is_there = self.files.contains(file.as_str())
            || self.files.contains(format!("{file}/index.html").as_str())
            || self.files.contains(format!("{file}.html").as_str())
            || !self.whole && self.of_others.contains(link.plain.as_str());
        (!is_there && (self.whole || !address.starts_with('/'))).then_some(link.plain)
    }

    fn diagnostic(
        &self,
        code: Code,
        location: Location,
        address: &str,
        target: &str,
    ) -> Diagnostic {
        let own = location.file.clone().unwrap_or_default();
        let excluded = self.excluded.get(target).copied();
        let message = match excluded {
            Some(id) => {
                let post = self.site.catalogue.post(id);
                format!(
                    "`{address}` leads to `{}`, which is not published ({})",
                    post.path,
                    post.state().name()
                )
            }
            None => format!("`{address}` leads nowhere: the site has no {target}"),
        };
        let help = match excluded {
            Some(_) => None,
            None => self.meant(&own, address, target),
        };
        Diagnostic::warning(code, location, message).help(match help {
            Some(near) => {
                let help = format!("did you mean {near}?");
                match is_slip_for(address, &near) {
                    true => Help::instead(help, near),
                    false => help.into(),
                }
            }
            None if code == Code::MissingImage => {
                "put the file beside the post or into assets/, or correct its name".into()
            }
            None => "correct the link, or delete it".into(),
        })
    }

    /// Returns what an address in the file `own` probably means: the file of another post if it is written
    /// as one, or else an address of the site.
    fn meant(&self, own: &str, address: &str, target: &str) -> Option<String> {
        if is_source(address) {
            let folder = folder_of(own);
            let name = own
                .strip_prefix(folder)
                .unwrap_or(own)
                .trim_start_matches('/');
            let beside = self.beside.get(folder)?;
            let beside = beside.get_or_init(|| self.paths_in(folder));
            return beside
                .nearest_but(path_of(address), name)
                .map(str::to_owned);
        }
        let addresses = match is_image(target) {
            true => &self.images,
            false => &self.pages,
        };
        let addresses = addresses.get_or_init(|| {
            let links = self.plan.all_outputs().map(|made| made.link.plain.as_str());
            KnownNames::new(links.filter(|link| is_image(link) == is_image(target)))
        });
        let post = self.site.post_at(own);
        let own = post.map(|id| self.site.catalogue.link(id).plain.as_str());
        let nearest = addresses.nearest_but(target, own.unwrap_or_default());
        nearest.map(str::to_owned)
    }

    /// Returns the paths of the posts below a folder, as posts in it name them.
    fn paths_in(&self, folder: &str) -> KnownNames<'a> {
        let catalogue = &self.site.catalogue;
        let paths = catalogue.all().map(|id| catalogue.post(id).path.as_str());
        KnownNames::new(paths.filter_map(|path| path.strip_prefix(folder)?.strip_prefix('/')))
    }
}

/// Returns true if an address is probably another one with a slip: a page above or below it, or of another number or date,
/// is only a hint.
fn is_slip_for(address: &str, near: &str) -> bool {
    let levels = |path: &str| path.matches('/').count();
    let digits = |path: &str| {
        path.chars()
            .filter(char::is_ascii_digit)
            .collect::<String>()
    };
    levels(address) == levels(near) && digits(address) == digits(near)
}

fn is_image(target: &str) -> bool {
    let ending = target.rsplit('.').next().unwrap_or_default();
    let ending = ending.to_ascii_lowercase();
    let images = [
        "avif", "bmp", "gif", "ico", "jpeg", "jpg", "png", "svg", "tif", "tiff", "webp",
    ];
    images.contains(&ending.as_str())
}

/// Returns the place of an address in a text; its top, if the address is written in another form.
fn location_of(source: &Source, address: &str) -> Location {
    let written = [address.to_owned(), address.replace('&', "&amp;")];
    let found = written.iter().find_map(|address| {
        let at = source.text().find(address.as_str())?;
        Some(Span::new(at, at + address.len()))
    });
    found.map_or_else(|| source.top(), |span| source.location(span))
}
