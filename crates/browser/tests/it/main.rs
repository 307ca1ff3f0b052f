//! A real Chromium against pages served on loopback.

use std::{os::unix::fs::PermissionsExt, time::Duration};

use kivet_browser::{BrowserError, Chromium, Device};
use rustix::process::{Pid, Signal, kill_process};
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

#[tokio::test(flavor = "multi_thread")]
async fn a_browser_that_is_killed_fails_what_waits_for_it() {
    let folder = tempfile::tempdir().unwrap();
    let (program, id) = (folder.path().join("browser"), folder.path().join("id"));
    let real = kivet_browser::find().unwrap();
    let script = format!("#!/bin/sh\necho $$ > {}\nexec {} \"$@\"\n", id.display(), real.display());
    std::fs::write(&program, script).unwrap();
    std::fs::set_permissions(&program, std::fs::Permissions::from_mode(0o755)).unwrap();
    let chromium = Chromium::launch_program(program).await.unwrap();
    let tab = chromium.tab(Device::named("laptop").unwrap()).await.unwrap();
    let waiting = tab.evaluate::<bool>("new Promise(() => {})");
    let killing = async {
        tokio::time::sleep(Duration::from_millis(300)).await;
        let id = std::fs::read_to_string(&id).unwrap().trim().parse().unwrap();
        kill_process(Pid::from_raw(id).unwrap(), Signal::KILL).unwrap();
    };
    let within = tokio::time::timeout(Duration::from_secs(20), waiting);
    let (waited, ()) = tokio::join!(within, killing);
    assert!(matches!(waited, Ok(Err(BrowserError::Ended))), "{waited:?}");
    assert!(matches!(tab.open("about:blank").await, Err(BrowserError::Ended)));
    assert!(chromium.close().await.is_err());
}
