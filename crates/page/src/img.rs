//! An `img` with everything a browser needs to ask for the right rendition at the right moment
//! (HTML, 4.8.4).

use std::fmt::Write;

use kivet_recipe::{Facts, LadderStep, Recipe, ladder};

/// An original as markup sees it.
#[derive(Clone, Copy, Debug)]
pub struct Picture<'a> {
    /// What stands before `/pic/`: empty where pictures come from the page's own host.
    pub base: &'a str,
    /// `shelf/path`, percent-encoded.
    pub address: &'a str,
    /// What is known of it.
    pub facts: &'a Facts,
    /// The version that addresses name, `?v=`: such answers never change, and the markup is written
    /// again when they do.
    pub version: Option<&'a str>,
}

/// When a picture is fetched.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Loading {
    /// The largest paint: eager and urgent. One a page.
    First,
    /// In the first screen: eager.
    Near,
    /// Below it: lazy.
    Later,
    /// Out of view until an interaction, such as a later slide: lazy, low priority.
    Hidden,
}

impl Loading {
    /// All, with the names they go by.
    pub const NAMES: [(&'static str, Self); 4] = [
        ("first", Self::First),
        ("near", Self::Near),
        ("later", Self::Later),
        ("hidden", Self::Hidden),
    ];

    const fn attributes(self) -> &'static str {
        match self {
            Self::First => r#" loading="eager" fetchpriority="high""#,
            Self::Near => r#" loading="eager""#,
            Self::Later => r#" loading="lazy""#,
            Self::Hidden => r#" loading="lazy" fetchpriority="low""#,
        }
    }
}

/// What stands in for a picture where it cannot be seen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Alt<'a> {
    /// These words.
    Text(&'a str),
    /// Nothing is lost without it: `alt=""`.
    Decorative,
    /// Unknown. The attribute is left out and reported, never invented.
    Unknown,
}

/// Finished markup.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Markup {
    /// The element.
    pub html: String,
    /// What it offers, smallest first.
    pub ladder: Vec<LadderStep>,
    /// What a person still has to decide.
    pub notes: Vec<String>,
}

/// Markup that cannot be written.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum MarkupError {
    /// `sizes` is not a list of lengths.
    #[error(
        "`{sizes}` cannot stand in sizes: {problem}; write lengths such as `(min-width: 60em) 33vw, 100vw`"
    )]
    Sizes {
        /// As given.
        sizes: String,
        /// What is wrong.
        problem: &'static str,
    },
}

/// The `img` for a picture shown `sizes` wide, cropped as `recipe` says (its own width and density
/// are not used: the ladder sets the widths).
///
/// # Errors
/// If `sizes` could not be read by a browser.
pub fn img(
    picture: Picture<'_>,
    recipe: &Recipe,
    sizes: &str,
    alt: Alt<'_>,
    loading: Loading,
) -> Result<Markup, MarkupError> {
    check_sizes(sizes)?;
    let ladder = ladder(recipe, picture.facts);
    let version = picture.version.map_or(String::new(), |version| format!("?v={version}"));
    let address = |step: &LadderStep| {
        format!("{}/pic/{}/{}{version}", picture.base, step.recipe, picture.address)
    };
    let candidates: Vec<String> =
        ladder.iter().map(|step| format!("{} {}w", address(step), step.size.width)).collect();
    let largest = ladder.last().map_or(picture.facts.size, |step| step.size);
    let fallback = ladder.iter().rfind(|step| step.size.width <= FALLBACK_WIDTH).or(ladder.first());

    let mut html = String::from("<img");
    let mut attribute = |name: &str, value: &str| {
        // Writing to a string cannot fail.
        let _ = write!(html, "\n  {name}=\"{}\"", escaped(value));
    };
    attribute("src", &fallback.map_or(String::new(), address));
    // One candidate needs no choosing among.
    if candidates.len() > 1 {
        attribute("srcset", &candidates.join(",\n    "));
        attribute("sizes", sizes);
    }
    let _ = write!(html, "\n  width=\"{}\" height=\"{}\"", largest.width, largest.height);
    let mut notes = Vec::new();
    match alt {
        Alt::Text(text) => {
            let _ = write!(html, "\n  alt=\"{}\"", escaped(text));
        }
        Alt::Decorative => html.push_str("\n  alt=\"\""),
        Alt::Unknown => notes.push(
            "no alt was given and none is invented: say what the picture shows, or that it is decorative".to_owned(),
        ),
    }
    let _ = write!(html, "\n {} decoding=\"async\">", loading.attributes());
    Ok(Markup { html, ladder, notes })
}

/// What a browser without `srcset` gets: enough for most, too much for none.
const FALLBACK_WIDTH: u32 = 960;

fn check_sizes(sizes: &str) -> Result<(), MarkupError> {
    let refuse = |problem| Err(MarkupError::Sizes { sizes: sizes.to_owned(), problem });
    if sizes.trim().is_empty() {
        return refuse("it is empty");
    }
    if sizes.contains(['<', '>', '"', '{', '}', ';']) {
        return refuse("it holds a character CSS lengths never do");
    }
    if sizes.split(',').any(|part| part.trim().is_empty()) {
        return refuse("a part of it is empty");
    }
    if sizes.contains('%') {
        return refuse("percentages mean nothing there (HTML, 4.8.4.2.2)");
    }
    if sizes.split(',').any(|part| part.trim().parse::<f64>().is_ok_and(|number| number != 0.0)) {
        return refuse("a number needs a unit");
    }
    Ok(())
}

/// Text as it stands in a double-quoted attribute (HTML, 13.3).
fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('"', "&quot;").replace('<', "&lt;")
}

#[cfg(test)]
mod tests {
    use kivet_recipe::{Format, Size, Storage};

    use super::*;

    fn picture() -> Picture<'static> {
        static FACTS: Facts = Facts::plain(Format::Jpeg, Size::new(700, 467), Storage::Lossy);
        Picture {
            base: "",
            address: "photos/harbour/kites%20&%20co.jpg",
            facts: &FACTS,
            version: None,
        }
    }

    #[test]
    fn a_vector_needs_no_candidates() {
        let facts = Facts::plain(Format::Svg, Size::new(300, 200), Storage::Vector);
        let mark = Picture {
            base: "",
            address: "photos/brand/mark.svg",
            facts: &facts,
            version: Some("abc123"),
        };
        let recipe = "ratio-1-1".parse().expect("a recipe");
        let markup =
            img(mark, &recipe, "100vw", Alt::Text("Windmark"), Loading::Near).expect("markup");
        assert!(
            markup.html.contains("src=\"/pic/ratio-1-1/photos/brand/mark.svg?v=abc123\"")
                && !markup.html.contains("srcset")
        );
        assert!(markup.html.contains("width=\"200\" height=\"200\""));
    }

    #[test]
    fn the_whole_element_reads_as_a_person_would_write_it() {
        let recipe = "ratio-3-2_fidelity-60".parse().expect("a recipe");
        let markup = img(
            picture(),
            &recipe,
            "(min-width: 60em) 33vw, 100vw",
            Alt::Text("Kites \"at\" dawn"),
            Loading::First,
        )
        .expect("markup");
        assert_eq!(
            markup.html,
            r#"<img
  src="/pic/800w_ratio-3-2_fidelity-60/photos/harbour/kites%20&amp;%20co.jpg"
  srcset="/pic/160w_ratio-3-2_fidelity-60/photos/harbour/kites%20&amp;%20co.jpg 160w,
    /pic/240w_ratio-3-2_fidelity-60/photos/harbour/kites%20&amp;%20co.jpg 240w,
    /pic/320w_ratio-3-2_fidelity-60/photos/harbour/kites%20&amp;%20co.jpg 320w,
    /pic/480w_ratio-3-2_fidelity-60/photos/harbour/kites%20&amp;%20co.jpg 480w,
    /pic/640w_ratio-3-2_fidelity-60/photos/harbour/kites%20&amp;%20co.jpg 640w,
    /pic/800w_ratio-3-2_fidelity-60/photos/harbour/kites%20&amp;%20co.jpg 700w"
  sizes="(min-width: 60em) 33vw, 100vw"
  width="700" height="467"
  alt="Kites &quot;at&quot; dawn"
  loading="eager" fetchpriority="high" decoding="async">"#
        );
        assert!(markup.notes.is_empty());
    }

    #[test]
    fn a_missing_alt_is_left_out_and_reported() {
        let recipe = Recipe::default();
        let markup =
            img(picture(), &recipe, "100vw", Alt::Unknown, Loading::Later).expect("markup");
        assert!(!markup.html.contains("alt=") && markup.notes.len() == 1);
        let decorative =
            img(picture(), &recipe, "100vw", Alt::Decorative, Loading::Later).expect("markup");
        assert!(decorative.html.contains("alt=\"\"") && decorative.notes.is_empty());
    }

    #[test]
    fn sizes_a_browser_cannot_read_are_refused() {
        for sizes in ["", "50%", "640", "100vw,", "100vw\" onload=\"x", "100vw;"] {
            assert!(
                img(picture(), &Recipe::default(), sizes, Alt::Decorative, Loading::Near).is_err(),
                "{sizes}"
            );
        }
    }
}
