//! The server: messages in, answers and diagnostics out.

use std::collections::{BTreeMap, BTreeSet};
use std::error::Error;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use crossbeam_channel::{never, select};
use lsp_server::{Connection, ErrorCode, Message, Notification, Request, RequestId, Response};
use lsp_types::notification::{
    DidChangeTextDocument, DidChangeWatchedFiles, DidCloseTextDocument, DidOpenTextDocument,
    DidSaveTextDocument, Notification as _, PublishDiagnostics,
};
use lsp_types::request::{
    CodeActionRequest, Completion, GotoDefinition, HoverRequest, PrepareRenameRequest, References,
    RegisterCapability, Rename, Request as _,
};
use lsp_types::{
    CodeActionParams, CompletionOptions, CompletionParams, CompletionResponse,
    DidChangeTextDocumentParams, DidCloseTextDocumentParams, DidOpenTextDocumentParams,
    GotoDefinitionParams, GotoDefinitionResponse, HoverParams, HoverProviderCapability,
    InitializeParams, OneOf, PrepareRenameResponse, PublishDiagnosticsParams, ReferenceParams,
    RenameOptions, RenameParams, SaveOptions, ServerCapabilities, TextDocumentPositionParams,
    TextDocumentSyncCapability, TextDocumentSyncKind, TextDocumentSyncOptions,
    TextDocumentSyncSaveOptions, Uri,
};
use serde_json::{Value, json};
use tabulae_engine::Workspace;

use crate::completion::completion;
use crate::diagnostics::to_lsp;
use crate::edited::{Finding, Findings, REST, Site};
use crate::edits::{actions, redirect, workspace_edit};
use crate::hover::hover;
use crate::navigation::{definition, references};
use crate::open_site::{OpenSite, Spot, path_of};
use crate::position::{offset, range};
pub use crate::worker::Opener;
use crate::worker::{Outcome, Worker, output_of};

type Failure = Box<dyn Error + Send + Sync>;

/// Serves an editor on standard input and output until it says good-bye. `find` returns the folder of the site that a
/// folder is in.
///
/// # Errors
/// If the messages of the editor cannot be read, or it ends without `exit`.
pub fn run(find: &dyn Fn(&Path) -> Option<PathBuf>, open: &Opener) -> Result<(), Failure> {
    let (connection, threads) = Connection::stdio();
    serve(&connection, find, open)?;
    drop(connection);
    threads.join()?;
    Ok(())
}

/// Serves an editor on a connection, as [`run`] does.
///
/// # Errors
/// As [`run`].
pub fn serve(
    connection: &Connection,
    find: &dyn Fn(&Path) -> Option<PathBuf>,
    open: &Opener,
) -> Result<(), Failure> {
    let (id, params) = connection.initialize_start()?;
    let params: InitializeParams = serde_json::from_value(params).unwrap_or_default();
    let answer = json!({
        "capabilities": capabilities(),
        "serverInfo": { "name": "tabulae", "version": env!("CARGO_PKG_VERSION") },
    });
    connection.initialize_finish(id, answer)?;
    let mut server = Server {
        connection,
        find,
        open,
        site: None,
    };
    for folder in folders(&params) {
        server.enter(&folder);
    }
    server.watch(&params)?;
    server.serve()
}

#[expect(
    deprecated,
    reason = "older editors name their folder by `rootUri` alone"
)]
fn folders(params: &InitializeParams) -> Vec<PathBuf> {
    let folders = params.workspace_folders.iter().flatten();
    let folders = folders.map(|folder| &folder.uri);
    folders
        .chain(&params.root_uri)
        .filter_map(path_of)
        .collect()
}

fn capabilities() -> ServerCapabilities {
    let signs = ["\"", "'", " ", "[", ",", ".", "|", "/"];
    ServerCapabilities {
        text_document_sync: Some(TextDocumentSyncCapability::Options(
            TextDocumentSyncOptions {
                open_close: Some(true),
                change: Some(TextDocumentSyncKind::INCREMENTAL),
                save: Some(TextDocumentSyncSaveOptions::SaveOptions(
                    SaveOptions::default(),
                )),
                ..TextDocumentSyncOptions::default()
            },
        )),
        completion_provider: Some(CompletionOptions {
            trigger_characters: Some(signs.map(str::to_owned).into()),
            ..CompletionOptions::default()
        }),
        hover_provider: Some(HoverProviderCapability::Simple(true)),
        definition_provider: Some(OneOf::Left(true)),
        references_provider: Some(OneOf::Left(true)),
        rename_provider: Some(OneOf::Right(RenameOptions {
            prepare_provider: Some(true),
            work_done_progress_options: lsp_types::WorkDoneProgressOptions::default(),
        })),
        code_action_provider: Some(lsp_types::CodeActionProviderCapability::Simple(true)),
        ..ServerCapabilities::default()
    }
}

struct Server<'a> {
    connection: &'a Connection,
    find: &'a dyn Fn(&Path) -> Option<PathBuf>,
    open: &'a Opener,
    site: Option<Site>,
}

/// An answer, or the code and text of an error.
type Answer = Result<Value, (ErrorCode, String)>;

impl Server<'_> {
    fn serve(&mut self) -> Result<(), Failure> {
        let (no_outcomes, no_rest) = (never(), never());
        loop {
            let (outcomes, rests) = match &self.site {
                Some(site) => (&site.worker.outcomes, &site.rests),
                None => (&no_outcomes, &no_rest),
            };
            select! {
                recv(rests) -> _ => {
                    if let Some(site) = &mut self.site {
                        site.check();
                    }
                }
                recv(self.connection.receiver) -> message => match message {
                    Ok(Message::Request(request)) => {
                        if self.connection.handle_shutdown(&request)? {
                            return Ok(());
                        }
                        self.answer(request)?;
                    }
                    Ok(Message::Notification(notification)) => self.note(notification)?,
                    Ok(Message::Response(_)) => {}
                    Err(_) => return Err("the editor ended without `exit`".into()),
                },
                recv(outcomes) -> outcome => {
                    if let Ok(outcome) = outcome {
                        self.take(outcome)?;
                    }
                }
            }
        }
    }

    /// Asks an editor that can do it to watch the files of its folder.
    fn watch(&self, params: &InitializeParams) -> Result<(), Failure> {
        let workspace = params.capabilities.workspace.as_ref();
        let watching = workspace.and_then(|workspace| workspace.did_change_watched_files);
        if watching.and_then(|watching| watching.dynamic_registration) != Some(true) {
            return Ok(());
        }
        let registrations = json!({ "registrations": [{
            "id": "files",
            "method": DidChangeWatchedFiles::METHOD,
            "registerOptions": { "watchers": [{ "globPattern": "**/*" }] },
        }] });
        let id = RequestId::from("watch".to_owned());
        let request = Request::new(id, RegisterCapability::METHOD.to_owned(), registrations);
        self.connection.sender.send(Message::Request(request))?;
        Ok(())
    }

    /// Begins with the site that a folder is in, unless there is one.
    fn enter(&mut self, folder: &Path) {
        if self.site.is_some() {
            return;
        }
        let Some(root) = (self.find)(folder) else {
            return;
        };
        let mut site = Site {
            worker: Worker::new(root.clone(), Arc::clone(self.open)),
            root,
            texts: BTreeMap::new(),
            number: 0,
            read: None,
            findings: Findings::default(),
            published: BTreeSet::new(),
            wants_check: true,
            rests: never(),
            patience: REST,
            checking: None,
        };
        site.read_again(None);
        self.site = Some(site);
    }

    fn note(&mut self, notification: Notification) -> Result<(), Failure> {
        fn params<T: serde::de::DeserializeOwned>(notification: Notification) -> Option<T> {
            serde_json::from_value(notification.params).ok()
        }
        match notification.method.as_str() {
            DidOpenTextDocument::METHOD => {
                if let Some(opened) = params::<DidOpenTextDocumentParams>(notification) {
                    let document = opened.text_document;
                    self.set_text(&document.uri, |_| Some(document.text))?;
                }
            }
            DidChangeTextDocument::METHOD => {
                if let Some(changed) = params::<DidChangeTextDocumentParams>(notification) {
                    let uri = changed.text_document.uri;
                    self.set_text(&uri, |text| {
                        let text = text.unwrap_or_default();
                        Some(changed.content_changes.into_iter().fold(text, with_change))
                    })?;
                }
            }
            DidCloseTextDocument::METHOD => {
                if let Some(closed) = params::<DidCloseTextDocumentParams>(notification) {
                    self.set_text(&closed.text_document.uri, |_| None)?;
                }
            }
            DidSaveTextDocument::METHOD | DidChangeWatchedFiles::METHOD => {
                if let Some(site) = &mut self.site {
                    site.patience = REST;
                    site.check_again();
                    site.read_again(None);
                }
            }
            _ => {}
        }
        Ok(())
    }

    /// Sets the text of a file, or forgets it, and publishes the diagnostics that it has by itself.
    fn set_text(
        &mut self,
        uri: &Uri,
        change: impl FnOnce(Option<String>) -> Option<String>,
    ) -> Result<(), Failure> {
        let Some(path) = path_of(uri) else {
            return Ok(());
        };
        self.enter(path.parent().unwrap_or(&path));
        let Some(site) = &mut self.site else {
            return Ok(());
        };
        let Some(path) = site.below(&path) else {
            return Ok(());
        };
        let text = change(site.texts.remove(&path));
        let own = site.read.as_ref().zip(text.as_ref());
        let own = own.and_then(|((_, read), text)| read.findings_of(&path, text));
        if let Some(own) = own {
            site.findings.own.entry(path.clone()).or_default().1 = own;
        }
        if let Some(text) = text {
            site.findings.drop_stale(&path, &text);
            site.texts.insert(path.clone(), text);
        }
        site.check_again();
        site.read_again(Some(vec![path.clone()]));
        let published = site.of_file(&path);
        self.publish([published].into_iter().flatten())
    }

    fn take(&mut self, outcome: Outcome) -> Result<(), Failure> {
        let Some(site) = &mut self.site else {
            return Ok(());
        };
        match outcome {
            Outcome::Read(number, read, findings, texts) => {
                (site.findings.read, site.findings.texts) = (findings, texts);
                site.findings.own.clear();
                for (path, text) in &site.texts {
                    if let Some(own) = read.findings_of(path, text) {
                        site.findings.own.insert(path.clone(), (own.clone(), own));
                    }
                }
                let before = site.read.replace((number, read));
                // Dropped in the background: freeing thousands of posts takes a while.
                std::thread::spawn(move || drop(before));
                // A later change has its own answer.
                if number != site.number {
                    return Ok(());
                }
                site.check_later();
            }
            Outcome::Checked(check) => {
                site.checking = None;
                if site.wants_check {
                    site.check_later();
                }
                let Some(check) = check else {
                    return Ok(());
                };
                // A large site is not checked at each pause.
                site.patience = check.took.max(REST);
                site.findings.rendered = check.rendered;
                site.findings.lints = check.lints;
                for (path, text) in &site.texts {
                    site.findings.drop_stale(path, text);
                }
            }
        }
        let all = site.all();
        self.publish(all.into_iter())
    }

    fn publish(
        &mut self,
        files: impl Iterator<Item = (String, Vec<Finding>)>,
    ) -> Result<(), Failure> {
        let Some(site) = &mut self.site else {
            return Ok(());
        };
        let Some((_, read)) = site.read.clone() else {
            return Ok(());
        };
        for (path, found) in files {
            let open = site.open_site(&read);
            let text = open.text(&path).unwrap_or_default();
            let diagnostics = found
                .iter()
                .map(|found| to_lsp(open, &text, found))
                .collect();
            let Some(uri) = open.uri(&path) else {
                continue;
            };
            let params = PublishDiagnosticsParams::new(uri, diagnostics, None);
            let note = Notification::new(PublishDiagnostics::METHOD.to_owned(), params);
            self.connection.sender.send(Message::Notification(note))?;
            match found.is_empty() {
                true => site.published.remove(&path),
                false => site.published.insert(path),
            };
        }
        Ok(())
    }

    fn answer(&mut self, request: Request) -> Result<(), Failure> {
        let Request { id, method, params } = request;
        let is_asked_for = [
            CodeActionRequest::METHOD,
            GotoDefinition::METHOD,
            PrepareRenameRequest::METHOD,
            References::METHOD,
            Rename::METHOD,
        ];
        // What is typed along with gets an answer from the site as it was a moment ago.
        if is_asked_for.contains(&method.as_str()) {
            self.settle()?;
        }
        let answer = match method.as_str() {
            Completion::METHOD => self.with(params, |open, params: CompletionParams| {
                let found = open.spot_of(&params.text_document_position, |open, spot| {
                    CompletionResponse::List(completion(open, spot))
                });
                Ok(json!(found))
            }),
            HoverRequest::METHOD => self.with(params, |open, params: HoverParams| {
                let found = open.spot_of(&params.text_document_position_params, hover);
                Ok(json!(found.flatten()))
            }),
            GotoDefinition::METHOD => self.with(params, |open, params: GotoDefinitionParams| {
                let found = open.spot_of(&params.text_document_position_params, definition);
                Ok(json!(GotoDefinitionResponse::Array(
                    found.unwrap_or_default()
                )))
            }),
            References::METHOD => self.with(params, |open, params: ReferenceParams| {
                let found = open.spot_of(&params.text_document_position, references);
                Ok(json!(found.unwrap_or_default()))
            }),
            PrepareRenameRequest::METHOD => {
                self.with(params, |open, params: TextDocumentPositionParams| {
                    let found = open.spot_of(&params, |open, spot| {
                        let (_, word) = open.term_at(spot)?;
                        let word = range(spot.text, word.start, word.end);
                        Some(PrepareRenameResponse::Range(word))
                    });
                    Ok(json!(found.flatten()))
                })
            }
            Rename::METHOD => {
                self.with(params, |open, params: RenameParams| renamed(open, &params))
            }
            CodeActionRequest::METHOD => self.with(params, |open, params: CodeActionParams| {
                Ok(open.actions(&params))
            }),
            _ => Err((
                ErrorCode::MethodNotFound,
                format!("there is no method {method}"),
            )),
        };
        self.respond(id, answer)
    }

    fn respond(&self, id: RequestId, answer: Answer) -> Result<(), Failure> {
        let response = match answer {
            Ok(value) => Response::new_ok(id, value),
            Err((code, message)) => Response::new_err(id, code as i32, message),
        };
        self.connection.sender.send(Message::Response(response))?;
        Ok(())
    }

    /// Waits until the site is read with the texts of all buffers.
    fn settle(&mut self) -> Result<(), Failure> {
        while let Some(site) = &self.site
            && site
                .read
                .as_ref()
                .is_none_or(|(number, _)| *number != site.number)
        {
            match site.worker.outcomes.recv_timeout(Duration::from_secs(60)) {
                Ok(outcome) => self.take(outcome)?,
                Err(_) => return Ok(()),
            }
        }
        Ok(())
    }

    /// Answers a request from the site as it was last read; `null` without a site.
    fn with<T: serde::de::DeserializeOwned>(
        &mut self,
        params: Value,
        answer: impl FnOnce(&Opened<'_>, T) -> Answer,
    ) -> Answer {
        let params = serde_json::from_value(params)
            .map_err(|error| (ErrorCode::InvalidParams, error.to_string()))?;
        // The first answer waits for the site.
        if self.site.as_ref().is_some_and(|site| site.read.is_none()) {
            let settled = self.settle();
            settled.map_err(|error| (ErrorCode::InternalError, error.to_string()))?;
        }
        let Some((site, read)) = self
            .site
            .as_ref()
            .and_then(|site| Some((site, &site.read.as_ref()?.1)))
        else {
            return Ok(Value::Null);
        };
        answer(&Opened { site, read }, params)
    }
}

/// A site that is open and was read.
struct Opened<'a> {
    site: &'a Site,
    read: &'a Workspace,
}

impl<'a> Opened<'a> {
    /// Returns the answer for a position of an open text.
    fn spot_of<T>(
        &self,
        at: &TextDocumentPositionParams,
        answer: impl FnOnce(OpenSite<'a>, &Spot<'_>) -> T,
    ) -> Option<T> {
        let (path, text) = self.text(&at.text_document.uri)?;
        let open = self.site.open_site(self.read);
        let spot = open.spot(path, text, offset(text, at.position))?;
        Some(answer(open, &spot))
    }

    fn text(&self, uri: &Uri) -> Option<(&'a str, &'a str)> {
        let path = self.site.below(&path_of(uri)?)?;
        let (path, text) = self.site.texts.get_key_value(&path)?;
        Some((path, text))
    }

    fn actions(&self, params: &CodeActionParams) -> Value {
        let Some((path, text)) = self.text(&params.text_document.uri) else {
            return json!([]);
        };
        let open = self.site.open_site(self.read);
        let found = self
            .site
            .of_file(path)
            .map(|(_, found)| found)
            .unwrap_or_default();
        let mut actions = actions(open, (path, text), params.range, &found);
        let published =
            output_of(self.read).and_then(|mut output| self.read.published(&mut output));
        if let Some(published) = published {
            let action = redirect(open, (path, text), &published);
            actions.extend(action.map(lsp_types::CodeActionOrCommand::CodeAction));
        }
        json!(actions)
    }
}

/// Renames the term at a position in all posts.
fn renamed(opened: &Opened<'_>, params: &RenameParams) -> Answer {
    let name = params.new_name.as_str();
    let answer = opened.spot_of(&params.text_document_position, |open, spot| {
        let (term, word) = open.term_at(spot)?;
        let field = open.catalogue()?.terms(term.field).field.name.clone();
        let renamed = open.site.rename_term(&field, &spot.text[word], name);
        Some(renamed.map(|renamed| workspace_edit(open, &renamed.files)))
    });
    match answer.flatten() {
        None => {
            let message = "only a term is renamed: a tag, a category, or that of another field";
            Err((ErrorCode::RequestFailed, message.to_owned()))
        }
        Some(Ok(edit)) => Ok(json!(edit)),
        Some(Err(error)) => {
            let first = error.diagnostics().first().map(ToString::to_string);
            Err((ErrorCode::RequestFailed, first.unwrap_or_default()))
        }
    }
}

/// Returns a text with a change of the editor: of a part of it, or as a whole.
fn with_change(text: String, change: lsp_types::TextDocumentContentChangeEvent) -> String {
    let Some(part) = change.range else {
        return change.text;
    };
    let start = offset(&text, part.start);
    let end = offset(&text, part.end).max(start);
    [&text[..start], &change.text, &text[end..]].concat()
}
