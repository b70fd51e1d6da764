//! The terms of a site as their writer wants to see them: how often and when each is used, in
//! which spellings, and which two are probably one.

use jiff::civil::Date;
use tabulae_core::catalogue::TermTable;
use tabulae_core::diagnostic::{Code, Diagnostic, Help, nearest};
use tabulae_core::id::LocaleId;
use tabulae_core::near_duplicates::{How, near_duplicates};
use tabulae_core::note::TermNote;
use tabulae_core::route::OutputPath;
use tabulae_core::source::Location;
use tabulae_core::term::{Term, TermId, nested_identity};

use crate::site::Site;

/// The terms of one term field.
#[derive(Debug)]
pub struct FieldTerms<'a> {
    /// The field's name.
    pub field: &'a str,
    /// The terms that listed posts have: most posts first, then by name.
    pub terms: Vec<Used<'a>>,
    /// Terms that are probably to be one.
    pub joins: Vec<Join<'a>>,
}

/// A term in use.
#[derive(Debug)]
pub struct Used<'a> {
    /// The term.
    pub term: &'a Term,
    /// The day of its oldest post that has a date.
    pub first: Option<Date>,
    /// The day of its newest post.
    pub last: Option<Date>,
}

/// Terms that are probably further spellings of one, and the note that joins them.
#[derive(Debug)]
pub struct Join<'a> {
    /// The term to keep.
    pub keep: &'a Term,
    /// The others, with what each has in common with the one that it is most like.
    pub others: Vec<(&'a Term, How)>,
    /// The note to write.
    pub note: Note,
}

/// A term note that joins spellings.
#[derive(Debug, PartialEq, Eq)]
pub struct Note {
    /// The path of the note.
    pub path: String,
    /// Set if the note exists.
    pub is_there: bool,
    /// The text to write: the whole of a new note, or the front matter that an existing one needs. It has a
    /// title if another spelling would be shown otherwise.
    pub text: String,
    /// Notes of the others, to be taken away.
    pub replaces: Vec<String>,
}

impl Note {
    /// Returns true if the terms are joined by writing the note: it does not exist, and replaces no other.
    #[must_use]
    pub fn is_complete(&self) -> bool {
        !self.is_there && self.replaces.is_empty()
    }
}

/// The terms of a field, or of all term fields.
///
/// # Errors
/// Where there is no such term field.
pub(crate) fn terms<'a>(
    site: &'a Site,
    field: Option<&str>,
    location: impl FnOnce() -> Location,
) -> Result<Vec<FieldTerms<'a>>, Box<Diagnostic>> {
    let tables = site.catalogue.term_tables();
    let wanted = match field {
        None => 0..tables.len(),
        Some(name) => {
            let at = site.catalogue.term_field(name);
            let at = at.ok_or_else(|| unknown_field(site, name, location()))?;
            at..at + 1
        }
    };
    Ok(wanted.map(|at| field_terms(site, at)).collect())
}

pub(crate) fn unknown_field(site: &Site, name: &str, location: Location) -> Box<Diagnostic> {
    let known = || {
        let tables = site.catalogue.term_tables().iter();
        tables.map(|table| table.field.name.as_str())
    };
    let diagnostic = Diagnostic::error(
        Code::InvalidUsage,
        location,
        format!("`{name}` is not a term field"),
    );
    Box::new(match nearest(name, known()) {
        Some(near) => diagnostic.help(Help::did_you_mean(near)),
        None => diagnostic.help(format!(
            "term fields are {}; `terms = [\"{name}\"]` in a content set makes this one too",
            known().collect::<Vec<_>>().join(", ")
        )),
    })
}

fn field_terms(site: &Site, field: usize) -> FieldTerms<'_> {
    let table = site.catalogue.terms(field);
    let in_use = table.terms.iter().filter(|term| !term.posts.is_empty());
    let mut terms: Vec<Used<'_>> = in_use.map(|term| used(site, term)).collect();
    terms.sort_by(|a, b| {
        let (a, b) = (a.term, b.term);
        let by_count = b.posts.len().cmp(&a.posts.len());
        by_count.then_with(|| {
            site.catalogue
                .language(LocaleId::SITE)
                .sort(&a.name, &b.name)
        })
    });
    FieldTerms {
        field: &table.field.name,
        terms,
        joins: joins(site, field, table),
    }
}

fn used<'a>(site: &Site, term: &'a Term) -> Used<'a> {
    // Newest first, undated last.
    let posts = term.posts.iter();
    let mut days = posts.filter_map(|id| Some(site.catalogue.post(*id).date?.day));
    let last = days.next();
    Used {
        term,
        first: days.last().or(last),
        last,
    }
}

fn joins<'a>(site: &Site, field: usize, table: &'a TermTable) -> Vec<Join<'a>> {
    let found = near_duplicates(&table.terms, site.catalogue.language(LocaleId::SITE).tag());
    let of_one = found.chunk_by(|a, b| a.keep == b.keep);
    let joins = of_one.map(|found| {
        let others = found
            .iter()
            .map(|found| (table.term(found.term), found.how));
        let others: Vec<_> = others.collect();
        let keep = table.term(found[0].keep);
        let ids: Vec<TermId> = found.iter().map(|found| found.term).collect();
        Join {
            note: note(site, field, table, found[0].keep, &ids),
            keep,
            others,
        }
    });
    joins.collect()
}

fn note(site: &Site, field: usize, table: &TermTable, keep: TermId, others: &[TermId]) -> Note {
    let of = |id: TermId| -> Option<&TermNote> {
        let notes = site.notes.iter().filter(|note| note.field == field);
        notes
            .into_iter()
            .find(|note| table.find(&note.name) == Some(id))
    };
    let there = of(keep);
    let known = there.iter().flat_map(|note| &note.spellings);
    let known = known.map(|spelling| spelling.node.as_str());
    let own = table.term(keep);
    let name = note_name(&own.identity, &own.slug);
    // The name of a note is a spelling of its term; what it cannot hold is written.
    let unlike = (there.is_none() && name != file_name(&own.identity)).then_some(own.name.as_str());
    let joined = others.iter().map(|id| table.term(*id).name.as_str());
    let joined = joined.chain(unlike);
    let spellings: Vec<String> = known.chain(joined).map(in_list).collect();
    let mut entry = format!("spellings: [{}]\n", spellings.join(", "));
    let commonest = |id: TermId| {
        table
            .term(id)
            .spellings
            .first()
            .map_or(0, |(_, count)| *count)
    };
    let untitled = there.is_none_or(|note| note.title.is_none());
    if untitled
        && (unlike.is_some()
            || others
                .iter()
                .any(|other| commonest(*other) >= commonest(keep)))
    {
        entry = format!("title: {}\n{entry}", in_list(&table.term(keep).name));
    }
    let path = |note: &TermNote| note.source.file().unwrap_or_default().to_owned();
    Note {
        path: there.map_or_else(|| format!("terms/{}/{name}.md", table.field.name), path),
        is_there: there.is_some(),
        text: if there.is_some() {
            entry
        } else {
            format!("---\n{entry}---\n")
        },
        replaces: others.iter().filter_map(|id| of(*id)).map(path).collect(),
    }
}

fn file_name(identity: &str) -> String {
    identity.replace(' ', "-")
}

/// Returns the name of a note on a term: that of the term, or its slug if a file of the name is hidden or not portable.
fn note_name(identity: &str, slug: &str) -> String {
    let name = file_name(identity);
    let is_file = OutputPath::new(&name).is_ok_and(|path| path.not_portable().is_none());
    let is_hidden = name.split('/').any(|part| part.starts_with('.'));
    if is_file && !is_hidden || slug.is_empty() {
        return name;
    }
    slug.to_owned()
}

/// Returns the path of the note on a term of a field, by its name and its slug.
pub(super) fn note_path(field: &str, name: &str, slug: &str) -> String {
    format!(
        "terms/{field}/{}.md",
        note_name(&nested_identity(name), slug)
    )
}

/// A text as an item of a list in YAML: in quotes, unless it is plain words.
fn in_list(text: &str) -> String {
    let plain = |c: char| c.is_alphabetic() || matches!(c, ' ' | '-');
    let word = text.to_ascii_lowercase();
    let means_more = ["true", "false", "null"].contains(&word.as_str());
    if text.chars().all(plain) && text.starts_with(char::is_alphabetic) && !means_more {
        return text.to_owned();
    }
    format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
}
