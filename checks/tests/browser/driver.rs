//! A built example site, served, and a browser to look at it.

use std::fs;
use std::net::TcpListener;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::Arc;
use std::thread;
use std::time::Duration;

use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use libtest_mimic::Failed;
use serde_json::{Value, json};
use tabulae_serve::{Body, Handler, Request, Response};
use tempfile::TempDir;
use tokio::runtime::{Builder, Runtime};

/// The size of a wide window.
pub(crate) const WIDE: (u32, u32) = (1280, 800);
/// The size of a narrow one.
pub(crate) const NARROW: (u32, u32) = (360, 740);

/// The example site at an address, and a WebDriver.
pub(crate) struct World {
    driver: Child,
    driver_port: u16,
    pub(crate) site_port: u16,
    pub(crate) documentation_port: u16,
    /// A blog of two posts whose search page looks through titles, summaries and terms.
    pub(crate) plain_port: u16,
    axe: Option<PathBuf>,
    _folder: TempDir,
}

impl World {
    /// # Errors
    /// What is not there.
    pub(crate) fn new(axe: Option<PathBuf>) -> Result<Self, String> {
        let driver_port = free_port();
        let driver = Command::new("chromedriver")
            .arg(format!("--port={driver_port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .map_err(|_| "there is no chromedriver".to_owned())?;
        let folder = TempDir::new().map_err(|error| error.to_string())?;
        let site = folder.path().join("site");
        let program = tabulae_checks::program()?;
        succeed(Command::new(&program).arg("demo").arg(&site))?;
        many_posts(&site).map_err(|error| error.to_string())?;
        let documentation = folder.path().join("documentation");
        build_documentation(&program, &documentation)?;
        let plain = folder.path().join("plain");
        plain_blog(&plain).map_err(|error| error.to_string())?;
        succeed(Command::new(&program).arg("-C").arg(&plain).arg("build"))?;
        Ok(Self {
            driver,
            driver_port,
            site_port: serve(site.join("out"))?,
            documentation_port: serve(documentation.join("out"))?,
            plain_port: serve(plain.join("out"))?,
            axe,
            _folder: folder,
        })
    }

    /// Returns the text of axe-core.
    pub(crate) fn axe_core(&self) -> Result<String, Failed> {
        let engine = self.axe.as_deref().ok_or("there is no axe-core")?;
        Ok(fs::read_to_string(engine)?)
    }

    /// Opens a page in a browser of its own, and looks at it.
    pub(crate) fn look<F>(
        &self,
        path: &str,
        size: (u32, u32),
        dark: bool,
        test: F,
    ) -> Result<(), Failed>
    where
        F: AsyncFnOnce(&Page) -> Result<(), Failed>,
    {
        self.look_at(self.site_port, path, size, dark, test)
    }

    /// Opens a page that is served at another port.
    pub(crate) fn look_at<F>(
        &self,
        port: u16,
        path: &str,
        size: (u32, u32),
        dark: bool,
        test: F,
    ) -> Result<(), Failed>
    where
        F: AsyncFnOnce(&Page) -> Result<(), Failed>,
    {
        let runtime = runtime()?;
        runtime.block_on(async {
            let page = self.open(port, path, size, dark).await?;
            let result = test(&page).await;
            let _ = page.client.close().await;
            result
        })
    }

    async fn open(
        &self,
        port: u16,
        path: &str,
        size: (u32, u32),
        dark: bool,
    ) -> Result<Page, Failed> {
        let profile = TempDir::new()?;
        let mut args = vec![
            "--headless".to_owned(),
            "--no-sandbox".to_owned(),
            "--disable-gpu".to_owned(),
            "--disable-quic".to_owned(),
            "--no-first-run".to_owned(),
            "--disable-background-networking".to_owned(),
            "--disable-component-update".to_owned(),
            "--disable-sync".to_owned(),
            format!("--user-data-dir={}", profile.path().display()),
        ];
        if dark {
            args.push("--blink-settings=preferredColorScheme=0".to_owned());
        }
        let mobile = json!({ "deviceMetrics": { "width": size.0, "height": size.1, "pixelRatio": 1.0, "mobile": false } });
        let options = json!({ "args": args, "mobileEmulation": mobile });
        let wanted = [("goog:chromeOptions".to_owned(), options)];
        let address = format!("http://127.0.0.1:{}", self.driver_port);
        let mut tries = 0;
        let client = loop {
            let connected = ClientBuilder::new(HttpConnector::new())
                .capabilities(wanted.clone().into_iter().collect())
                .connect(&address)
                .await;
            match connected {
                Ok(client) => break client,
                Err(error) if tries == 40 => return Err(error.to_string().into()),
                Err(_) => tries += 1,
            }
            tokio::time::sleep(Duration::from_millis(250)).await;
        };
        let page = Page {
            client,
            root: root(port),
            _profile: profile,
        };
        page.go(path).await?;
        Ok(page)
    }
}

impl Drop for World {
    fn drop(&mut self) {
        let _ = self.driver.kill();
        let _ = self.driver.wait();
    }
}

/// Builds the documentation's own site in a folder.
fn build_documentation(program: &Path, folder: &Path) -> Result<(), String> {
    let sources = Path::new(env!("CARGO_MANIFEST_DIR")).join("../docs/site");
    tabulae_checks::copy_site(&sources, folder).map_err(|error| error.to_string())?;
    succeed(Command::new(program).arg("-C").arg(folder).arg("build"))
}

/// Runs a command.
///
/// # Errors
/// What it writes to standard error if it fails.
fn succeed(command: &mut Command) -> Result<(), String> {
    let output = command.output().map_err(|error| error.to_string())?;
    match output.status.success() {
        true => Ok(()),
        false => Err(String::from_utf8_lossy(&output.stderr).into_owned()),
    }
}

/// The example site in a preview that runs until it is dropped.
pub(crate) struct Previewed {
    child: Child,
    pub(crate) port: u16,
    folder: TempDir,
}

impl Previewed {
    pub(crate) fn new() -> Result<Self, Failed> {
        let folder = TempDir::new()?;
        let site = folder.path().join("site");
        let program = tabulae_checks::program()?;
        Command::new(&program).arg("demo").arg(&site).output()?;
        let port = free_port();
        let child = Command::new(program)
            .arg("-C")
            .arg(&site)
            .args(["preview", "--port", &port.to_string()])
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()?;
        let previewed = Self {
            child,
            port,
            folder,
        };
        for _ in 0..200 {
            if std::net::TcpStream::connect(("127.0.0.1", port)).is_ok() {
                return Ok(previewed);
            }
            thread::sleep(Duration::from_millis(100));
        }
        Err("the preview does not answer".into())
    }

    /// Changes a file of the site, as an editor would.
    pub(crate) fn edit(&self, path: &str, change: impl FnOnce(String) -> String) {
        let path = self.folder.path().join("site").join(path);
        let text = fs::read_to_string(&path).expect("a file of the example");
        fs::write(&path, change(text)).expect("an edited file");
    }
}

impl Drop for Previewed {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Returns the address of the site that is served at a port.
fn root(port: u16) -> String {
    format!("http://127.0.0.1:{port}")
}

/// A page in a browser.
pub(crate) struct Page {
    client: Client,
    root: String,
    _profile: TempDir,
}

impl Page {
    pub(crate) async fn go(&self, path: &str) -> Result<(), Failed> {
        Ok(self.client.goto(&format!("{}{path}", self.root)).await?)
    }

    /// Goes to a page of the site at another port.
    pub(crate) async fn go_at(&self, port: u16, path: &str) -> Result<(), Failed> {
        Ok(self.client.goto(&(root(port) + path)).await?)
    }

    /// Returns the value of an expression of JavaScript on the page.
    pub(crate) async fn eval(&self, expression: &str) -> Result<Value, Failed> {
        let script = format!("return ({expression});");
        Ok(self.client.execute(&script, Vec::new()).await?)
    }

    /// Returns the violations that axe-core, whose text is `engine`, finds on the page at a path.
    pub(crate) async fn violations(&self, engine: &str, path: &str) -> Result<Vec<String>, Failed> {
        let run = format!(
            "(() => {{ {engine}; return axe.run().then(r => r.violations.map(v => v.id + ': ' + v.nodes.map(n => n.html).join(' | '))); }})()"
        );
        let found = self.eval(&run).await?;
        let found = found.as_array().into_iter().flatten();
        Ok(found
            .map(|violation| format!("{path} {violation}"))
            .collect())
    }

    /// The path and query of the address.
    pub(crate) async fn address(&self) -> Result<String, Failed> {
        let whole = self.client.current_url().await?.to_string();
        Ok(whole.strip_prefix(&self.root).unwrap_or(&whole).to_owned())
    }

    pub(crate) async fn type_in(&self, text: &str) -> Result<(), Failed> {
        let field = self.client.find(Locator::Css("#q")).await?;
        Ok(field.send_keys(text).await?)
    }

    pub(crate) async fn click(&self, css: &str) -> Result<(), Failed> {
        Ok(self.client.find(Locator::Css(css)).await?.click().await?)
    }

    /// Waits until an expression gives this, at most five seconds.
    pub(crate) async fn until(&self, expression: &str, wanted: Value) -> Result<(), Failed> {
        let mut found = Value::Null;
        for _ in 0..100 {
            found = self.eval(expression).await?;
            if found == wanted {
                return Ok(());
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        Err(format!("{expression}\n  is     {found}\n  wanted {wanted}").into())
    }
}

/// Writes a blog of two posts.
fn plain_blog(folder: &Path) -> std::io::Result<()> {
    let posts = folder.join("posts");
    fs::create_dir_all(&posts)?;
    fs::write(
        folder.join("tabulae.toml"),
        "[site]\ntitle = \"Plain\"\naddress = \"https://plain.example/\"\nsearch = true\n",
    )?;
    fs::write(
        posts.join("2026-01-01-lime.md"),
        "---\ntitle: Lime\ntags: [kiln]\nsummary: Of mortar.\n---\n\nConcealed.\n",
    )?;
    fs::write(
        posts.join("2026-01-02-sand.md"),
        "---\ntitle: Sand\nsummary: Against lime.\n---\n",
    )
}

/// A site of 10,000 posts' titles at `/many/`: the first page of the journal, with other rows.
fn many_posts(site: &Path) -> std::io::Result<()> {
    let rows: Vec<Value> = (0..10_000)
        .map(|number| {
            let title = format!("Étude {number}: lock, lime and the long pound at Brayle");
            json!([
                title,
                format!("/2026/p{number}/"),
                "2026-03-14",
                "14 March 2026"
            ])
        })
        .collect();
    let page = fs::read_to_string(site.join("out/journal/index.html"))?;
    fs::create_dir_all(site.join("out/many"))?;
    let page = page.replace("/journal/titles.json", "/many/titles.json");
    fs::write(site.join("out/many/index.html"), page)?;
    let titles = json!({ "posts": rows }).to_string();
    fs::write(site.join("out/many/titles.json"), titles)
}

fn runtime() -> Result<Runtime, Failed> {
    Ok(Builder::new_current_thread().enable_all().build()?)
}

fn free_port() -> u16 {
    let socket = TcpListener::bind("127.0.0.1:0").and_then(|socket| socket.local_addr());
    socket.map_or(0, |address| address.port())
}

/// Serves a folder for as long as the program runs; gives the port.
fn serve(folder: PathBuf) -> Result<u16, String> {
    let listener = TcpListener::bind("127.0.0.1:0").map_err(|error| error.to_string())?;
    let port = listener.local_addr().map_err(|error| error.to_string())?;
    let handler: Arc<Handler> = Arc::new(move |request: &Request| {
        let mut file = folder.join(request.path.trim_start_matches('/'));
        if request.path.ends_with('/') {
            file.push("index.html");
        }
        let kind = mime_guess::from_path(&file).first_or_octet_stream();
        match fs::read(&file) {
            Ok(bytes) => Response::new(200, kind.as_ref(), Body::Bytes(bytes)),
            Err(_) => Response::text(404, "not there"),
        }
    });
    thread::spawn(move || tabulae_serve::serve(&listener, &handler));
    Ok(port.port())
}
