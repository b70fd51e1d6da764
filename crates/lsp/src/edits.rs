//! Edits of files for an editor: renaming a term, and code actions.

use lsp_types::{
    CodeAction, CodeActionKind, CodeActionOrCommand, CreateFile, DeleteFile,
    DocumentChangeOperation, DocumentChanges, OneOf, OptionalVersionedTextDocumentIdentifier,
    Position, Range, ResourceOp, TextDocumentEdit, TextEdit, WorkspaceEdit,
};
use tabulae_core::edit::{Edit, apply};
use tabulae_core::front_matter::insertion;
use tabulae_core::source::Source;
use tabulae_engine::{AddressKind, AddressList, FileChange};

use crate::diagnostics::to_lsp;
use crate::edited::Finding;
use crate::open_site::{OpenSite, Spot};
use crate::position::{range, range_of, range_of_columns};

/// Returns the changes as one edit of an editor. Of a changed file only the part that differs is replaced.
pub(crate) fn workspace_edit(site: OpenSite<'_>, changes: &[FileChange]) -> Option<WorkspaceEdit> {
    let mut operations = Vec::new();
    for change in changes {
        let uri = site.uri(&change.path)?;
        match (&change.before, &change.after) {
            (_, None) => operations.push(DocumentChangeOperation::Op(ResourceOp::Delete(
                DeleteFile { uri, options: None },
            ))),
            (None, Some(text)) => create(&mut operations, uri, text),
            (Some(before), Some(after)) => {
                operations.push(edit_of(uri, vec![difference(before, after)]));
            }
        }
    }
    Some(all(operations))
}

fn all(operations: Vec<DocumentChangeOperation>) -> WorkspaceEdit {
    WorkspaceEdit {
        document_changes: Some(DocumentChanges::Operations(operations)),
        ..WorkspaceEdit::default()
    }
}

fn create(operations: &mut Vec<DocumentChangeOperation>, uri: lsp_types::Uri, text: &str) {
    operations.push(DocumentChangeOperation::Op(ResourceOp::Create(
        CreateFile {
            uri: uri.clone(),
            options: None,
            annotation_id: None,
        },
    )));
    let whole = TextEdit::new(Range::default(), text.to_owned());
    operations.push(edit_of(uri, vec![whole]));
}

fn edit_of(uri: lsp_types::Uri, edits: Vec<TextEdit>) -> DocumentChangeOperation {
    DocumentChangeOperation::Edit(TextDocumentEdit {
        text_document: OptionalVersionedTextDocumentIdentifier { uri, version: None },
        edits: edits.into_iter().map(OneOf::Left).collect(),
    })
}

/// Returns the edit of the part in which two texts differ.
fn difference(before: &str, after: &str) -> TextEdit {
    let same = |(a, b): &(char, char)| a == b;
    let start: usize = before
        .chars()
        .zip(after.chars())
        .take_while(same)
        .map(|(c, _)| c.len_utf8())
        .sum();
    let end: usize = before[start..]
        .chars()
        .rev()
        .zip(after[start..].chars().rev())
        .take_while(same)
        .map(|(c, _)| c.len_utf8())
        .sum();
    let new = after[start..after.len() - end].to_owned();
    TextEdit::new(range(before, start, before.len() - end), new)
}

/// Returns the actions for a range of a text: the corrections of diagnostics there, and what a term or a post needs.
pub(crate) fn actions(
    site: OpenSite<'_>,
    (path, text): (&str, &str),
    wanted: Range,
    findings: &[Finding],
) -> Vec<CodeActionOrCommand> {
    let mut actions = Vec::new();
    for finding in findings {
        let location = &finding.diagnostic.location;
        let is_here = location.file.as_deref() == Some(path);
        if is_here && overlap(range_of(text, location), wanted) {
            actions.extend(correction(site, text, finding));
        }
    }
    let at = crate::position::offset(text, wanted.start);
    if let Some(spot) = site.spot(path, text, at) {
        actions.extend(joining_note(site, &spot));
    }
    actions
        .into_iter()
        .map(CodeActionOrCommand::CodeAction)
        .collect()
}

fn overlap(a: Range, b: Range) -> bool {
    let before = |a: Position, b: Position| (a.line, a.character) <= (b.line, b.character);
    before(a.start, b.end) && before(b.start, a.end)
}

/// Returns the action that applies the edits of a diagnostic; `None` if it has none, or if a text is another one by now.
fn correction(site: OpenSite<'_>, text: &str, finding: &Finding) -> Option<CodeAction> {
    let mut operations = Vec::new();
    let mut title = None;
    for edit in &finding.diagnostic.edits {
        let uri = site.uri(edit.file())?;
        match edit {
            Edit::Create { file, text } => {
                title.get_or_insert(format!("Write {file}"));
                create(&mut operations, uri, text);
            }
            Edit::Replace(edit) => {
                title.get_or_insert(match edit.old.as_str() {
                    "" => format!("Write `{}`", edit.new.trim_end()),
                    old => format!("Replace `{old}` by `{}`", edit.new),
                });
                let text = site.text(&edit.file)?;
                if apply(&text, &[edit]).applied == 0 {
                    return None;
                }
                let width = edit.old.chars().count();
                let place = range_of_columns(&text, edit.line, edit.column, width);
                let edit = TextEdit::new(place, edit.new.clone());
                operations.push(edit_of(uri, vec![edit]));
            }
        }
    }
    Some(CodeAction {
        title: title?,
        kind: Some(CodeActionKind::QUICKFIX),
        diagnostics: Some(vec![to_lsp(site, text, finding)]),
        edit: Some(all(operations)),
        is_preferred: Some(true),
        ..CodeAction::default()
    })
}

/// Returns the action that writes the note which joins the term at a spot with its near-duplicates.
fn joining_note(site: OpenSite<'_>, spot: &Spot<'_>) -> Option<CodeAction> {
    let (term, _) = site.term_at(spot)?;
    let field = &site.catalogue()?.terms(term.field).field.name;
    let fields = site.site.terms(Some(field)).ok()?;
    let mut joins = fields.iter().flat_map(|field| &field.joins);
    let join = joins.find(|join| {
        let mut others = join.others.iter().map(|(other, _)| other.name.as_str());
        join.keep.name == term.term.name || others.any(|name| name == term.term.name)
    })?;
    if !join.note.is_complete() {
        return None;
    }
    let mut operations = Vec::new();
    create(&mut operations, site.uri(&join.note.path)?, &join.note.text);
    let names = join
        .others
        .iter()
        .map(|(other, _)| format!("`{}`", other.name));
    let names: Vec<String> = names.collect();
    Some(CodeAction {
        title: format!(
            "Write the note that joins {} with `{}`",
            names.join(", "),
            join.keep.name
        ),
        kind: Some(CodeActionKind::QUICKFIX),
        edit: Some(all(operations)),
        ..CodeAction::default()
    })
}

/// Returns the action that leads readers from the address that a post had in the last build to that which it has now.
pub(crate) fn redirect(
    site: OpenSite<'_>,
    (path, text): (&str, &str),
    published: &AddressList,
) -> Option<CodeAction> {
    let catalogue = site.catalogue()?;
    let id = site.post_id(path)?;
    let post = catalogue.post(id);
    let link = catalogue.link(id).plain.as_str();
    let mut published = published.addresses.iter();
    let (old, _) = published.find(|(at, address)| {
        address.kind == AddressKind::Post && address.post.as_deref() == Some(path) && *at != link
    })?;
    let is_known = post.moved_from.iter().any(|known| known.node == *old);
    if is_known || post.front.get("moved_from").is_some() {
        return None;
    }
    let edit = insertion(&Source::new(path, text), "moved_from", &[old])?;
    let Edit::Replace(edit) = edit else {
        return None;
    };
    let place = range_of_columns(text, edit.line, edit.column, 0);
    let operations = vec![edit_of(
        site.uri(path)?,
        vec![TextEdit::new(place, edit.new)],
    )];
    Some(CodeAction {
        title: format!("Add a redirect from {old}"),
        kind: Some(CodeActionKind::QUICKFIX),
        edit: Some(all(operations)),
        ..CodeAction::default()
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// The edit of the part that differs makes the one text of the other.
        #[test]
        fn a_difference_is_the_whole_change(before in "[aä😀\n]{0,10}", after in "[aä😀\n]{0,10}") {
            let edit = difference(&before, &after);
            let start = crate::position::offset(&before, edit.range.start);
            let end = crate::position::offset(&before, edit.range.end);
            let made = format!("{}{}{}", &before[..start], edit.new_text, &before[end..]);
            prop_assert_eq!(made, after);
        }
    }
}
