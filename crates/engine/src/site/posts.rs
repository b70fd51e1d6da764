//! Reading posts on all threads: anew, or as the last build cached them.

use std::collections::BTreeMap;
use std::io;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use jiff::Timestamp;
use rayon::prelude::*;
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::Diagnostics;
use tabulae_core::front_matter::{self, FrontMatter};
use tabulae_core::html::Html;
use tabulae_core::id::{Counted, LocaleId};
use tabulae_core::post::{Body, Post, assemble, has_title, locale_of};
use tabulae_core::related::likeness;
use tabulae_core::settings::{ContentSet, FileKind, Role, Settings};
use tabulae_core::source::Source;
use tabulae_core::time::Moment;

use super::Site;
use super::cached::{CachedPost, CachedWords, Errors, ParsedPost, PreviousPosts};
use super::counting::CountingTexts;
use super::files::{as_text, read_bytes, unreadable};
use super::markdown::{self, MarkdownStyle};
use crate::fingerprint::checksum;
use crate::options::{NoProgress, Progress, Step};
use crate::source::{FileStamp, MemorySources, Sources};
use crate::threads::locked;

/// The input for reading posts.
pub(super) struct Reading<'a> {
    pub(super) sources: &'a dyn Sources,
    pub(super) settings: &'a Settings,
    pub(super) moment: &'a Moment,
    /// The posts of the last build; `None` if posts are not cached.
    pub(super) previous: Option<PreviousPosts<'a>>,
    pub(super) progress: &'a dyn Progress,
    /// The size of the HTML in memory, in bytes.
    pub(super) html: AtomicUsize,
    /// Counts words while posts are read, if they are needed and texts may not stay in memory.
    pub(super) counting: CountingTexts,
    /// The site's input for rendering Markdown.
    pub(super) style: MarkdownStyle,
    /// The errors of files that are read again.
    pub(super) reread_errors: Errors,
}

/// The maximum size of HTML in memory, in bytes. The HTML of further posts is rendered again when it is
/// needed, so that memory does not grow with the texts of a large site.
const HTML_KEPT: usize = 48 << 20;

/// A post's file, read.
struct Read {
    source: Source,
    front: FrontMatter,
    body: Body,
    cached: Option<CachedPost>,
}

impl Reading<'_> {
    /// Reads the posts, each with the number of its content set, and what is to be cached of them.
    pub(super) fn posts(
        &self,
        found: &[(usize, String)],
        diagnostics: &mut Diagnostics,
    ) -> (Vec<Arc<Post>>, BTreeMap<String, CachedPost>) {
        let share = self.previous.map(|_| Reread {
            sources: self.sources.share(),
            style: self.style.clone(),
            errors: Arc::clone(&self.reread_errors),
        });
        let done = AtomicUsize::new(0);
        let read = found.par_iter().map(|(set, path)| {
            let mut diagnostics = Diagnostics::new();
            let read = self.post_of(*set, path, share.as_ref(), &mut diagnostics);
            let done = done.fetch_add(1, Ordering::Relaxed) + 1;
            self.progress.step(Step::Reading, done, found.len());
            (read, diagnostics)
        });
        let read: Vec<_> = read.collect();
        let mut posts = Vec::with_capacity(read.len());
        let mut all_cached = Vec::with_capacity(read.len());
        for (read, mut found) in read {
            diagnostics.append(&mut found);
            let Some((post, cached)) = read else {
                continue;
            };
            all_cached.extend(cached.map(|cached| (post.path.clone(), cached)));
            posts.push(post);
        }
        // Collected as a list first, as a map of sorted entries is built in one pass.
        (posts, all_cached.into_iter().collect())
    }

    /// Returns a post as the last build cached it, if it would be read the same way.
    fn old(&self, path: &str) -> Option<&CachedPost> {
        let previous = self.previous.filter(|previous| previous.same_configuration);
        previous?.posts.get(path)
    }

    /// Returns the post of a file: as it is kept in memory, or read.
    fn post_of(
        &self,
        set: usize,
        path: &str,
        share: Option<&Reread>,
        diagnostics: &mut Diagnostics,
    ) -> Option<(Arc<Post>, Option<CachedPost>)> {
        let kept = self.previous.and_then(|previous| previous.kept);
        let old = self.old(path);
        if let (Some(old), Some(kept)) = (old, kept)
            && let stamp = self.sources.stamp(path).ok().flatten()
            && let Some(post) = old.unchanged(kept, stamp, self.moment.now)
        {
            return Some((Arc::clone(post), Some(old.clone())));
        }
        let before = diagnostics.len();
        let read = self.file(set, path, share, diagnostics)?;
        let (post, mut cached) = self.post(set, path, read, diagnostics);
        let post = Arc::new(post);
        if let (Some(cached), true) = (&mut cached, diagnostics.len() == before) {
            cached.post = kept.map(|_| Arc::clone(&post));
        }
        Some((post, cached))
    }

    fn post(
        &self,
        set: usize,
        path: &str,
        read: Read,
        diagnostics: &mut Diagnostics,
    ) -> (Post, Option<CachedPost>) {
        let Read {
            source,
            front,
            body,
            cached,
        } = read;
        let (settings, moment) = (self.settings, self.moment);
        let of_set = (set, &settings.content[set]);
        let post = assemble(path, of_set, settings, moment, &source, front, body);
        (post.into_output(diagnostics), cached)
    }

    fn file(
        &self,
        set: usize,
        path: &str,
        share: Option<&Reread>,
        diagnostics: &mut Diagnostics,
    ) -> Option<Read> {
        let stamp = share.and_then(|_| self.sources.stamp(path).ok()?);
        let old = self.old(path);
        if let (Some(old), Some(share)) = (old, share)
            && stamp.is_some()
            && old.stamp == stamp
            && let Some(read) = self.cached(set, path, old, stamp, share)
        {
            return Some(read);
        }
        let limit = self.settings.site.source_limit;
        let bytes = match read_bytes(self.sources, path, limit) {
            Ok(bytes) => bytes,
            Err(error) => {
                diagnostics.push(unreadable(path, &error));
                return None;
            }
        };
        let hash = checksum(&bytes);
        if let (Some(old), Some(share)) = (old, share)
            && old.hash == hash
            && let Some(read) = self.cached(set, path, old, stamp, share)
        {
            return Some(read);
        }
        let text = as_text(path, bytes, diagnostics)?;
        let source = Source::new(path, &text);
        drop(text);
        let before = diagnostics.len();
        let zone = &self.moment.zone;
        let front = front_matter::read(&source, zone).into_output(diagnostics);
        if diagnostics.len() > before {
            return None;
        }
        let has_title = has_title(&front.map, &self.settings.content[set]);
        let locale = locale_of(path, &self.settings.content[set], &front.map, self.settings);
        let text = &source.text()[front.body..];
        let mut body = body_of(path, text, has_title, (&self.style, locale));
        if share.is_some() {
            body.counted = self.counting.count(&body.html.get(), locale);
        }
        let cached = share.map(|_| CachedPost {
            stamp,
            hash,
            parsed: ParsedPost::bytes_of(&front, &source.text()[..front.body], &body.notes),
            words: CachedWords::default(),
            post: None,
            code: body.notes.code.as_slice().into(),
        });
        let kept_html = self.html.fetch_add(body.html.kept(), Ordering::Relaxed);
        let body = match share.filter(|_| kept_html > HTML_KEPT) {
            Some(share) => Body {
                html: share.html((path, locale), front.body, has_title),
                ..body
            },
            None => body,
        };
        Some(Read {
            source,
            front,
            body,
            cached,
        })
    }

    /// A post as it was cached; its HTML is made when it is asked for.
    fn cached(
        &self,
        set: usize,
        path: &str,
        old: &CachedPost,
        stamp: Option<FileStamp>,
        share: &Reread,
    ) -> Option<Read> {
        let ParsedPost { front, head, notes } = ParsedPost::from_bytes(&old.parsed)?;
        let set = &self.settings.content[set];
        let has_title = has_title(&front.map, set);
        let locale = locale_of(path, set, &front.map, self.settings);
        let html = share.html((path, locale), front.body, has_title);
        Some(Read {
            source: Source::new(path, &head),
            front,
            body: Body {
                html,
                notes,
                counted: Counted::default(),
            },
            cached: Some(CachedPost {
                stamp,
                post: None,
                ..old.clone()
            }),
        })
    }
}

impl Site {
    /// Returns the input for reading single posts again, without the words of their texts.
    fn reading<'a>(&'a self, sources: &'a dyn Sources) -> Reading<'a> {
        Reading {
            sources,
            settings: &self.settings,
            moment: &self.moment,
            previous: None,
            progress: &NoProgress,
            html: AtomicUsize::new(0),
            counting: CountingTexts::default(),
            style: self.markdown.clone(),
            reread_errors: Arc::clone(&self.reread_errors),
        }
    }

    /// Returns the diagnostics of reading a post's file with a text; `None` if the file is of no content set.
    pub(crate) fn findings_of(&self, path: &str, text: &str) -> Option<Diagnostics> {
        let is_of = |set: &ContentSet| {
            let below = path
                .strip_prefix(&set.folder)
                .and_then(|path| path.strip_prefix('/'));
            below.is_some_and(|below| set.files.role(below) == Role::Post)
        };
        let known = self.post_at(path).map(|id| self.catalogue.post(id).set);
        let set = known.or_else(|| self.settings.content.iter().position(is_of))?;
        let sources = MemorySources::default();
        sources.write(path, text);
        let reading = self.reading(&sources);
        let mut diagnostics = Diagnostics::new();
        if let Some(read) = reading.file(set, path, None, &mut diagnostics) {
            reading.post(set, path, read, &mut diagnostics);
        }
        Some(diagnostics)
    }

    /// Takes over the texts of posts whose files changed, where those say the same as before but
    /// for their texts, and says which posts they are; else nothing is as it was, and the site must
    /// be read anew.
    pub(crate) fn retext(
        &mut self,
        changed: &[String],
        sources: &dyn Sources,
        now: Timestamp,
    ) -> Option<Vec<PostId>> {
        self.moment.now = now;
        let mut posts = Vec::new();
        let mut diagnostics = Diagnostics::new();
        let share = Reread {
            sources: sources.share(),
            style: self.markdown.clone(),
            errors: Arc::clone(&self.reread_errors),
        };
        for path in changed {
            let id = self.post_at(path)?;
            posts.push(id);
            let before = self.catalogue.post(id);
            let reading = self.reading(sources);
            let set = before.set;
            let read = reading.file(set, path, Some(&share), &mut diagnostics)?;
            let (post, cached) = reading.post(set, path, read, &mut diagnostics);
            let same_summary = post.summary == before.summary || !self.query_traits.summaries;
            if !diagnostics.is_empty() || !same_summary || !post.differs_only_in_text(before) {
                return None;
            }
            Arc::make_mut(&mut self.cached).insert(path.clone(), cached?);
            self.catalogue.retext(id, Arc::new(post));
        }
        // Both may have been worked out from the words of texts.
        self.related_to.iter_mut().for_each(|known| {
            known.take();
        });
        self.related_before.take();
        let locales = self.settings.locales.ids();
        let likeness = locales.map(|locale| likeness(&self.settings, self.scope().within(locale)));
        self.likeness = likeness.collect();
        Some(posts)
    }
}

/// Reads bodies again whose HTML is not cached.
#[derive(Debug, Clone)]
pub(super) struct Reread {
    pub(super) sources: Arc<dyn Sources>,
    pub(super) style: MarkdownStyle,
    /// The errors, as the HTML is asked for where none can be returned.
    pub(super) errors: Errors,
}

impl Reread {
    /// HTML that is made of a post's file each time it is asked for.
    fn html(&self, (path, locale): (&str, LocaleId), start: usize, has_title: bool) -> Html {
        let (reread, path) = (self.clone(), path.to_owned());
        Html::made(move || match reread.body(&path, start) {
            Ok(text) => {
                let style = (&reread.style, locale);
                body_of(&path, &text, has_title, style)
                    .html
                    .get()
                    .into_owned()
            }
            Err(error) => {
                let mut errors = locked(&reread.errors);
                errors.push(unreadable(&path, &error));
                String::new()
            }
        })
    }

    /// Returns the body of a post, which begins at a byte that is known.
    fn body(&self, path: &str, start: usize) -> io::Result<String> {
        let changed = || io::Error::new(io::ErrorKind::InvalidData, "it changed during the build");
        let text = String::from_utf8(self.sources.read(path)?).map_err(|_| changed())?;
        // As when it was first read: with the same ends of lines, and so the same places.
        let source = Source::new(path, &text);
        let body = source.text().get(start..).ok_or_else(changed)?;
        Ok(body.to_owned())
    }
}

/// A body by the ending of its file; Markdown in a style and a language.
pub(super) fn body_of(
    path: &str,
    text: &str,
    has_title: bool,
    (style, locale): (&MarkdownStyle, LocaleId),
) -> Body {
    match FileKind::of(path) {
        Some(FileKind::Markdown) => style.render(text, has_title, locale),
        Some(FileKind::Html) => markdown::read_html(text, has_title),
        // A data file has no text.
        _ => Body::default(),
    }
}
