//! Serving the preview on this machine alone.

use std::fs::File;
use std::io;
use std::net::{Ipv4Addr, TcpListener};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::thread;
use std::time::Duration;

use signal_hook::consts::{SIGINT, SIGTERM};
use signal_hook::iterator::Signals;
use tabulae_core::route::{decode, encode};
use tabulae_engine::escape;
use tabulae_serve::{Body, Handler, Request, Response};

use super::{Preview, pages, workbench};
use crate::args::PreviewArgs;
use crate::ui::{self, Status};

/// The number of ports that are tried.
const PORTS: u16 = 100;

/// The interval of comments to waiting browsers; writing one detects that a browser has gone.
const HEARTBEAT: Duration = Duration::from_secs(5);

/// The content security policy of the preview's own pages: nothing is loaded from other hosts.
const POLICY: &str = "default-src 'none'; script-src 'self'; connect-src 'self'; style-src 'unsafe-inline'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";

/// The content security policy of the workbench.
const WORKBENCH_POLICY: &str = "default-src 'none'; script-src 'self'; connect-src 'self'; style-src 'self'; img-src data:; base-uri 'none'; form-action 'none'; frame-ancestors 'none'";

/// Serves until Ctrl-C or SIGTERM.
pub(super) fn serve(preview: &Arc<Preview>, wanted: &PreviewArgs) -> Status {
    match listen(preview, wanted) {
        Ok(()) => ui::print("Stopped.\n"),
        Err(error) => {
            ui::complain(&format!("cannot serve the preview: {error}\n"));
            Status::Machine
        }
    }
}

fn listen(preview: &Arc<Preview>, wanted: &PreviewArgs) -> io::Result<()> {
    let mut signals = Signals::new([SIGINT, SIGTERM])?;
    let listener = free(wanted.port)?;
    let port = listener.local_addr()?.port();
    let address = format!("http://127.0.0.1:{port}{}/", preview.base());
    let _ = ui::print(&format!(
        "The preview is at {address}\nIts workbench for queries, related posts and terms is at http://127.0.0.1:{port}/~tabulae/; Ctrl-C ends it.\n"
    ));
    if wanted.open && open::that_detached(&address).is_err() {
        ui::complain("no browser could be opened\n");
    }
    let closing = signals.handle();
    let preview = Arc::clone(preview);
    let handler: Arc<Handler> = Arc::new(move |request| answer(&preview, request));
    let served = thread::spawn(move || {
        let ended = tabulae_serve::serve(&listener, &handler);
        closing.close();
        ended
    });
    // The program ends with a signal, whatever is still served; or with the listener.
    match signals.forever().next() {
        Some(_) => Ok(()),
        None => served.join().unwrap_or(Ok(())),
    }
}

/// Returns a listener at the first free port from `first` on.
fn free(first: u16) -> io::Result<TcpListener> {
    let mut ports = first..=first.saturating_add(PORTS);
    loop {
        let port = ports.next().unwrap_or(0);
        match TcpListener::bind((Ipv4Addr::LOCALHOST, port)) {
            Err(error) if error.kind() == io::ErrorKind::AddrInUse && port != 0 => {}
            bound => return bound,
        }
    }
}

fn answer(preview: &Arc<Preview>, request: &Request) -> Response {
    if !is_of_this_machine(&request.host) {
        return Response::text(403, "the preview answers on 127.0.0.1 alone\n");
    }
    let response = match &*request.path {
        "/~tabulae/events" => events(preview),
        "/~tabulae/diagnostics" => own_page(200, pages::cover(&preview.now().diagnostics)),
        "/~tabulae/preview.js" => {
            let script = Body::Bytes(pages::SCRIPT.as_bytes().to_vec());
            Response::new(200, "text/javascript; charset=utf-8", script)
        }
        path => match workbench::answer(preview, request) {
            Some(response) => response.with("Content-Security-Policy", WORKBENCH_POLICY),
            None => file(preview, path),
        },
    };
    response
        .with("Cache-Control", "no-store")
        .with("X-Content-Type-Options", "nosniff")
}

/// Returns true unless a request was sent to another name: a page elsewhere could have its own name
/// lead here.
fn is_of_this_machine(host: &str) -> bool {
    let name = match host.rsplit_once(':') {
        Some((name, port)) if port.bytes().all(|byte| byte.is_ascii_digit()) => name,
        _ => host,
    };
    ["127.0.0.1", "localhost"].contains(&name)
}

/// A page of the preview's own, not of the site.
fn own_page(status: u16, html: String) -> Response {
    Response::html(status, html).with("Content-Security-Policy", POLICY)
}

/// Sends the current state to a browser, and then each change (server-sent events).
fn events(preview: &Arc<Preview>) -> Response {
    let (preview, mut told) = (Arc::clone(preview), None);
    let next = move || {
        let Some(now) = preview.next(told, HEARTBEAT) else {
            return Some(String::new());
        };
        told = Some(now.version);
        let data = serde_json::json!({
            "version": now.version,
            "styles": now.styles,
            "diagnostics": !now.diagnostics.is_empty(),
        });
        Some(data.to_string())
    };
    Response::new(200, "text/event-stream", Body::Events(Box::new(next)))
}

/// A file of the site.
fn file(preview: &Preview, path: &str) -> Response {
    let base = preview.base();
    let below_base = path.strip_prefix(&base);
    let Some(path) = below_base.filter(|path| path.starts_with('/')) else {
        return Response::redirect(307, format!("{base}/"));
    };
    let Some(steps) = steps(path) else {
        return missing(preview, path);
    };
    let Some(found) = below(&preview.out, &steps) else {
        return missing(preview, path);
    };
    let is_folder = found.is_dir();
    if is_folder && !path.ends_with('/') {
        // From its steps: with the path as sent, `//name` would lead to another host.
        let steps = steps.iter().flat_map(|step| [encode(step), "/".to_owned()]);
        return Response::redirect(308, format!("{base}/{}", steps.collect::<String>()));
    }
    let found = if is_folder {
        found.join("index.html")
    } else {
        found
    };
    shown(preview, &found).unwrap_or_else(|_| missing(preview, path))
}

/// The steps of an address, decoded; `None` if it may lead elsewhere, or to what is not published.
fn steps(path: &str) -> Option<Vec<String>> {
    let decoded = decode(path);
    let steps = decoded.split('/').filter(|step| !step.is_empty());
    let steps = steps.enumerate().map(|(at, step)| {
        let is_hidden = step.starts_with('.') && (at, step) != (0, ".well-known");
        let is_unfit = step.contains(['\\', '\0']) || is_hidden;
        (!is_unfit).then(|| step.to_owned())
    });
    steps.collect()
}

/// The file or folder that steps lead to below `root`; `None` through a symbolic link.
fn below(root: &Path, steps: &[String]) -> Option<PathBuf> {
    let mut found = root.to_owned();
    for step in steps {
        found.push(step);
        if std::fs::symlink_metadata(&found).is_ok_and(|found| found.is_symlink()) {
            return None;
        }
    }
    Some(found)
}

/// A file, a page with the script that keeps it up to date.
fn shown(preview: &Preview, path: &Path) -> io::Result<Response> {
    let kind = mime_guess::from_path(path).first_or_octet_stream();
    if kind == mime_guess::mime::TEXT_HTML {
        let bytes = std::fs::read(path)?;
        let text = String::from_utf8_lossy(&bytes);
        return Ok(Response::html(200, with_script(preview, &text)));
    }
    let text = kind.type_() == mime_guess::mime::TEXT || kind.subtype() == mime_guess::mime::XML;
    let kind = if text {
        format!("{kind}; charset=utf-8")
    } else {
        kind.to_string()
    };
    let file = File::open(path)?;
    let found = file.metadata()?;
    if !found.is_file() {
        return Err(io::ErrorKind::NotFound.into());
    }
    let body = Body::File(file, found.len());
    Ok(Response::new(200, &kind, body).with("Accept-Ranges", "none"))
}

/// Returns the page for an address without a file, which reloads when there is one.
fn missing(preview: &Preview, path: &str) -> Response {
    let body = if preview.now().diagnostics.is_empty() {
        format!(
            "<h1>Nothing here</h1>\n<p>The site has no page at <code>{}</code>. <a href=\"{}/\">To the front page</a></p>",
            escape(path),
            preview.base()
        )
    } else {
        String::new()
    };
    let page = pages::page("Nothing here", &body);
    own_page(404, with_script(preview, &page))
}

/// A page with the script that keeps it up to date.
fn with_script(preview: &Preview, page: &str) -> String {
    let version = preview.now().version;
    let script = format!("<script src=\"/~tabulae/preview.js?at={version}\"></script>\n");
    match page.rfind("</body>") {
        Some(at) => format!("{}{script}{}", &page[..at], &page[at..]),
        None => format!("{page}{script}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::page("/a/", Some("r/a"))]
    #[case::encoded("/a%20b.svg", Some("r/a b.svg"))]
    #[case::root("/", Some("r"))]
    #[case::two_slashes("//a", Some("r/a"))]
    #[case::well_known("/.well-known/x", Some("r/.well-known/x"))]
    #[case::up("/../a", None)]
    #[case::up_encoded("/%2e%2e/a", None)]
    #[case::up_behind_a_slash("/a%2f..%2f..%2fb", None)]
    #[case::backslash("/..%5ca", None)]
    #[case::hidden("/.tabulae/lock", None)]
    #[case::hidden_within("/a/.well-known/x", None)]
    fn no_address_leads_out(#[case] path: &str, #[case] expected: Option<&str>) {
        let found = steps(path).and_then(|steps| below(Path::new("r"), &steps));
        assert_eq!(found, expected.map(PathBuf::from));
    }

    #[rstest]
    #[case("127.0.0.1:8247", true)]
    #[case("localhost", true)]
    #[case("else.example:8247", false)]
    #[case("localhost.else.example", false)]
    #[case("127.0.0.1:x", false)]
    #[case("", false)]
    fn requests_to_other_names_are_refused(#[case] host: &str, #[case] here: bool) {
        assert_eq!(is_of_this_machine(host), here);
    }
}
