//! Serving the preview on this machine alone.

use std::convert::Infallible;
use std::io;
use std::net::Ipv4Addr;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use axum::Router;
use axum::extract::{Query, Request, State};
use axum::http::{HeaderMap, HeaderValue, StatusCode, Uri, header};
use axum::middleware::{self, Next};
use axum::response::sse::{Event, Sse};
use axum::response::{IntoResponse, Redirect, Response};
use axum::routing::get;
use serde::Deserialize;
use tabulae_build::template::escape;
use tabulae_core::route::decode;
use tokio::net::TcpListener;
use tokio_stream::StreamExt;
use tokio_stream::wrappers::WatchStream;

use super::{Preview, pages};
use crate::args::PreviewArgs;
use crate::ui::{self, Status};

/// How many ports are tried.
const PORTS: u16 = 100;

/// Serves until Ctrl-C.
pub(super) fn serve(preview: &Arc<Preview>, wanted: &PreviewArgs) -> Status {
    let runtime = tokio::runtime::Builder::new_current_thread()
        .enable_all()
        .build();
    let served = runtime.and_then(|runtime| runtime.block_on(listen(preview, wanted)));
    match served {
        Ok(()) => ui::print("Stopped.\n"),
        Err(error) => {
            ui::complain(&format!("cannot serve the preview: {error}\n"));
            Status::Machine
        }
    }
}

async fn listen(preview: &Arc<Preview>, wanted: &PreviewArgs) -> io::Result<()> {
    let listener = free(wanted.port).await?;
    let port = listener.local_addr()?.port();
    let address = format!("http://127.0.0.1:{port}{}/", preview.base());
    let _ = ui::print(&format!(
        "The preview is at {address}\nQueries are tried at http://127.0.0.1:{port}/~tabulae/; Ctrl-C ends it.\n"
    ));
    if wanted.open && open::that_detached(&address).is_err() {
        ui::complain("no browser could be opened\n");
    }
    let served = axum::serve(listener, router(Arc::clone(preview)));
    // Pages that listen never end by themselves: what is served ends with the program.
    tokio::select! {
        ended = async { served.await } => ended,
        ended = tokio::signal::ctrl_c() => ended,
    }
}

/// The first free port from `first` on.
async fn free(first: u16) -> io::Result<TcpListener> {
    let mut ports = first..=first.saturating_add(PORTS);
    loop {
        let port = ports.next().unwrap_or(0);
        match TcpListener::bind((Ipv4Addr::LOCALHOST, port)).await {
            Err(error) if error.kind() == io::ErrorKind::AddrInUse && port != 0 => {}
            bound => return bound,
        }
    }
}

fn router(preview: Arc<Preview>) -> Router {
    Router::new()
        .route("/~tabulae/", get(workbench))
        .route("/~tabulae/events", get(events))
        .route("/~tabulae/faults", get(faults))
        .route("/~tabulae/preview.js", get(script))
        .fallback(file)
        .layer(middleware::from_fn(only_here))
        .with_state(preview)
}

/// Refuses what was sent to another name: a page elsewhere could have its own name lead here.
async fn only_here(request: Request, next: Next) -> Response {
    let host = request.headers().get(header::HOST);
    let host = host.and_then(|host| host.to_str().ok()).unwrap_or_default();
    let name = match host.rsplit_once(':') {
        Some((name, port)) if port.bytes().all(|byte| byte.is_ascii_digit()) => name,
        _ => host,
    };
    if !["127.0.0.1", "localhost"].contains(&name) {
        return (
            StatusCode::FORBIDDEN,
            "the preview answers on 127.0.0.1 alone\n",
        )
            .into_response();
    }
    let mut response = next.run(request).await;
    let headers = response.headers_mut();
    headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    response
}

async fn events(
    State(preview): State<Arc<Preview>>,
) -> Sse<impl tokio_stream::Stream<Item = Result<Event, Infallible>>> {
    let told = WatchStream::new(preview.now.subscribe());
    Sse::new(told.map(|now| {
        let data = serde_json::json!({
            "version": now.version,
            "styles": now.styles,
            "faults": !now.faults.is_empty(),
        });
        Ok(Event::default().data(data.to_string()))
    }))
}

async fn faults(State(preview): State<Arc<Preview>>) -> Response {
    let now = preview.now.borrow().clone();
    html(StatusCode::OK, pages::cover(&now.faults))
}

async fn script() -> Response {
    let kind = [(header::CONTENT_TYPE, "text/javascript; charset=utf-8")];
    (kind, pages::SCRIPT).into_response()
}

#[derive(Debug, Deserialize)]
struct Asked {
    #[serde(default)]
    q: String,
}

async fn workbench(State(preview): State<Arc<Preview>>, Query(asked): Query<Asked>) -> Response {
    let made = tokio::task::spawn_blocking(move || pages::workbench(&preview, &asked.q));
    html(StatusCode::OK, made.await.unwrap_or_default())
}

/// A file of the site.
async fn file(State(preview): State<Arc<Preview>>, uri: Uri) -> Response {
    let base = preview.base();
    let Some(path) = uri
        .path()
        .strip_prefix(&base)
        .filter(|path| path.starts_with('/'))
    else {
        return Redirect::temporary(&format!("{base}/")).into_response();
    };
    let Some(found) = below(&preview.out, path) else {
        return missing(&preview, path);
    };
    if found.is_dir() && !path.ends_with('/') {
        return Redirect::permanent(&format!("{base}{path}/")).into_response();
    }
    let found = if found.is_dir() {
        found.join("index.html")
    } else {
        found
    };
    match std::fs::read(&found) {
        Ok(bytes) => shown(&preview, &found, bytes),
        Err(_) => missing(&preview, path),
    }
}

/// The file or folder of an address below `root`; no address and no symbolic link leads out of it.
fn below(root: &Path, path: &str) -> Option<PathBuf> {
    let mut found = root.to_owned();
    for step in decode(path).split('/').filter(|step| !step.is_empty()) {
        if matches!(step, "." | "..") || step.contains(['\\', '\0']) || step.starts_with('.') {
            return None;
        }
        found.push(step);
        if std::fs::symlink_metadata(&found).is_ok_and(|found| found.is_symlink()) {
            return None;
        }
    }
    Some(found)
}

fn shown(preview: &Preview, path: &Path, bytes: Vec<u8>) -> Response {
    let kind = mime_guess::from_path(path).first_or_octet_stream();
    if kind == mime_guess::mime::TEXT_HTML {
        let text = String::from_utf8_lossy(&bytes);
        return html(StatusCode::OK, with_script(preview, &text));
    }
    let text = kind.type_() == mime_guess::mime::TEXT || kind.subtype() == mime_guess::mime::XML;
    let kind = if text {
        format!("{kind}; charset=utf-8")
    } else {
        kind.to_string()
    };
    let mut headers = HeaderMap::new();
    if let Ok(kind) = HeaderValue::from_str(&kind) {
        headers.insert(header::CONTENT_TYPE, kind);
    }
    (headers, bytes).into_response()
}

/// Nothing stands there: a page that says so, and that reloads when something does.
fn missing(preview: &Preview, path: &str) -> Response {
    let faults = preview.now.borrow().faults.clone();
    let body = if faults.is_empty() {
        format!(
            "<h1>Nothing here</h1>\n<p>No page of the site stands at <code>{}</code>. <a href=\"{}/\">To the front page</a></p>",
            escape(path),
            preview.base()
        )
    } else {
        String::new()
    };
    let page = pages::page("Nothing here", &body);
    html(StatusCode::NOT_FOUND, with_script(preview, &page))
}

/// A page with the script that keeps it up to date.
fn with_script(preview: &Preview, page: &str) -> String {
    let version = preview.now.borrow().version;
    let script = format!("<script src=\"/~tabulae/preview.js?at={version}\"></script>\n");
    match page.rfind("</body>") {
        Some(at) => format!("{}{script}{}", &page[..at], &page[at..]),
        None => format!("{page}{script}"),
    }
}

fn html(status: StatusCode, text: String) -> Response {
    let kind = [(header::CONTENT_TYPE, "text/html; charset=utf-8")];
    (status, kind, text).into_response()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::page("/a/", Some("r/a"))]
    #[case::encoded("/a%20b.svg", Some("r/a b.svg"))]
    #[case::root("/", Some("r"))]
    #[case::up("/../a", None)]
    #[case::up_encoded("/%2e%2e/a", None)]
    #[case::up_behind_a_slash("/a%2f..%2f..%2fb", None)]
    #[case::backslash("/..%5ca", None)]
    #[case::hidden("/.tabulae/lock", None)]
    fn no_address_leads_out(#[case] path: &str, #[case] expected: Option<&str>) {
        assert_eq!(below(Path::new("r"), path), expected.map(PathBuf::from));
    }
}
