//! `tabulae lsp`: a scripted editor over standard input and output.

use std::io::{BufRead, BufReader, Write};
use std::process::{Child, ChildStdin, Command, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::time::Duration;

use crate::site::Site;
use rstest::rstest;
use serde_json::{Value, json};

/// The longest wait for a message. A machine under load is slow.
const PATIENCE: Duration = Duration::from_secs(60);

/// An editor with the language server of a site.
struct Editor {
    site: Site,
    server: Child,
    input: ChildStdin,
    messages: Receiver<Value>,
    last: u64,
}

impl Editor {
    /// Starts the server and says hello.
    fn open(site: Site) -> Self {
        let mut editor = Self::start(site);
        let root = format!("file://{}", editor.site.path().display());
        let hello = json!({ "processId": null, "rootUri": root, "capabilities": {} });
        let answer = editor.ask("initialize", hello);
        assert_eq!(answer["result"]["serverInfo"]["name"], "tabulae");
        editor.tell("initialized", json!({}));
        editor
    }

    fn start(site: Site) -> Self {
        let mut server = Command::new(env!("CARGO_BIN_EXE_tabulae"))
            .args(["--today", "2026-06-01", "lsp"])
            .current_dir(site.path())
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .expect("the program runs");
        let mut output = BufReader::new(server.stdout.take().expect("its output"));
        let (sender, messages) = channel();
        std::thread::spawn(move || {
            while let Some(message) = read(&mut output) {
                if sender.send(message).is_err() {
                    return;
                }
            }
        });
        Self {
            input: server.stdin.take().expect("its input"),
            site,
            server,
            messages,
            last: 0,
        }
    }

    fn send(&mut self, message: &Value) {
        let text = message.to_string();
        let head = format!("Content-Length: {}\r\n\r\n", text.len());
        let sent = self.input.write_all((head + &text).as_bytes());
        sent.and_then(|()| self.input.flush())
            .expect("the server reads");
    }

    fn tell(&mut self, method: &str, params: Value) {
        self.send(&json!({ "jsonrpc": "2.0", "method": method, "params": params }));
    }

    /// Sends a request, and returns the answer to it.
    fn ask(&mut self, method: &str, params: Value) -> Value {
        self.last += 1;
        let id = self.last;
        self.send(&json!({ "jsonrpc": "2.0", "id": id, "method": method, "params": params }));
        self.wait(|message| (message["id"] == id).then(|| message.clone()))
    }

    /// Returns the result of a request at `|` in a text, which is the file's buffer from now on.
    fn ask_at(&mut self, method: &str, path: &str, marked: &str, more: &Value) -> Value {
        let at = marked.find('|').expect("a mark");
        self.set(path, &marked.replacen('|', "", 1));
        let before = &marked[..at];
        let line = before.matches('\n').count();
        let start = before.rfind('\n').map_or(0, |at| at + 1);
        let character = before[start..].encode_utf16().count();
        let mut params = json!({
            "textDocument": { "uri": self.uri(path) },
            "position": { "line": line, "character": character },
        });
        let object = params.as_object_mut().expect("an object");
        object.extend(more.as_object().cloned().unwrap_or_default());
        self.ask(method, params)["result"].clone()
    }

    fn uri(&self, path: &str) -> String {
        format!("file://{}", self.site.file(path).display())
    }

    /// Opens a file with a text, or changes its text.
    fn set(&mut self, path: &str, text: &str) {
        let uri = self.uri(path);
        let document = json!({ "uri": uri, "languageId": "markdown", "version": 1, "text": text });
        self.tell("textDocument/didOpen", json!({ "textDocument": document }));
    }

    fn change(&mut self, path: &str, changes: Value) {
        let document = json!({ "uri": self.uri(path), "version": 2 });
        let params = json!({ "textDocument": document, "contentChanges": changes });
        self.tell("textDocument/didChange", params);
    }

    /// Waits for a message.
    fn wait<T>(&mut self, wanted: impl Fn(&Value) -> Option<T>) -> T {
        loop {
            let message = self.messages.recv_timeout(PATIENCE).expect("a message");
            if let Some(found) = wanted(&message) {
                return found;
            }
        }
    }

    /// Waits until a file has the diagnostics of these codes.
    fn wait_for(&mut self, path: &str, codes: &[&str]) -> Value {
        let uri = self.uri(path);
        self.wait(|message| {
            let params = &message["params"];
            let found = params["diagnostics"]
                .as_array()
                .filter(|_| params["uri"] == uri)?;
            let own: Vec<&str> = found
                .iter()
                .filter_map(|found| found["code"].as_str())
                .collect();
            (own == codes).then(|| params["diagnostics"].clone())
        })
    }

    /// Says good-bye, and returns the exit code.
    fn close(mut self) -> Option<i32> {
        self.ask("shutdown", Value::Null);
        self.tell("exit", Value::Null);
        drop(self.input);
        self.server.wait().expect("the server ends").code()
    }
}

fn read(output: &mut impl BufRead) -> Option<Value> {
    let mut length = 0;
    loop {
        let mut line = String::new();
        if output.read_line(&mut line).ok()? == 0 {
            return None;
        }
        match line.trim().split_once(": ") {
            Some((_, number)) => length = number.parse().ok()?,
            None => break,
        }
    }
    let mut body = vec![0; length];
    output.read_exact(&mut body).ok()?;
    serde_json::from_slice(&body).ok()
}

const POST: &str = "posts/2026-03-20-mud.md";

/// A site of four posts with tags, a note, a named query and a template.
fn site() -> Site {
    let site = Site::small();
    let settings = site.read("tabulae.toml");
    let more = "[queries]\nlimes = \"from posts where tag = 'lime'\"\n";
    site.write("tabulae.toml", format!("{settings}{more}"));
    site.write(
        "posts/2026-03-15-a.md",
        "---\ntags: [lime, dredging]\n---\n",
    );
    site.write("posts/2026-03-16-b.md", "---\ntags: ['dredging']\n---\n");
    site.write(POST, "---\ntitle: Mud\ntags: [dredge]\n---\n");
    site.write("terms/tag/lime.md", "---\ntitle: lime\n---\nBurnt stone.\n");
    site.write("templates/wide.html", "{% extends \"post.html\" %}");
    site
}

fn labels(list: &Value) -> Vec<(String, String)> {
    let items = list["items"].as_array().expect("items").iter();
    let text = |item: &Value, name: &str| item[name].as_str().unwrap_or_default().to_owned();
    items
        .map(|item| (text(item, "label"), text(item, "detail")))
        .collect()
}

#[test]
fn an_editor_types_and_sees_what_is_wrong() {
    let mut editor = Editor::open(site());
    editor.set(POST, "---\ntitle: Mud\ndate: 2026-13-01\n---\n");
    let found = editor.wait_for(POST, &["invalid-date"]);
    assert_eq!(found[0]["severity"], 1);
    let range =
        json!({ "start": { "line": 2, "character": 6 }, "end": { "line": 2, "character": 16 } });
    assert_eq!(found[0]["range"], range);
    let link = found[0]["codeDescription"]["href"]
        .as_str()
        .expect("a link");
    assert!(
        link.ends_with("/reference/diagnostics/#invalid-date"),
        "{link}"
    );
    // The buffer counts, whatever is on disk; a part of it can change.
    let part =
        json!({ "start": { "line": 2, "character": 11 }, "end": { "line": 2, "character": 13 } });
    editor.change(POST, json!([{ "range": part, "text": "03" }]));
    editor.wait_for(POST, &[]);
    // What needs the whole site comes a moment later.
    editor.change(
        POST,
        json!([{ "text": "---\ntitle: Mud\nrelated: [nothing]\n---\n" }]),
    );
    editor.wait_for(POST, &["unknown-related-post"]);
    assert_eq!(
        editor.site.read(POST),
        "---\ntitle: Mud\ntags: [dredge]\n---\n"
    );
    assert_eq!(editor.close(), Some(0));
}

#[test]
fn what_rendering_finds_is_shown_too() {
    let site = site();
    site.write(
        "pages/list.html",
        "{% for post in query(\"from posts where tag = 'lmie'\") %}{% endfor %}\n",
    );
    let mut editor = Editor::open(site);
    let page = "pages/list.html";
    editor.wait_for(page, &["unused-term"]);
    // Without a save, once nothing is typed; what is typed on the way does not hold it up.
    for term in ["l", "li", "lim", "lime"] {
        editor.set(
            page,
            &format!(
                "{{% for post in query(\"from posts where tag = '{term}'\") %}}{{% endfor %}}\n"
            ),
        );
    }
    editor.wait_for(page, &[]);
    editor.change(
        page,
        json!([{ "text": "\n\n{% for post in query(\"from posts where tag = 'lmie'\") %}{% endfor %}\n" }]),
    );
    let found = editor.wait_for(page, &["unused-term"]);
    assert_eq!(found[0]["range"]["start"]["line"], 2);
    assert_eq!(editor.close(), Some(0));
}

#[rstest]
#[case::keys(POST, "---\ntitle: A\nsum|\n---\n", &[("summary", "")])]
#[case::terms(POST, "---\ntags: [l|]\n---\n", &[("lime", "2 posts")])]
#[case::terms_by_count(POST, "---\ntags: [dre|]\n---\n", &[("dredging", "2 posts")])]
#[case::terms_in_lines(POST, "---\ntags:\n  - li|\n---\n", &[("lime", "2 posts")])]
#[case::slugs(POST, "---\nrelated: [li|]\n---\n", &[("lime", "Lime")])]
#[case::templates(POST, "---\ntemplate: wi|\n---\n", &[("wide.html", "")])]
#[case::flags(POST, "---\ndraft: t|\n---\n", &[("true", "")])]
#[case::toml(POST, "+++\ntags = [\"li|\"]\n+++\n", &[("lime", "2 posts")])]
#[case::json(POST, "{\"tags\": [\"li|\"]}\n", &[("lime", "2 posts")])]
#[case::tables("tabulae.toml", "[expor|\n", &[("export.NAME", "")])]
#[case::settings("tabulae.toml", "[site]\ntim|\n", &[("timezone", "default: \"UTC\"")])]
#[case::values("tabulae.toml", "[feed.x]\nformat = \"js|\"\n", &[("json", "")])]
#[case::sources("tabulae.toml", "[feed.x]\nquery = \"from lim|\"\n", &[("limes", "from posts where tag = 'lime'")])]
#[case::query_terms("tabulae.toml", "[feed.x]\nquery = \"from posts where tag = 'li|'\"\n", &[("lime", "2 posts")])]
#[case::query_words("tabulae.toml", "[feed.x]\nquery = \"from posts whe|\"\n", &[("where", "")])]
#[case::placeholder(POST, "---\ntitle: A\n---\n<!-- tabulae query \"from posts where tag = 'li|'\" -->", &[("lime", "2 posts")])]
#[case::template_files("templates/x.html", "{% extends \"wid|\" %}", &[("wide.html", "")])]
#[case::functions("templates/x.html", "{{ quer| }}", &[("query", "")])]
fn an_editor_is_offered_what_fits(
    #[case] path: &str,
    #[case] text: &str,
    #[case] expected: &[(&str, &str)],
) {
    let mut editor = Editor::open(site());
    // The settings of the buffer may be in pieces; what is offered is of the site as it was read before.
    editor.ask_at(
        "textDocument/hover",
        POST,
        "---\ntitle: |Mud\ntags: [dredge]\n---\n",
        &json!({}),
    );
    let offered = editor.ask_at("textDocument/completion", path, text, &json!({}));
    let offered = labels(&offered);
    let offered: Vec<(&str, &str)> = offered
        .iter()
        .map(|(a, b)| (a.as_str(), b.as_str()))
        .collect();
    for wanted in expected {
        assert!(offered.contains(wanted), "{offered:?}");
    }
    assert!(offered.len() < 40, "{offered:?}");
}

#[rstest]
#[case::a_query(
    "tabulae.toml",
    "[feed.x]\nquery = \"from posts where |tag = 'lime'\"\n",
    "**2 posts**\n\n- 2026-03-15 A\n- 2026-03-14 Lime"
)]
#[case::a_term(
    POST,
    "---\ntags: [li|me]\n---\n",
    "**lime** · 2 posts · `/tags/lime/`"
)]
#[case::a_term_in_a_query(
    "tabulae.toml",
    "[feed.x]\nquery = \"from posts where tag = 'dre|dging'\"\n",
    "**dredging** · 2 posts"
)]
#[case::a_date_to_come(POST, "---\ndate: 2026-06-|04\n---\n", "scheduled: appears in 3 days")]
#[case::a_date(POST, "---\ndate: 2026-05-|31\n---\n", "live: appeared 1 day ago")]
#[case::an_expiry(POST, "---\nexpires: 2026-06-|02\n---\n", "live: expires in 1 day")]
#[case::a_key(
    POST,
    "---\nunl|isted: true\n---\n",
    "Whether it has a page and is in no list."
)]
#[case::a_setting("tabulae.toml", "[site]\ntime|zone = \"UTC\"\n", "Default: `\"UTC\"`")]
#[case::a_table("tabulae.toml", "[feed.|lime]\n", "A query published as a feed.")]
#[case::a_related_post(
    POST,
    "---\nrelated: [li|me]\n---\n",
    "Lime (`posts/2026-03-14-lime.md`)"
)]
fn an_editor_is_told_what_is_known(#[case] path: &str, #[case] text: &str, #[case] expected: &str) {
    let mut editor = Editor::open(site());
    editor.ask_at(
        "textDocument/hover",
        POST,
        "---\ntitle: |Mud\n---\n",
        &json!({}),
    );
    let hover = editor.ask_at("textDocument/hover", path, text, &json!({}));
    let shown = hover["contents"]["value"].as_str().unwrap_or_default();
    assert!(shown.contains(expected), "{hover}");
}

#[rstest]
#[case::a_note(POST, "---\ntags: [li|me]\n---\n", &["terms/tag/lime.md:0"])]
#[case::all_posts("posts/2026-03-15-a.md", "---\ntags: [lime, dred|ging]\n---\n", &["posts/2026-03-15-a.md:1", "posts/2026-03-16-b.md:1"])]
#[case::a_post(POST, "---\nrelated: [li|me]\n---\n", &["posts/2026-03-14-lime.md:0"])]
#[case::a_template(POST, "---\ntemplate: wi|de.html\n---\n", &["templates/wide.html:0"])]
#[case::an_extended_template("templates/x.html", "{% extends \"wi|de.html\" %}", &["templates/wide.html:0"])]
#[case::a_named_query("pages/x.html", "{{ query(\"from li|mes\") }}", &["tabulae.toml:4"])]
#[case::nothing(POST, "---\ntitle: A|b\n---\n", &[])]
fn an_editor_goes_to_what_is_meant(
    #[case] path: &str,
    #[case] text: &str,
    #[case] expected: &[&str],
) {
    let mut editor = Editor::open(site());
    let found = editor.ask_at("textDocument/definition", path, text, &json!({}));
    let root = editor.uri("");
    let places = found.as_array().expect("a list").iter().map(|place| {
        let uri = place["uri"].as_str().expect("a file");
        format!(
            "{}:{}",
            uri.trim_start_matches(&root),
            place["range"]["start"]["line"]
        )
    });
    let mut places: Vec<String> = places.collect();
    places.sort();
    assert_eq!(places, expected);
}

#[test]
fn a_term_is_renamed_from_the_editor() {
    let mut editor = Editor::open(site());
    let text = "---\ntags: [lime, dred|ging]\n---\n";
    let path = "posts/2026-03-15-a.md";
    let word = editor.ask_at("textDocument/prepareRename", path, text, &json!({}));
    assert_eq!(word["start"], json!({ "line": 1, "character": 13 }));
    let uses = json!({ "context": { "includeDeclaration": true } });
    let uses = editor.ask_at("textDocument/references", path, text, &uses);
    assert_eq!(uses.as_array().map(Vec::len), Some(2));
    let edit = editor.ask_at(
        "textDocument/rename",
        path,
        text,
        &json!({ "newName": "mud works" }),
    );
    let changes = edit["documentChanges"].as_array().expect("changes");
    let edited = |path: &str| {
        let uri = editor.uri(path);
        let change = changes
            .iter()
            .find(|change| change["textDocument"]["uri"] == uri)?;
        change["edits"][0]["newText"].as_str().map(str::to_owned)
    };
    assert_eq!(edited(path).as_deref(), Some("mud works"));
    assert_eq!(
        edited("posts/2026-03-16-b.md").as_deref(),
        Some("mud works")
    );
    let note = "---\nmoved_from: /tags/dredging/\n---\n";
    assert_eq!(edited("terms/tag/mud-works.md").as_deref(), Some(note));
    // Nothing is written by the server.
    assert!(!editor.site.file("terms/tag/mud-works.md").exists());
    let refused = editor.ask_at(
        "textDocument/prepareRename",
        path,
        "---\ntitle: A|b\n---\n",
        &json!({}),
    );
    assert_eq!(refused, Value::Null);
    assert_eq!(editor.close(), Some(0));
}

/// A post that is front matter alone is typed as any other.
#[rstest]
#[case::yaml(
    "posts/2026-03-22-d.yaml",
    "title: D\ntags: [li|]\n",
    "title: D\ndate: x\n"
)]
#[case::toml(
    "posts/2026-03-22-d.toml",
    "title = \"D\"\ntags = [\"li|\"]\n",
    "title = \"D\"\ndate = \"x\"\n"
)]
#[case::json(
    "posts/2026-03-22-d.json",
    "{\"tags\": [\"li|\"]}\n",
    "{\"title\": \"D\", \"date\": \"x\"}\n"
)]
fn a_data_file_is_edited(#[case] path: &str, #[case] typed: &str, #[case] wrong: &str) {
    let site = site();
    let more = "[content.posts]\nfiles = [\"*.md\", \"*.yaml\", \"*.toml\", \"*.json\"]\n";
    site.write("tabulae.toml", site.read("tabulae.toml") + more);
    let mut editor = Editor::open(site);
    editor.ask_at(
        "textDocument/hover",
        POST,
        "---\n|tags: [dredge]\n---\n",
        &json!({}),
    );
    let offered = editor.ask_at("textDocument/completion", path, typed, &json!({}));
    let lime = ("lime".to_owned(), "2 posts".to_owned());
    assert!(labels(&offered).contains(&lime), "{offered}");
    let term = typed.replace("li|", "li|me");
    let hover = editor.ask_at("textDocument/hover", path, &term, &json!({}));
    let shown = hover["contents"]["value"].as_str().unwrap_or_default();
    assert!(shown.contains("**lime** · "), "{hover}");
    editor.set(path, wrong);
    editor.wait_for(path, &["invalid-date"]);
    assert_eq!(editor.close(), Some(0));
}

/// The lints of an audit are shown in open files, as information, and their corrections are offered.
#[test]
fn lints_are_shown_in_open_files() {
    let site = site();
    site.write("pages/x.html", "<a href=\"/2026/mud/\">x</a>\n");
    let text = "---\ntitle: Mud\ntags: [dredge]\nsummary: Silt.\n---\n";
    site.write(POST, text);
    let mut editor = Editor::open(site);
    editor.set(POST, text);
    let found = editor.wait_for(POST, &["single-post-term", "near-duplicate-terms"]);
    assert_eq!(found[0]["severity"], 3);
    let offered = actions(&mut editor, POST, 2, 9);
    let titles: Vec<&Value> = offered.iter().map(|action| &action["title"]).collect();
    assert_eq!(titles[0], "Write terms/tag/dredging.md");
    // A line that changed has no lint until the next check.
    editor.set(
        POST,
        "---\ntitle: Mud\ntags: [dredging]\nsummary: Silt.\n---\n",
    );
    editor.wait_for(POST, &[]);
    editor.set(POST, text);
    let document = json!({ "textDocument": { "uri": editor.uri(POST) } });
    editor.wait_for(POST, &["single-post-term", "near-duplicate-terms"]);
    editor.tell("textDocument/didClose", document);
    editor.wait_for(POST, &[]);
    assert_eq!(editor.close(), Some(0));
}

/// A link that leads nowhere is shown as soon as the site is read, before it is checked, and its correction is offered.
#[test]
fn broken_links_do_not_wait_for_a_check() {
    let site = site();
    let text = "---\ntitle: Mud\ntags: [dredge]\nsummary: Silt.\n---\n";
    site.write(POST, text);
    let mut editor = Editor::open(site);
    let lints = ["single-post-term", "near-duplicate-terms"];
    editor.set(POST, &format!("{text}[x](/2026/mudd/)\n"));
    let found = editor.wait_for(POST, &["broken-link"]);
    assert_eq!(found[0]["severity"], 3);
    editor.wait_for(POST, &[lints[0], lints[1], "broken-link"]);
    editor.set(POST, &format!("{text}\n[x](no.md)\n"));
    let found = editor.wait_for(POST, &["broken-link", lints[0], lints[1]]);
    assert_eq!(found[0]["severity"], 2);
    assert_eq!(
        found[0]["range"]["start"],
        json!({ "line": 6, "character": 4 })
    );
    editor.set(POST, text);
    editor.wait_for(POST, &lints);
    assert_eq!(editor.close(), Some(0));
}

/// A query in a template is checked as it is typed, and a check adds nothing to it.
#[test]
fn queries_in_templates_do_not_wait_for_a_check() {
    let path = "templates/wide.html";
    let mut editor = Editor::open(site());
    let text = |query: &str| format!("{{{{ query(\"{query}\")|length }}}}\n");
    editor.set(path, &text("from posts where tga = 'lime'"));
    let found = editor.wait_for(path, &["unknown-field"]);
    assert_eq!(
        found[0]["range"]["start"],
        json!({ "line": 0, "character": 27 })
    );
    // Without a template that uses it, which only a check knows.
    let found = editor.wait_for(path, &["unknown-field", "unused-template"]);
    assert_eq!(found[0]["severity"], 1);
    editor.set(path, &text("from posts where tag = 'lime'"));
    editor.wait_for(path, &["unused-template"]);
    assert_eq!(editor.close(), Some(0));
}

fn actions(editor: &mut Editor, path: &str, line: u32, character: u32) -> Vec<Value> {
    let place = json!({ "line": line, "character": character });
    let params = json!({
        "textDocument": { "uri": editor.uri(path) },
        "range": { "start": place, "end": place },
        "context": { "diagnostics": [] },
    });
    let answer = editor.ask("textDocument/codeAction", params);
    answer["result"].as_array().cloned().unwrap_or_default()
}

#[test]
fn an_editor_is_offered_corrections() {
    let mut editor = Editor::open(site());
    editor.set(POST, "---\ntitle: Mud\nsumary: x\ntags: [dredge]\n---\n");
    editor.wait_for(POST, &["unknown-key"]);
    let found = actions(&mut editor, POST, 2, 2);
    assert_eq!(found[0]["title"], "Replace `sumary` by `summary`");
    let edit = &found[0]["edit"]["documentChanges"][0]["edits"][0];
    assert_eq!(edit["newText"], "summary");
    assert_eq!(edit["range"]["end"], json!({ "line": 2, "character": 6 }));
    let found = actions(&mut editor, POST, 3, 9);
    assert_eq!(
        found[0]["title"],
        "Write the note that joins `dredge` with `dredging`"
    );
    let created = &found[0]["edit"]["documentChanges"][0];
    assert_eq!(created["kind"], "create");
    assert_eq!(created["uri"], editor.uri("terms/tag/dredging.md"));
    assert_eq!(editor.close(), Some(0));
}

#[test]
fn an_editor_is_offered_a_redirect() {
    let site = site();
    site.run(&["build", "--today", "2026-06-01"]).sound();
    let mut editor = Editor::open(site);
    editor.set(POST, "---\ntitle: Mud\nslug: silt\n---\n");
    let found = actions(&mut editor, POST, 2, 2);
    assert_eq!(found[0]["title"], "Add a redirect from /2026/mud/");
    let edit = &found[0]["edit"]["documentChanges"][0]["edits"][0];
    assert_eq!(edit["newText"], "moved_from: /2026/mud/\n");
    assert_eq!(edit["range"]["start"], json!({ "line": 1, "character": 0 }));
    assert_eq!(editor.close(), Some(0));
}

/// A file that goes back to what is on disk, by being closed, has the diagnostics of the disk.
#[test]
fn a_closed_file_is_that_of_the_disk() {
    let mut editor = Editor::open(site());
    editor.set(POST, "---\ntitle: Mud\ndate: x\n---\n");
    editor.wait_for(POST, &["invalid-date"]);
    let document = json!({ "uri": editor.uri(POST) });
    editor.tell("textDocument/didClose", json!({ "textDocument": document }));
    editor.wait_for(POST, &[]);
    assert_eq!(editor.close(), Some(0));
}

/// Requests before the start, of unknown methods, of wrong parameters and of places that do not exist have answers.
#[test]
fn hostile_messages_are_answered() {
    let mut editor = Editor::start(site());
    let early = editor.ask("textDocument/hover", json!({}));
    assert_eq!(early["error"]["code"], -32002);
    editor.tell("textDocument/didChange", json!({ "nothing": true }));
    let root = editor.uri("");
    editor.ask("initialize", json!({ "rootUri": root, "capabilities": {} }));
    editor.tell("initialized", json!({}));
    editor.tell("textDocument/didOpen", json!([1, 2]));
    editor.tell("$/whatever", json!(null));
    assert_eq!(
        editor.ask("tabulae/nothing", json!({}))["error"]["code"],
        -32601
    );
    assert_eq!(
        editor.ask("textDocument/hover", json!({ "x": 1 }))["error"]["code"],
        -32602
    );
    for uri in [
        "untitled:1",
        "file:///",
        "file:///etc/passwd",
        "http://x.example/a.md",
    ] {
        let document = json!({ "uri": uri, "languageId": "x", "version": 1, "text": "---\n" });
        editor.tell("textDocument/didOpen", json!({ "textDocument": document }));
        let place = json!({ "line": 4_000_000, "character": 4_000_000 });
        let params = json!({ "textDocument": { "uri": uri }, "position": place });
        assert_eq!(
            editor.ask("textDocument/hover", params)["result"],
            Value::Null
        );
    }
    // A file that was never opened, a change beyond its end, and the same file closed twice.
    let part =
        json!({ "start": { "line": 9, "character": 9 }, "end": { "line": 0, "character": 0 } });
    editor.change(
        POST,
        json!([{ "range": part, "text": "---\ndate: x\n---\n" }]),
    );
    editor.wait_for(POST, &["invalid-date"]);
    let document = json!({ "textDocument": { "uri": editor.uri(POST) } });
    editor.tell("textDocument/didClose", document.clone());
    editor.tell("textDocument/didClose", document);
    for text in [
        "\u{feff}",
        "---\n---",
        "{",
        "+++\n😀",
        "---\ntags: [\"",
        "{{ {% \"",
        "[[[",
        "= ' \"",
    ] {
        for path in [POST, "tabulae.toml", "templates/x.html"] {
            editor.set(path, text);
            for character in 0..4 {
                let place = json!({ "line": 1, "character": character });
                let params =
                    json!({ "textDocument": { "uri": editor.uri(path) }, "position": place });
                for method in ["hover", "completion", "definition", "prepareRename"] {
                    let answer = editor.ask(&format!("textDocument/{method}"), params.clone());
                    assert!(answer.get("result").is_some(), "{text:?}: {answer}");
                }
            }
        }
    }
    assert_eq!(editor.close(), Some(0));
}

/// Bytes that are no message end the server; it does not wait for more.
#[test]
fn what_is_no_message_ends_the_server() {
    let mut editor = Editor::open(site());
    let sent = editor
        .input
        .write_all(b"Content-Length: x\r\n\r\n{]\r\n\r\n");
    sent.and_then(|()| editor.input.flush())
        .expect("the server reads");
    let status = editor.server.wait().expect("the server ends");
    assert_eq!(status.code(), Some(3));
}

/// An editor that can watch files is asked to, and files that change on disk are read again.
#[test]
fn files_on_disk_are_watched() {
    let mut editor = Editor::start(site());
    let root = editor.uri("");
    let can = json!({ "workspace": { "didChangeWatchedFiles": { "dynamicRegistration": true } } });
    editor.ask(
        "initialize",
        json!({ "rootUri": root, "capabilities": can }),
    );
    editor.tell("initialized", json!({}));
    let asked = editor.wait(|message| {
        let is_it = message["method"] == "client/registerCapability";
        is_it.then(|| message["params"]["registrations"][0]["method"].clone())
    });
    assert_eq!(asked, "workspace/didChangeWatchedFiles");
    editor
        .site
        .write("posts/2026-03-21-new.md", "---\ndate: never\n---\n");
    editor.tell("workspace/didChangeWatchedFiles", json!({ "changes": [] }));
    editor.wait_for("posts/2026-03-21-new.md", &["invalid-date"]);
    assert_eq!(editor.close(), Some(0));
}

/// Without a site there is nothing to say.
#[test]
fn a_folder_without_a_site_has_empty_answers() {
    let mut editor = Editor::open(Site::empty());
    let hover = editor.ask_at(
        "textDocument/hover",
        "a.md",
        "---\nti|tle: x\n---\n",
        &json!({}),
    );
    assert_eq!(hover, Value::Null);
    assert_eq!(editor.close(), Some(0));
}
