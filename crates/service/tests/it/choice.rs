//! What a viewer gets: hints, thrift, access, versions, plain mode, the reasons, and failures that
//! show themselves.

use kivet_recipe::{Access, Basis, Format, Policy, Reason};
use kivet_service::Problem;
use kivet_store::Stage;
use reqwest::Method;

use crate::running::{MODERN, Running, header};

const OPEN: &str = "/pic/ratio-3-2/photos/harbour/roofs.jpg";
const ROOFS: &str = "/pic/480w/photos/harbour/roofs.jpg";

#[tokio::test]
async fn hints_settle_open_widths_for_one_viewer_and_why_says_the_same() {
    let kivet = Running::start().await;
    let vary = "accept, sec-ch-width, sec-ch-dpr, sec-ch-viewport-width, save-data";
    for (headers, width, private) in [
        (vec![("sec-ch-width", "301")], 320, true),
        (vec![("sec-ch-viewport-width", "390"), ("sec-ch-dpr", "1")], 400, true),
        (vec![("sec-ch-width", "301"), ("save-data", "on")], 320, true),
        (vec![("sec-ch-dpr", "2")], 4608, true),
    ] {
        let headers: Vec<(&str, &str)> = headers.into_iter().chain([("accept", MODERN)]).collect();
        let why = kivet.why(OPEN, &headers).await;
        let request = headers
            .iter()
            .fold(kivet.request(OPEN), |request, (name, value)| request.header(*name, *value));
        let answer = request.send().await.unwrap();
        let said = format!("{}; width={}; height={}", why.format, why.size[0], why.size[1]);
        assert_eq!(
            (header(&answer, "kivet-rendition"), header(&answer, "vary")),
            (said.as_str(), vary)
        );
        assert_eq!(
            (why.private, header(&answer, "cache-control").starts_with("private")),
            (private, private)
        );
        assert!(!private || why.size[0] == width, "{headers:?}: {:?}", why.size);
        assert!(
            why.widths.iter().filter(|step| step.chosen).count()
                == usize::from(private && width < 4000),
            "{:?}",
            why.widths
        );
    }
    let closed = kivet
        .request(ROOFS)
        .header("accept", MODERN)
        .header("sec-ch-width", "300")
        .send()
        .await
        .unwrap();
    assert!(
        header(&closed, "kivet-rendition").contains("width=480")
            && header(&closed, "cache-control").starts_with("public")
    );
}

#[tokio::test]
async fn thrift_costs_points_and_not_pixels() {
    let kivet = Running::start().await;
    let ask = |saving: bool| {
        let request = kivet.request(ROOFS).header("accept", MODERN);
        if saving { request.header("save-data", "on") } else { request }
    };
    let (usual, thrifty) = (ask(false).send().await.unwrap(), ask(true).send().await.unwrap());
    assert_eq!(header(&usual, "vary"), header(&thrifty, "vary"));
    assert_eq!(header(&usual, "kivet-rendition"), header(&thrifty, "kivet-rendition"));
    assert!(thrifty.bytes().await.unwrap().len() * 10 < usual.bytes().await.unwrap().len() * 9);
    let why = kivet.why(ROOFS, &[("save-data", "on")]).await;
    assert_eq!(
        (why.target, why.lowered.last().map(String::as_str)),
        (Some(60), Some("15 less for Save-Data"))
    );
}

#[tokio::test]
async fn only_what_is_listed_is_answered_and_the_nearest_is_named() {
    let listed = vec!["ratio-1-1".parse().unwrap()];
    let kivet = Running::start_with(|config| config.access = Some(Access::Listed(listed))).await;
    for good in ["/pic/320w", "/pic/320w_ratio-1-1_as-webp", "/pic/original"] {
        assert_eq!(
            kivet.get(&format!("{good}/photos/harbour/roofs.jpg")).await.status(),
            200,
            "{good}"
        );
    }
    for (bad, nearest) in
        [("321w", "328w"), ("320w_ratio-1-2", "320w_ratio-1-1"), ("320w_blur-3", "320w")]
    {
        // Not drawn: this is no development.
        let answer = kivet.picture(&format!("/pic/{bad}/photos/harbour/roofs.jpg")).await;
        assert_eq!(answer.status(), 400, "{bad}");
        let problem: Problem = answer.json().await.unwrap();
        assert_eq!(problem.nearest.as_deref(), Some(nearest), "{bad}: {}", problem.detail);
        let way_out = kivet.get(&format!("/pic/{nearest}/photos/harbour/roofs.jpg")).await;
        assert_eq!(way_out.status(), 200);
    }
}

#[tokio::test]
async fn plain_mode_answers_every_address_with_the_untouched_picture() {
    let original =
        std::fs::read(crate::running::demo().join("originals/harbour/roofs.jpg")).unwrap();
    let whole = Running::start_with(|config| config.plain = true).await;
    let shelf =
        Running::start_with(|config| config.shelves.get_mut("photos").unwrap().rules.plain = true)
            .await;
    for kivet in [&whole, &shelf] {
        for recipe in ["640w", "640w_as-webp", "640w_no-such-clause", "original"] {
            let answer =
                kivet.picture(&format!("/pic/{recipe}/photos/harbour/roofs.jpg?v=old")).await;
            assert_eq!(
                (answer.status().as_u16(), header(&answer, "content-type")),
                (200, "image/jpeg"),
                "{recipe}"
            );
            assert_eq!(header(&answer, "cache-control"), "public, max-age=60", "{recipe}");
            assert_eq!(answer.bytes().await.unwrap(), original, "{recipe}");
        }
    }
    std::fs::copy(
        crate::running::demo().join("originals/kites/six-panel.png"),
        shelf.odd.join("kite.png"),
    )
    .unwrap();
    assert!(
        header(&shelf.picture("/pic/90w/odd/kite.png").await, "kivet-rendition")
            .contains("width=90")
    );
}

#[tokio::test]
async fn a_current_version_is_kept_for_ever_once_it_is_final() {
    let kivet = Running::start().await;
    let version = kivet.why(ROOFS, &[]).await.version;
    let current = format!("{ROOFS}?v={version}");
    assert_eq!(header(&kivet.picture(&current).await, "cache-control"), "public, max-age=120");
    let answer = kivet.finished(&current).await;
    assert_eq!(header(&answer, "cache-control"), "public, max-age=31536000, immutable");
    let old = kivet.picture(&format!("{ROOFS}?v=0123456789ab")).await;
    assert_eq!(header(&old, "cache-control"), "public, max-age=60");
    assert_eq!(header(&old, "etag"), header(&answer, "etag"));
    assert_eq!(kivet.get(&format!("{ROOFS}?w={version}")).await.status(), 400);

    let order =
        r#"{"originals":["photos/harbour/roofs.jpg"],"layout":{"sizes":"50vw"},"versioned":true}"#;
    let answer = kivet.order(Method::POST, "/api/markup", order).await;
    assert!(answer.text().await.unwrap().contains(&format!("?v={version}")));
}

#[tokio::test]
async fn a_focus_moves_the_crop_and_the_version_and_outlives_a_restart() {
    let kivet = Running::start().await;
    let path = "/pic/160w_ratio-1-3/photos/harbour/roofs.jpg";
    let before = kivet.why(path, &[]).await;
    let set = async |kivet: &Running, body: &str| {
        let request = reqwest::Client::new()
            .request(Method::PUT, format!("{}/api/library/focus", kivet.root));
        let request = request.bearer_auth(kivet.token()).header("content-type", "application/json");
        request.body(body.to_owned()).send().await.unwrap().status().as_u16()
    };
    assert_eq!(
        set(&kivet, r#"{"original": "photos/harbour/roofs.jpg", "focus": [100, 50]}"#).await,
        200
    );
    let marked = kivet.why(path, &[]).await;
    let rightmost = f64::from(marked.original.width) - marked.crop[2];
    assert!(
        (marked.crop[0] - rightmost).abs() < 1.0 && marked.version != before.version,
        "{:?}",
        marked.crop
    );
    assert_eq!(
        set(&kivet, r#"{"original": "photos/harbour/roofs.jpg", "focus": [101, 50]}"#).await,
        400
    );
    let kivet = kivet.restart().await;
    assert_eq!(kivet.why(path, &[]).await.crop, marked.crop);
    assert_eq!(set(&kivet, r#"{"original": "photos/harbour/roofs.jpg"}"#).await, 200);
    assert_eq!(kivet.why(path, &[]).await.crop, before.crop);
}

#[tokio::test]
async fn under_overload_the_nearest_ready_rendition_stands_in_else_503() {
    let quick = Policy { improve: false, ..Policy::default() };
    let kivet = Running::start_with(|config| {
        config.policy = quick;
        config.limits.queue = 1;
    })
    .await;
    for ready in ["/pic/320w/photos/night/lanterns.jpg", "/pic/640w/photos/night/lanterns.jpg"] {
        assert_eq!(kivet.picture(ready).await.status(), 200);
    }
    let flood = (0..60).map(|i| {
        let path = if i % 2 == 0 {
            format!("/pic/{}w/photos/night/lanterns.jpg", 400 + i)
        } else {
            format!("/pic/{}w/photos/beach/breakers.jpg", 1200 + i)
        };
        let kivet = &kivet;
        async move { kivet.picture(&path).await }
    });
    let answers = futures::future::join_all(flood).await;
    let (mut stood_in, mut refused) = (0, 0);
    for answer in answers {
        match answer.status().as_u16() {
            503 => {
                refused += 1;
                assert!(
                    !header(&answer, "retry-after").is_empty()
                        && header(&answer, "cache-control") == "no-store"
                );
            }
            status => {
                assert_eq!(status, 200);
                if header(&answer, "cache-status") == "Kivet; fwd=miss; detail=nearest" {
                    stood_in += 1;
                    assert_eq!(header(&answer, "cache-control"), "no-store");
                    assert!(header(&answer, "kivet-rendition").contains("; width="));
                }
            }
        }
    }
    assert!(stood_in > 0 && refused > 0, "{stood_in} stood in, {refused} were refused");
}

#[tokio::test]
async fn in_development_a_failure_is_drawn_at_the_asked_size() {
    let kivet = Running::start().await;
    for (path, status, size, says) in [
        ("/pic/300w_200h_blurr-3/photos/harbour/roofs.jpg", 400, (300, 200), "blurr-3"),
        ("/pic/320w_ratio-2-1/photos/nowhere.jpg", 404, (320, 160), "nowhere.jpg"),
        ("/pic/kite/photos/harbour/roofs.jpg", 400, (640, 400), "kite"),
    ] {
        let answer = kivet.picture(path).await;
        assert_eq!(
            (answer.status().as_u16(), header(&answer, "content-type")),
            (status, "image/svg+xml"),
            "{path}"
        );
        assert_eq!(header(&answer, "cache-control"), "no-store");
        let drawing = answer.bytes().await.unwrap();
        let facts = kivet_image::probe(&drawing, Default::default()).unwrap();
        assert_eq!((facts.size.width, facts.size.height), size, "{path}");
        assert!(String::from_utf8_lossy(&drawing).contains(says), "{path}");
    }
    assert_eq!(
        header(&kivet.get("/pic/kite/photos/x.jpg").await, "content-type"),
        "application/problem+json"
    );
}

#[tokio::test]
async fn why_is_told_to_those_with_the_token() {
    let kivet = Running::start().await;
    let path = ROOFS.replacen("/pic/", "/why/", 1);
    assert_eq!(kivet.get(&path).await.status(), 401);
    let why = kivet.why(ROOFS, &[("accept", MODERN)]).await;
    let formats: Vec<Format> = why.candidates.iter().map(|candidate| candidate.format).collect();
    assert!(
        [Format::Avif, Format::Webp, Format::Jpeg, Format::Png]
            .iter()
            .all(|format| formats.contains(format)),
        "{formats:?}"
    );
    assert_eq!(
        (why.reason, why.format, why.ready.is_none()),
        (Reason::FewestBytes, formats[0], true)
    );
    kivet.finished(ROOFS).await;
    let after = kivet.why(ROOFS, &[("accept", MODERN)]).await;
    assert_eq!(after.ready.map(|ready| ready.detail), Some(Stage::Final));
    assert!(
        after.candidates.iter().any(|candidate| candidate.basis != Basis::Prior),
        "the curve was measured"
    );
}
