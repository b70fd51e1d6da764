//! A site as read: settings, posts, pages, term notes, templates and assets.

mod cached;
mod content_files;
mod counting;
mod files;
pub(crate) mod markdown;
mod pages;
mod posts;
mod query_traits;
mod read;
mod related_before;
mod related_lists;
mod term_notes;
mod used_keys;

pub(crate) use self::cached::{
    Bytes, CachedPosts, CachedWords, KeptPosts, ParsedPost, PreviousPosts, Vocabulary,
};
pub(crate) use self::files::{reason, unreadable};
#[cfg(test)]
pub(crate) use self::markdown::CLASSES as CODE_CLASSES;
use self::markdown::{Highlighter, MarkdownStyle};
use self::query_traits::QueryTraits;
pub(crate) use self::read::{configuration, read_settings};
pub(crate) use self::related_before::CachedHits;
use self::related_before::RelatedBefore;
pub(crate) use self::related_lists::RelatedLists;

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;
use std::io::{self, Read};
use std::sync::{Arc, Mutex, OnceLock};

use indexmap::IndexMap;
use jiff::Timestamp;
use rustc_hash::{FxBuildHasher, FxHashSet};
use tabulae_core::catalogue::{Catalogue, PostId};
use tabulae_core::diagnostic::{Diagnostics, nearest};
use tabulae_core::html;
use tabulae_core::id::LocaleId;
use tabulae_core::note::TermNote;
use tabulae_core::post::{Include, Post};
use tabulae_core::query::{Library, Query, Resolved, Scope};
use tabulae_core::related::{RelatedList, RelatedPosts};
use tabulae_core::route::{Link, decode, folder_of};
use tabulae_core::settings::{Locale, Related, Settings};
use tabulae_core::similarity::{ComparedField, FieldWeights, Index, WeightedField};
use tabulae_core::source::Source;
use tabulae_core::time::Moment;
use tabulae_core::value::Value;

use crate::source::Sources;
use crate::threads::locked;

/// Everything that was read of a site.
#[derive(Debug)]
pub(crate) struct Site {
    /// `tabulae.toml`
    pub settings: Settings,
    /// The clock.
    pub moment: Moment,
    /// The states of posts that lists include beside live ones.
    pub include: Include,
    /// The posts and terms.
    pub catalogue: Catalogue,
    /// The named queries.
    pub library: Library,
    /// The queries of related posts.
    pub related: RelatedLists,
    /// The related posts of each post, by its number, when they were asked for.
    related_to: Vec<OnceLock<RelatedPosts>>,
    /// The hits of the last build, if only a few texts changed since.
    related_before: OnceLock<RelatedBefore>,
    /// The query of the posts most alike, for each language.
    likeness: Vec<Option<Query<Resolved>>>,
    /// The pages of `pages/`, without excluded ones.
    pub pages: Vec<Page>,
    /// The notes on terms.
    pub notes: Vec<TermNote>,
    /// Templates of the site's own: name and text.
    pub templates: Vec<(String, String)>,
    /// The files of `assets/`, below it.
    pub assets: Vec<String>,
    /// The sizes of images, in pixels, that were asked for.
    image_sizes: Mutex<BTreeMap<String, Option<(u32, u32)>>>,
    /// The number of posts that were read.
    pub posts_read: usize,
    /// The number of pages that were read.
    pub pages_read: usize,
    /// The fingerprint of the settings and options.
    pub(crate) configuration: u64,
    /// The site's input for rendering Markdown.
    markdown: MarkdownStyle,
    highlighter: Arc<Highlighter>,
    /// The posts for the cache of the next build.
    pub(crate) cached: CachedPosts,
    /// The traits of all queries of the settings.
    pub(crate) query_traits: QueryTraits,
    /// In the order of their paths.
    files: IndexMap<String, File, FxBuildHasher>,
    /// The names of the files that are neither posts nor pages.
    other_names: FxHashSet<String>,
    /// The files of the site, for the places of diagnostics in texts that are not kept.
    sources: Arc<dyn Sources>,
    /// The errors of bodies that were read again.
    reread_errors: cached::Errors,
    /// The posts that were found, where broken ones are left out.
    found: BTreeSet<String>,
}

/// A file of a content set or of `pages/`, by its path below the site's folder.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum File {
    Post(PostId),
    Page(usize),
    Other,
}

/// A page of `pages/`.
#[derive(Debug, Clone)]
pub(crate) struct Page {
    /// The front matter and text.
    pub post: Post,
    /// The address.
    pub link: Link,
    /// The text of a page that is itself a template.
    pub template: Option<String>,
}

impl Page {
    /// Returns true for the page that hosts show for addresses without a page.
    #[must_use]
    pub(crate) fn is_not_found(&self) -> bool {
        self.link.plain.ends_with("/404.html")
    }

    /// Returns false if its front matter keeps it out of the navigation: `menu: false`.
    #[must_use]
    pub(crate) fn is_in_menu(&self) -> bool {
        let menu = self.post.front.get("menu");
        !self.is_not_found()
            && !menu.is_some_and(|menu| matches!(menu.value.node, Value::Flag(false, _)))
    }
}

/// A post or page whose text refers to files beside it.
#[derive(Clone, Copy)]
pub(crate) struct Owner<'a> {
    /// The path of its source.
    pub path: &'a str,
    /// The address of the source.
    pub link: &'a Link,
    /// Receives the path of each file that a reference is looked up as, existing or not.
    pub on_lookup: &'a (dyn Fn(&str) + Sync),
    /// Receives the path of each image that is measured.
    pub on_measure: &'a (dyn Fn(&str) + Sync),
}

impl fmt::Debug for Owner<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.path)
    }
}

impl<'a> Owner<'a> {
    /// Returns an owner whose lookups nobody needs to know.
    #[must_use]
    pub(crate) fn new(path: &'a str, link: &'a Link) -> Self {
        Self {
            path,
            link,
            on_lookup: &|_| {},
            on_measure: &|_| {},
        }
    }
}

impl Site {
    /// The related posts of a post, as the settings have them listed. They are found once.
    #[must_use]
    pub(crate) fn related_to(&self, id: PostId) -> &[PostId] {
        let Some(list) = self.related_list(id) else {
            return &[];
        };
        let find = || list.find(&self.catalogue, id, self.hits_before(id));
        &self.related_to[id.0 as usize].get_or_init(find).posts
    }

    /// Returns the number of related posts of a post without those that fill up the list.
    #[must_use]
    pub(crate) fn found_related(&self, id: PostId) -> usize {
        let _ = self.related_to(id);
        let known = self.related_to[id.0 as usize].get();
        known.map_or(0, |related| related.found)
    }

    /// Returns true if all related posts of a post are those that fill up the list, and there are any.
    #[must_use]
    pub(crate) fn is_all_fill(&self, id: PostId) -> bool {
        !self.related_to(id).is_empty() && self.found_related(id) == 0
    }

    /// Returns the query of the related posts of a post; `None` if it has no such list.
    #[must_use]
    pub(crate) fn related_list(&self, id: PostId) -> Option<&RelatedList> {
        let post = self.catalogue.post(id);
        let list = self.related.of(post.set, post.locale);
        list.filter(|_| post.lists_related)
    }

    /// Returns the settings of the related posts of a post; `None` if it has no such list.
    #[must_use]
    pub(crate) fn related_settings(&self, id: PostId) -> Option<&Related> {
        let post = self.catalogue.post(id);
        let related = self.settings.related_of(post.set);
        related.filter(|_| post.lists_related)
    }

    /// Returns the language of a post.
    #[must_use]
    pub(crate) fn locale_of(&self, id: PostId) -> LocaleId {
        self.catalogue.post(id).locale
    }

    /// Returns what differs between languages, for one.
    #[must_use]
    pub(crate) fn locale(&self, id: LocaleId) -> &Locale {
        self.settings.locales.get(id)
    }

    /// Iterates over the languages that have pages: that of `[site]`, and the others with listed posts.
    pub(crate) fn languages(&self) -> impl Iterator<Item = (LocaleId, &Locale)> {
        let locales = self.settings.locales.iter();
        let has_posts = |id| !self.catalogue.listed(Some(id)).is_empty();
        locales.filter(move |(id, _)| *id == LocaleId::SITE || has_posts(*id))
    }

    /// The post whose file has this path below the site's folder.
    pub(crate) fn post_at(&self, path: &str) -> Option<PostId> {
        match self.files.get(path)? {
            File::Post(id) => Some(*id),
            File::Page(_) | File::Other => None,
        }
    }

    /// Returns true if `path` is a post that was found and left out, as it has an error.
    #[must_use]
    pub(crate) fn is_left_out(&self, path: &str) -> bool {
        self.found.contains(path) && !matches!(self.files.get(path), Some(File::Post(_)))
    }

    /// Returns the post with a name: its path, its slug or its link. Of several with a slug one in the given language
    /// goes first.
    ///
    /// # Errors
    /// If no post has the name, the help for the user.
    pub(crate) fn find(&self, name: &str, locale: LocaleId) -> Result<PostId, String> {
        let catalogue = &self.catalogue;
        let by_link = || {
            catalogue
                .all()
                .find(|id| catalogue.link(*id).encoded == name)
        };
        catalogue
            .find(name, locale)
            .or_else(by_link)
            .ok_or_else(|| {
                let posts = || catalogue.all().map(|id| catalogue.post(id));
                let slugs = posts().map(|post| post.slug.as_str());
                let names = slugs.chain(posts().map(|post| post.path.as_str()));
                let near = did_you_mean(name, names);
                near.unwrap_or_else(|| "name it by its path, its slug or its link".to_owned())
            })
    }

    /// Returns the scope of queries on no page, over the posts of all languages.
    #[must_use]
    pub(crate) fn scope(&self) -> Scope<'_> {
        Scope::new(&self.catalogue, &self.library, &self.moment)
    }

    /// Returns the similarity index of a post's page and its weights: those of the related posts of its content set or
    /// of the site, if their query uses likeness, or else of all posts.
    #[must_use]
    pub(crate) fn likeness(&self, this: PostId) -> Option<(&Index, &FieldWeights)> {
        let post = self.catalogue.post(this);
        let lists = [
            self.related.of(post.set, post.locale),
            self.related.of_site(post.locale),
        ];
        let mut queries = lists.into_iter().flatten().map(RelatedList::query);
        let query = queries
            .find(|query| query.weights().is_some())
            .or(self.likeness[post.locale.at()].as_ref())?;
        Some((query.index(&self.catalogue)?, query.weights()?))
    }

    /// Returns true if the likeness in templates depends on texts.
    pub(crate) fn likeness_weighs_texts(&self) -> bool {
        let of = |query: &Query<Resolved>| {
            let fields = query.weights().map(|weights| weights.fields.iter());
            let is_body = |weighted: &WeightedField| weighted.field == ComparedField::Body;
            fields.is_some_and(|mut fields| fields.any(is_body))
        };
        let mut related = self.related.iter().map(RelatedList::query);
        let mut likeness = self.likeness.iter().flatten();
        related.any(of) || likeness.any(of)
    }

    /// Returns true if the answers of the settings' queries depend on texts.
    pub(crate) fn settings_depend_on_texts(&self) -> bool {
        let alike = !self.related.is_empty() || self.query_traits.likeness;
        self.query_traits.texts || alike && self.likeness_weighs_texts()
    }

    /// The hash of a post's file; 0 where nothing is kept.
    pub(crate) fn text_hash(&self, id: PostId) -> u64 {
        let cached = self.cached.get(&self.catalogue.post(id).path);
        cached.map_or(0, |cached| cached.hash)
    }

    /// Returns true if a post or page changes its state between this build's time and `now`.
    pub(crate) fn changes_state_before(&self, now: Timestamp) -> bool {
        now < self.moment.now || self.changes_state_at().is_some_and(|at| at <= now)
    }

    /// When the next post or page becomes another after this build's moment.
    pub(crate) fn changes_state_at(&self) -> Option<Timestamp> {
        let posts = self.catalogue.all().map(|id| self.catalogue.post(id));
        let posts = posts.chain(self.pages.iter().map(|page| &page.post));
        let stamps = posts.flat_map(|post| [post.date, post.expires]).flatten();
        let times = stamps.map(|stamp| stamp.at);
        times.filter(|at| *at > self.moment.now).min()
    }

    /// Returns the address of a source file as text, for its fingerprint.
    pub(crate) fn address_of(&self, named: &str) -> String {
        match self.files.get(named) {
            Some(File::Post(id)) => self.catalogue.link(*id).plain.clone(),
            Some(File::Page(at)) => self.pages[*at].link.plain.clone(),
            Some(File::Other) => "a file".to_owned(),
            None => String::new(),
        }
    }

    /// Looks up the file that `owner` refers to by a path.
    fn file(&self, owner: Owner<'_>, named: &str) -> Option<File> {
        (owner.on_lookup)(named);
        self.files.get(named).copied()
    }

    /// A link with the path of the site's address before it.
    #[must_use]
    pub(crate) fn href(&self, link: &Link) -> String {
        format!("{}{}", self.settings.site.address.path, link.encoded)
    }

    /// A link as an absolute address.
    #[must_use]
    pub(crate) fn absolute(&self, link: &Link) -> String {
        self.settings.site.address.absolute(&self.href(link))
    }

    /// A post as an owner of files.
    #[must_use]
    pub(crate) fn owner(&self, id: PostId) -> Owner<'_> {
        Owner::new(&self.catalogue.post(id).path, self.catalogue.link(id))
    }

    /// Returns true if a post has a page of its own.
    #[must_use]
    pub(crate) fn has_page(&self, id: PostId) -> bool {
        let post = self.catalogue.post(id);
        self.include.has_page(post.exclusion) && self.settings.content[post.set].pages
    }

    /// The file beside `owner` that a relative address names, as a path of the site.
    #[must_use]
    pub(crate) fn named_file(&self, owner: Owner<'_>, address: &str) -> Option<String> {
        if address.starts_with('/') || !html::is_local(address) {
            return None;
        }
        let (path, _) = cut_path(address);
        let named = join(folder_of(owner.path), &decode(path))?;
        (self.file(owner, &named) == Some(File::Other)).then_some(named)
    }

    /// Resolves a local address that `owner` writes, as a path from the site's root, after the path of the
    /// site's address. The source of a post leads to its page.
    #[must_use]
    pub(crate) fn resolve(&self, owner: Owner<'_>, address: &str) -> Option<String> {
        if address.is_empty() || address.starts_with(['#', '?']) || !html::is_local(address) {
            return None;
        }
        let base = &self.settings.site.address.path;
        if address.starts_with('/') {
            return (!base.is_empty()).then(|| format!("{base}{address}"));
        }
        let (path, rest) = cut_path(address);
        let named = join(folder_of(owner.path), &decode(path));
        let link = match named.as_ref().and_then(|named| self.file(owner, named)) {
            Some(File::Post(id)) => self.catalogue.link(id).clone(),
            Some(File::Page(at)) => self.pages[at].link.clone(),
            Some(File::Other) => copy_link(owner, &decode(path))?,
            None => Link::new(format!(
                "/{}",
                join(owner.link.folder().trim_matches('/'), &decode(path))?
            )),
        };
        Some(format!("{}{rest}", self.href(&link)))
    }

    /// Reads the source file of a post or page again.
    ///
    /// # Errors
    /// If it cannot be read, or is not UTF-8.
    pub(crate) fn source_of(&self, path: &str) -> io::Result<Source> {
        let text = String::from_utf8(self.sources.read(path)?);
        let text = text.map_err(|error| io::Error::new(io::ErrorKind::InvalidData, error))?;
        Ok(Source::new(path, &text))
    }

    /// Returns the runs of highlighted code blocks for the next build.
    pub(crate) fn highlighted_code(&self) -> BTreeMap<u64, Bytes> {
        let posts = self.cached.values();
        self.highlighter
            .to_keep(posts.flat_map(|post| post.code.iter().copied()))
    }

    /// Returns the circumstances of the posts that are kept for the next reading.
    pub(crate) fn kept(&self) -> KeptPosts {
        KeptPosts {
            at: self.moment.now,
            errors: Arc::clone(&self.reread_errors),
        }
    }

    /// Takes the errors of posts whose bodies were read again and could not be.
    pub(crate) fn take_reread_errors(&self) -> Diagnostics {
        std::mem::take(&mut *locked(&self.reread_errors))
    }

    /// The HTML of a post or page, in which each local address is whole.
    #[must_use]
    pub(crate) fn html_of(&self, owner: Owner<'_>, post: &Post) -> String {
        let html = post.html.get();
        let html = match post.links {
            false => html.into_owned(),
            true => html::rewrite_page(
                &html,
                &mut |address| self.resolve(owner, address),
                &mut |address| self.image_size(owner, address),
            ),
        };
        self.markdown.highlighted(html)
    }

    /// Returns the width and height of an image of the site that `owner` names, in pixels; `None` if it is no file of the site, or
    /// has no known format.
    fn image_size(&self, owner: Owner<'_>, address: &str) -> Option<(u32, u32)> {
        let (path, _) = cut_path(address);
        let file = match path.strip_prefix('/') {
            Some(asset) => {
                let asset = decode(asset);
                let assets = &self.assets;
                assets
                    .binary_search_by(|known| known.as_str().cmp(&asset))
                    .ok()?;
                format!("assets/{asset}")
            }
            None => self.named_file(owner, address)?,
        };
        (owner.on_measure)(&file);
        if let Some(known) = locked(&self.image_sizes).get(&file) {
            return *known;
        }
        let size = measured(&*self.sources, &file);
        locked(&self.image_sizes).insert(file, size);
        size
    }

    /// An address that `owner` writes as an absolute one; `None` where it is one.
    #[must_use]
    pub(crate) fn absolute_address(&self, owner: Owner<'_>, address: &str) -> Option<String> {
        if !html::is_local(address) {
            return None;
        }
        if address.is_empty() || address.starts_with(['#', '?']) {
            return Some(format!("{}{address}", self.absolute(owner.link)));
        }
        let rooted = self
            .resolve(owner, address)
            .unwrap_or_else(|| address.to_owned());
        Some(self.settings.site.address.absolute(&rooted))
    }

    /// The files that go with a post or page: those of the folder of its `index.md`, and those
    /// that it names, among its relative addresses or as its image; each with the address of its copy.
    #[must_use]
    pub(crate) fn files_of(
        &self,
        owner: Owner<'_>,
        addresses: &[String],
        image: Option<&str>,
    ) -> Vec<(String, Link)> {
        let mut files: Vec<(String, Link)> = Vec::new();
        let folder = folder_of(owner.path);
        let mut take = |path: &str| {
            let below = path
                .strip_prefix(folder)
                .unwrap_or(path)
                .trim_start_matches('/');
            if let Some(link) = copy_link(owner, below)
                && !files.iter().any(|(known, _)| known == path)
            {
                files.push((path.to_owned(), link));
            }
        };
        if is_index(owner.path) {
            let prefix = format!("{folder}/");
            for (path, file) in self.files_with(&prefix) {
                if *file == File::Other && self.keeper(path) == Some(owner.path) {
                    take(path);
                }
            }
        }
        let mut name = |address: &str| {
            if self.may_name_other(address)
                && let Some(path) = self.named_file(owner, address)
                && is_within(&path, folder)
            {
                take(&path);
            }
        };
        image.into_iter().for_each(&mut name);
        addresses.iter().for_each(|address| name(address));
        files
    }

    /// Returns false if no file that is neither a post nor a page has the name at the end of an address. Most addresses lead
    /// elsewhere, and need not be resolved then.
    fn may_name_other(&self, address: &str) -> bool {
        let path = decode(cut_path(address).0);
        let name = path.rsplit('/').next().unwrap_or_default();
        matches!(name, "" | "." | "..") || self.other_names.contains(name)
    }

    /// Iterates over the files whose paths begin with a prefix, in their order.
    fn files_with(&self, prefix: &str) -> impl Iterator<Item = (&String, &File)> {
        let before = self.files.partition_point(|path, _| path.as_str() < prefix);
        let from = self.files.iter().skip(before);
        from.take_while(move |(path, _)| path.starts_with(prefix))
    }

    /// The `index` file nearest above a file, which keeps it.
    fn keeper(&self, path: &str) -> Option<&str> {
        let mut folder = folder_of(path);
        loop {
            let prefix = format!("{folder}/index.");
            let found = self.files_with(&prefix);
            if let Some((path, _)) = found.filter(|(_, file)| **file != File::Other).last() {
                return Some(path);
            }
            folder = folder.rsplit_once('/')?.0;
        }
    }
}

/// The bytes at the start of an image in which its size is looked for.
const IMAGE_HEAD: u64 = 1 << 18;

/// Returns the width and height of an image, in pixels, by the start of its file; `None` without a known format.
fn measured(sources: &dyn Sources, file: &str) -> Option<(u32, u32)> {
    let mut head = Vec::new();
    let reader = sources.open(file).ok()?;
    reader.take(IMAGE_HEAD).read_to_end(&mut head).ok()?;
    if let Ok(size) = imagesize::blob_size(&head) {
        let number = |length: usize| u32::try_from(length).ok();
        return Some((number(size.width)?, number(size.height)?));
    }
    html::svg_size(&String::from_utf8_lossy(&head))
}

/// Returns the address of the copy of a file beside `owner`.
fn copy_link(owner: Owner<'_>, below: &str) -> Option<Link> {
    let path = join(owner.link.folder().trim_matches('/'), below)?;
    Some(Link::new(format!("/{path}")))
}

fn is_index(path: &str) -> bool {
    let file = path.rsplit('/').next().unwrap_or(path);
    file.starts_with("index.")
}

/// Returns true if a path is in a folder, or in one within it.
fn is_within(path: &str, folder: &str) -> bool {
    let below = path.strip_prefix(folder);
    below.is_some_and(|below| below.starts_with('/'))
}

/// The path of an address, and its query and fragment.
fn cut_path(address: &str) -> (&str, &str) {
    let end = memchr::memchr2(b'?', b'#', address.as_bytes());
    address.split_at(end.unwrap_or(address.len()))
}

/// `path` seen from `folder`; `None` where it leads out of the site.
fn join(folder: &str, path: &str) -> Option<String> {
    let mut joined = String::with_capacity(folder.len() + path.len() + 2);
    for step in folder.split('/').chain(path.split('/')) {
        match step {
            "" | "." => {}
            ".." if joined.is_empty() => return None,
            ".." => joined.truncate(joined.rfind('/').unwrap_or_default()),
            step => {
                if !joined.is_empty() {
                    joined.push('/');
                }
                joined.push_str(step);
            }
        }
    }
    if path.ends_with('/') {
        joined.push('/');
    }
    Some(joined)
}

/// The nearest of `known` as help, or all of them.
pub(crate) fn did_you_mean<'a>(
    name: &str,
    known: impl IntoIterator<Item = &'a str>,
) -> Option<String> {
    nearest(name, known).map(|near| format!("did you mean `{near}`?"))
}
