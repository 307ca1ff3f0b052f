//! Findings from observations of pages read as text, without a browser or a file.

use std::collections::{BTreeSet, HashMap};

use kivet_recipe::{Facts, Format, Kind, Size, Storage};

use crate::{Budget, Code, DEVICES, TextPage, findings, observation::PictureFile, observe};

/// A photograph of 400 x 300 px in 9,000 bytes.
fn photograph() -> PictureFile {
    PictureFile {
        facts: Some(Facts::plain(Format::Jpeg, Size { width: 400, height: 300 }, Storage::Lossy)),
        bytes: BYTES,
        hash: "k".to_owned(),
        metadata_bytes: 0,
        has_location: false,
        kind: Kind::Photo,
    }
}

const BYTES: u64 = 9_000;

/// The codes found on a phone in a page with this body, all of whose requests are answered.
fn found(body: &str) -> BTreeSet<Code> {
    let html =
        format!("<!doctype html><html lang=en><title>Kites</title><body>{body}</body></html>");
    let url = "https://kites.example/".parse().expect("a URL");
    let files = HashMap::from([("https://kites.example/k.jpg".to_owned(), photograph())]);
    let page = TextPage { url: &url, html: &html, sheets: &[], files: &files, no_store: false };
    let mut seen =
        observe(page, &DEVICES[1..2], &Budget::default()).expect("a small page").remove(0);
    for request in &mut seen.requests {
        request.status = 200;
        request.bytes = BYTES;
    }
    findings(&seen).into_iter().map(|finding| finding.code).collect()
}

#[track_caller]
fn finds(body: &str, code: Code) {
    let codes = found(body);
    assert!(codes.contains(&code), "{code} is missing in {codes:?}");
}

#[track_caller]
fn finds_not(body: &str, code: Code) {
    let codes = found(body);
    assert!(!codes.contains(&code), "{code} is a false alarm in {body}");
}

const SIZED: &str = r#"src="/k.jpg" width="400" height="300""#;

#[test]
fn alt_is_missed_only_where_readers_would_miss_it() {
    finds(&format!("<img {SIZED}>"), Code::AltMissing);
    finds(&format!(r#"<img {SIZED} alt="IMG_0231.jpg">"#), Code::AltUseless);
    finds(&format!(r#"<a href="/x"><img {SIZED} alt=""></a>"#), Code::AltUseless);
    for good in [r#"alt="Six kites over the harbour""#, r#"alt="""#, r#"aria-hidden="true""#] {
        finds_not(&format!("<img {SIZED} {good}>"), Code::AltMissing);
        finds_not(&format!("<img {SIZED} {good}>"), Code::AltUseless);
    }
}

#[test]
fn room_is_kept_by_attributes_by_ratio_or_not_at_all() {
    finds(r#"<img src="/k.jpg" alt="">"#, Code::NoRoom);
    finds_not(&format!(r#"<img {SIZED} alt="">"#), Code::NoRoom);
    finds_not(
        r#"<img src="/k.jpg" alt="" style="width: 100%; aspect-ratio: 4 / 3">"#,
        Code::NoRoom,
    );
    finds_not(r#"<img src="/k.jpg" alt="" style="position: absolute">"#, Code::NoRoom);
}

#[test]
fn loading_is_judged_by_where_the_picture_stands() {
    let below = r#"<div style="height: 3000px"></div>"#;
    finds(&format!(r#"<img {SIZED} alt="" loading="lazy">"#), Code::LazyAbove);
    finds_not(&format!(r#"{below}<img {SIZED} alt="" loading="lazy">"#), Code::LazyAbove);
    finds_not(&format!(r#"<img {SIZED} alt="">"#), Code::LazyAbove);
}

#[test]
fn sizes_belong_to_widths() {
    let srcset = r#"src="/k-400.jpg" srcset="/k-400.jpg 400w, /k-800.jpg 800w" alt="""#;
    let column = |image: &str| format!(r#"<div style="width: 200px">{image}</div>"#);
    finds(
        &column(&format!(r#"<img {srcset} style="width: 100%; aspect-ratio: 4 / 3">"#)),
        Code::SizesMissing,
    );
    let sized = r#"sizes="200px" style="width: 100%; aspect-ratio: 4 / 3""#;
    finds_not(&column(&format!("<img {srcset} {sized}>")), Code::SizesMissing);
    finds_not(&column(&format!("<img {srcset} {sized}>")), Code::SizesWrong);
    let wrong = sized.replace("200px", "390px");
    finds(&column(&format!("<img {srcset} {wrong}>")), Code::SizesWrong);
}

#[test]
fn stacked_loaders_and_layout_animations_are_seen_in_markup() {
    let twice =
        format!(r#"<img {SIZED} alt="" loading="lazy" class="lazyload" data-src="/k.jpg">"#);
    finds(&twice, Code::TwoLazyLoaders);
    let animated = |property: &str| {
        format!(
            "<style>@keyframes fly {{ to {{ {property} }} }} .kite {{ animation: fly 2s }}</style><p class=kite>Up</p>"
        )
    };
    finds(&animated("margin-left: 40px"), Code::LayoutAnimated);
    finds_not(&animated("transform: translateX(40px)"), Code::LayoutAnimated);
}

#[test]
fn what_is_in_templates_is_neither_fetched_nor_applied() {
    let urgent = format!(r#"<img {SIZED} alt="Six kites">"#);
    finds(&format!("<div style='display: none'>{urgent}</div>"), Code::HiddenNotLow);
    finds_not(&format!("<template>{urgent}</template>"), Code::HiddenNotLow);
    let hides = "<style>img { display: none }</style>";
    finds(&format!("{hides}{urgent}"), Code::HiddenNotLow);
    for inner in ["<template>", "<div><template shadowrootmode=open>"] {
        finds_not(&format!("{inner}{hides}</template></div>{urgent}"), Code::HiddenNotLow);
    }
}
