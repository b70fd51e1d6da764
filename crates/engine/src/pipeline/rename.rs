//! Renaming a term: in the front matter of all posts that have it, and with the addresses that its pages had.

use std::collections::{BTreeMap, BTreeSet};

use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics, Help, nearest};
use tabulae_core::edit::{Edit, apply};
use tabulae_core::front_matter::{self, Format, format_of, insertion, scalar};
use tabulae_core::post::{Post, written_terms};
use tabulae_core::source::{Location, Source, Span, Spanned, mark_length};
use tabulae_core::term::{TermId, nested_identity, nested_slug, parts};
use tabulae_core::value::Value;

use super::source_files::{FileChange, Texts, changes, read_text};
use super::terms::note_path;
use crate::options::BuildOptions;
use crate::plan::{Plan, plan};
use crate::site::Site;
use crate::source::{Overlay, Sources};

/// The result of renaming a term, before anything is written.
#[derive(Debug)]
pub struct Rename {
    /// The files with their texts before and after, by path.
    pub files: Vec<FileChange>,
    /// The number of posts that change.
    pub posts: usize,
    /// The addresses of the term's pages that lead to its new ones.
    pub moved: Vec<String>,
    /// Set if the new name was a term already, which now has the posts of both.
    pub is_joined: bool,
}

/// The request: a term field by its number, a term as it is written, and its new name.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Request<'a> {
    pub(crate) field: usize,
    pub(crate) from: &'a str,
    pub(crate) to: &'a str,
}

/// Renames a term in memory. All spellings that differ from the name in case and separators alone are renamed, and in a
/// nested field the terms below it as well. Reads the site three times.
///
/// # Errors
/// If no post or note has the term, if the new name cannot be one, or if a value cannot be rewritten; nothing is renamed
/// then.
pub(crate) fn rename(
    site: &Site,
    request: Request<'_>,
    sources: &dyn Sources,
    options: &BuildOptions<'_>,
) -> Result<Rename, Diagnostics> {
    let table = site.catalogue.terms(request.field);
    let from = table
        .find(request.from)
        .ok_or_else(|| vec![unknown(site, request)])?;
    check_name(site, request).map_err(|found| vec![*found])?;
    let renamer = Renamer {
        site,
        request,
        from,
        sources,
    };
    let mut texts = Texts::new();
    let mut posts = 0;
    for id in site.catalogue.all() {
        if let Some(text) = renamer.post(id).map_err(|found| vec![*found])? {
            texts.insert(site.catalogue.post(id).path.clone(), Some(text));
            posts += 1;
        }
    }
    renamer.notes(&mut texts).map_err(|found| vec![*found])?;
    let after = |texts: &Texts| {
        let overlay = Overlay::new(sources.share(), texts.clone());
        let mut found = Diagnostics::new();
        let site = Site::read(&overlay, options, &mut found);
        let errors: Diagnostics = found.into_iter().filter(Diagnostic::is_error).collect();
        match site {
            Some(site) if errors.is_empty() => Ok(site),
            _ => Err(errors),
        }
    };
    let renamed = after(&texts)?;
    renamer.check(&renamed)?;
    let moved = renamer.moved(&plan(site, &mut Diagnostics::new()), &renamed);
    for (name, addresses) in &moved {
        let noted = renamer.add_addresses(name, addresses, &renamed, &mut texts);
        noted.map_err(|found| vec![*found])?;
    }
    after(&texts)?;
    Ok(Rename {
        files: changes(sources, texts),
        posts,
        moved: moved.into_values().flatten().collect(),
        is_joined: table.find(request.to).is_some_and(|other| other != from),
    })
}

fn unknown(site: &Site, request: Request<'_>) -> Diagnostic {
    let Request { field, from, .. } = request;
    let table = site.catalogue.terms(field);
    let message = format!("no post has the {} `{from}`", table.field.name);
    let location = Source::command_line(from).top();
    let diagnostic = Diagnostic::error(Code::InvalidUsage, location, message);
    match nearest(from, table.terms.iter().map(|term| term.name.as_str())) {
        Some(near) => diagnostic.help(Help::did_you_mean(near)),
        None => diagnostic.help(format!("`tabulae terms {}` lists them", table.field.name)),
    }
}

/// Returns an error for a name that cannot be a term's.
fn check_name(site: &Site, request: Request<'_>) -> Result<(), Box<Diagnostic>> {
    let Request { field, from, to } = request;
    let nested = site.catalogue.terms(field).field.nested;
    let levels = |name: &str| parts(name).count();
    let why = match to {
        _ if to.trim().is_empty() => "it has no characters",
        _ if to.trim() != to => "it begins or ends with a space",
        _ if to.contains([',', '\n']) => "a comma or a line break would make several of it",
        _ if to == from => "that is its name already",
        _ if nested && levels(to) != levels(from) => "it has another number of levels",
        _ => return Ok(()),
    };
    let message = format!("`{to}` cannot be the new name: {why}");
    let location = Source::command_line(to).top();
    let diagnostic = Diagnostic::error(Code::InvalidUsage, location, message);
    Err(Box::new(
        diagnostic.help("write the name as posts are to have it"),
    ))
}

struct Renamer<'a> {
    site: &'a Site,
    request: Request<'a>,
    from: TermId,
    sources: &'a dyn Sources,
}

impl Renamer<'_> {
    fn read(&self, path: &str) -> Option<String> {
        read_text(self.sources, path)
    }

    /// Returns the new form of a written value; `None` if it is another term. Of a nested term the levels below stay.
    fn renamed(&self, written: &str) -> Option<String> {
        let table = self.site.catalogue.terms(self.request.field);
        let is_it = |written: &str| {
            table.find(written) == Some(self.from)
                && nested_identity(written) == nested_identity(self.request.from)
        };
        if !table.field.nested {
            return is_it(written).then(|| self.request.to.to_owned());
        }
        let levels: Vec<&str> = parts(written).collect();
        let above = parts(self.request.from).count();
        let (above, below) = levels.split_at_checked(above)?;
        is_it(&above.join("/")).then(|| {
            let all = [self.request.to].into_iter().chain(below.iter().copied());
            all.collect::<Vec<_>>().join("/")
        })
    }

    /// Returns the new text of a post; `None` if it does not have the term.
    fn post(&self, id: PostId) -> Result<Option<String>, Box<Diagnostic>> {
        let post = self.site.catalogue.post(id);
        let values = self.values(post);
        let mut edits: Vec<(Span, String)> = Vec::new();
        // A value that the post has already, or gets twice, goes.
        let mut kept: BTreeSet<String> = values
            .iter()
            .filter(|value| self.renamed(&value.node).is_none())
            .map(|value| nested_identity(&value.node))
            .collect();
        let format = format_of(&post.source).unwrap_or(Format::Yaml);
        let mut spans = Vec::new();
        let entries = post.front.entries.iter();
        entries.for_each(|entry| scalars(&entry.value, &mut spans));
        for value in &values {
            let Some(new) = self.renamed(&value.node) else {
                continue;
            };
            let identity = nested_identity(&new);
            if !kept.insert(identity)
                && let Some(item) = item_around(post.source.text(), value.span)
            {
                edits.push((item, String::new()));
                continue;
            }
            let within =
                |span: &&Span| span.start <= value.span.start && value.span.end <= span.end;
            let whole = spans.iter().find(within).copied().unwrap_or(value.span);
            let raw = |span: Span| post.source.get(span).unwrap_or_default();
            let is_alone = raw(whole).trim_matches(['"', '\'']).trim() == raw(value.span);
            edits.push(match is_alone || whole == value.span {
                true => (whole, scalar(format, raw(whole), &new)),
                // One of several between commas.
                false => (value.span, new),
            });
        }
        if edits.is_empty() {
            return Ok(None);
        }
        let whole = self.read(&post.path).unwrap_or_default();
        edits.sort_unstable_by_key(|(span, _)| *span);
        spliced(&whole, &edits)
            .map(Some)
            .ok_or_else(|| self.unfit(post))
    }

    fn values(&self, post: &Post) -> Vec<Spanned<String>> {
        let site = self.site;
        written_terms(post, self.request.field, &site.settings, &site.moment)
    }

    fn unfit(&self, post: &Post) -> Box<Diagnostic> {
        let message = format!(
            "`{}` cannot be rewritten here; nothing is renamed",
            self.request.from
        );
        let value = self.values(post);
        let mut value = value
            .iter()
            .filter(|value| self.renamed(&value.node).is_some());
        let location = match value.next() {
            Some(value) => post.source.location(value.span),
            None => Location::top_of(&post.path),
        };
        let help = format!("write `{}` by hand, and rename again", self.request.to);
        Box::new(Diagnostic::error(Code::InvalidValue, location, message).help(help))
    }

    /// Moves the notes on the term, and in a nested field those on terms below it.
    fn notes(&self, texts: &mut Texts) -> Result<(), Box<Diagnostic>> {
        let table = self.site.catalogue.terms(self.request.field);
        let notes = self.site.notes.iter();
        for note in notes.filter(|note| note.field == self.request.field) {
            let spelling = note.name.replace('-', " ");
            let Some(new) = self.renamed(&note.name).or_else(|| self.renamed(&spelling)) else {
                continue;
            };
            let path = note.source.file().unwrap_or_default();
            let named = note_path(&table.field.name, &new, &nested_slug(&new));
            let language = path
                .strip_suffix(".md")
                .and_then(|path| path.rsplit_once(&note.name));
            let language = language.map_or("", |(_, language)| language);
            let to = named.replacen(".md", &format!("{language}.md"), 1);
            let Some(mut text) = self.read(path) else {
                continue;
            };
            if let Some(title) = note
                .title
                .as_ref()
                .filter(|title| self.renamed(&title.node).is_some())
            {
                let raw = note.source.get(title.span).unwrap_or_default();
                let format = format_of(&note.source).unwrap_or(Format::Yaml);
                let new = scalar(format, raw, &new);
                text = spliced(&text, &[(title.span, new)]).unwrap_or(text);
            }
            let is_named = named == note_path(&table.field.name, &new, "");
            if note.title.is_none() && !is_named {
                let source = Source::new(path, &text);
                text = with_key(&source, &text, "title", &[&new]).unwrap_or(text);
            }
            if to != path {
                if self.sources.stamp(&to).is_ok() {
                    return Err(Box::new(two_notes(path, &to)));
                }
                texts.insert(path.to_owned(), None);
            }
            texts.insert(to, Some(text));
        }
        Ok(())
    }

    /// Returns an error for each post whose terms are not those that were meant.
    fn check(&self, renamed: &Site) -> Result<(), Diagnostics> {
        let field = self.request.field;
        let names = |site: &Site, path: &str| -> Option<BTreeSet<String>> {
            let post = site.catalogue.post(site.post_at(path)?);
            let values = written_terms(post, field, &site.settings, &site.moment);
            Some(values.into_iter().map(|value| value.node).collect())
        };
        let identity = |name: &String| nested_identity(name);
        let unfit = self.site.catalogue.all().filter_map(|id| {
            let post = self.site.catalogue.post(id);
            let before = names(self.site, &post.path)?;
            let meant = before
                .iter()
                .map(|name| self.renamed(name).unwrap_or_else(|| name.clone()));
            let meant: BTreeSet<String> = meant.map(|name| identity(&name)).collect();
            let now = names(renamed, &post.path).unwrap_or_default();
            let now: BTreeSet<String> = now.iter().map(identity).collect();
            (now != meant).then(|| *self.unfit(post))
        });
        let unfit: Diagnostics = unfit.collect();
        if unfit.is_empty() { Ok(()) } else { Err(unfit) }
    }

    /// Returns the addresses of lists that the renamed site no longer has, by the new names of their terms.
    fn moved(&self, old: &Plan, renamed: &Site) -> BTreeMap<String, Vec<String>> {
        let new = plan(renamed, &mut Diagnostics::new());
        let kept: BTreeSet<&str> = new
            .outputs
            .iter()
            .map(|output| output.link.plain.as_str())
            .collect();
        let table = self.site.catalogue.terms(self.request.field);
        let groups = old.archives.iter().flat_map(|laid| &laid.groups);
        let mut moved: BTreeMap<String, Vec<String>> = BTreeMap::new();
        for group in groups {
            let id = group.term.as_ref().and_then(|term| term.id);
            let Some((_, id)) = id.filter(|(field, _)| *field == self.request.field) else {
                continue;
            };
            let of_it = |spelling: &String| self.renamed(spelling);
            let term = table.term(id);
            let spellings = [&term.name, &term.identity].into_iter();
            let name = spellings
                .chain(term.spellings.iter().map(|(name, _)| name))
                .find_map(of_it);
            let link = &group.link.plain;
            if let Some(name) = name.filter(|_| !kept.contains(link.as_str())) {
                moved.entry(name).or_default().push(link.clone());
            }
        }
        moved
    }

    /// Adds the old addresses of a term to its note, or to a new note.
    fn add_addresses(
        &self,
        name: &str,
        addresses: &[String],
        renamed: &Site,
        texts: &mut Texts,
    ) -> Result<(), Box<Diagnostic>> {
        let table = renamed.catalogue.terms(self.request.field);
        let Some(id) = table.find(name) else {
            return Ok(());
        };
        let own = renamed
            .notes
            .iter()
            .filter(|note| note.field == self.request.field);
        let mut own = own.filter(|note| table.find(&note.name) == Some(id));
        let note = own.next();
        let path = match note.and_then(|note| note.source.file()) {
            Some(path) => path.to_owned(),
            None => note_path(&table.field.name, name, &table.term(id).slug),
        };
        let known = texts.get(&path).cloned().flatten();
        let text = known.or_else(|| self.read(&path));
        // A note whose file cannot have the term's name says it.
        let text = text.unwrap_or_else(|| match path == note_path(&table.field.name, name, "") {
            true => String::new(),
            false => format!("---\ntitle: {}\n---\n", scalar(Format::Yaml, "", name)),
        });
        let source = Source::new(&path, &text);
        let front = front_matter::read(&source, &renamed.moment.zone).output;
        let addresses: Vec<&str> = addresses.iter().map(String::as_str).collect();
        let edited = match front.map.get("moved_from") {
            Some(entry) => {
                let known = note.into_iter().flat_map(|note| &note.moved_from);
                let known = known.map(|old| old.node.as_str());
                let list: Vec<&str> = known.chain(addresses.iter().copied()).collect();
                let list = serde_json::Value::from(list).to_string();
                spliced(&text, &[(entry.value.span, list)])
            }
            None => with_key(&source, &text, "moved_from", &addresses),
        };
        let Some(edited) = edited else {
            let message = "the front matter of this note cannot be extended";
            let location = Location::top_of(&path);
            let help = format!("write `moved_from: {}` into it", addresses.join(", "));
            return Err(Box::new(
                Diagnostic::error(Code::InvalidValue, location, message).help(help),
            ));
        };
        texts.insert(path, Some(edited));
        Ok(())
    }
}

/// Returns a file's text with a key added to its front matter; `None` if that has no end.
fn with_key(source: &Source, text: &str, key: &str, values: &[&str]) -> Option<String> {
    match insertion(source, key, values)? {
        Edit::Replace(edit) => Some(apply(text, &[&edit]).text),
        Edit::Create { .. } => None,
    }
}

fn two_notes(path: &str, other: &str) -> Diagnostic {
    let message = format!("both terms have a note, and one term has one: `{other}` is the other");
    Diagnostic::error(Code::NameConflict, Location::top_of(path), message).help(format!(
        "join their texts in `{other}`, delete `{path}`, and rename again"
    ))
}

/// Collects the spans of the scalars of a value.
fn scalars(value: &Spanned<Value>, spans: &mut Vec<Span>) {
    match &value.node {
        Value::List(items) => items.iter().for_each(|item| scalars(item, spans)),
        Value::Map(map) => {
            let entries = map.entries.iter();
            entries.for_each(|entry| scalars(&entry.value, spans));
        }
        _ => spans.push(value.span),
    }
}

/// Returns the bytes of an item of a list with its comma, or with its line; `None` if it is the only one.
fn item_around(text: &str, span: Span) -> Option<Span> {
    let after = &text[span.end..];
    let rest = after.trim_start_matches([' ', '\t']);
    if let Some(next) = rest.strip_prefix(',') {
        let next = next.trim_start_matches([' ', '\t']);
        return Some(Span::new(span.start, text.len() - next.len()));
    }
    let before = text[..span.start].trim_end_matches([' ', '\t']);
    if let Some(before) = before.strip_suffix(',') {
        return Some(Span::new(before.len(), span.end));
    }
    let line = before.strip_suffix('-')?.rfind('\n')? + 1;
    let end = text.len() - after.len() + after.find('\n')? + 1;
    let is_alone = text[line..span.start].trim() == "-" && rest.starts_with(['\n', '\r']);
    is_alone.then(|| Span::new(line, end))
}

/// Returns a file's text with spans of its source replaced, which are in ascending order; `None` if they overlap.
fn spliced(whole: &str, edits: &[(Span, String)]) -> Option<String> {
    // Spans do not count a byte order mark.
    let mark = mark_length(whole);
    let mut text = String::with_capacity(whole.len());
    let mut done = 0;
    for (span, new) in edits {
        text.push_str(whole.get(done..mark + span.start)?);
        text.push_str(new);
        done = mark + span.end;
    }
    text.push_str(whole.get(done..)?);
    Some(text)
}
