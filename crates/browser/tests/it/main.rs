//! A real Chromium against pages served on loopback.

use std::time::Duration;

use kivet_browser::{Chromium, Device};
use tokio::{
    io::{AsyncReadExt, AsyncWriteExt},
    net::TcpListener,
};

/// A site whose every page is a heading, but for `/never`, which never answers; `/slow` takes its
/// time.
async fn site() -> String {
    let listener = TcpListener::bind("127.0.0.1:0").await.expect("a free port");
    let root = format!("http://{}", listener.local_addr().expect("its address"));
    tokio::spawn(async move {
        while let Ok((mut viewer, _)) = listener.accept().await {
            tokio::spawn(async move {
                let mut asked = [0; 4096];
                let length = viewer.read(&mut asked).await.unwrap_or(0);
                if asked[..length].starts_with(b"GET /never") {
                    std::future::pending::<()>().await;
                }
                if asked[..length].starts_with(b"GET /slow") {
                    tokio::time::sleep(Duration::from_millis(800)).await;
                }
                let page = "<!doctype html><h1>Windmark Kite Week</h1>";
                let head = "HTTP/1.1 200 OK\r\ncontent-type: text/html\r\nconnection: close\r\n";
                let answer = format!("{head}content-length: {}\r\n\r\n{page}", page.len());
                viewer.write_all(answer.as_bytes()).await.ok();
            });
        }
    });
    root
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_is_at_rest_whatever_the_one_before_still_waited_for() {
    let (chromium, root) = (Chromium::launch().await.unwrap(), site().await);
    let tab = chromium.tab(Device::named("laptop").unwrap()).await.unwrap();
    tab.open(&format!("{root}/before")).await.unwrap();
    assert!(tab.evaluate::<bool>("(fetch('/never'), true)").await.unwrap());
    tab.open(&format!("{root}/after")).await.unwrap();
    // Also for what it asked for while the next one was on its way.
    assert!(tab.evaluate::<bool>("(setTimeout(() => fetch('/never'), 300), true)").await.unwrap());
    tab.open(&format!("{root}/slow")).await.unwrap();
    chromium.close().await.unwrap();
}
