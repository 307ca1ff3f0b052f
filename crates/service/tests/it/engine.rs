//! The engine over HTTP: vectors, animated pictures, overlays, originals, odd files, and one decode
//! for a whole ladder.

use std::{io::Read, path::PathBuf};

use kivet_image::{Limits, Raster, draw, encode, probe};
use kivet_recipe::{Encoding, Format, Position, Recipe, Size, plan_for};
use kivet_service::{Originals, OverlaySettings};

use crate::running::{Running, demo, header};

async fn drawn(kivet: &Running, path: &str) -> (Format, Raster) {
    let answer = kivet.picture(path).await;
    assert_eq!(answer.status(), 200, "{path}");
    let bytes = answer.bytes().await.unwrap();
    let facts = probe(&bytes, Limits::default()).unwrap();
    (facts.format, draw(&bytes, &facts, &plan_for(&Recipe::default(), &facts), None).unwrap())
}

#[tokio::test]
async fn a_vector_stays_one_clean_and_packed_until_pixels_are_asked_for() {
    let kivet = Running::start().await;
    let nasty = "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 60 40\" onload=\"act()\"><script>act()</script><path d=\"M0 0h60v40z\" fill=\"#c22\"/></svg>";
    std::fs::write(kivet.odd.join("kite.svg"), nasty).unwrap();
    let plain = kivet.picture("/pic/320w_ratio-1-1/odd/kite.svg").await;
    assert_eq!(header(&plain, "content-type"), "image/svg+xml");
    assert!(header(&plain, "content-security-policy").contains("sandbox"));
    assert_eq!(header(&plain, "vary"), "accept-encoding");
    let etag = header(&plain, "etag").to_owned();
    let text = plain.text().await.unwrap();
    assert!(
        text.contains("#c22") && !text.contains("act()") && text.contains("width=\"320\""),
        "{text}"
    );

    let compressed = kivet
        .request("/pic/320w_ratio-1-1/odd/kite.svg")
        .header("accept-encoding", "gzip")
        .send()
        .await
        .unwrap();
    assert_eq!(header(&compressed, "content-encoding"), "gzip");
    let packed_etag = header(&compressed, "etag").to_owned();
    assert_ne!(packed_etag, etag);
    let mut unpacked = String::new();
    let bytes = compressed.bytes().await.unwrap();
    flate2::read::GzDecoder::new(bytes.as_ref()).read_to_string(&mut unpacked).unwrap();
    assert_eq!(unpacked, text);
    let again = kivet
        .request("/pic/320w_ratio-1-1/odd/kite.svg")
        .header("accept-encoding", "gzip")
        .header("if-none-match", &packed_etag)
        .send()
        .await
        .unwrap();
    assert_eq!((again.status().as_u16(), header(&again, "vary")), (304, "accept-encoding"));

    let (format, pixels) = drawn(&kivet, "/pic/320w_as-png/odd/kite.svg").await;
    assert_eq!(
        (format, pixels.size()),
        (Format::Png, Size::new(320, 213)),
        "a vector is drawn at any size"
    );
    let (format, _) = drawn(&kivet, "/pic/640w_blur-4/photos/brand/mark.svg").await;
    assert_eq!(format, Format::Webp, "a filter needs pixels");
}

#[tokio::test]
async fn the_windsock_keeps_moving_and_still_stops_it() {
    let kivet = Running::start().await;
    let original = std::fs::metadata(demo().join("originals/motion/windsock.gif")).unwrap().len();
    let animated = kivet.picture("/pic/240w/photos/motion/windsock.gif").await;
    assert_eq!(header(&animated, "content-type"), "image/webp");
    let bytes = animated.bytes().await.unwrap();
    assert!(probe(&bytes, Limits::default()).unwrap().animated && (bytes.len() as u64) < original);
    let old = kivet.request("/pic/240w/photos/motion/windsock.gif").send().await.unwrap();
    assert_eq!(header(&old, "content-type"), "image/gif");
    let still = kivet.picture("/pic/240w_still/photos/motion/windsock.gif").await;
    assert!(!probe(&still.bytes().await.unwrap(), Limits::default()).unwrap().animated);
}

fn marked(forced: bool) -> impl FnOnce(&mut kivet_service::Config) {
    move |config| {
        let picture: PathBuf = demo().join("originals/brand/windmark-logo.png");
        let position = Position::new(100, 100).unwrap();
        let overlay =
            OverlaySettings { picture, position, width_percent: 30, opacity_percent: 100 };
        config.overlays.insert("mark".to_owned(), overlay);
        if forced {
            config.shelves.get_mut("photos").unwrap().rules.overlay = Some("mark".to_owned());
        }
    }
}

#[tokio::test]
async fn an_overlay_lies_where_it_is_told_and_a_shelf_can_force_it() {
    let kivet = Running::start_with(marked(false)).await;
    // Whoever asks first is drawn for without a reduction, all others through one.
    let first = "/pic/100w/photos/beach/dunes-noon.jpg";
    drawn(&kivet, first).await;
    let (_, plain) = drawn(&kivet, "/pic/400w_as-png/photos/beach/dunes-noon.jpg").await;
    let (_, under) =
        drawn(&kivet, "/pic/400w_overlay-mark_as-png/photos/beach/dunes-noon.jpg").await;
    let differs = |x: u32, y: u32| {
        let at = (y * 400 + x) as usize * 3;
        plain.bytes()[at..at + 3] != under.bytes()[at..at + 3]
    };
    let height = plain.size().height;
    let count = |xs: std::ops::Range<u32>, ys: std::ops::Range<u32>| {
        ys.map(|y| xs.clone().filter(|x| differs(*x, y)).count()).sum::<usize>()
    };
    assert_eq!(count(0..279, 0..height), 0, "only the right three tenths are touched");
    assert!(count(280..400, height / 2..height) > 500);

    let forced = Running::start_with(marked(true)).await;
    drawn(&forced, first).await;
    let (_, anyway) = drawn(&forced, "/pic/400w_as-png/photos/beach/dunes-noon.jpg").await;
    assert_eq!(anyway, under);
    let original = forced.picture("/pic/original/photos/beach/dunes-noon.jpg").await;
    assert_eq!(
        (original.status().as_u16(), header(&original, "content-type")),
        (200, "image/jpeg")
    );
    let file = std::fs::read(demo().join("originals/beach/dunes-noon.jpg")).unwrap();
    assert_ne!(
        original.bytes().await.unwrap(),
        file,
        "the original goes out under the overlay too"
    );
}

#[tokio::test]
async fn an_original_is_sent_without_its_place_as_it_is_or_not_at_all() {
    let located = {
        let photograph = encode(
            &Raster::filled(Size::new(64, 48), [9, 90, 200, 255], false),
            Format::Jpeg,
            Encoding::lossy(80.0),
        )
        .unwrap();
        let xmp =
            b"http://ns.adobe.com/xap/1.0/\0<x:xmpmeta xmlns:x=\"adobe:ns:meta/\" exif:GPSLatitude=\"54,10.5N\"/>";
        let length = (xmp.len() as u16 + 2).to_be_bytes();
        [&photograph[..2], &[0xFF, 0xE1], &length, xmp, &photograph[2..]].concat()
    };
    for (originals, status, says_place) in [
        (Originals::WithoutLocation, 200, false),
        (Originals::Untouched, 200, true),
        (Originals::Refused, 403, false),
    ] {
        let kivet = Running::start_with(|config| {
            config.shelves.get_mut("odd").unwrap().rules.originals = originals
        })
        .await;
        std::fs::write(kivet.odd.join("pier.jpg"), &located).unwrap();
        let answer = kivet.picture("/pic/original/odd/pier.jpg").await;
        assert_eq!((answer.status().as_u16(), header(&answer, "vary")), (status, ""));
        let bytes = answer.bytes().await.unwrap();
        assert_eq!(
            bytes.windows(8).any(|window| window == b"54,10.5N"),
            says_place,
            "{originals:?}"
        );
        assert_eq!(bytes == located, says_place, "{originals:?}");
    }
}

#[tokio::test]
async fn a_ladder_of_a_large_original_reads_it_once_and_a_restart_finds_the_reduction() {
    let kivet = Running::start().await;
    let file = kivet.odd.join("lanterns.jpg");
    std::fs::copy(demo().join("originals/night/lanterns.jpg"), &file).unwrap();
    let path = |recipe: &str| format!("/pic/{recipe}/odd/lanterns.jpg");
    assert_eq!(kivet.picture(&path("640w_as-webp")).await.status(), 200);
    // The first viewer does not wait for a reduction; it is made once somebody else asks, or the
    // background looks at the picture.
    assert_eq!(kivet.picture(&path("320w_as-webp")).await.status(), 200);
    let reductions = std::fs::read_dir(kivet.data().join("reductions")).unwrap().count();
    assert!(reductions > 0, "a reduction is kept on disk");
    let kivet = kivet.restart().await;
    for recipe in ["480w_as-avif", "640w_as-jpeg", "960w_ratio-1-1_as-webp"] {
        let answer = kivet.picture(&path(recipe)).await;
        assert_eq!(answer.status(), 200, "{recipe}");
    }
    let (_, small) = drawn(&kivet, &path("320w_as-png")).await;
    let direct = {
        let bytes = std::fs::read(&file).unwrap();
        let facts = probe(&bytes, Limits::default()).unwrap();
        draw(&bytes, &facts, &plan_for(&"320w".parse().unwrap(), &facts), None).unwrap()
    };
    let off: u64 =
        small.bytes().iter().zip(direct.bytes()).map(|(a, b)| u64::from(a.abs_diff(*b))).sum();
    assert!((off as f64) / (small.bytes().len() as f64) < 2.5, "{off}");
}

/// Several formats of one shape wait for the same drawing: if it fails, each is told why.
#[tokio::test]
async fn an_original_that_vanishes_is_a_reason_for_all_who_wait() {
    let kivet = Running::start().await;
    let file = kivet.odd.join("roofs.jpg");
    std::fs::copy(demo().join("originals/harbour/roofs.jpg"), &file).unwrap();
    // Its facts are known and trusted for two seconds; its bytes are gone.
    let known = kivet
        .request("/api/library/look?original=odd/roofs.jpg")
        .bearer_auth(kivet.token())
        .send()
        .await
        .unwrap();
    assert_eq!(known.status(), 200);
    assert_eq!(kivet.picture("/pic/original/odd/roofs.jpg").await.status(), 200);
    std::fs::remove_file(&file).unwrap();
    let paths = ["avif", "webp", "jpeg", "png"]
        .map(|format| format!("/pic/3000w_as-{format}/odd/roofs.jpg"));
    for answer in futures::future::join_all(paths.iter().map(|path| kivet.picture(path))).await {
        let status = answer.status().as_u16();
        assert!((400..500).contains(&status), "{status}");
        assert!(answer.text().await.unwrap().contains("odd/roofs.jpg"));
    }
}

/// Files of every sort, whole, cut off and scrambled: an answer with a picture, or a reason; never
/// a 5xx.
#[tokio::test]
async fn every_odd_input_is_a_picture_or_a_reason() {
    let kivet = Running::start().await;
    let seed = Raster::filled(Size::new(48, 32), [200, 90, 30, 180], true);
    let opaque = Raster::filled(Size::new(48, 32), [200, 90, 30, 255], false);
    let lossy = Encoding::lossy(60.0);
    let mut files: Vec<(String, Vec<u8>)> = vec![
        ("a.jpg".into(), encode(&opaque, Format::Jpeg, lossy).unwrap()),
        ("a.png".into(), encode(&seed, Format::Png, Encoding::Lossless).unwrap()),
        ("a.webp".into(), encode(&seed, Format::Webp, lossy).unwrap()),
        ("a.avif".into(), encode(&seed, Format::Avif, lossy).unwrap()),
        ("a.jxl".into(), encode(&seed, Format::Jxl, lossy).unwrap()),
        ("a.gif".into(), encode(&seed, Format::Gif, Encoding::Palette).unwrap()),
        ("b.gif".into(), std::fs::read(demo().join("originals/motion/windsock.gif")).unwrap()),
        ("a.svg".into(), std::fs::read(demo().join("originals/brand/mark.svg")).unwrap()),
        ("empty.jpg".into(), Vec::new()),
        (
            "bomb.svg".into(),
            format!("<svg xmlns=\"http://www.w3.org/2000/svg\">{}", "<g>".repeat(50_000))
                .into_bytes(),
        ),
    ];
    for (name, bytes) in files.clone() {
        for (i, at) in [3, 5, 8].into_iter().enumerate() {
            let cut = bytes.len() * at / 9;
            files.push((format!("cut-{i}-{name}"), bytes[..cut].to_vec()));
            let mut scrambled = bytes.clone();
            for (j, byte) in scrambled.iter_mut().enumerate().skip(12 + i * 7).step_by(29 + at) {
                *byte ^= (j * 37 + 11) as u8;
            }
            files.push((format!("scrambled-{i}-{name}"), scrambled));
        }
    }
    let mut pictures = 0;
    for (name, bytes) in &files {
        std::fs::write(kivet.odd.join(name), bytes).unwrap();
        for recipe in ["24w", "20w_20h_trim_rotate-90_as-jpeg", "original"] {
            let answer = kivet
                .request(&format!("/pic/{recipe}/odd/{name}"))
                .header("accept", "*/*")
                .send()
                .await
                .unwrap();
            let status = answer.status().as_u16();
            assert!(
                status == 200 || (400..500).contains(&status),
                "{recipe} of {name}: {status} {}",
                answer.text().await.unwrap()
            );
            if status == 200 {
                pictures += 1;
            } else {
                assert_eq!(
                    header(&answer, "content-type"),
                    "application/problem+json",
                    "{recipe} of {name}"
                );
            }
        }
    }
    assert!(pictures >= 24, "{pictures}");
    assert_eq!(kivet.get("/readyz").await.status(), 200);
}
