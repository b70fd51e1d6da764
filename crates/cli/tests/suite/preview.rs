//! `tabulae preview`, over HTTP.

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

use rstest::rstest;

use crate::site::Site;

/// A preview that runs until it is dropped.
struct Running {
    child: Child,
    port: u16,
}

impl Drop for Running {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn preview(site: &Site) -> Running {
    let mut child = Command::new(env!("CARGO_BIN_EXE_tabulae"))
        .args(["preview", "--port", "18247", "--today", "2026-06-01"])
        .current_dir(site.file(""))
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .expect("the preview");
    let out = child.stdout.take().expect("what it says");
    let mut lines = BufReader::new(out).lines().map_while(Result::ok);
    let line = lines
        .find(|line| line.starts_with("The preview is at "))
        .expect("where it is");
    // Whatever else it says is read, so that it never waits.
    std::thread::spawn(move || lines.for_each(drop));
    let port = line.split(':').nth(2).and_then(|rest| {
        let digits: String = rest.chars().take_while(char::is_ascii_digit).collect();
        digits.parse().ok()
    });
    Running {
        child,
        port: port.expect("a port"),
    }
}

impl Running {
    fn open(&self, method: &str, path: &str, host: &str) -> TcpStream {
        let mut stream = TcpStream::connect(("127.0.0.1", self.port)).expect("a connection");
        let patience = Some(Duration::from_secs(20));
        stream.set_read_timeout(patience).expect("a timeout");
        write!(
            stream,
            "{method} {path} HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n"
        )
        .expect("a request");
        stream
    }

    /// Returns the status and the text of an answer.
    fn ask(&self, method: &str, path: &str, host: &str) -> (u16, String) {
        let mut text = String::new();
        let _ = self.open(method, path, host).read_to_string(&mut text);
        let status = text.split(' ').nth(1).and_then(|word| word.parse().ok());
        (status.unwrap_or(0), text)
    }

    fn get(&self, path: &str) -> (u16, String) {
        self.ask("GET", path, "127.0.0.1")
    }

    /// Returns the messages to browsers, in order.
    fn told(&self) -> impl Iterator<Item = serde_json::Value> + use<> {
        let stream = self.open("GET", "/~tabulae/events", "localhost");
        let lines = BufReader::new(stream).lines().map_while(Result::ok);
        lines.filter_map(|line| serde_json::from_str(line.strip_prefix("data: ")?).ok())
    }
}

#[test]
fn pages_are_served_with_drafts_and_the_script() {
    let site = Site::small();
    site.write(
        "posts/d.md",
        "---\ntitle: Not yet\ndate: 2026-01-02\ndraft: true\n---\n",
    );
    let running = preview(&site);
    let (status, page) = running.get("/");
    assert_eq!(status, 200);
    assert!(
        page.contains("Not yet</a> <span class=\"state\">Draft</span>"),
        "{page}"
    );
    assert!(page.contains("<script src=\"/~tabulae/preview.js?at=1\"></script>\n</body>"));
    assert!(page.contains("Content-Type: text/html; charset=utf-8"));
    // What the preview does is its own: nothing of it is in out/.
    assert!(!site.file("out").exists());
    let (status, missing) = running.get("/nowhere/");
    assert_eq!(status, 404);
    assert!(missing.contains("The site has no page at <code>/nowhere/</code>"));
    let (status, moved) = running.get("/tags");
    assert_eq!(status, 308);
    assert!(moved.contains("Location: /tags/\r\n"), "{moved}");
}

#[rstest]
#[case::another_host("/", "else.example", 403)]
#[case::another_host_with_a_port("/", "else.example:18247", 403)]
#[case::localhost("/", "localhost:18247", 200)]
#[case::up("/../tabulae.toml", "127.0.0.1", 404)]
#[case::up_encoded("/%2e%2e/%2e%2e/%2e%2e/tabulae.toml", "127.0.0.1", 404)]
#[case::hidden("/.tabulae/lock", "127.0.0.1", 404)]
fn only_the_site_is_served_and_only_here(
    #[case] path: &str,
    #[case] host: &str,
    #[case] expected: u16,
) {
    let site = Site::small();
    let running = preview(&site);
    assert_eq!(running.ask("GET", path, host).0, expected);
}

#[test]
fn each_change_is_built_and_told() {
    let site = Site::small();
    site.write("assets/own.css", "p { }\n");
    let running = preview(&site);
    let mut told = running.told();
    let first = told.next().expect("how it stands");
    assert_eq!(
        (&first["version"], &first["diagnostics"]),
        (&1.into(), &false.into())
    );
    // A slow machine may build half of what is written, and then the whole.
    let mut until = |what: &str, holds: &dyn Fn(&serde_json::Value) -> bool| {
        assert!(told.any(|now| holds(&now)), "{what}");
    };
    let post = "posts/2026-05-01-new.md";
    site.write(post, "---\ntitle: Brand new\n---\n");
    until("a new post", &|now| {
        now["styles"] == false && running.get("/").1.contains("Brand new")
    });
    site.write(post, "---\ntitle: [\n---\n");
    until("an error", &|now| now["diagnostics"] == true);
    let diagnostics = running.get("/~tabulae/diagnostics").1;
    assert!(
        diagnostics.contains("posts/2026-05-01-new.md:"),
        "{diagnostics}"
    );
    let page = running.get("/").1;
    assert!(page.contains("<article"), "the last good site: {page}");
    site.write(post, "---\ntitle: Mended\n---\n");
    until("a mended post", &|now| {
        now["diagnostics"] == false && running.get("/").1.contains("Mended")
    });
    site.write("assets/own.css", "p { color: red }\n");
    until("a style", &|now| now["styles"] == true);
}

/// A build of half a minute is given up for the edit that follows: its pages are never served.
#[test]
fn a_newer_edit_ends_a_build() {
    let site = Site::small();
    for number in 0..40 {
        let post = format!("---\ndate: 2026-01-02\n---\nPost {number}.\n");
        site.write(&format!("posts/p{number}.md"), &post);
    }
    let running = preview(&site);
    let mut told = running.told();
    assert_eq!(told.next().expect("the first build")["version"], 1);
    let slow = "slow{% for a in range(1000) %}{% for b in range(300) %}{% endfor %}{% endfor %}";
    site.write("templates/post.html", slow);
    std::thread::sleep(Duration::from_millis(500));
    site.write("templates/post.html", "quick");
    let next = told.next().expect("the next build");
    assert_eq!(
        (&next["version"], &next["diagnostics"]),
        (&2.into(), &false.into())
    );
    let page = running.get("/2026/p0/").1;
    assert!(page.contains("quick"), "{page}");
}

#[test]
fn the_workbench_runs_a_query_and_says_what_is_wrong_with_one() {
    let site = Site::small();
    let running = preview(&site);
    let (status, page) = running.get("/~tabulae/?q=from%20posts%20limit%201");
    assert_eq!(status, 200);
    assert!(
        page.contains("of which 1 are shown") || page.contains("<p>1 post</p>"),
        "{page}"
    );
    let page = running.get("/~tabulae/?q=from%20postss").1;
    assert!(page.contains("did you mean `posts`?"), "{page}");
}

#[test]
fn the_workbench_runs_a_query_as_on_the_page_of_a_post() {
    let site = Site::small();
    site.write(
        "posts/one.md",
        "---\ntitle: One\ndate: 2026-03-01\ncategory: X\n---\n",
    );
    site.write(
        "posts/two.md",
        "---\ntitle: Two\ndate: 2026-03-02\ncategory: X\n---\n",
    );
    let running = preview(&site);
    let query = "where%20category%20%3D%20this.category%20and%20not%20current";
    let page = running.get(&format!("/~tabulae/?q={query}&this=one")).1;
    assert!(
        page.contains(">Two</a>") && !page.contains(">One</a>"),
        "{page}"
    );
    let page = running.get(&format!("/~tabulae/?q={query}&this=")).1;
    assert!(page.contains("page is being made"), "{page}");
    let page = running.get(&format!("/~tabulae/?q={query}&this=on")).1;
    assert!(page.contains("there is no post `on`"), "{page}");
}

#[test]
fn two_previews_have_two_ports() {
    let site = Site::small();
    let (one, other) = (preview(&site), preview(&Site::small()));
    assert_ne!(one.port, other.port);
}

#[rstest]
#[case::a_page("GET", "/", 200, "X-Content-Type-Options: nosniff")]
#[case::head("HEAD", "/", 200, "Content-Length: ")]
#[case::post("POST", "/", 405, "Allow: GET, HEAD")]
#[case::own_page(
    "GET",
    "/~tabulae/",
    200,
    "Content-Security-Policy: default-src 'none';"
)]
#[case::no_page("GET", "/none/", 404, "Content-Security-Policy: default-src 'none';")]
#[case::a_folder_behind_two_slashes("GET", "//tags", 308, "Location: /tags/")]
#[case::no_ranges("GET", "/tabulae.css", 200, "Accept-Ranges: none")]
#[case::well_known(
    "GET",
    "/.well-known/contact.txt",
    200,
    "Content-Type: text/plain; charset=utf-8"
)]
fn answers_have_fields_that_keep_browsers_safe(
    #[case] method: &str,
    #[case] path: &str,
    #[case] status: u16,
    #[case] field: &str,
) {
    let site = Site::small();
    site.write("assets/.well-known/contact.txt", "log@towpath.example\n");
    let running = preview(&site);
    let (found, text) = running.ask(method, path, "localhost");
    let head = text.split("\r\n\r\n").next().unwrap_or_default();
    assert_eq!(found, status, "{head}");
    assert!(head.contains(field), "{head}");
}

#[cfg(unix)]
#[test]
fn a_signal_ends_it_well() {
    let site = Site::small();
    let mut running = preview(&site);
    let pid = running.child.id().to_string();
    let sent = Command::new("kill").args(["-TERM", &pid]).status();
    assert!(sent.expect("kill").success());
    let ended = running.child.wait().expect("its end");
    assert_eq!(ended.code(), Some(0));
}

#[test]
fn a_connection_that_sends_nothing_is_closed() {
    let site = Site::small();
    let running = preview(&site);
    let mut stream = TcpStream::connect(("127.0.0.1", running.port)).expect("a connection");
    let patience = Some(Duration::from_secs(30));
    stream.set_read_timeout(patience).expect("a timeout");
    stream.write_all(b"GET / HT").expect("half a request");
    let mut bytes = Vec::new();
    let read = stream.read_to_end(&mut bytes);
    assert_eq!((read.expect("an end, not a time-out"), bytes.len()), (0, 0));
}
