//! Requests that cannot be answered: each gets its own clear 4xx, and the service is unharmed.

use std::{
    io::{Read, Write},
    net::TcpStream,
};

use kivet_service::Problem;

use crate::running::{Running, demo, header};

async fn refused(kivet: &Running, path: &str) -> Problem {
    let answer = kivet.get(path).await;
    assert_eq!(header(&answer, "content-type"), "application/problem+json", "{path}");
    assert_eq!(header(&answer, "cache-control"), "no-store", "{path}");
    let status = answer.status().as_u16();
    let problem: Problem = answer.json().await.unwrap();
    assert_eq!(problem.status, status, "{path}");
    problem
}

/// A PNG whose header claims 60,000 by 60,000 pixels.
fn huge_png() -> Vec<u8> {
    let mut bytes = std::fs::read(demo().join("originals/brand/sponsor-gale.png")).unwrap();
    bytes[16..24].copy_from_slice(&[60_000u32.to_be_bytes(), 60_000u32.to_be_bytes()].concat());
    let crc = !bytes[12..29].iter().fold(!0u32, |crc, byte| {
        (0..8).fold(crc ^ u32::from(*byte), |crc, _| {
            if crc & 1 == 1 { (crc >> 1) ^ 0xEDB8_8320 } else { crc >> 1 }
        })
    });
    bytes[29..33].copy_from_slice(&crc.to_be_bytes());
    bytes
}

fn fill(kivet: &Running) {
    let write = |name: &str, bytes: &[u8]| std::fs::write(kivet.odd.join(name), bytes).unwrap();
    write("huge.png", &huge_png());
    write("letter.jpg", b"Dear Ilse, the cane arrived.");
    let whole = std::fs::read(demo().join("originals/kites/six-panel.png")).unwrap();
    write("half.png", &whole[..whole.len() / 2]);
    write("secret.txt", b"not yours");
    std::os::unix::fs::symlink("/etc/hostname", kivet.odd.join("way-out.jpg")).unwrap();
    std::os::unix::fs::symlink("/etc", kivet.odd.join("etc")).unwrap();
    std::os::unix::fs::symlink("half.png", kivet.odd.join("inside.png")).unwrap();
}

#[tokio::test]
async fn every_bad_request_is_told_what_is_wrong_and_what_would_work() {
    let kivet = Running::start().await;
    fill(&kivet);
    for (path, status, kind, says) in [
        ("/pic/640w/photos/..%2f..%2fCargo.toml", 400, "bad-path", "encoded slash"),
        ("/pic/640w/odd/way-out.jpg", 403, "leaves-shelf", "odd/way-out.jpg"),
        ("/pic/640w/odd/etc/hostname", 403, "leaves-shelf", "out of its shelf"),
        ("/pic/640w/photo/x.jpg", 404, "unknown-shelf", "did you mean `photos`?"),
        ("/pic/640w/press/x.jpg", 404, "unread-shelf", "a web server"),
        (
            "/pic/640w/photos/harbour/nothing.jpg",
            404,
            "unknown-original",
            "photos/harbour/nothing.jpg",
        ),
        ("/pic/640w/photos/harbour", 404, "unknown-original", "photos/harbour"),
        ("/pics/640w/photos/harbour/roofs.jpg", 404, "unknown-path", "/pic/<recipe>"),
        ("/pic/640w/photos", 404, "incomplete-path", "/pic/<recipe>/<shelf>/<path>"),
        // The prefix counts once.
        ("/pic//pic/640w/photos/harbour/roofs.jpg", 400, "impossible-recipe", "is empty"),
        ("/pic/640w/odd/letter.jpg", 415, "not-a-picture", "odd/letter.jpg"),
        ("/pic/640w/odd/half.png", 422, "damaged-original", "png data is damaged"),
        ("/pic/640w/odd/inside.png", 422, "damaged-original", "png data is damaged"),
        ("/pic/640w/odd/huge.png", 422, "too-many-pixels", "60000 x 60000"),
        ("/pic/640w_overlay-crest/photos/harbour/roofs.jpg", 400, "unknown-overlay", "`crest`"),
        ("/pic/16000w_as-png/photos/brand/mark.svg", 400, "impossible-recipe", "million"),
        ("/pic/640w_320w/photos/harbour/roofs.jpg", 400, "impossible-recipe", "`320w`"),
        ("/pic/640w/photos/harbour/roofs.jpg?width=320", 400, "unknown-query-key", "`width`"),
    ] {
        let problem = refused(&kivet, path).await;
        assert_eq!(
            (problem.status, problem.kind.as_str()),
            (status, format!("/problems/{kind}").as_str()),
            "{path}"
        );
        assert!(problem.detail.contains(says), "{path}: {}", problem.detail);
        let page = kivet.get(&problem.kind).await;
        assert_eq!(
            (page.status().as_u16(), header(&page, "content-type")),
            (200, "text/html; charset=utf-8")
        );
        assert!(page.text().await.unwrap().contains(&problem.title), "{}", problem.kind);
    }
    let slip = refused(&kivet, "/pic/640w_fidelty-60/photos/harbour/roofs.jpg").await;
    assert_eq!(
        (slip.clause.as_deref(), slip.nearest.as_deref()),
        (Some("fidelty-60"), Some("fidelity-60"))
    );

    let well = kivet.picture("/pic/64w/photos/harbour/roofs.jpg").await;
    assert_eq!(well.status(), 200);
    assert_eq!(kivet.get("/readyz").await.status(), 200);
    assert_eq!(kivet.counter("kivet_renditions_made_total").await, 1);
}

/// Clients tidy `..` away before they send; an attacker does not.
#[tokio::test]
async fn a_raw_climbing_path_is_refused() {
    let kivet = Running::start().await;
    for path in
        ["../../../../etc/hostname", "%2e%2e/%2e%2e/etc/hostname", "harbour/%2E./%2e%2e/x.jpg"]
    {
        let request = format!("GET /pic/640w/photos/{path} HTTP/1.1\r\nhost: x");
        let answer = raw(&kivet, request).await;
        assert!(
            answer.starts_with("HTTP/1.1 400") && answer.contains("bad-path"),
            "{path}: {answer}"
        );
    }
}

/// What comes back for the first lines of a request.
async fn raw(kivet: &Running, lines: String) -> String {
    let address = kivet.root.trim_start_matches("http://").to_owned();
    let answer = tokio::task::spawn_blocking(move || {
        let mut stream = TcpStream::connect(address).unwrap();
        write!(stream, "{lines}\r\nconnection: close\r\n\r\n").unwrap();
        let mut answer = Vec::new();
        stream.read_to_end(&mut answer).unwrap();
        String::from_utf8_lossy(&answer).into_owned()
    });
    answer.await.unwrap()
}

/// RFC 9112, section 3.2; also of pictures that are ready.
#[tokio::test]
async fn a_request_names_one_host() {
    let kivet = Running::start().await;
    let picture = "/pic/64w/photos/harbour/roofs.jpg";
    for _ in 0..2 {
        assert_eq!(kivet.picture(picture).await.status(), 200);
    }
    for (host, status) in [
        ("\r\nhost: kites.example", 200),
        ("\r\nhost: [::1]:8484", 200),
        ("", 400),
        ("\r\nhost:", 400),
        ("\r\nhost: a\r\nhost: a", 400),
        ("\r\nhost: a b", 400),
        ("\r\nhost: a/b", 400),
        ("\r\nhost: user@a", 400),
        ("\r\nhost: a:port", 400),
    ] {
        let answer = raw(&kivet, format!("GET {picture} HTTP/1.1{host}")).await;
        assert!(answer.starts_with(&format!("HTTP/1.1 {status}")), "{host:?}: {answer}");
        assert_eq!(answer.contains("/problems/bad-host"), status == 400, "{host:?}: {answer}");
    }
    assert!(raw(&kivet, format!("GET {picture} HTTP/1.0")).await.contains(" 200 OK"));
}

#[tokio::test]
async fn the_same_headers_stand_on_errors_as_on_pictures() {
    let kivet = Running::start().await;
    for path in ["/pic/640w/photos/nothing.jpg", "/pic/kite/photos/harbour/roofs.jpg"] {
        let answer = kivet.picture(path).await;
        assert_eq!(header(&answer, "vary"), "accept, save-data", "{path}");
        assert_eq!(header(&answer, "x-content-type-options"), "nosniff", "{path}");
    }
    let fixed = kivet.picture("/pic/640w_as-png/photos/nothing.jpg").await;
    assert_eq!(header(&fixed, "vary"), "");
}

#[tokio::test]
async fn long_and_odd_input_is_quoted_short_and_methods_are_told_apart() {
    let kivet = Running::start().await;
    let long = "w".repeat(4000);
    for path in [
        format!("/pic/{long}/photos/x.jpg"),
        format!("/pic/640w/{long}/x.jpg"),
        format!("/pic/640w/photos/{long}"),
        format!("/pic/640w/photos/x.jpg?{long}=1"),
        format!("/{long}"),
        format!("/problems/{long}"),
    ] {
        let problem = refused(&kivet, &path).await;
        assert!(problem.detail.chars().count() < 700, "{}", problem.detail);
        assert!(problem.clause.is_none_or(|clause| clause.len() < 200));
    }
    let odd = "/pic/640w/photos/%1b%5b31m%07.jpg";
    assert!(!refused(&kivet, odd).await.detail.contains('\u{1b}'));
    let drawn = kivet.picture(odd).await.text().await.unwrap();
    assert!(drawn.starts_with("<svg") && !drawn.contains(['\u{1b}', '\u{7}']));
    // One address, one spelling.
    for alias in [
        "/pic//pic/640w/photos/x.jpg",
        "/pic/640w//photos/night/lanterns.jpg",
        "/pic//photos/night/lanterns.jpg",
    ] {
        assert!(kivet.get(alias).await.status().is_client_error(), "{alias}");
    }
    let client = reqwest::Client::new();
    let path = "/pic/160w/photos/night/lanterns.jpg";
    for (method, path, status) in [
        ("DELETE", path, 405),
        ("POST", "/healthz", 405),
        ("OPTIONS", path, 204),
        ("PATCH", "/api/places", 405),
        ("OPTIONS", "/api/places", 204),
    ] {
        let method = reqwest::Method::from_bytes(method.as_bytes()).unwrap();
        let answer = client.request(method.clone(), format!("{}{path}", kivet.root)).send().await;
        let answer = answer.unwrap();
        assert_eq!(answer.status(), status, "{method} {path}");
        assert!(header(&answer, "allow").contains("GET"), "{method} {path}");
        if status == 405 {
            assert_eq!(header(&answer, "content-type"), "application/problem+json");
        }
    }
    let refused = kivet.get("/api/places").await;
    assert_eq!((refused.status().as_u16(), header(&refused, "www-authenticate")), (401, "Bearer"));
    let other = kivet.request(path).header("if-match", "\"another\"").send().await.unwrap();
    assert_eq!((other.status().as_u16(), header(&other, "cache-control")), (412, "no-store"));
    let etag = header(&kivet.get(path).await, "etag").to_owned();
    let same = kivet.request(path).header("if-match", etag).send().await.unwrap();
    assert_eq!(same.status(), 200);
    let bad = kivet.order(reqwest::Method::GET, "/api/checks/first", "").await;
    assert_eq!(
        (bad.status().as_u16(), header(&bad, "content-type")),
        (400, "application/problem+json")
    );
}
