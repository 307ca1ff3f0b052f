//! Made-up layouts of the kinds pages use: the sizes reading gives their pictures, against those
//! Chromium gives them.

use std::collections::HashMap;

use kivet_browser::Chromium;
use kivet_page::{Budget, DEVICES, OverLimit, TextPage, observe};
use proptest::prelude::*;

use crate::{
    candidates::{as_text, made},
    pictures::file,
    server::Site,
};

const LAYOUTS: usize = 250;

/// Widths may differ by so many CSS pixels, or by this share: scroll bars are hidden, so nothing
/// else moves them.
const WITHIN: (f64, f64) = (1.5, 0.01);

/// Width and height of every picture in the layout.
const SIZES: &str = "[...document.images].map(image => {
    const { width, height } = image.getBoundingClientRect();
    return [width, height];
})";

fn one_of(words: &[&'static str]) -> impl Strategy<Value = String> + use<> {
    prop::sample::select(words.to_vec()).prop_map(str::to_owned)
}

/// What a picture says of its own size.
fn image() -> impl Strategy<Value = String> {
    let style = one_of(&[
        "width: 100%",
        "width: 100%; height: auto",
        "display: block; max-width: 100%",
        "max-width: 100%; height: auto",
        "width: 100%; aspect-ratio: 3/2; object-fit: cover",
        "width: 240px",
        "width: 40%",
        "float: left; max-width: 45%; height: auto; margin: 0 1em 1em 0",
        "float: right; width: 30%; height: auto",
        "max-height: 120px; width: auto",
        "inline-size: 50%; block-size: auto",
        "",
    ]);
    let size = one_of(&["", "", "width=\"400\" height=\"300\""]);
    (style, size).prop_map(|(style, size)| {
        format!("<img src=\"/img/dunes-400x300.jpg\" alt=\"\" {size} style=\"{style}\">")
    })
}

/// What a box says of its own.
fn own() -> impl Strategy<Value = String> {
    let padding = one_of(&["", "", "padding: 16px", "padding: 0 5%", "padding: 1rem 2rem"]);
    let border = one_of(&["", "", "", "border: 1px solid #888", "border-left: 8px solid"]);
    let sizing = one_of(&["", "box-sizing: border-box"]);
    (padding, border, sizing)
        .prop_map(|(padding, border, sizing)| format!("{padding}; {border}; {sizing}"))
}

fn block(inner: String) -> impl Strategy<Value = String> {
    let width = one_of(&[
        "",
        "max-width: 960px; margin: 0 auto",
        "width: 80%",
        "width: min(100%, 720px)",
        "width: calc(100% - 120px)",
        "margin: 0 24px",
        "width: 50vw",
        "min-width: 300px; width: 30%",
        "inline-size: min(100%, 48rem); margin-inline: auto; padding-inline: clamp(1rem, 4vw, 4rem)",
        "columns: 3 200px",
        "column-count: 2; column-gap: 5%",
        "columns: 18rem",
    ]);
    (width, own())
        .prop_map(move |(width, own)| format!("<div style=\"{width}; {own}\">{inner}</div>"))
}

fn grid(inner: Vec<String>) -> impl Strategy<Value = String> {
    let columns = one_of(&[
        "1fr 1fr",
        "2fr 1fr",
        "repeat(3, 1fr)",
        "200px 1fr",
        "1fr 25%",
        "repeat(auto-fill, minmax(220px, 1fr))",
        "repeat(auto-fit, minmax(180px, 1fr))",
        "minmax(0, 2fr) minmax(0, 1fr)",
        "repeat(2, minmax(0, 1fr)) 160px",
        "repeat(auto-fill, minmax(min(100%, 14rem), 1fr))",
        "repeat(auto-fit, minmax(max(120px, 20%), 1fr))",
        "[side] calc(20% + 40px) [main] minmax(0, 1fr) [end]",
        "fit-content(30%) 1fr",
    ]);
    let gap = one_of(&["", "gap: 20px", "gap: 8px 3%", "column-gap: 2em"]);
    let spanning = one_of(&["", "", "grid-column: 1 / -1", "grid-column: span 2"]);
    (columns, gap, spanning, own()).prop_map(move |(columns, gap, spanning, own)| {
        let cell = |(at, inner): (usize, &String)| {
            format!("<div style=\"{}\">{inner}</div>", if at == 0 { spanning.as_str() } else { "" })
        };
        let cells: String = inner.iter().enumerate().map(cell).collect();
        format!("<div style=\"display: grid; grid-template-columns: {columns}; {gap}; {own}\">{cells}</div>")
    })
}

fn areas(inner: Vec<String>) -> impl Strategy<Value = String> {
    let template = one_of(&[
        "'main side' 'foot foot'; grid-template-columns: 2fr 1fr",
        "'side main' '. foot'; grid-template-columns: 140px 1fr; gap: 12px",
        "'main main' 'side foot'; grid-template-columns: 3fr 2fr; column-gap: 4%",
    ]);
    (template, own()).prop_map(move |(template, own)| {
        let cells: String = ["main", "side", "foot"]
            .iter()
            .zip(&inner)
            .map(|(name, inner)| {
                format!("<div style=\"grid-area: {name}; min-width: 0\">{inner}</div>")
            })
            .collect();
        format!(
            "<div style=\"display: grid; grid-template-areas: {template}; {own}\">{cells}</div>"
        )
    })
}

fn row(inner: Vec<String>) -> impl Strategy<Value = String> {
    let item = one_of(&[
        "flex: 1",
        "flex: 1 1 200px",
        "flex: 0 0 30%",
        "flex: 2 1 0; min-width: 0",
        "width: 50%",
        "width: 260px",
        "flex: none; width: 180px",
        "flex: 1 0 320px",
    ]);
    let wrap = one_of(&["", "", "flex-wrap: wrap", "flex-direction: column"]);
    let gap = one_of(&["", "gap: 24px", "gap: 2vw"]);
    let items = prop::collection::vec(item, inner.len());
    (items, wrap, gap, own()).prop_map(move |(items, wrap, gap, own)| {
        let cell =
            |(style, inner): (&String, &String)| format!("<div style=\"{style}\">{inner}</div>");
        let cells: String = items.iter().zip(&inner).map(cell).collect();
        format!("<div style=\"display: flex; {wrap}; {gap}; {own}\">{cells}</div>")
    })
}

fn layout() -> impl Strategy<Value = String> {
    image().prop_recursive(3, 8, 3, |inner| {
        let some = prop::collection::vec(inner.clone(), 1..4);
        prop_oneof![
            3 => inner.prop_flat_map(block),
            2 => some.clone().prop_flat_map(grid),
            1 => some.clone().prop_flat_map(areas),
            2 => some.prop_flat_map(row),
        ]
    })
}

#[tokio::test(flavor = "multi_thread")]
async fn reading_lays_pictures_out_as_wide_as_chromium_does() {
    let layouts = made(LAYOUTS, &layout());
    let viewport = "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">";
    let html = format!("<!doctype html><title>Made up</title>{viewport}\n{}", layouts.join("\n"));
    let owner: Vec<usize> = layouts
        .iter()
        .enumerate()
        .flat_map(|(at, layout)| vec![at; layout.matches("<img").count()])
        .collect();
    let site = Site::start_with("layouts", html.clone()).await;
    let url: url::Url = format!("{}/page/layouts", site.root).parse().expect("an address");
    let files = HashMap::from([(
        format!("{}/img/dunes-400x300.jpg", site.root),
        file("dunes-400x300.jpg"),
    )]);
    let chromium = Chromium::launch().await.expect("a browser");
    let mut wrong = Vec::new();
    let mut all = 0;
    for device in DEVICES {
        let tab = chromium.tab(device).await.expect("a tab");
        tab.open(url.as_str()).await.expect("opened");
        let page = TextPage { url: &url, html: &html, sheets: &[], files: &files, no_store: false };
        let read = as_text(page, &device);
        let shown: Vec<(f64, f64)> = tab.evaluate(SIZES).await.expect("shown");
        assert_eq!((read.uses.len(), shown.len()), (owner.len(), owner.len()));
        all += shown.len();
        for ((read, shown), at) in read.uses.iter().zip(shown).zip(&owner) {
            let near =
                |read: f64, shown: f64| (read - shown).abs() <= WITHIN.0.max(WITHIN.1 * shown);
            let sides = [(read.area.width, shown.0), (read.area.height, shown.1)];
            if !sides.iter().all(|(read, shown)| near(*read, *shown)) {
                wrong.push(format!("{}: {sides:?}: {}", device.name, layouts[*at]));
            }
        }
        tab.close().await.expect("closed");
    }
    chromium.close().await.expect("closed");
    println!("{} of {all} pictures differ:\n{}", wrong.len(), wrong.join("\n"));
    // Where boxes as wide as what is in them stand inside each other, the layout library has
    // another mind now and then.
    assert!(wrong.len() * 50 <= all, "{} of {all} wrong:\n{}", wrong.len(), wrong.join("\n"));
}

/// Styles that would take all memory, the whole stack or the whole day.
#[test]
fn styles_without_end_are_read_all_the_same() {
    let many = |open: &str, inside: &str, close: &str| {
        format!("{}{inside}{}", open.repeat(5000), close.repeat(5000))
    };
    let doubled: String =
        (0..60).map(|at| format!("--v{at}: var(--v{0}) var(--v{0});", at + 1)).collect();
    let sheets = [
        many("& & {", "width: 1px", "}"),
        format!("img, p {{{}}}", many("&, & & {", "width: 1px", "}")),
        many("@media all {", "img { width: 1px }", "}"),
        many("@layer {", "img { width: 1px }", "}"),
        format!("img {{ {doubled} --v60: 1px; width: var(--v0) }}"),
        "img { --a: var(--a, var(--b)); --b: var(--a) var(--b); width: var(--a) }".to_owned(),
        format!("img {{ width: {} }}", many("var(--x,", "1px", ")")),
        format!("img {{ width: calc({}) }}", many("(", "1px", ")")),
        format!("div {{ display: grid; grid-template-columns: {} }}", many("minmax(", "1px", ")")),
        "div { display: grid; grid-template-columns: repeat(10000000, 1px) }".to_owned(),
        format!("div {{ display: grid; grid-template-areas: \"{}\" }}", "a b ".repeat(60_000)),
        "div { display: grid } img { grid-column: span 60000; grid-row: 60000 }".to_owned(),
    ];
    let url: url::Url = "http://windmark.example/".parse().expect("an address");
    for css in sheets {
        let html = format!(
            "<!doctype html><style>{css} img {{ width: 20px !important }}</style><div><img src=\"a.jpg\"></div>"
        );
        let page = TextPage {
            url: &url,
            html: &html,
            sheets: &[],
            files: &HashMap::new(),
            no_store: false,
        };
        let widths: Vec<f64> =
            as_text(page, &DEVICES[0]).uses.iter().map(|one| one.area.width).collect();
        assert_eq!(widths, [20.0], "{}", css.chars().take(80).collect::<String>());
    }
}

#[test]
fn boxes_in_boxes_without_end_are_read_all_the_same() {
    let url: url::Url = "http://windmark.example/".parse().expect("an address");
    for style in ["", "display: flex", "display: grid", "display: contents", "display: inline"] {
        let nested = |depth: usize| {
            let html = format!(
                "<!doctype html>{}<img src=\"a.jpg\">",
                format!("<div style=\"{style}\">").repeat(depth)
            );
            let page = TextPage {
                url: &url,
                html: &html,
                sheets: &[],
                files: &HashMap::new(),
                no_store: false,
            };
            let seen = observe(page, &DEVICES[..1], &Budget::default())?;
            Ok(seen[0].uses.iter().map(|one| one.rendered).collect::<Vec<_>>())
        };
        assert_eq!(nested(60), Ok(vec![true]), "{style:?}");
        assert_eq!(nested(400), Ok(vec![false]), "{style:?}");
        assert!(matches!(nested(3000), Err(OverLimit::Depth(_))), "{style:?}");
    }
}
