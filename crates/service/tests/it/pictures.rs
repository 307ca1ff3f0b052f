//! Pictures: choice, cache, conditions, one computation, replacement, stopping.

use futures::future::join_all;
use kivet_image::{Limits, probe};
use kivet_recipe::{Format, Size};

use crate::running::{MODERN, Running, header};

const DAWN: &str = "/pic/640w/photos/harbour/kites-dawn.jpg";

#[tokio::test]
async fn the_accept_header_decides_the_format_and_a_second_request_hits() {
    let kivet = Running::start().await;
    for (accept, format) in
        [(MODERN, Format::Avif), ("image/webp,*/*", Format::Webp), ("*/*", Format::Jpeg)]
    {
        let ask = || async { kivet.request(DAWN).header("accept", accept).send().await.unwrap() };
        let first = ask().await;
        assert_eq!(
            (first.status().as_u16(), header(&first, "content-type")),
            (200, format.media_type())
        );
        assert_eq!(header(&first, "cache-status"), "Kivet; fwd=miss; stored; detail=first");
        assert_eq!(header(&first, "vary"), "accept, save-data");
        assert!(header(&first, "server-timing").contains("encode;dur="));
        let name = format!("inline; filename=\"kites-dawn.{}\"", format.extension());
        assert_eq!(header(&first, "content-disposition"), name);
        let bytes = first.bytes().await.unwrap();
        let facts = probe(&bytes, Limits::default()).unwrap();
        assert_eq!((facts.format, facts.size), (format, Size::new(640, 427)));

        let second = ask().await;
        assert!(header(&second, "cache-status").starts_with("Kivet; hit; detail="));
        let same = second.headers()["cache-status"] == "Kivet; hit; detail=first";
        assert!(!same || second.bytes().await.unwrap() == bytes);
    }
}

#[tokio::test]
async fn a_rendition_outlives_a_restart_and_a_current_copy_is_not_sent_again() {
    let kivet = Running::start().await;
    let made = kivet.finished(DAWN).await;
    let etag = header(&made, "etag").to_owned();
    let bytes = made.bytes().await.unwrap();

    let kivet = kivet.restart().await;
    let again = kivet.picture(DAWN).await;
    assert_eq!(header(&again, "cache-status"), "Kivet; hit; detail=final");
    assert_eq!(
        (header(&again, "etag"), again.content_length()),
        (etag.as_str(), Some(bytes.len() as u64))
    );
    assert_eq!(again.bytes().await.unwrap(), bytes);
    assert_eq!(kivet.counter("kivet_renditions_made_total").await, 0);

    let known = kivet
        .request(DAWN)
        .header("accept", MODERN)
        .header("if-none-match", format!("\"other\", W/{etag}"));
    let unchanged = known.send().await.unwrap();
    assert_eq!(
        (unchanged.status().as_u16(), header(&unchanged, "vary"), header(&unchanged, "etag")),
        (304, "accept, save-data", etag.as_str())
    );
    assert!(unchanged.bytes().await.unwrap().is_empty());

    let head = reqwest::Client::new()
        .head(format!("{}{DAWN}", kivet.root))
        .header("accept", MODERN)
        .send()
        .await
        .unwrap();
    assert_eq!(
        (header(&head, "etag"), header(&head, "content-length")),
        (etag.as_str(), bytes.len().to_string().as_str())
    );
}

#[tokio::test]
async fn a_hundred_at_once_cause_one_computation() {
    let kivet = Running::start().await;
    let answers =
        join_all((0..100).map(|_| kivet.picture("/pic/320w_ratio-1-1/photos/beach/breakers.jpg")))
            .await;
    let mut sources: Vec<&str> =
        answers.iter().map(|answer| header(answer, "cache-status")).collect();
    sources.sort_unstable();
    sources.dedup();
    assert!(answers.iter().all(|answer| answer.status() == 200), "{sources:?}");
    let etag = header(&answers[0], "etag");
    assert!(answers.iter().all(|answer| header(answer, "etag") == etag));
    assert_eq!(kivet.counter("kivet_renditions_made_total").await, 1);
}

#[tokio::test]
async fn clauses_in_any_order_are_one_rendition_and_nothing_is_enlarged() {
    let kivet = Running::start().await;
    let made = kivet.picture("/pic/ratio-4-2_200w_as-png/photos/kites/six-panel.png").await;
    assert_eq!(header(&made, "kivet-rendition"), "png; width=200; height=100");
    assert_eq!(
        header(&made, "vary"),
        "",
        "a fixed lossless format depends on nothing the request says"
    );
    let same = kivet.picture("/pic/200w_ratio-2-1_as-png/photos/kites/six-panel.png").await;
    assert!(header(&same, "cache-status").starts_with("Kivet; hit; detail="));

    let held_back = kivet.picture("/pic/9000w_as-webp/photos/kites/six-panel.png").await;
    let said = "webp; width=1600; height=1600; requested-width=9000; requested-height=9000";
    assert_eq!(header(&held_back, "kivet-rendition"), said);
}

#[tokio::test]
async fn a_replaced_original_is_noticed() {
    let kivet = Running::start().await;
    let originals = crate::running::demo().join("originals");
    let file = kivet.odd.join("kite.png");
    std::fs::copy(originals.join("kites/six-panel.png"), &file).unwrap();
    let before = kivet.picture("/pic/100w/odd/kite.png").await;
    std::fs::copy(originals.join("kites/green-delta.png"), &file).unwrap();
    // The service trusts what it saw for two seconds.
    let changed = async {
        loop {
            let after = kivet.picture("/pic/100w/odd/kite.png").await;
            if header(&after, "etag") != header(&before, "etag") {
                break;
            }
            tokio::time::sleep(std::time::Duration::from_millis(100)).await;
        }
    };
    tokio::time::timeout(std::time::Duration::from_secs(20), changed)
        .await
        .expect("the new picture is served");
}

#[tokio::test]
async fn a_turned_and_a_wide_gamut_original_come_out_upright_and_in_srgb() {
    let kivet = Running::start().await;
    let upright = kivet.picture("/pic/90w_as-avif/photos/makers/tomas-reed.jpg").await;
    assert_eq!(header(&upright, "kivet-rendition"), "avif; width=90; height=120");
    let front = kivet.picture("/pic/90w_as-png/photos/field/storm-front.jpg").await;
    let facts = probe(&front.bytes().await.unwrap(), Limits::default()).unwrap();
    assert_eq!(facts.profile, None);
}

#[tokio::test]
async fn being_told_to_stop_does_not_cut_off_a_viewer() {
    let mut kivet = Running::start().await;
    let address = format!("{}/pic/1920w_as-avif/photos/night/lanterns.jpg", kivet.root);
    let viewer =
        tokio::spawn(async move { reqwest::get(address).await.unwrap().bytes().await.unwrap() });
    while kivet.counter("kivet_renditions_under_way").await == 0 {
        assert!(!viewer.is_finished(), "the rendition was made before it was seen under way");
    }
    kivet.tell_to_stop();
    let facts = probe(&viewer.await.unwrap(), Limits::default()).unwrap();
    assert_eq!(facts.size.width, 1920);
}

#[tokio::test]
async fn connections_that_say_nothing_do_not_hold_up_the_stop() {
    use std::io::Write;
    let mut kivet = Running::start().await;
    let address = kivet.root.trim_start_matches("http://").to_owned();
    let mut open: Vec<std::net::TcpStream> =
        (0..4).map(|_| std::net::TcpStream::connect(&address).unwrap()).collect();
    open[0].write_all(b"GET /readyz HT").unwrap();
    assert_eq!(kivet.get("/readyz").await.status(), 200);
    kivet.tell_to_stop();
    let stopped = tokio::time::timeout(std::time::Duration::from_secs(15), kivet.serving).await;
    stopped.expect("open requests are waited for, silent connections are not").unwrap();
}

#[tokio::test]
async fn a_viewer_who_leaves_does_not_throw_the_work_away() {
    let kivet = Running::start().await;
    let path = "/pic/1280w_as-avif/photos/night/lanterns.jpg";
    let leaving = tokio::spawn(reqwest::get(format!("{}{path}", kivet.root)));
    while kivet.counter("kivet_renditions_under_way").await == 0 {
        assert!(!leaving.is_finished(), "the rendition was made before it was seen under way");
    }
    leaving.abort();
    let stayed = kivet.picture(path).await;
    assert_eq!(stayed.status(), 200);
    assert_ne!(header(&stayed, "cache-status"), "Kivet; fwd=miss; stored; detail=first");
    assert_eq!(kivet.counter("kivet_renditions_made_total").await, 1);
}

#[tokio::test]
async fn a_flat_logo_is_exact_and_transparency_survives_or_is_laid_on_a_colour() {
    let kivet = Running::start().await;
    let draw = async |path: &str| {
        let bytes = kivet.picture(path).await.bytes().await.unwrap();
        let facts = probe(&bytes, Limits::default()).unwrap();
        let plan = kivet_recipe::plan_for(&"as-png".parse().unwrap(), &facts);
        (facts.format, kivet_image::draw(&bytes, &facts, &plan, None).unwrap())
    };
    let (format, logo) = draw("/pic/320w/photos/brand/windmark-logo.png").await;
    let (_, exact) = draw("/pic/320w_as-png/photos/brand/windmark-logo.png").await;
    assert_eq!(
        (format, logo.has_alpha()),
        (Format::Webp, true),
        "few colours are kept losslessly, in the smaller format"
    );
    let differs = logo
        .bytes()
        .chunks(4)
        .zip(exact.bytes().chunks(4))
        .any(|(a, b)| a[3] != b[3] || (a[3] == 255 && a != b));
    assert!(!differs, "both lossless formats hold the same pixels");

    let (format, laid) = draw("/pic/320w_on-102030_as-png/photos/brand/windmark-logo.png").await;
    let last = laid.bytes().len() - 3;
    assert_eq!(
        (format, laid.has_alpha(), &laid.bytes()[last..]),
        (Format::Png, false, &[16, 32, 48][..])
    );
}

#[tokio::test]
async fn stores_that_fail_keep_no_picture_back() {
    let mut data = std::path::PathBuf::new();
    let kivet = Running::start_with(|config| data.clone_from(&config.data)).await;
    let path = "/pic/160w/photos/night/lanterns.jpg";
    let before = kivet.picture(path).await;
    assert_eq!(before.status(), 200);
    // The folder of renditions goes, and a file stands in its place; the index loses its tables.
    let renditions = data.join("renditions");
    std::fs::remove_dir_all(&renditions).unwrap();
    std::fs::write(&renditions, "not a folder").unwrap();
    let records = rusqlite::Connection::open(data.join("records.db")).unwrap();
    records
        .execute_batch("DROP TABLE renditions; DROP TABLE originals; DROP TABLE focus;")
        .unwrap();
    for path in [path, "/pic/170w/photos/night/lanterns.jpg", "/pic/160w/photos/harbour/roofs.jpg"]
    {
        let answer = kivet.picture(path).await;
        let kind = header(&answer, "content-type").to_owned();
        assert!(answer.status() == 200 && kind.starts_with("image/"), "{path}: {kind}");
    }
    assert!(kivet.counter("kivet_storage_failures_total").await >= 1);
    assert_eq!(kivet.get("/readyz").await.status(), 503, "and whoever balances the load is told");
}

#[tokio::test]
async fn parts_of_pictures_are_sent() {
    let kivet = Running::start().await;
    let path = "/pic/160w_as-webp/photos/night/lanterns.jpg";
    let whole = kivet.finished(path).await;
    assert_eq!(header(&whole, "accept-ranges"), "bytes");
    let (etag, bytes) = (header(&whole, "etag").to_owned(), whole.bytes().await.unwrap());
    let part = |range: &'static str, condition: Option<String>| {
        let asked = kivet.request(path).header("accept", MODERN).header("range", range);
        condition.into_iter().fold(asked, |asked, tag| asked.header("if-range", tag)).send()
    };
    let answer = part("bytes=10-29", Some(etag.clone())).await.unwrap();
    assert_eq!(answer.status(), 206);
    assert_eq!(header(&answer, "content-range"), format!("bytes 10-29/{}", bytes.len()));
    assert_eq!(
        (header(&answer, "etag"), header(&answer, "content-type")),
        (etag.as_str(), "image/webp")
    );
    assert_eq!(answer.bytes().await.unwrap(), bytes[10..30]);
    let last = part("bytes=-7", None).await.unwrap();
    assert_eq!(last.bytes().await.unwrap(), bytes[bytes.len() - 7..]);
    let other = part("bytes=10-29", Some("\"another\"".to_owned())).await.unwrap();
    assert_eq!((other.status().as_u16(), other.bytes().await.unwrap()), (200, bytes.clone()));
    let beyond = part("bytes=9999999-", None).await.unwrap();
    assert_eq!(beyond.status(), 416);
    assert_eq!(header(&beyond, "content-range"), format!("bytes */{}", bytes.len()));
}
