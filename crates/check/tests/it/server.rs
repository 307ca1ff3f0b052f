//! A site with everything pages do wrong. The first part of a picture's address says how it is
//! answered.

use std::collections::HashMap;

use axum::{
    Router,
    extract::{Request, State},
    http::{HeaderName, HeaderValue, StatusCode, header},
    response::{Html, IntoResponse, Response},
};
use tokio::net::TcpListener;

use crate::{pages::TestPage, pictures};

const YEAR: &str = "public, max-age=31536000, immutable";

/// The running site.
pub struct Site {
    /// Its address.
    pub root: String,
}

#[derive(Clone)]
struct Served {
    pages: HashMap<String, TestPage>,
    elsewhere: String,
}

impl Site {
    /// A site with one page more.
    pub async fn start_with(name: &str, html: String) -> Self {
        Self::start(vec![TestPage { name: name.to_owned(), html, ..TestPage::default() }]).await
    }

    pub async fn start(pages: Vec<TestPage>) -> Self {
        let listener = TcpListener::bind("127.0.0.1:0").await.expect("a port");
        let port = listener.local_addr().expect("an address").port();
        let pages = pages.into_iter().map(|page| (page.name.clone(), page)).collect();
        // Another name of the same machine is another origin.
        let served = Served { pages, elsewhere: format!("http://localhost:{port}") };
        let router = Router::new().fallback(answer).with_state(served);
        tokio::spawn(async move { axum::serve(listener, router).await.expect("serving") });
        Self { root: format!("http://127.0.0.1:{port}") }
    }
}

async fn answer(State(served): State<Served>, request: Request) -> Response {
    let path = request.uri().path().to_owned();
    let path = path.trim_start_matches('/');
    if let Some(page) = path.strip_prefix("page/").and_then(|name| served.pages.get(name)) {
        let mut answer = Html(page.html.replace("{elsewhere}", &served.elsewhere)).into_response();
        for (name, value) in &page.headers {
            let name: HeaderName = name.parse().expect("a header");
            answer.headers_mut().insert(name, HeaderValue::from_str(value).expect("a value"));
        }
        return answer;
    }
    match path {
        "style/banner.css" => {
            let css = ".banner { height: 500px; background: url(/img/dunes-1366x500.avif) center / cover; }";
            ([(header::CONTENT_TYPE, "text/css"), (header::CACHE_CONTROL, YEAR)], css)
                .into_response()
        }
        "embed/light.html" => Html("<!doctype html><p>A map.").into_response(),
        "embed/heavy.html" => {
            Html("<!doctype html><p>A film.<script src=\"/embed/player.js\"></script>")
                .into_response()
        }
        "embed/player.js" => {
            let script = format!("// {}", "player ".repeat(100_000));
            ([(header::CONTENT_TYPE, "text/javascript")], script).into_response()
        }
        _ => picture(path),
    }
}

fn picture(path: &str) -> Response {
    let way = path.split('/').next().unwrap_or_default();
    let name = path.rsplit('/').next().unwrap_or_default();
    if way == "moved" {
        let to = format!("/img/{name}");
        return (StatusCode::FOUND, [(header::LOCATION, to)]).into_response();
    }
    let Some((bytes, kind)) = pictures::picture(name).filter(|_| way != "gone") else {
        return StatusCode::NOT_FOUND.into_response();
    };
    let bytes = match way {
        "tagged" => pictures::tagged(&bytes, 9_000),
        "credited" => pictures::tagged(&bytes, 400),
        "damaged" => b"this is no picture at all".to_vec(),
        _ => bytes,
    };
    let caching = match way {
        "brief" => "public, max-age=300",
        "stale" => "public, max-age=600, stale-while-revalidate=604800",
        "unsaid" => "",
        _ => YEAR,
    };
    let mut answer =
        ([(header::CONTENT_TYPE, kind), (header::ACCESS_CONTROL_ALLOW_ORIGIN, "*")], bytes)
            .into_response();
    if !caching.is_empty() {
        answer.headers_mut().insert(header::CACHE_CONTROL, HeaderValue::from_static(caching));
    }
    answer
}
