//! What is done with hostile bytes. Each function must come back: no panic, no hang, no more memory
//! than its limits say.
//!
//! `cargo fuzz run NAME --features libfuzzer` feeds them for as long as wanted; the test here,
//! which CI runs, feeds them the corpora and a few thousand mutations of these.

use std::{collections::HashMap, time::Duration};

use kivet_image::{
    Limits, Task, Work, analyse, credit, find_trim_box, kind, metadata, without_location,
};
use kivet_page::{
    Budget, DEVICES, TextPage, findings,
    observation::{Area, PictureFile},
    observe,
};
use kivet_recipe::{Curves, Facts, Format, Kind, Policy, Recipe, Request, Size, Storage, choose};
use url::Url;

/// Small enough that each input takes milliseconds.
const LIMITS: Limits = Limits {
    pixels: 1 << 20,
    bytes: 1 << 20,
    frames: 20,
    whole: 32 << 20,
    time: Duration::from_secs(5),
};

/// Facts, metadata, credit, and location cut out.
pub fn probe(data: &[u8]) {
    if let Ok(facts) = kivet_image::probe(data, LIMITS) {
        if let Ok(clean) = without_location(data, facts.format) {
            assert!(!metadata(&clean).has_location, "a coordinate survived");
        }
        assert!(credit(data, facts.format).creator.is_none_or(|creator| !creator.is_empty()));
    }
    assert!(metadata(data).bytes <= data.len() as u64);
}

/// A small rendition, animated if it moves, and a look at the pixels.
pub fn decode(data: &[u8]) {
    let Ok(facts) = kivet_image::probe(data, LIMITS) else { return };
    if facts.size.pixels() > LIMITS.pixels {
        return;
    }
    for recipe in ["24w_20h_on-ffffff_as-png", "16w_as-gif"] {
        let recipe: Recipe = recipe.parse().unwrap_or_default();
        if let Ok(choice) =
            choose(&recipe, &facts, &Curves::default(), &Request::ANYTHING, &Policy::default())
        {
            let task = Task { limits: LIMITS, work: Work::within(LIMITS), ..Task::default() };
            if let Ok(made) = kivet_image::render(data, &facts, &choice, &task) {
                assert_eq!(made.size, choice.plan.size);
            }
        }
    }
    let _ = analyse(data, &facts, LIMITS);
    let _ = find_trim_box(data, &facts, LIMITS);
    let _ = kind(data, &facts, LIMITS);
}

/// A recipe's text; what can be read is written and read back the same.
pub fn recipe(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    if let Ok(recipe) = text.parse::<Recipe>() {
        assert_eq!(recipe.to_string().parse::<Recipe>(), Ok(recipe));
    }
}

/// True if an element of that very name is opened: a longer name is another, and does nothing.
fn has_element(text: &str, name: &str) -> bool {
    text.split('<')
        .filter_map(|tag| tag.strip_prefix(name))
        .any(|rest| rest.starts_with([' ', '/', '>']))
}

/// A vector cleaned, and what is clean cleaned again: nothing that acts is left.
pub fn vector(data: &[u8]) {
    let Ok(facts) = kivet_image::probe(data, LIMITS) else { return };
    let recipe: Recipe = "64w_ratio-1-1".parse().unwrap_or_default();
    let Ok(choice) =
        choose(&recipe, &facts, &Curves::default(), &Request::ANYTHING, &Policy::default())
    else {
        return;
    };
    if facts.format != kivet_recipe::Format::Svg {
        return;
    }
    if let Ok(made) =
        kivet_image::render(data, &facts, &choice, &Task { limits: LIMITS, ..Task::default() })
    {
        let text = String::from_utf8_lossy(&made.bytes);
        for acting in ["script", "foreignObject", "iframe", "handler"] {
            assert!(!has_element(&text, acting), "{acting} is left");
        }
        kivet_image::probe(&made.bytes, LIMITS)
            .map(drop)
            .unwrap_or_else(|error| panic!("what is clean is a drawing: {error}"));
    }
}

/// A page read as text and judged, on a phone and on a desktop: no box is without end or beginning.
pub fn page(data: &[u8]) {
    let (Ok(html), Ok(url)) = (std::str::from_utf8(data), Url::parse("https://kites.example/"))
    else {
        return;
    };
    let facts = Facts::plain(Format::Jpeg, Size { width: 400, height: 300 }, Storage::Lossy);
    let picture = PictureFile {
        facts: Some(facts),
        bytes: 9_000,
        hash: String::new(),
        metadata_bytes: 0,
        has_location: false,
        kind: Kind::Photo,
    };
    let files = HashMap::from([("https://kites.example/k.jpg".to_owned(), picture)]);
    let page = TextPage { url: &url, html, sheets: &[], files: &files, no_store: false };
    // A page above the limits is refused.
    let devices = [DEVICES[1], DEVICES[4]];
    for seen in observe(page, &devices, &Budget::default()).into_iter().flatten() {
        for Area { x, y, width, height } in seen.uses.iter().map(|place| place.area) {
            assert!([x, y, width, height].iter().all(|side| side.is_finite()), "{html}");
            assert!(width >= 0.0 && height >= 0.0, "{html}");
        }
        findings(&seen);
    }
}

#[cfg(test)]
mod tests {
    use std::{fs, path::Path};

    /// Mutations of each seed.
    const ROUNDS: u64 = 2000;

    /// Every seed of a corpus, cut, flipped and spliced in ways that follow from a number.
    fn smoke(name: &str, feed: fn(&[u8])) {
        let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("corpus").join(name);
        let mut seeds: Vec<_> = fs::read_dir(&folder)
            .expect("a corpus")
            .map(|entry| entry.expect("a seed").path())
            .collect();
        seeds.sort();
        assert!(seeds.len() >= 4, "{} holds a few seeds", folder.display());
        for seed in seeds {
            let whole = fs::read(&seed).expect("a seed");
            feed(&whole);
            for round in 0..ROUNDS {
                feed(&mutated(&whole, round));
            }
        }
    }

    fn mutated(whole: &[u8], round: u64) -> Vec<u8> {
        let mut state = round.wrapping_mul(0x9E37_79B9_7F4A_7C15).wrapping_add(whole.len() as u64);
        let mut roll = |below: usize| {
            state = state
                .wrapping_mul(6_364_136_223_846_793_005)
                .wrapping_add(1_442_695_040_888_963_407);
            (state >> 33) as usize % below.max(1)
        };
        let mut bytes = whole.to_vec();
        for _ in 0..=roll(6) {
            let at = roll(bytes.len());
            match roll(5) {
                0 => bytes.truncate(at),
                1 if at < bytes.len() => bytes[at] ^= 1 << roll(8),
                2 if at < bytes.len() => bytes[at] = [0, 1, 0x7F, 0x80, 0xFF][roll(5)],
                3 => bytes.rotate_left(at),
                _ => {
                    let part = bytes[at..(at + roll(64)).min(bytes.len())].to_vec();
                    bytes.splice(at..at, part);
                }
            }
        }
        bytes
    }

    #[test]
    fn probing_survives() {
        smoke("probe", super::probe);
    }

    #[test]
    fn decoding_survives() {
        smoke("decode", super::decode);
    }

    #[test]
    fn recipes_survive() {
        smoke("recipe", super::recipe);
    }

    #[test]
    fn pages_survive() {
        smoke("page", super::page);
    }

    #[test]
    fn cleaning_survives() {
        smoke("vector", super::vector);
    }
}
