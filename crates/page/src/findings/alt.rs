//! What stands in for a picture where it cannot be seen.

use super::{Code, Cost, Finding, Fix, name};
use crate::observation::{Observation, Role, Use};

/// Words that say no more than that there is a picture.
const EMPTY_WORDS: [&str; 21] = [
    "image",
    "images",
    "img",
    "picture",
    "pic",
    "photo",
    "photograph",
    "foto",
    "bild",
    "graphic",
    "icon",
    "logo",
    "thumbnail",
    "thumb",
    "banner",
    "untitled",
    "alt",
    "alt text",
    "placeholder",
    "todo",
    "spacer",
];

/// What cameras and editors name files.
const FILE_STEMS: [&str; 8] =
    ["img", "dsc", "dscn", "dscf", "pxl", "mvi", "screenshot", "untitled"];

pub(super) fn findings(page: &Observation) -> Vec<Finding> {
    page.uses.iter().filter(|place| is_read_out(place)).filter_map(finding).collect()
}

/// True if assistive technology would announce it.
fn is_read_out(place: &Use) -> bool {
    let element = &place.element;
    let silent = matches!(element.keyword("role").as_str(), "presentation" | "none")
        || element.keyword("aria-hidden") == "true"
        || place.ancestors.iter().any(|around| {
            around.attributes.get("aria-hidden").is_some_and(|value| value == "true")
        });
    let is_beacon = place.area.width <= 2.0 && place.area.height <= 2.0 && place.decoded;
    place.role == Role::Img && place.rendered && !silent && !is_beacon
}

fn finding(place: &Use) -> Option<Finding> {
    let element = &place.element;
    let labelled =
        ["aria-label", "aria-labelledby"].iter().any(|name| !element.keyword(name).is_empty());
    let Some(alt) = element.attribute("alt") else {
        if labelled {
            return None;
        }
        let why = format!("{} has no alt: readers hear its address, or nothing", name(&place.url));
        let fix = Fix::words(
            "add alt=\"...\" with words for what it shows, or alt=\"\" if it is decoration",
        );
        return Some(Finding::at(Code::AltMissing, place, Cost::NONE, why, fix));
    };
    let alt = alt.trim();
    let why = if alt.is_empty() {
        let nameless_link =
            place.link_text.as_ref().is_some_and(|text| text.trim().is_empty()) && !labelled;
        let nameless_button = element.tag == "input";
        (nameless_link || nameless_button)
            .then(|| "it is all a link or button has, and its alt is empty".to_owned())?
    } else if labelled {
        // The label is read out instead (Accessible Name and Description Computation 1.2, step 2D).
        return None;
    } else if says_nothing(alt) {
        format!("alt=\"{alt}\" says nothing about the picture")
    } else if is_file_name(alt, &place.url) {
        format!("alt=\"{alt}\" is a file name")
    } else {
        return None;
    };
    let fix = Fix::words("replace alt by words for what it shows");
    Some(Finding::at(Code::AltUseless, place, Cost::NONE, why, fix))
}

fn says_nothing(alt: &str) -> bool {
    let words = alt.to_lowercase();
    let bare = words.trim_matches(|c: char| !c.is_alphabetic());
    bare.is_empty() || EMPTY_WORDS.contains(&bare) || bare.starts_with("what it shows")
}

fn is_file_name(alt: &str, url: &str) -> bool {
    let alt = alt.to_lowercase();
    let extensions = [
        ".jpg", ".jpeg", ".png", ".gif", ".webp", ".avif", ".jxl", ".svg", ".bmp", ".tif", ".tiff",
    ];
    if extensions.iter().any(|extension| alt.ends_with(extension)) {
        return true;
    }
    let file = name(url).to_lowercase();
    let stem = file.rsplit_once('.').map_or(file.as_str(), |(stem, _)| stem);
    // One word may well be the name of the thing; a name joined by signs or numbered is a file's.
    let joined = alt.contains(['_', '-']) && !alt.contains(' ');
    let numbered = FILE_STEMS.iter().any(|known| {
        alt.strip_prefix(known).is_some_and(|rest| {
            let rest = rest.trim_start_matches(['_', '-', ' ']);
            !rest.is_empty() && rest.chars().all(|c| c.is_ascii_digit() || c == '_' || c == '-')
        })
    });
    numbered || (joined && (alt == stem || alt.contains('_')))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn file_names_and_empty_words_are_told_from_descriptions() {
        for useless in ["image", "Photo", "  picture ", "...", "Logo", "photo 1", "what it shows"] {
            assert!(says_nothing(useless), "{useless}");
        }
        for file in ["kites-dawn.jpg", "IMG_2041", "dsc 0034", "kites-dawn", "final_v2_small"] {
            assert!(is_file_name(file, "https://a.test/x/kites-dawn.jpg"), "{file}");
        }
        for good in [
            "Kites over the harbour",
            "Windmark Kite Week",
            "kites",
            "Sea-worn rope",
            "Image of the mole at dawn",
        ] {
            assert!(
                !says_nothing(good) && !is_file_name(good, "https://a.test/kites.jpg"),
                "{good}"
            );
        }
    }
}
