//! Answers that are ready, and everything that must take them back at once.

use kivet_service::Limits;
use reqwest::Method;

use crate::running::{MODERN, Running, header};

const PATH: &str = "/pic/160w_ratio-1-1/photos/night/lanterns.jpg";

/// Asks until the answer comes from the ready ones: they have no time to tell.
async fn ready(kivet: &Running, path: &str) -> reqwest::Response {
    for _ in 0..200 {
        let answer = kivet.picture(path).await;
        if header(&answer, "server-timing") == "memory" {
            return answer;
        }
    }
    panic!("{path} is never ready");
}

#[tokio::test]
async fn a_ready_answer_says_what_the_first_one_said() {
    let kivet = Running::start().await;
    let first = kivet.finished(PATH).await;
    let again = ready(&kivet, PATH).await;
    for name in
        ["content-type", "etag", "cache-control", "vary", "kivet-rendition", "accept-ranges"]
    {
        assert_eq!(header(&first, name), header(&again, name), "{name}");
    }
    assert_eq!(header(&again, "cache-status"), "Kivet; hit; detail=final");
    let etag = header(&again, "etag").to_owned();
    assert_eq!(first.bytes().await.unwrap(), again.bytes().await.unwrap());
    let asked = || kivet.request(PATH).header("accept", MODERN);
    let unchanged = asked().header("if-none-match", &etag).send().await.unwrap();
    assert_eq!((unchanged.status().as_u16(), header(&unchanged, "etag")), (304, etag.as_str()));
    assert_eq!(header(&unchanged, "content-type"), "");
    let part = asked().header("range", "bytes=0-9").send().await.unwrap();
    assert_eq!((part.status().as_u16(), part.bytes().await.unwrap().len()), (206, 10));
    // Other viewers are other viewers.
    let plain = kivet.request(PATH).header("accept", "image/png").send().await.unwrap();
    assert_eq!(header(&plain, "content-type"), "image/jpeg");
}

#[tokio::test]
async fn what_is_changed_is_not_ready_any_more() {
    let kivet = Running::start().await;
    // A focal point.
    kivet.finished(PATH).await;
    let before = header(&ready(&kivet, PATH).await, "etag").to_owned();
    let focus = r#"{"original":"photos/night/lanterns.jpg","focus":[5,5]}"#;
    assert_eq!(kivet.order(Method::PUT, "/api/library/focus", focus).await.status(), 200);
    let answer = kivet.picture(PATH).await;
    assert_ne!(header(&answer, "etag"), before, "the crop follows the focal point");
    // A place.
    let place = "/pic/@note/photos/harbour/roofs.jpg";
    let set = async |ratio: &str| {
        let body = format!(r#"{{"sizes":"120px","ratio":"{ratio}"}}"#);
        let status = kivet.order(Method::PUT, "/api/places/note", body).await.status();
        assert!(status.is_success(), "{status}");
    };
    set("1/1").await;
    kivet.picture(place).await;
    let square = ready(&kivet, place).await;
    set("2/1").await;
    let wide = kivet.picture(place).await;
    assert_ne!(header(&square, "kivet-rendition"), header(&wide, "kivet-rendition"));
    // A better rendition.
    let path = "/pic/170w/photos/beach/breakers.jpg";
    let first = kivet.picture(path).await;
    assert!(header(&first, "cache-status").ends_with("detail=first"));
    let last = kivet.finished(path).await;
    assert_eq!(header(&ready(&kivet, path).await, "etag"), header(&last, "etag"));
}

#[tokio::test]
async fn a_file_replaced_with_the_same_length_and_time_is_noticed() {
    let kivet = Running::start().await;
    let file = kivet.odd.join("swap.png");
    let drawn = |colour: [u8; 3]| {
        let mut bytes = Vec::new();
        let mut writer = png::Encoder::new(&mut bytes, 32, 32);
        writer.set_color(png::ColorType::Rgb);
        writer.set_compression(png::Compression::NoCompression);
        let mut writer = writer.write_header().unwrap();
        writer.write_image_data(&colour.repeat(32 * 32)).unwrap();
        writer.finish().unwrap();
        bytes
    };
    let time = std::time::SystemTime::UNIX_EPOCH + std::time::Duration::from_secs(1_700_000_000);
    let put = |colour| {
        std::fs::write(&file, drawn(colour)).unwrap();
        std::fs::File::options().append(true).open(&file).unwrap().set_modified(time).unwrap();
    };
    put([200, 0, 0]);
    let path = "/pic/16w/odd/swap.png";
    let red = ready(&kivet, path).await.bytes().await.unwrap();
    put([0, 0, 200]);
    let mut last = red.clone();
    for _ in 0..40 {
        let answer = kivet.picture(path).await;
        assert_eq!(answer.status(), 200);
        last = answer.bytes().await.unwrap();
        if last != red {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    assert_ne!(last, red, "it is noticed within 4 s");
}

#[tokio::test]
async fn a_vector_is_packed_for_those_who_unpack() {
    let kivet = Running::start_with(|config| config.limits = Limits::default()).await;
    let drawing = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="40" height="40">{}</svg>"#,
        r#"<path d="M0 0h9v9z"/>"#.repeat(200)
    );
    std::fs::write(kivet.odd.join("many.svg"), drawing).unwrap();
    let path = "/pic/40w/odd/many.svg";
    let asked = |coding| kivet.request(path).header("accept-encoding", coding).send();
    let whole = asked("identity").await.unwrap();
    assert_eq!(header(&whole, "content-encoding"), "");
    let whole = whole.bytes().await.unwrap();
    for (coding, is_packed) in [
        ("gzip", true),
        ("br, GZIP;Q=0.4", true),
        ("gzip;Q=0", false),
        ("gzip;q=0.000", false),
        ("gzip;q=7", false),
    ] {
        // Twice: worked out, and ready.
        for _ in 0..2 {
            let answer = asked(coding).await.unwrap();
            assert_eq!(header(&answer, "content-encoding") == "gzip", is_packed, "{coding}");
            assert!(header(&answer, "vary").contains("accept-encoding"), "{coding}");
            let bytes = answer.bytes().await.unwrap();
            assert_eq!(bytes.len() < whole.len(), is_packed, "{coding}");
        }
    }
}
