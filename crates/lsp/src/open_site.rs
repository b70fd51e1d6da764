//! A site with the texts of an editor's buffers, and what features look up in it.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use lsp_types::{Location, Range, Uri};
use tabulae_core::catalogue::{Catalogue, PostId};
use tabulae_core::id::LocaleId;
use tabulae_core::post::Post;
use tabulae_core::settings::{ContentSet, FileKind, Settings};
use tabulae_core::source::{Span, mark_length};
use tabulae_core::term::{Term, TermId};
use tabulae_engine::Workspace;
use url::Url;

use crate::place::{Kind, Place, place};
use crate::position::range;

/// The site as it was last read.
#[derive(Debug, Clone, Copy)]
pub(crate) struct OpenSite<'a> {
    pub(crate) site: &'a Workspace,
    pub(crate) root: &'a Path,
    /// The texts of open files, by their paths below the site's folder.
    pub(crate) texts: &'a BTreeMap<String, String>,
}

/// A place in an open text.
#[derive(Debug, Clone)]
pub(crate) struct Spot<'a> {
    pub(crate) path: &'a str,
    pub(crate) text: &'a str,
    pub(crate) at: usize,
    pub(crate) place: Place,
}

/// A term with its field's number.
#[derive(Debug, Clone, Copy)]
pub(crate) struct TermAt<'a> {
    pub(crate) field: usize,
    pub(crate) id: TermId,
    pub(crate) term: &'a Term,
}

impl<'a> OpenSite<'a> {
    pub(crate) fn catalogue(&self) -> Option<&'a Catalogue> {
        self.site.catalogue().ok()
    }

    pub(crate) fn settings(&self) -> Option<&'a Settings> {
        self.site.settings().ok()
    }

    /// Returns the text of a file: that of its buffer, or else of the disk.
    pub(crate) fn text(&self, path: &str) -> Option<String> {
        let open = self.texts.get(path).cloned();
        open.or_else(|| fs::read_to_string(self.root.join(path)).ok())
    }

    /// Returns the place at a byte of an open text.
    pub(crate) fn spot(&self, path: &'a str, text: &'a str, at: usize) -> Option<Spot<'a>> {
        let place = place(self.kind(path)?, text, at)?;
        Some(Spot {
            path,
            text,
            at,
            place,
        })
    }

    fn kind(&self, path: &str) -> Option<Kind> {
        let settings = tabulae_core::settings::FILE;
        let own = self.settings().and_then(|settings| settings.source.file());
        match FileKind::of(path) {
            _ if path == own.unwrap_or(settings) => Some(Kind::Settings),
            _ if path.starts_with("templates/") => Some(Kind::Template),
            Some(FileKind::Markdown | FileKind::Html) => Some(Kind::Front),
            Some(FileKind::Data(format)) if self.set_of(path).is_some() => Some(Kind::Data(format)),
            _ => None,
        }
    }

    /// Returns the address of a file as an editor names it.
    pub(crate) fn uri(&self, path: &str) -> Option<Uri> {
        uri_of(&self.root.join(path))
    }

    /// Returns the location of bytes of a file's text.
    pub(crate) fn location(&self, path: &str, span: Span) -> Option<Location> {
        let text = self.text(path)?;
        let mark = mark_length(&text);
        let range = range(&text, mark + span.start, mark + span.end);
        Some(Location::new(self.uri(path)?, range))
    }

    /// Returns the location of the start of a file.
    pub(crate) fn top(&self, path: &str) -> Option<Location> {
        Some(Location::new(self.uri(path)?, Range::default()))
    }

    /// Returns the content set whose folder a file is in.
    fn set_of(&self, path: &str) -> Option<&'a ContentSet> {
        let below = |folder: &str| {
            path.strip_prefix(folder)
                .is_some_and(|rest| rest.starts_with('/'))
        };
        let mut sets = self.settings()?.content.iter();
        sets.find(|set| below(&set.folder))
    }

    /// Returns the number of the term field that a front matter key of a file gives.
    pub(crate) fn term_field(&self, path: &str, key: &str) -> Option<usize> {
        let set = self.set_of(path);
        let mut fields = self.settings()?.term_fields.iter();
        fields.position(|field| match set {
            Some(set) => set.gives_terms(key, field),
            None => field.is(key),
        })
    }

    /// Returns a term of a field by a spelling.
    pub(crate) fn term(&self, field: usize, spelling: &str) -> Option<TermAt<'a>> {
        let table = self.catalogue()?.terms(field);
        let id = table.find(spelling)?;
        Some(TermAt {
            field,
            id,
            term: table.term(id),
        })
    }

    /// Returns the term at a spot, and its bytes: in front matter, or in a query.
    pub(crate) fn term_at(&self, spot: &Spot<'_>) -> Option<(TermAt<'a>, std::ops::Range<usize>)> {
        match &spot.place {
            Place::FrontValue(key, value) => {
                let field = self.term_field(spot.path, key)?;
                let term = self.term(field, &spot.text[value.clone()])?;
                Some((term, value.clone()))
            }
            Place::Query(query, at) => {
                let text = &spot.text[query.clone()];
                let (field, value) = tabulae_core::query::place::text_at(text, *at)?;
                let field = self.catalogue()?.term_field(field)?;
                let term = self.term(field, &text[value.clone()])?;
                Some((term, query.start + value.start..query.start + value.end))
            }
            _ => None,
        }
    }

    /// Returns the post of a path.
    pub(crate) fn post(&self, path: &str) -> Option<&'a Post> {
        Some(self.catalogue()?.post(self.post_id(path)?))
    }

    /// Returns the number of the post of a path.
    pub(crate) fn post_id(&self, path: &str) -> Option<PostId> {
        let catalogue = self.catalogue()?;
        catalogue.all().find(|id| catalogue.post(*id).path == path)
    }

    /// Returns the post that front matter names by its slug or path.
    pub(crate) fn named_post(&self, name: &str) -> Option<&'a Post> {
        let catalogue = self.catalogue()?;
        Some(catalogue.post(catalogue.find(name, LocaleId::SITE)?))
    }

    /// Returns the posts that have a term, drafts too.
    pub(crate) fn posts_with(&self, term: TermAt<'a>) -> impl Iterator<Item = PostId> + 'a {
        let catalogue = self.catalogue().into_iter();
        catalogue.flat_map(move |catalogue| {
            let posts = catalogue.all();
            posts.filter(move |id| catalogue.terms_of(*id, term.field).contains(&term.id))
        })
    }
}

/// Returns the address of a path on disk.
pub(crate) fn uri_of(path: &Path) -> Option<Uri> {
    Url::from_file_path(path).ok()?.as_str().parse().ok()
}

/// Returns the path on disk of an address; `None` for one of another kind.
pub(crate) fn path_of(uri: &Uri) -> Option<PathBuf> {
    Url::parse(uri.as_str()).ok()?.to_file_path().ok()
}
