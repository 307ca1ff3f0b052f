//! Made-up layouts, whose places are known.

use super::{bands::fraction, name::name, *};
use crate::{DEVICES, rules::RulesDocument};

/// A picture in boxes that `size` gives for each window.
fn picture(
    tag_and_class: (&str, &str),
    around: &[(&str, &str)],
    (file, line): (&str, u64),
    fit: &str,
    size: impl Fn(f64, f64) -> (f64, f64),
) -> SeenPicture {
    let attributes = |class: &str| {
        let named = (!class.is_empty()).then(|| ("class".to_owned(), class.to_owned()));
        named.into_iter().collect()
    };
    let (tag, class) = tag_and_class;
    let boxed = |width: f64, height: f64, of| Boxed {
        window: (width, height),
        size: size(width, height),
        of,
    };
    let devices = DEVICES
        .map(|device| boxed(f64::from(device.width), f64::from(device.height), Window::Device));
    let swept = (320..=2560).step_by(8).map(|width| boxed(f64::from(width), 900.0, Window::Swept));
    let shapes = shapes()
        .into_iter()
        .map(|(width, height)| boxed(f64::from(width), f64::from(height), Window::Shape));
    SeenPicture {
        element: Element {
            tag: tag.to_owned(),
            line: Some(line),
            attributes: attributes(class),
            ..Element::default()
        },
        ancestors: around
            .iter()
            .map(|(tag, class)| Ancestor { tag: (*tag).to_owned(), attributes: attributes(class) })
            .collect(),
        address: file.to_owned(),
        file: file.to_owned(),
        ratio: Some(1.5),
        fit: fit.to_owned(),
        position: "50% 50%".to_owned(),
        steady: true,
        samples: swept.chain(devices).chain(shapes).collect(),
        devices: vec![OnDevice { rendered: true, ..OnDevice::default() }; 5],
        ..SeenPicture::default()
    }
}

fn page(path: &str, source: &str, pictures: Vec<SeenPicture>) -> SeenPage {
    SeenPage { path: path.to_owned(), source: source.into(), pictures, late_embeds: 0 }
}

/// The place of one picture alone.
fn place_of(picture: SeenPicture) -> PlaceDocument {
    learn(&[page("a.html", "", vec![picture])]).places.remove(0).1
}

#[test]
fn what_a_layout_does_is_what_the_place_says() {
    let plain = |size: fn(f64, f64) -> (f64, f64)| {
        place_of(picture(("img", ""), &[], ("a.jpg", 1), "fill", size))
    };
    assert_eq!(plain(|width, _| (width, width / 1.5)).sizes, "100vw");
    assert_eq!(plain(|_, _| (240.0, 160.0)).sizes, "240px");
    let column = plain(|width, _| {
        let across = (width * 0.92).min(1180.0);
        (across, across / 1.5)
    });
    assert_eq!((column.sizes.as_str(), column.ratio), ("min(92vw, 1180px)", None));

    let covered = |size: fn(f64, f64) -> (f64, f64)| {
        place_of(picture(("img", ""), &[], ("a.jpg", 1), "cover", size))
    };
    let square = covered(|width, _| (width / 2.0, width / 2.0));
    assert_eq!((square.sizes.as_str(), square.ratio.as_deref()), ("50vw", Some("1/1")));
    assert_eq!(square.position.as_deref(), Some("center"));
    // What cannot be wrapped gets no sources: one crop for every window.
    let bare = picture(("img", ""), &[], ("a.jpg", 1), "cover", |width, _| (width / 4.0, 150.0));
    let bare = place_of(SeenPicture { trial: Trial { wrapped: false, ..Trial::PASSED }, ..bare });
    assert!(bare.alternatives.is_empty(), "{bare:?}");
    assert!(bare.sizes.ends_with("px) 225px, 25vw"), "{}", bare.sizes);
    // A full screen is as tall as the window: conditions are about its shape, and so is the width.
    let full = covered(|width, height| (width, height));
    assert!(full.alternatives.iter().all(|one| one.media.starts_with("(max-aspect-ratio: ")));
    assert!(full.alternatives[0].sizes.as_ref().is_some_and(|sizes| sizes.ends_with("vh")));
    let capped = covered(|width, height| (width, height.min(999.0)));
    let sizes = capped.alternatives[0].sizes.as_deref().unwrap_or_default();
    assert!(sizes.contains("min(") && sizes.contains("vh, "), "{sizes}");
    // A position in pixels, or one that changes with the window, is not that of any crop.
    let pixels = picture(("img", ""), &[], ("a.jpg", 1), "cover", |width, _| (width, 300.0));
    let moves = SeenPicture { steady: false, ..pixels.clone() };
    for one in [SeenPicture { position: "-30px 50%".to_owned(), ..pixels }, moves] {
        assert_eq!(place_of(one).ratio, None);
    }
}

/// A ratio range as a place writes it.
fn range(text: &str) -> (f64, f64) {
    let ratio = |text: &str| {
        let (across, down) = text.split_once('/').expect("a ratio");
        across.parse::<f64>().expect("a number") / down.parse::<f64>().expect("a number")
    };
    let (low, high) = text.split_once(" to ").unwrap_or((text, text));
    (ratio(low), ratio(high))
}

/// The size of a box in a window.
type Layout = fn(f64, f64) -> (f64, f64);

#[test]
fn no_crop_cuts_what_some_window_shows() {
    let layouts: [(&str, Layout); 9] = [
        ("a band", |width, _| (width, 420.0)),
        ("a quarter", |width, _| (width / 4.0, 150.0)),
        ("a screen", |width, height| (width, height)),
        ("most of a screen", |width, height| (width, height * 0.8 - 56.0)),
        ("part of a screen at least", |width, height| (width, (height * 0.62).max(320.0))),
        ("a screen at least", |width, height| (width, height.max(600.0))),
        ("steps", |width, _| match width {
            ..=575.0 => (width, 220.0),
            ..=991.0 => (width, 380.0),
            _ => (width.min(1320.0), 500.0),
        }),
        ("a column", |width, _| (width.min(900.0), width.min(900.0) / 2.0)),
        ("a narrow column", |width, _| ((width / 3.0).min(300.0), 640.0)),
    ];
    for ((what, layout), natural) in
        layouts.into_iter().flat_map(|one| [0.6, 1.0, 1.5, 1.78, 3.2].map(|ratio| (one, ratio)))
    {
        let one = picture(("img", ""), &[], ("a.jpg", 1), "cover", layout);
        let place = place_of(SeenPicture { ratio: Some(natural), ..one });
        for width in (290..3800).step_by(37) {
            for height in (330..1700).step_by(97) {
                let device = crate::Device::screen(width, height, 1.0);
                let holds =
                    |one: &&crate::AlternativeDocument| crate::media_matches(&one.media, &device);
                let found = place.alternatives.iter().find(holds);
                let ratio = found.map_or(&place.ratio, |one| &one.ratio);
                let Some(ratio) = ratio else { continue };
                let (low, high) = range(ratio);
                let crop = natural.clamp(low, high);
                let shown = layout(f64::from(width), f64::from(height));
                let shown = shown.0 / shown.1;
                let between =
                    crop >= natural.min(shown) * 0.988 && crop <= natural.max(shown) * 1.012;
                assert!(
                    between,
                    "{what}: {natural} cut to {crop} for {shown} at {width} x {height}: {place:?}"
                );
            }
        }
        assert!(place.checked(&"place".parse().expect("a name")).is_ok(), "{what}: {place:?}");
    }
}

#[test]
fn pictures_laid_out_alike_are_one_place_and_each_gets_it_by_rule() {
    let card = |file: &'static str, line, in_view: usize| {
        let mut one = picture(
            ("img", ""),
            &[("div", "card"), ("main", "")],
            (file, line),
            "fill",
            |width, _| (width / 3.0, width / 4.5),
        );
        one.devices.iter_mut().take(in_view).for_each(|device| device.in_view = true);
        one
    };
    let mut hero =
        picture(("img", "hero lazy"), &[("main", "")], ("hero.jpg", 2), "fill", |width, _| {
            (width, width / 1.5)
        });
    hero.devices
        .iter_mut()
        .for_each(|device| *device = OnDevice { in_view: true, largest: true, ..*device });
    // Its class says card, and it is laid out otherwise.
    let around = [("div", "card"), ("main", "")];
    let odd = picture(("img", ""), &around, ("odd.jpg", 6), "fill", |_, _| (90.0, 60.0));
    let first = "<main>\n<img class=\"hero lazy\" src=hero.jpg>\n<div class=card><img src=a.jpg></div>\n<div class=card><img src=b.jpg></div>\n<div class=card><img src=c.jpg></div>\n<div class=card><img src=odd.jpg></div></main>";
    let second = "<main><div class=card><img src=d.jpg></div></main>";
    let pages = [
        page(
            "index.html",
            first,
            vec![hero, card("a.jpg", 3, 5), card("b.jpg", 4, 3), card("c.jpg", 5, 0), odd],
        ),
        page("more.html", second, vec![card("d.jpg", 1, 0)]),
    ];
    let learnt = learn(&pages);
    assert_eq!(learnt.notes, Vec::<String>::new());
    let names: Vec<&str> = learnt.places.iter().map(|(name, _, _)| name.as_str()).collect();
    assert_eq!(names, ["hero", "card", "card-2"]);
    assert_eq!(learnt.places[1].1.sizes, "33.3vw");

    // The file that people edit holds the same, and is followed.
    let written = toml(&learnt, "site/");
    let document: RulesDocument = ::toml::from_str(&written).expect("TOML");
    let rules = document.checked().expect("rules");
    let given = |page: &SeenPage| {
        let scan = crate::rewrite::scan(&page.source, &rules).expect("a page");
        let plan = crate::rewrite::plan(&page.source, &scan, &rules, &page.path);
        plan.iter()
            .map(|wanted| match &wanted.fate {
                crate::rewrite::Fate::Place { placed, near } => {
                    (placed.place.to_string(), placed.loading, *near)
                }
                other => panic!("{other:?}"),
            })
            .collect::<Vec<_>>()
    };
    let front = given(&pages[0]);
    let places: Vec<&str> = front.iter().map(|(place, _, _)| place.as_str()).collect();
    assert_eq!(places, ["hero", "card", "card", "card", "card-2"], "{written}");
    assert_eq!(front[0].1, Some(crate::Loading::First));
    assert_eq!(given(&pages[1])[0].0, "card");
    assert!(written.contains("# 4 pictures on 2 pages; 107 to 853 px wide"), "{written}");
}

#[test]
fn each_class_of_devices_has_a_first_of_its_own() {
    let card = |file: &'static str, line, largest: [bool; 5]| {
        let mut one = picture(("img", ""), &[("main", "")], (file, line), "fill", |width, _| {
            (width / 2.0, width / 3.0)
        });
        for (device, largest) in one.devices.iter_mut().zip(largest) {
            *device = OnDevice { in_view: true, largest, ..*device };
        }
        one
    };
    let source = "<main><img src=a.jpg>\n<img src=b.jpg></main>";
    let conditions = |largest: [bool; 5]| {
        let others = largest.map(|one| !one);
        let pictures = vec![card("a.jpg", 1, largest), card("b.jpg", 2, others)];
        let learnt = learn(&[page("index.html", source, pictures)]);
        let firsts = learnt.rules.iter().filter(|(rule, _)| rule.loading.is_some());
        let of = |(rule, _): &(RuleDocument, String)| (rule.files.0[0].clone(), rule.media.clone());
        firsts.map(of).collect::<Vec<_>>()
    };
    // Phones of 360 and 412 px, a tablet of 820, a laptop and a wide desktop.
    assert_eq!(conditions([true; 5]), [("a.jpg".to_owned(), None)]);
    let split = conditions([true, true, false, false, false]);
    assert_eq!(split[0], ("a.jpg".to_owned(), Some("(max-width: 580px)".to_owned())));
    assert_eq!(split[1], ("b.jpg".to_owned(), Some("(min-width: 581px)".to_owned())));
    // On every device exactly one holds, however they alternate.
    let odd = conditions([true, false, true, true, false]);
    for device in DEVICES {
        let holds = odd.iter().filter(|(_, media)| {
            media.as_deref().is_none_or(|media| crate::media_matches(media, &device))
        });
        assert_eq!(holds.count(), 1, "{} {odd:?}", device.name);
    }
}

#[test]
fn pictures_wider_than_the_window_have_room_for_all_their_pixels() {
    let one = picture(("img", ""), &[], ("a.jpg", 1), "fill", |_, _| (800.0, 533.3));
    let place = place_of(SeenPicture { natural: (800.0, 533.0), ..one });
    assert_eq!((place.sizes.as_str(), place.natural_cap), ("max(100vw, 800px)", true));
}

#[test]
fn slides_that_are_never_shown_have_the_place_of_those_that_are() {
    let slide = |file, line, path: &str, around: &'static str, shown: bool| {
        let size = move |width: f64, _| if shown { (width, width / 1.5) } else { (0.0, 0.0) };
        let one = picture(("img", ""), &[("div", around)], (file, line), "fill", size);
        SeenPicture { element: Element { path: path.to_owned(), ..one.element }, ..one }
    };
    let source = "<div class='slide active'><img src=a.jpg></div>\n<div class=slide><img src=b.jpg></div>\n\
                  <div class=menu><img src=c.jpg></div>";
    let pictures = vec![
        slide("a.jpg", 1, "html>body>div:nth-of-type(1)>img", "slide active", true),
        slide("b.jpg", 2, "html>body>div:nth-of-type(2)>img", "slide", false),
        slide("c.jpg", 3, "html>body>div:nth-of-type(3)>img", "menu", false),
    ];
    let learned = learn(&[page("index.html", source, pictures)]);
    let said = |select: &str| {
        let rules = learned.rules.iter().map(|(rule, _)| rule);
        let mut of = rules.filter(|rule| rule.select.as_deref() == Some(select));
        of.next().map(|rule| (rule.place.clone(), rule.loading.clone()))
    };
    assert_eq!(said(".slide img"), Some((Some("slide".to_owned()), None)), "{:?}", learned.rules);
    assert_eq!(said(".menu img"), Some((None, Some("later".to_owned()))), "{:?}", learned.rules);
    assert_eq!(learned.places.len(), 1);
}

#[test]
fn a_page_that_phones_lay_out_wider_than_they_are_is_named() {
    let seen = |width: f64| {
        let one = Boxed { window: (width, 700.0), size: (width, 400.0), of: Window::Device };
        let picture = SeenPicture { samples: vec![one], ..SeenPicture::default() };
        learn(&[SeenPage {
            path: "film.html".to_owned(),
            pictures: vec![picture],
            ..SeenPage::default()
        }])
        .notes
    };
    assert!(seen(980.0).iter().any(|note| note.starts_with("film.html: phones lay it out 980 px")));
    assert_eq!(seen(360.0), Vec::<String>::new());
}

#[test]
fn ratios_and_names_are_short() {
    for (ratio, text) in
        [(1.5, "3/2"), (1.7777, "16/9"), (1.0, "1/1"), (0.5625, "9/16"), (3.001, "3/1")]
    {
        assert_eq!(fraction(ratio, |_| true), text);
    }
    for (word, expected) in [
        ("card", "card"),
        ("heroImage", "hero-image"),
        ("c-Card__Media", "c-card-media"),
        ("2up", "place-2up"),
    ] {
        assert_eq!(name(word), expected);
        assert!(name(word).parse::<kivet_recipe::PlaceName>().is_ok());
    }
}
