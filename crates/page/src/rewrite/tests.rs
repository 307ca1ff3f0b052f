//! Pages rewritten in memory: exact cases, and what must hold for all.

use std::fmt::Write as _;

use kivet_recipe::{Facts, Fidelity, Format, Recipe, Size, Storage};
use proptest::prelude::*;

use super::*;
use crate::{
    Offered, Place, Population, Targets,
    markup::{Alt, Options, Picture, Use},
    rules::{Rules, RulesDocument},
};

const RULES: &str = r#"
[places.card]
sizes = "100px"
[places.hero]
sizes = "100px"
loading = "first"

[[rules]]
select = ".hero"
place = "hero"
[[rules]]
select = ".hero-of-phones"
place = "card"
loading = "first"
media = "(max-width: 700px)"
[[rules]]
select = ".hero-of-laptops"
place = "card"
loading = "first"
media = "(min-width: 701px)"
[[rules]]
select = ".leave-me"
leave = true
[[rules]]
select = ".slide"
loading = "later"
[[rules]]
files = "*.gif"
leave = true
[[rules]]
select = "img.keep"
place = "card"
srcset = "keep"
[[rules]]
select = ".sized"
place = "card"
dimensions = "write"
[[rules]]
select = ".top > img"
place = "card"
near = 2
[[rules]]
of = "link"
select = "a.zoom"
place = "card"
[[rules]]
of = "embed"
[[rules]]
of = "background"
place = "card"
[[rules]]
place = "card"
"#;

fn rules() -> Rules {
    toml::from_str::<RulesDocument>(RULES).expect("TOML").checked().expect("rules")
}

/// Whatever lies on the site or at pics.example, and is not missing, is an original of 80 x 60; one
/// of 2000 x 1500.
fn original(address: &Address) -> Option<(String, Facts)> {
    let path = match address {
        Address::Site(path) => path.trim_start_matches("../"),
        Address::Away(url) => url.strip_prefix("https://pics.example/")?,
        _ => return None,
    };
    let size = if path.contains("big") { Size::new(2000, 1500) } else { Size::new(80, 60) };
    let path: String = path.split('/').map(encoded).collect::<Vec<_>>().join("/");
    (!path.contains("missing"))
        .then(|| (format!("photos/{path}"), Facts::plain(Format::Jpeg, size, Storage::Lossy)))
}

fn encoded(part: &str) -> String {
    percent_encoding::utf8_percent_encode(part, percent_encoding::NON_ALPHANUMERIC)
        .to_string()
        .replace("%2E", ".")
        .replace("%2D", "-")
}

fn rewritten(html: &[u8]) -> Vec<u8> {
    let rules = rules();
    let scan = scan(html, &rules).expect("a page");
    let wanted = plan(html, &scan, &rules, "journal/one.html");
    let mut loadings = Loadings::default();
    let found: Vec<_> = wanted
        .iter()
        .filter_map(|wanted| {
            let Fate::Place { placed, near } = &wanted.fate else { return None };
            let (path, facts) = original(&wanted.address)?;
            let place = rules.places[&placed.place].clone();
            let loading = loadings.of(placed, *near, &place).0;
            let place = place.with_loading(loading);
            let offered = offered(&place, &facts);
            Some((wanted, placed, path, facts, place, offered))
        })
        .collect();
    let decided: Vec<Decided<'_>> = found
        .iter()
        .map(|(wanted, placed, path, facts, place, offered)| {
            let picture = Picture { base: "", path, facts, version: None };
            Decided { wanted, placed, one: Use { picture, place, offered, alt: Alt::Unknown } }
        })
        .collect();
    splice(html, &edits(html, &scan, &wanted, &decided, &Options::default()))
}

fn offered(place: &Place, facts: &Facts) -> Offered {
    let bytes = |recipe: &Recipe| f64::from(recipe.width.unwrap_or(300)).powf(1.6);
    let targets = Targets { fidelity: Fidelity::DEFAULT, density_step: 8, lossless: false };
    Offered::new(place, facts, Population::assumed(), targets, &bytes)
}

/// A case's text, whose line ends and tabs are drawn as signs.
fn drawn(text: &str) -> String {
    text.replace('\n', "⏎").replace('\t', "→").replace('\r', "␍")
}

fn meant(text: &str) -> String {
    text.replace('⏎', "\n").replace('→', "\t").replace('␍', "\r")
}

#[test]
fn every_case_comes_out_as_written_down() {
    let file = concat!(env!("CARGO_MANIFEST_DIR"), "/src/rewrite/cases.txt");
    let cases = std::fs::read_to_string(file).expect("the cases");
    let mut blessed = String::new();
    let mut wrong = Vec::new();
    for case in cases.split("\n\n") {
        let mut lines = case.trim().lines();
        let (name, before) = (lines.next().expect("a name"), lines.next().expect("a page"));
        assert_eq!(lines.next(), Some("=>"), "{name}");
        let after = lines.next().expect("what comes out");
        let came = rewritten(meant(before).as_bytes());
        let again = rewritten(&came);
        let came = drawn(&String::from_utf8(came).expect("UTF-8"));
        assert_eq!(drawn(&String::from_utf8(again).expect("UTF-8")), came, "twice: {name}");
        let _ = write!(blessed, "{name}\n{before}\n=>\n{came}\n\n");
        if came != after {
            wrong.push(format!("{name}\n  wanted {after}\n  came   {came}"));
        }
    }
    if std::env::var_os("KIVET_BLESS").is_some() {
        std::fs::write(file, blessed.trim_end().to_owned() + "\n").expect("written");
    } else {
        assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    }
}

/// Pieces that pages are made of, odd ones among them.
const PIECES: [&str; 22] = [
    "<p>",
    "</p>",
    "<div class=top>",
    "</div>",
    "text & more",
    "\n  ",
    "<img src=a.jpg>",
    "<img class=hero src='b.jpg' alt>",
    "<img",
    "<picture>",
    "</picture>",
    "<source srcset=c.webp>",
    "<!-- ",
    " -->",
    "<script>'",
    "</script>",
    "<noscript>",
    "</noscript>",
    "<head>",
    "</head>",
    "<link rel=preload as=image href=b.jpg>",
    "\u{e9}\"'>",
];

/// A page without the tags that rewriting may change, and without space, of which goes what stood
/// beside a tag that went.
fn untouched(html: &[u8]) -> Vec<u8> {
    let text = String::from_utf8_lossy(html).into_owned();
    let mut rest = text.as_str();
    let mut out = String::new();
    let tags = ["<img", "<source", "<picture", "</picture", "<link"];
    while let Some(at) = tags.iter().filter_map(|tag| rest.find(tag)).min() {
        out.push_str(&rest[..at]);
        let tag = &rest[at..];
        rest = &tag[Tag::length(tag)..];
    }
    out.push_str(rest);
    out.split_whitespace().collect::<String>().into_bytes()
}

struct Tag;

impl Tag {
    fn length(tag: &str) -> usize {
        let mut quote = None;
        for (at, c) in tag.char_indices() {
            match (quote, c) {
                (Some(open), _) if c == open => quote = None,
                (None, '"' | '\'') if tag[..at].ends_with('=') => quote = Some(c),
                (None, '>') => return at + 1,
                _ => {}
            }
        }
        tag.len()
    }
}

proptest! {
    #[test]
    fn what_is_no_picture_stays_and_twice_is_once(
        pieces in proptest::collection::vec(proptest::sample::select(PIECES.to_vec()), 0..24),
    ) {
        let html = pieces.concat().into_bytes();
        let once = rewritten(&html);
        prop_assert_eq!(untouched(&once), untouched(&html));
        let twice = rewritten(&once);
        prop_assert_eq!(String::from_utf8_lossy(&twice), String::from_utf8_lossy(&once));
    }

    #[test]
    fn any_bytes_can_be_read(bytes in proptest::collection::vec(any::<u8>(), 0..300)) {
        let rules = rules();
        if let Ok(found) = scan(&bytes, &rules) {
            let wanted = plan(&bytes, &found, &rules, "one.html");
            let edits = edits(&bytes, &found, &wanted, &[], &Options::default());
            prop_assert!(edits.iter().all(|edit| edit.range.end <= bytes.len()));
        }
    }
}

#[test]
fn other_encodings_keep_their_bytes() {
    // Windows-1252: an accent and a dash.
    let before = b"<meta charset=windows-1252><p>caf\xe9 \x96 <img alt=\"\xe9\" src=\"caf\xe9.jpg\">\xe9</p>";
    let after = rewritten(before);
    let expected = b"<meta charset=windows-1252><p>caf\xe9 \x96 <img alt=\"\xe9\" src=\"/pic/80w_fidelity-72/photos/journal/caf%C3%A9.jpg\" loading=\"lazy\" decoding=\"async\" style=\"aspect-ratio:auto 80/60\">\xe9</p>";
    assert_eq!(String::from_utf8_lossy(&after), String::from_utf8_lossy(expected));
    assert_eq!(scan(b"\xff\xfe<\0p\0", &rules()).err(), Some(RewriteError::Encoding));
}

#[test]
fn a_megabyte_on_one_line_is_a_page_like_another() {
    let mut html = "<p>kite</p>".repeat(95_000);
    let end = "<b>y</b>".repeat(1000);
    html.push_str("<img src=a.jpg>");
    html.push_str(&end);
    let after = String::from_utf8(rewritten(html.as_bytes())).expect("UTF-8");
    assert_eq!(
        after,
        html.replace("<img src=a.jpg>", &String::from_utf8_lossy(&rewritten(b"<img src=a.jpg>")))
    );
}

#[test]
fn backgrounds_of_a_sheet_are_found_where_they_stand() {
    let css = "/* url(x.jpg) */ .hero, main > .top{ color:red; background: #fff url( \"a b.jpg\" ) no-repeat }\n@media (min-width: 40em) { .hero { background-image: image-set(url(b.jpg) 1x, url('c.jpg') 2x) } }\n@font-face { src: url(f.woff2) } .icon { background-image: url(d.png), url(e.png) !important; cursor: url(z.cur) }";
    let found = backgrounds(css);
    let told: Vec<_> = found
        .iter()
        .map(|one| (one.written.as_str(), &css[one.image.clone()], one.selectors.join("|")))
        .collect();
    assert_eq!(
        told,
        [
            ("a b.jpg", "url( \"a b.jpg\" )", ".hero|main > .top".to_owned()),
            ("c.jpg", "image-set(url(b.jpg) 1x, url('c.jpg') 2x)", ".hero".to_owned()),
            ("d.png", "url(d.png)", ".icon".to_owned()),
            ("e.png", "url(e.png)", ".icon".to_owned()),
        ]
    );
    let ends: Vec<_> = found.iter().map(|one| &css[..one.block_ends.expect("a block")]).collect();
    assert!(ends.iter().all(|before| before.ends_with('}')));
    assert!(ends[1].ends_with("2x) } }"));
}
