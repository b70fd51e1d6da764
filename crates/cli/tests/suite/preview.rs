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

    /// Returns the answer to a question of the workbench.
    fn data(&self, question: &str, parameters: &[(&str, &str)]) -> serde_json::Value {
        let mut query = String::new();
        for (name, value) in parameters {
            let encoded = value.bytes().map(|byte| format!("%{byte:02x}"));
            query.push_str(&format!("{name}={}&", encoded.collect::<String>()));
        }
        let (status, text) = self.get(&format!("/~tabulae/data/{question}?{query}"));
        assert_eq!(status, 200, "{text}");
        let (_, body) = text.split_once("\r\n\r\n").expect("a body");
        serde_json::from_str(body).expect("JSON")
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

/// Returns a site of three posts for the workbench.
fn three_posts() -> Site {
    let site = Site::small();
    for (name, date, tag) in [
        ("one", "2026-03-01", "o'clock"),
        ("two", "2026-03-02", "o'clock"),
        ("three", "2025-03-03", "sand"),
    ] {
        let post = format!(
            "---\ntitle: {name}\ndate: {date}\ncategory: X\ntags: [\"{tag}\"]\n---\nText.\n"
        );
        site.write(&format!("posts/{name}.md"), &post);
    }
    site
}

fn names(posts: &serde_json::Value) -> Vec<&str> {
    let posts = posts.as_array().into_iter().flatten();
    posts.filter_map(|post| post["title"].as_str()).collect()
}

#[test]
fn the_workbench_runs_a_query() {
    let site = three_posts();
    let running = preview(&site);
    let found = running.data(
        "query",
        &[
            ("q", "where category = 'X' and year = 2026 limit 1"),
            ("by", "tag"),
        ],
    );
    assert_eq!((&found["total"], &found["found"]), (&2.into(), &1.into()));
    assert_eq!(names(&found["posts"]), ["two"]);
    assert_eq!(
        found["posts"][0]["terms"]["tag"],
        serde_json::json!(["o'clock"])
    );
    let links = &found["chain"]["links"];
    let counts = [0, 1].map(|at| {
        (
            links[at]["condition"].as_str().unwrap(),
            links[at]["posts"].as_u64().unwrap(),
        )
    });
    assert_eq!(counts, [("category = 'X'", 3), ("year = 2026", 2)]);
    assert_eq!(found["counts"], serde_json::json!([["o'clock", 1]]));
    // A file that changes is in the next answer, also if no page does.
    site.write(
        "posts/two.md",
        "---\ntitle: two\ndate: 2026-03-02\ncategory: X\nmood: calm\n---\nText.\n",
    );
    let calm =
        || names(&running.data("query", &[("q", "where mood = 'calm'")])["posts"]) == ["two"];
    let tries = std::iter::repeat_with(|| std::thread::sleep(Duration::from_millis(50)));
    assert!(tries.take(200).any(|()| calm()), "a new key");
}

#[rstest]
#[case::a_slip("from postss", "", "did you mean `posts`?", Some("posts"))]
#[case::no_page("where not current", "", "in the workbench", None)]
#[case::no_such_post("from posts", "on", "did you mean", None)]
#[case::open_quote("where tag = 'x", "", "close it with '", None)]
fn the_workbench_says_what_is_wrong(
    #[case] query: &str,
    #[case] this: &str,
    #[case] help: &str,
    #[case] edit: Option<&str>,
) {
    let site = three_posts();
    let running = preview(&site);
    let found = running.data("query", &[("q", query), ("this", this)]);
    let first = &found["diagnostics"][0];
    assert!(
        first["help"]
            .as_str()
            .is_some_and(|text| text.contains(help)),
        "{found}"
    );
    assert_eq!(first["edits"][0]["new"].as_str(), edit, "{found}");
}

#[test]
fn the_workbench_answers_what_its_page_asks() {
    let site = three_posts();
    site.write(
        "tabulae.toml",
        format!(
            "{}\n[related]\nweigh = {{ tag = 1 }}\n",
            site.read("tabulae.toml")
        ),
    );
    let running = preview(&site);
    let query = "where tag has any (this.tag) and not current";
    let found = running.data("query", &[("q", query), ("this", "one")]);
    assert_eq!(names(&found["posts"]), ["two"]);
    let why = running.data("why", &[("q", query), ("this", "one"), ("post", "three")]);
    assert_eq!(
        (&why["found"], why["reason"].as_str()),
        (
            &false.into(),
            Some("`tag has any (this.tag)` is false for it")
        )
    );
    let choices = running.data("choices", &[("q", "where tag = 'o"), ("at", "14")]);
    assert_eq!(
        (&choices["start"], choices["choices"][0]["text"].as_str()),
        (&13.into(), Some("o''clock"))
    );
    let put = running.data(
        "clause",
        &[
            ("q", "from posts limit 3"),
            ("clause", "where"),
            ("text", "year = 2026"),
        ],
    );
    assert_eq!(put["q"], "from posts where year = 2026 limit 3");
    assert_eq!(
        names(&running.data("posts", &[("typed", "THRE")])),
        ["three"]
    );
    let post = running.data("post", &[("post", "one")]);
    assert_eq!(
        (post["state"].as_str(), post["fields"]["category"].as_str()),
        (Some("live"), Some("X"))
    );
    let terms = running.data("terms", &[]);
    assert_eq!(
        (
            &terms["fields"]["tag"][0]["term"],
            &terms["fields"]["tag"][0]["count"]
        ),
        (&"o'clock".into(), &2.into())
    );
    let about = running.data("site", &[]);
    assert_eq!(
        about["related"]["weigh"][0],
        serde_json::json!(["tag", 1.0])
    );
    let related = running.data(
        "related",
        &[("post", "one"), ("try", "weigh.tag=0\nweigh.category=1")],
    );
    assert_eq!(
        (names(&related["now"]), names(&related["then"])),
        (vec!["two"], vec!["two", "three"])
    );
    let table = related["table"].as_str().unwrap();
    assert!(
        table.starts_with("[related") && table.contains("category = 1"),
        "{table}"
    );
    let figures = running.data("figures", &[("try", "weigh.tag=0\nweigh.category=1")]);
    // The post of the small site has no category, and shares no tag; neither does "three".
    assert_eq!(
        (
            &figures["now"]["empty"],
            &figures["then"]["empty"],
            &figures["changed"]
        ),
        (&2.into(), &1.into(), &3.into())
    );
    let lists = running.data("lists", &[("path", "/2026/one/")]);
    assert_eq!(
        (
            lists["lists"][0]["kind"].as_str(),
            &lists["lists"][0]["links"]
        ),
        (Some("related"), &serde_json::json!(["/2026/two/"]))
    );
    assert_eq!(running.get("/~tabulae/data/nothing").0, 404);
}

/// Each form is put where it belongs in another site, which is then built.
#[cfg(unix)]
#[test]
fn each_form_of_a_query_works_where_it_belongs() {
    let site = three_posts();
    let running = preview(&site);
    let found = running.data(
        "query",
        &[(
            "q",
            "from posts where tag = 'o''clock' and title != 'a \"b\" \\ $c' order by title",
        )],
    );
    let form = |name: &str| {
        let mut forms = found["forms"].as_array().into_iter().flatten();
        let form = forms.find(|form| form["name"] == name);
        form.and_then(|form| form["text"].as_str())
            .expect("a form")
            .to_owned()
    };
    let other = three_posts();
    let tables = ["archive", "feed", "export"].map(&form).join("\n");
    other.write(
        "tabulae.toml",
        format!("{}\n{tables}", other.read("tabulae.toml")),
    );
    other.write("pages/loop.html", form("template"));
    other.write(
        "pages/woven.md",
        format!("# Woven\n\n{}", form("placeholder")),
    );
    let command = form("command").replacen("tabulae", env!("CARGO_BIN_EXE_tabulae"), 1);
    let shown = Command::new("sh")
        .arg("-c")
        .arg(command)
        .current_dir(other.file(""))
        .output()
        .expect("a shell");
    let shown = String::from_utf8_lossy(&shown.stdout).into_owned();
    let built = other.run(&["build", "--today", "2026-06-01"]);
    assert_eq!(built.status, 0, "{}", built.err);
    let pages = [
        "out/o-clock/index.html",
        "out/o-clock.xml",
        "out/o-clock.json",
        "out/loop/index.html",
        "out/woven/index.html",
    ];
    let texts = pages.map(|page| other.read(page));
    for text in texts.iter().chain([&shown]) {
        assert!(
            text.contains("one") && text.contains("two") && !text.contains("three"),
            "{text}"
        );
    }
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
