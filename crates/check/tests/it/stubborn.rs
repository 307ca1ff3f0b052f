//! Pages that never come to rest, or stop for a dialog: each is measured all the same.

use axum::{
    Router,
    extract::Request,
    http::header,
    response::{Html, IntoResponse, Response},
};
use kivet_check::{CheckOptions, Fetcher, check, targets};
use kivet_page::{Code, Device, report::Mode};
use tokio::net::TcpListener;

use crate::pictures::picture;

const NEVER: &str = "never-answered";
const DIALOG: &str = "dialog-opened";

/// Name, body, and the code that is found besides those of its picture.
const PAGES: [(&str, &str, Option<&str>); 11] = [
    (
        "lazy-frame",
        "<p style='height: 9000px'></p><iframe loading=lazy src=/plain.html></iframe>",
        None,
    ),
    ("picture", "<img src=/never/kite.jpg alt='' width=40 height=30>", Some(NEVER)),
    ("script", "<script async src=/never/late.js></script>", Some(NEVER)),
    ("frame", "<iframe src=/never/frame.html width=300 height=200></iframe>", Some(NEVER)),
    ("alert", "<script>alert('Kites are up')</script>", Some(DIALOG)),
    (
        "confirm",
        "<script>addEventListener('load', () => setTimeout(() => confirm('Stay?'), 200))</script>",
        Some(DIALOG),
    ),
    (
        "itself",
        "<script>document.write(`<iframe src='/itself.html?${Math.random()}' width=300 height=200></iframe>`)</script>",
        None,
    ),
    ("long-poll", "<script>fetch('/never/news')</script>", None),
    (
        "polling",
        "<script>setInterval(() => fetch('/plain.html?' + Math.random()), 100)</script>",
        None,
    ),
    ("stream", "<script>new EventSource('/never/stream')</script>", None),
    ("leaving", "<script>onbeforeunload = (event) => event.preventDefault()</script>", None),
];

async fn answer(request: Request) -> Response {
    let path = request.uri().path();
    if path.starts_with("/never/") {
        std::future::pending::<()>().await;
    }
    if let Some((bytes, kind)) = path.strip_prefix("/img/").and_then(picture) {
        let caching = (header::CACHE_CONTROL, "max-age=31536000");
        return ([(header::CONTENT_TYPE, kind), caching], bytes).into_response();
    }
    let name = path.trim_start_matches('/').trim_end_matches(".html");
    let body = PAGES.iter().find(|page| page.0 == name).map_or("<p>Kites", |page| page.1);
    let shown = "<img src=/img/dunes-400x300.jpg alt=Dunes width=100 height=75>";
    Html(format!("<!doctype html><html lang=en><title>Kites</title>{shown}{body}")).into_response()
}

#[tokio::test(flavor = "multi_thread")]
async fn pages_that_never_come_to_rest_are_measured() {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let root = format!("http://{}", listener.local_addr().unwrap());
    tokio::spawn(async move { axum::serve(listener, Router::new().fallback(answer)).await });
    let words: Vec<String> = PAGES.iter().map(|page| format!("{root}/{}.html", page.0)).collect();
    let fetcher = Fetcher::new().unwrap();
    let targets = targets(&words, &fetcher).await.unwrap();
    let options = CheckOptions {
        mode: Mode::Browser,
        devices: vec![Device::named("laptop").unwrap()],
        runs: 1,
        throttled: false,
        program: None,
        thumbnails: false,
        pictures: None,
        at_once: 4,
        shelves: Vec::new(),
        sweeps: false,
        limits: kivet_page::PageLimits::DEFAULT,
    };
    let report = check(&targets, &options, &fetcher, &|_| {}).await.unwrap();
    assert!(report.failures.is_empty(), "{:?}", report.failures);
    assert_eq!(report.pages.len(), PAGES.len());
    for ((name, _, code), page) in PAGES.iter().zip(&report.pages) {
        let codes: Vec<&str> = page.findings.iter().map(|one| one.code.as_str()).collect();
        assert!(
            codes.contains(&Code::MorePixels.as_str()),
            "{name}: its picture is seen: {codes:?}"
        );
        let told: Vec<&str> =
            codes.into_iter().filter(|code| [NEVER, DIALOG].contains(code)).collect();
        assert_eq!(told, code.iter().copied().collect::<Vec<_>>(), "{name}");
    }
}
