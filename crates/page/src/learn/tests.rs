//! Made-up layouts, whose places are known.

use super::{layout::fraction, shape::name, *};
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
    let boxed = |width: f64, height: f64, swept| Boxed {
        window: (width, height),
        size: size(width, height),
        swept,
    };
    let devices =
        DEVICES.map(|device| boxed(f64::from(device.width), f64::from(device.height), false));
    let swept = (320..=2560).step_by(8).map(|width| boxed(f64::from(width), 900.0, true));
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
        samples: swept.chain(devices).collect(),
        devices: vec![OnDevice { rendered: true, ..OnDevice::default() }; 5],
        wraps: true,
        dimensions: true,
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
    assert_eq!((square.sizes.as_str(), square.ratio.as_deref()), ("50vw", Some("1 / 1")));
    let low = covered(|width, _| (width / 4.0, 150.0));
    assert!(low.alternatives.len() >= 3, "{low:?}");
    // On each device the crop is the box.
    for device in DEVICES {
        let across = f64::from(device.width) / 4.0;
        let holds = |one: &&crate::AlternativeDocument| crate::media_matches(&one.media, &device);
        let ratio = low.alternatives.iter().find(holds).map_or(&low.ratio, |one| &one.ratio);
        let (over, under) =
            ratio.as_ref().and_then(|text| text.split_once(" / ")).expect("a ratio");
        let ratio: f64 =
            over.parse::<f64>().expect("a number") / under.parse::<f64>().expect("a number");
        assert!((ratio / (across / 150.0) - 1.0).abs() < 0.03, "{} {ratio} {across}", device.name);
    }
    // What cannot be wrapped gets no sources: all of it is sent, as wide as it is drawn.
    let bare = picture(("img", ""), &[], ("a.jpg", 1), "cover", |width, _| (width / 4.0, 150.0));
    let bare = place_of(SeenPicture { wraps: false, ..bare });
    assert!(bare.alternatives.is_empty() && bare.ratio.is_none(), "{bare:?}");
    assert!(bare.sizes.ends_with("px) 225px, 25vw"), "{}", bare.sizes);
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
    let odd = picture(("img", ""), &[("div", "card")], ("odd.jpg", 6), "fill", |_, _| (90.0, 60.0));
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
fn a_page_that_phones_lay_out_wider_than_they_are_is_named() {
    let seen = |width: f64| {
        let one = Boxed { window: (width, 700.0), size: (width, 400.0), swept: false };
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
        [(1.5, "3 / 2"), (1.7777, "16 / 9"), (1.0, "1 / 1"), (0.5625, "9 / 16"), (3.001, "3 / 1")]
    {
        assert_eq!(fraction(ratio), text);
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
