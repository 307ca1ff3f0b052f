//! Made-up `srcset`, `sizes`, sources and media queries, many of them wrong: what reading says a
//! browser takes, against what one takes.

use std::collections::HashMap;

use kivet_browser::Chromium;
use kivet_page::{Budget, DEVICES, Device, Observation, TextPage, media_matches, observe};
use proptest::{
    prelude::*,
    strategy::ValueTree,
    test_runner::{Config, TestRng, TestRunner},
};

use crate::server::Site;

const QUERIES: usize = 600;
const PICTURES: usize = 300;

/// A page read as text for one device.
pub fn as_text(page: TextPage<'_>, device: &Device) -> Observation {
    let devices = std::slice::from_ref(device);
    observe(page, devices, &Budget::default()).expect("within the limits").remove(0)
}

/// So many values, the same every time.
pub fn made<T: std::fmt::Debug>(count: usize, of: &impl Strategy<Value = T>) -> Vec<T> {
    let rng = TestRng::deterministic_rng(Config::default().rng_algorithm);
    let mut runner = TestRunner::new_with_rng(Config::default(), rng);
    (0..count).map(|_| of.new_tree(&mut runner).expect("a value").current()).collect()
}

/// Lengths, and a few things that are none where a source size stands.
fn length() -> impl Strategy<Value = String> {
    let plain = prop_oneof![
        8 => (0u32..1600, prop::sample::select(vec!["px", "PX", "pt"])).prop_map(|(n, unit)| format!("{n}{unit}")),
        8 => (1u32..120, prop::sample::select(vec!["vw", "vh", "vmin", "vmax", "em", "rem"])).prop_map(|(n, unit)| format!("{n}{unit}")),
        1 => prop::sample::select(vec!["33%", "banana", "-40px", "0", "120", "1.5e2px", "+300px", ".5vw", "40 px", "300px 20px"]).prop_map(str::to_owned),
    ];
    plain.prop_recursive(2, 6, 3, |inner| {
        prop_oneof![
            (inner.clone(), inner.clone(), prop::sample::select(vec!["+", "-"]))
                .prop_map(|(a, b, sign)| format!("calc({a} {sign} {b})")),
            (inner.clone(), 1u32..5, prop::sample::select(vec!["*", "/"]))
                .prop_map(|(a, n, sign)| format!("calc(({a}) {sign} {n})")),
            (inner.clone(), inner.clone()).prop_map(|(a, b)| format!("min({a}, {b})")),
            (inner.clone(), inner.clone()).prop_map(|(a, b)| format!("max({a},{b})")),
            (inner.clone(), inner.clone(), inner)
                .prop_map(|(a, b, c)| format!("clamp({a}, {b}, {c})")),
        ]
    })
}

fn feature() -> impl Strategy<Value = String> {
    let edge =
        || prop_oneof![300u32..2000, prop::sample::select(vec![360u32, 412, 820, 1366, 1920])];
    prop_oneof![
        4 => (prop::sample::select(vec!["min-width", "max-width", "min-height", "MAX-WIDTH", "width"]), edge())
            .prop_map(|(name, n)| format!("({name}: {n}px)")),
        2 => (10u32..120, prop::sample::select(vec!["em", "rem"])).prop_map(|(n, unit)| format!("(min-width:{n}{unit})")),
        2 => (prop::sample::select(vec!["<", "<=", ">", ">=", "="]), edge()).prop_map(|(sign, n)| format!("(width {sign} {n}px)")),
        2 => (edge(), edge()).prop_map(|(low, high)| format!("({low}px <= width < {high}px)")),
        1 => (edge(), edge()).prop_map(|(low, high)| format!("({high}px >= width > {low}px)")),
        2 => prop::sample::select(vec![
            "(orientation: portrait)", "(orientation:landscape)", "(min-resolution: 2dppx)", "(max-resolution: 191dpi)",
            "(min-resolution: 1.5x)", "(-webkit-min-device-pixel-ratio: 2)", "(min-aspect-ratio: 1/1)", "(aspect-ratio > 16/10)",
            "(color)", "(prefers-color-scheme: dark)", "(prefers-reduced-motion: reduce)", "(update: fast)",
            "(min-width: calc(20em + 100px))", "(width)", "(monochrome)", "(color-gamut: srgb)", "(scripting: enabled)",
        ]).prop_map(str::to_owned),
        1 => prop::sample::select(vec![
            "(some-future: thing)", "(min-width: banana)", "(max-width: 100)", "(min-width 500px)", "(400px < width > 300px)",
            "()", "(min-width: -1px)", "(width: 50%)", "(orientation: sideways)", "(max-width:)", "(min-resolution: 2px)",
        ]).prop_map(str::to_owned),
    ]
}

fn condition() -> impl Strategy<Value = String> {
    feature().prop_recursive(2, 8, 3, |inner| {
        prop_oneof![
            (inner.clone(), inner.clone()).prop_map(|(a, b)| format!("({a}) and ({b})")),
            (inner.clone(), inner.clone()).prop_map(|(a, b)| format!("({a}) or ({b})")),
            inner.clone().prop_map(|a| format!("not ({a})")),
            // Mixed without parentheses is no query.
            (inner.clone(), inner.clone(), inner)
                .prop_map(|(a, b, c)| format!("({a}) and ({b}) or ({c})")),
        ]
    })
}

fn query() -> impl Strategy<Value = String> {
    let one = prop_oneof![
        6 => condition(),
        2 => (prop::sample::select(vec!["screen", "all", "print", "only screen", "not screen", "not print", "not all", "SCREEN", "tv", "only", "and"]), feature())
            .prop_map(|(medium, feature)| format!("{medium} and {feature}")),
        1 => prop::sample::select(vec!["screen", "print", "not all", "all and", "screen (color)", "", "not", "screen, "]).prop_map(str::to_owned),
    ];
    prop::collection::vec(one, 1..3).prop_map(|all| all.join(", "))
}

fn sizes() -> impl Strategy<Value = String> {
    let entry =
        (prop::option::of(condition()), length()).prop_map(|(condition, length)| match condition {
            Some(condition) => format!("{condition} {length}"),
            None => length,
        });
    prop::collection::vec(entry, 0..4).prop_map(|all| all.join(", "))
}

fn srcset() -> impl Strategy<Value = String> {
    let widths = prop::collection::vec(prop::sample::select((1u32..26).collect::<Vec<_>>()), 1..6)
        .prop_map(|all| {
            all.into_iter()
                .map(|n| format!("/img/dunes-4x3.jpg?w{n} {}w", n * 100))
                .collect::<Vec<_>>()
        });
    let densities = prop::collection::vec(
        prop::sample::select(vec!["1x", "1.5x", "2x", "3x", "", "0.5x", "2.0x"]),
        1..4,
    )
    .prop_map(|all| {
        all.into_iter().map(|x| format!("/img/dunes-4x3.jpg?d{x} {x}")).collect::<Vec<_>>()
    });
    let wrong = prop::sample::select(vec![
        "",
        "/img/a.jpg 0w",
        "/img/b.jpg 100w 2x",
        "/img/c.jpg -2x",
        "/img/d.jpg 2.5w",
        "/img/e.jpg 300w 200h",
        "/img/f.jpg 200h",
        "/img/g.jpg 1e1x",
        "/img/h.jpg foo(1, 2) 3x",
        "/img/i.jpg 2X",
        "/img/j.jpg +500w",
        "/img/k.jpg 0x",
        "/img/l.jpg .5x",
        "/img/m.jpg 1.x",
        "/img/n,o.jpg 700w",
        "/img/p.jpg,",
    ])
    .prop_map(str::to_owned);
    (
        prop_oneof![3 => widths, 1 => densities],
        prop::option::weighted(0.3, wrong),
        any::<prop::sample::Index>(),
    )
        .prop_map(|(mut all, wrong, at)| {
            if let Some(wrong) = wrong {
                all.insert(at.index(all.len() + 1), wrong);
            }
            all.join(", ")
        })
}

/// An `img`, in a `picture` or not.
fn picture() -> impl Strategy<Value = String> {
    let types = prop::sample::select(vec![
        "",
        "",
        "image/webp",
        "image/avif",
        "image/x-unheard",
        "IMAGE/PNG",
        "image/jpeg; q=1",
        "text/plain",
    ]);
    let source = (srcset(), sizes(), prop::option::of(query()), types).prop_map(
        |(srcset, sizes, media, kind)| {
            let media = media.map_or(String::new(), |media| format!(" media=\"{media}\""));
            let kind = if kind.is_empty() { String::new() } else { format!(" type=\"{kind}\"") };
            format!("<source srcset=\"{srcset}\" sizes=\"{sizes}\"{media}{kind}>")
        },
    );
    let image = (
        prop::option::weighted(0.8, srcset()),
        prop::option::weighted(0.8, sizes()),
        any::<bool>(),
    )
        .prop_map(|(srcset, sizes, src)| {
            let attribute = |name: &str, value: Option<String>| {
                value.map_or(String::new(), |value| format!(" {name}=\"{value}\""))
            };
            let src = src.then(|| "/img/dunes-4x3.jpg?src".to_owned());
            format!(
                "<img alt=\"\"{}{}{}>",
                attribute("src", src),
                attribute("srcset", srcset),
                attribute("sizes", sizes)
            )
        });
    (prop::collection::vec(source, 0..3), image).prop_map(|(sources, image)| {
        match sources.as_slice() {
            [] => image,
            _ => format!("<picture>{}{image}</picture>", sources.concat()),
        }
    })
}

#[tokio::test(flavor = "multi_thread")]
async fn reading_takes_what_chromium_takes() {
    let queries = made(QUERIES, &query());
    // Addresses of their own: Chromium takes a candidate it already has.
    let own = |(at, picture): (usize, String)| picture.replace("/img/", &format!("/img/{at}/"));
    let pictures: Vec<String> =
        made(PICTURES, &picture()).into_iter().enumerate().map(own).collect();
    let viewport = "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">";
    let html = format!("<!doctype html><title>Made up</title>{viewport}\n{}", pictures.join("\n"));
    let site = Site::start_with("made-up", html.clone()).await;
    let url: url::Url = format!("{}/page/made-up", site.root).parse().expect("an address");
    let chromium = Chromium::launch().await.expect("a browser");
    let mut wrong = Vec::new();
    for device in DEVICES {
        let tab = chromium.tab(device).await.expect("a tab");
        tab.open(url.as_str()).await.expect("opened");
        let script = format!("{queries:?}.map(query => matchMedia(query).matches)");
        let matched: Vec<bool> = tab.evaluate(&script).await.expect("asked");
        for (query, matched) in queries.iter().zip(matched) {
            if media_matches(query, &device) != matched {
                wrong.push(format!("{}: {query:?} matches: {matched}", device.name));
            }
        }
        let files = HashMap::new();
        let page = TextPage { url: &url, html: &html, sheets: &[], files: &files, no_store: false };
        let read = as_text(page, &device);
        let shown = tab.shown().await.expect("shown");
        assert_eq!((read.uses.len(), shown.len()), (PICTURES, PICTURES));
        for ((read, shown), picture) in read.uses.iter().zip(shown).zip(&pictures) {
            if read.url != shown.current_src {
                wrong.push(format!(
                    "{}: {picture}\n    takes {}, read as {}",
                    device.name, shown.current_src, read.url
                ));
            }
        }
        tab.close().await.expect("closed");
    }
    chromium.close().await.expect("closed");
    assert!(wrong.is_empty(), "{} wrong:\n{}", wrong.len(), wrong.join("\n"));
}
