//! What breaks around the service, and what viewers see of it: nothing.

use std::{path::Path, time::Duration};

use reqwest::Method;
use tokio::{
    io::{AsyncReadExt, AsyncWriteExt},
    net::TcpStream,
    time::timeout,
};

use crate::running::{Running, demo, header};

fn lay(kivet: &Running, names: &[&str]) {
    for name in names {
        std::fs::copy(demo().join("originals/makers/noor-hale.jpg"), kivet.odd.join(name)).unwrap();
    }
}

#[tokio::test]
async fn of_a_shelf_that_is_gone_what_was_made_before_is_sent() {
    let kivet = Running::start().await;
    // The file lies there before the service starts, as a mount's would.
    lay(&kivet, &["here.jpg"]);
    let kivet = kivet.restart().await;
    let path = "/pic/120w/odd/here.jpg";
    let before = kivet.finished(path).await;
    let etag = header(&before, "etag").to_owned();
    let away = kivet.odd.with_file_name("away");
    for (number, lose) in [
        |odd: &Path, away: &Path| std::fs::rename(odd, away).unwrap(),
        // The empty place of a mount.
        |odd: &Path, away: &Path| {
            std::fs::rename(odd, away).unwrap();
            std::fs::create_dir(odd).unwrap();
        },
    ]
    .into_iter()
    .enumerate()
    {
        let unmade = format!("/pic/{}w/odd/here.jpg", 130 + number);
        lose(&kivet.odd, &away);
        tokio::time::sleep(Duration::from_millis(2200)).await;
        let answer = kivet.picture(path).await;
        assert_eq!((answer.status().as_u16(), header(&answer, "etag")), (200, etag.as_str()));
        assert_eq!(header(&answer, "cache-control"), "public, max-age=30, stale-if-error=604800");
        assert!(header(&answer, "cache-status").ends_with("detail=stale"));
        for unknown in [unmade.as_str(), "/pic/120w/odd/never-seen.jpg"] {
            let answer = kivet.get(unknown).await;
            assert_eq!(answer.status(), 503, "{unknown}");
            assert_eq!(header(&answer, "retry-after"), "10");
            assert!(answer.text().await.unwrap().contains("shelf-unavailable"));
        }
        let _ = std::fs::remove_dir(&kivet.odd);
        std::fs::rename(&away, &kivet.odd).unwrap();
        tokio::time::sleep(Duration::from_millis(1200)).await;
        assert_eq!(kivet.get(&unmade).await.status(), 200, "it is back");
        assert_eq!(kivet.get("/pic/120w/odd/never-seen.jpg").await.status(), 404);
        kivet.finished(path).await;
    }
}

#[tokio::test]
async fn records_that_are_broken_are_set_aside_and_the_index_is_made_from_the_renditions() {
    let kivet = Running::start().await;
    let path = "/pic/140w_as-webp/photos/harbour/roofs.jpg";
    let etag = header(&kivet.finished(path).await, "etag").to_owned();
    let data = kivet.data();
    let kivet = kivet
        .restart_after(|| {
            std::fs::write(data.join("records.db"), "anything but a database".repeat(99)).unwrap();
            // SQLite would restore pages from a journal that is left.
            let _ = std::fs::remove_file(data.join("records.db-wal"));
        })
        .await;
    let names = std::fs::read_dir(&data).unwrap().map(|entry| entry.unwrap().file_name());
    assert!(names.into_iter().any(|name| name.to_string_lossy().contains("records.db.broken-")));
    for _ in 0..100 {
        let listed: serde_json::Value =
            kivet.order(reqwest::Method::GET, "/api/cache", "").await.json().await.unwrap();
        if listed["renditions"].as_u64().unwrap() >= 1 {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let answer = kivet.picture(path).await;
    assert_eq!(header(&answer, "etag"), etag);
    assert_eq!(kivet.counter("kivet_renditions_made_total").await, 0, "nothing is made again");
    // At will, too: what the blobs have not is off the index.
    std::fs::remove_dir_all(data.join("renditions")).unwrap();
    std::fs::create_dir(data.join("renditions")).unwrap();
    let rebuilt = kivet.order(reqwest::Method::POST, "/api/cache/rebuild", "").await;
    let rebuilt: serde_json::Value = rebuilt.json().await.unwrap();
    assert_eq!(rebuilt["renditions"], 0);
}

#[tokio::test]
async fn user_records_survive_broken_and_deleted_files() {
    let kivet = Running::start().await;
    assert_eq!(set_place(&kivet).await, 200);
    let card = "/pic/@kite-card_480w/photos/harbour/roofs.jpg";
    assert_eq!(kivet.picture(card).await.status(), 200);
    let data = kivet.data();
    let file = data.join("records.db");
    // A page in the middle, as a failing disk leaves it.
    let kivet = kivet
        .restart_after(|| {
            let mut bytes = std::fs::read(&file).unwrap();
            let middle = bytes.len() / 2 / 4096 * 4096;
            bytes[middle..middle + 4096].fill(0xa5);
            std::fs::write(&file, bytes).unwrap();
        })
        .await;
    assert_eq!(kivet.picture(card).await.status(), 200, "a page was overwritten");
    let kivet = kivet.restart_after(|| std::fs::remove_file(&file).unwrap()).await;
    assert_eq!(kivet.picture(card).await.status(), 200, "the file was deleted");
    assert_eq!(kivet.counter("kivet_records_recovered").await, 1);
    let texts = std::fs::read_to_string(data.join("backups/places.toml")).unwrap();
    assert!(texts.contains("[kite-card]"), "{texts}");

    assert_eq!(kivet.get("/readyz").await.status(), 200);
    std::fs::remove_file(&file).unwrap();
    assert_eq!(set_place(&kivet).await, 500, "it would be gone at the next start");
    assert_eq!(kivet.picture(card).await.status(), 200);
    until_not_ready(&kivet).await;
    let kivet = kivet.restart().await;
    assert_eq!(kivet.get("/readyz").await.status(), 200);
    assert_eq!(kivet.picture(card).await.status(), 200);
}

async fn set_place(kivet: &Running) -> u16 {
    let place = r#"{"sizes": "(min-width: 60em) 33vw, 100vw", "ratio": "3/2"}"#;
    kivet.order(Method::PUT, "/api/places/kite-card", place).await.status().as_u16()
}

/// Waits until `/readyz` says that the service is not ready; it looks once in a while.
async fn until_not_ready(kivet: &Running) {
    for _ in 0..200 {
        if kivet.get("/readyz").await.status() == 503 {
            return;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    panic!("/readyz does not notice");
}

#[tokio::test]
async fn strangers_do_not_fill_the_disk() {
    let kivet = Running::start_with(|config| {
        (config.limits.disk_mib, config.limits.memory_mib) = (1, 1);
        config.policy.improve = false;
    })
    .await;
    // Some 20 kB each: four times as much as may stay.
    for width in 0..200 {
        let path = format!("/pic/{}w_as-webp_lossless/photos/brand/windmark-logo.png", 300 + width);
        assert_eq!(kivet.get(&path).await.status(), 200, "{path}");
    }
    let folder = kivet.data().join("renditions");
    let held = || {
        let files = walkdir(&folder);
        files.iter().map(|file| file.metadata().map_or(0, |facts| facts.len())).sum::<u64>()
    };
    let within = async {
        while held() > 3 << 19 {
            tokio::time::sleep(Duration::from_millis(200)).await;
        }
    };
    timeout(Duration::from_secs(60), within).await.expect("the least recently used go");
    assert!(kivet.counter("kivet_renditions_evicted_total").await > 0);
    let path = "/pic/300w_as-webp_lossless/photos/brand/windmark-logo.png";
    assert_eq!(kivet.get(path).await.status(), 200, "and are made again");
}

fn walkdir(folder: &Path) -> Vec<std::path::PathBuf> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    entries
        .flat_map(|entry| {
            let path = entry.path();
            if path.is_dir() { walkdir(&path) } else { vec![path] }
        })
        .collect()
}

#[tokio::test]
async fn half_an_uploaded_file_is_not_kept_for_long() {
    let kivet = Running::start().await;
    lay(&kivet, &["whole.jpg"]);
    let whole = std::fs::read(kivet.odd.join("whole.jpg")).unwrap();
    let file = kivet.odd.join("uploading.jpg");
    std::fs::write(&file, &whole[..whole.len() / 2]).unwrap();
    let path = "/pic/200w/odd/uploading.jpg";
    for _ in 0..5 {
        let answer = kivet.picture(path).await;
        assert_eq!(header(&answer, "cache-control"), "public, max-age=60");
        assert!(header(&answer, "cache-status").ends_with("detail=first"));
        assert!(header(&answer, "kivet-rendition").ends_with("truncated"));
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    std::fs::write(&file, &whole).unwrap();
    tokio::time::sleep(Duration::from_millis(1200)).await;
    let answer = kivet.finished(path).await;
    assert!(!header(&answer, "kivet-rendition").ends_with("truncated"));
}

#[tokio::test]
async fn connections_that_say_nothing_are_closed_and_others_are_let_in() {
    let kivet = Running::start_with(|config| config.limits.idle_seconds = 1).await;
    let address = kivet.root.strip_prefix("http://").unwrap().to_owned();
    let mut silent = Vec::new();
    for said in
        ["", "GET /pic/", "GET /healthz HTTP/1.1\r\nhost: x\r\n", "PRI * HTTP/2.0\r\n\r\nSM"]
    {
        for _ in 0..50 {
            let mut stream = TcpStream::connect(&address).await.unwrap();
            stream.write_all(said.as_bytes()).await.unwrap();
            silent.push(stream);
        }
    }
    // One that was answered, and then says nothing.
    let mut idle = TcpStream::connect(&address).await.unwrap();
    idle.write_all(b"GET /healthz HTTP/1.1\r\nhost: x\r\n\r\n").await.unwrap();
    silent.push(idle);
    assert_eq!(kivet.get("/healthz").await.status(), 200);
    // One that sends half of what it announced.
    let mut half = TcpStream::connect(&address).await.unwrap();
    let head = format!(
        "POST /api/places HTTP/1.1\r\nhost: {address}\r\nauthorization: Bearer {}\r\ncontent-type: application/json\r\ncontent-length: 900\r\n\r\n{{",
        kivet.token()
    );
    half.write_all(head.as_bytes()).await.unwrap();
    let mut answer = Vec::new();
    let closed = timeout(Duration::from_secs(10), half.read_to_end(&mut answer)).await;
    assert!(
        closed.is_ok() && answer.starts_with(b"HTTP/1.1 4"),
        "{}",
        String::from_utf8_lossy(&answer)
    );
    for (number, stream) in silent.iter_mut().enumerate() {
        let closed = timeout(Duration::from_secs(10), stream.read_to_end(&mut Vec::new())).await;
        assert!(closed.is_ok(), "number {number} stays open");
    }
    assert_eq!(kivet.get("/healthz").await.status(), 200);
}
