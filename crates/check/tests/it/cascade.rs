//! Made-up stylesheets: which declaration reading lets win, against what Chromium lets win.

use std::collections::HashMap;

use kivet_browser::Chromium;
use kivet_page::{DEVICES, TextPage};
use proptest::prelude::*;

use crate::{
    candidates::{as_text, made},
    pictures::file,
    server::Site,
};

const SHEETS: usize = 200;

/// Where the sheet number `{n}` sets something: `S` is its section, in which `.card > p.text >
/// img.wide#i{n}` stands.
fn selector() -> impl Strategy<Value = String> {
    prop::sample::select(vec![
        "S img",
        "S .wide",
        "S #iN",
        "S img.wide",
        "S p > img",
        "S .card img",
        "S .card > img",
        "S .card p .wide",
        "S :is(.wide, #none)",
        "S :where(#iN)",
        "S img:not(.narrow)",
        "S [alt]",
        "S img[class~=wide]",
        "S p :first-child",
        "S .narrow",
        "S img:hover",
        "S p img:only-child",
        "S .card, S .wide",
    ])
    .prop_map(str::to_owned)
}

/// A width, said in one of many ways.
fn width() -> impl Strategy<Value = String> {
    (
        60u32..600,
        prop::sample::select(vec![
            "width: Npx",
            "width: Npx",
            "width: Npx !important",
            "width: calc(Npx / 2)",
            "width: var(--w)",
            "width: var(--w, Npx)",
            "width: var(--none, Npx)",
            "width: calc(var(--w) + Npx)",
            "width: var(--none)",
            "--w: Npx",
            "--w: var(--v)",
            "--v: Npx",
            "--w: calc(var(--v, 40px) * 2)",
            "--w: var(--w)",
            "max-width: Npx",
            "min-width: var(--w)",
        ]),
    )
        .prop_map(|(pixels, text)| text.replace('N', &pixels.to_string()))
}

fn rule() -> impl Strategy<Value = String> {
    let plain =
        || (selector(), width()).prop_map(|(selector, width)| format!("{selector} {{ {width} }}"));
    let holder = prop::sample::select(vec!["S", "S .card", "S p"]);
    let variable = (holder, width())
        .prop_map(|(holder, width)| format!("{holder} {{ {} }}", width.replace("width:", "--x:")));
    let inner = prop::sample::select(vec![
        "img",
        "& img",
        "& > .card img",
        ".card &",
        "&.none img",
        "@media (min-width: 500px)",
    ]);
    let nested = (inner, width(), width()).prop_map(|(inner, own, width)| {
        let own = own.replace("width:", "--x:");
        match inner {
            "@media (min-width: 500px)" => format!("S img {{ {inner} {{ {width} }} }}"),
            _ => format!("S {{ {inner} {{ {width} }} {own} }}"),
        }
    });
    let layer = prop::sample::select(vec!["base", "theme", "late", ""]);
    let around = prop::sample::select(vec![
        "@media (max-width: 600px)",
        "@media (min-width: 900px)",
        "@media print",
        "@supports (display: grid)",
        "@supports not (display: grid)",
    ]);
    prop_oneof![
        5 => plain(),
        2 => variable,
        3 => nested,
        2 => (layer, plain()).prop_map(|(layer, rule)| format!("@layer {layer} {{ {rule} }}")),
        2 => (around, plain()).prop_map(|(around, rule)| format!("{around} {{ {rule} }}")),
    ]
}

/// A section and its rules.
fn section() -> impl Strategy<Value = (Vec<String>, String)> {
    let inline = prop_oneof![3 => Just(String::new()), 1 => width()];
    (prop::collection::vec(rule(), 1..6), inline)
}

#[tokio::test(flavor = "multi_thread")]
async fn reading_lets_the_declaration_win_that_chromium_lets_win() {
    let sections = made(SHEETS, &section());
    let rules = |at: usize| {
        sections[at]
            .0
            .join("\n")
            .replace("#iN", &format!("#i{at}"))
            .replace("S ", &format!(".s{at} "))
    };
    let css: String = (0..SHEETS).map(|at| rules(at) + "\n").collect();
    let section = |(at, (_, inline)): (usize, &(Vec<String>, String))| {
        format!(
            "<section class=\"s{at}\"><div class=\"card\"><p class=\"text\"><img id=\"i{at}\" class=\"wide\" alt=\"\" src=\"/img/dunes-400x300.jpg\" style=\"{inline}\"></p></div></section>"
        )
    };
    let body: String = sections.iter().enumerate().map(section).collect();
    let head = "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\"><style>img { display: block; width: 33px }";
    let html = format!(
        "<!doctype html><title>Made up</title>{head}\n@layer theme, base;\n{css}</style>{body}"
    );
    let site = Site::start_with("cascade", html.clone()).await;
    let url: url::Url = format!("{}/page/cascade", site.root).parse().expect("an address");
    let files = HashMap::from([(
        format!("{}/img/dunes-400x300.jpg", site.root),
        file("dunes-400x300.jpg"),
    )]);
    let chromium = Chromium::launch().await.expect("a browser");
    let mut wrong = Vec::new();
    for device in DEVICES {
        let tab = chromium.tab(device).await.expect("a tab");
        tab.open(url.as_str()).await.expect("opened");
        let read = as_text(
            TextPage { url: &url, html: &html, sheets: &[], files: &files, no_store: false },
            &device,
        );
        let shown = tab.shown().await.expect("shown");
        assert_eq!((read.uses.len(), shown.len()), (SHEETS, SHEETS));
        for (at, (read, shown)) in read.uses.iter().zip(shown).enumerate() {
            if (read.area.width - shown.width).abs() > 0.5 {
                let (rules, inline) = (rules(at), &sections[at].1);
                wrong.push(format!(
                    "{}: {} read as {}: {rules} style={inline:?}",
                    device.name, shown.width, read.area.width
                ));
            }
        }
        tab.close().await.expect("closed");
    }
    chromium.close().await.expect("closed");
    assert!(wrong.is_empty(), "{} wrong:\n{}", wrong.len(), wrong.join("\n"));
}
