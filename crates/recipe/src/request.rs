//! What a request says of its viewer: formats, the width of the layout, density, thrift.

use crate::{Accepted, Recipe, step_for};

/// One picture request, as far as the choice looks at it.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Request {
    /// The formats it can show.
    pub accepted: Accepted,
    /// What it says of its screen.
    pub hints: Hints,
    /// True if it asks for fewer bytes (the Save-Data client hint, `Save-Data: on`).
    pub save_data: bool,
}

/// Client hints about sizes (RFC 8942; Responsive Image Client Hints, sections 3 and 4). Values no
/// screen has are not read.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Hints {
    /// `Sec-CH-Width`: the layout width of this picture, in physical pixels.
    pub width: Option<u32>,
    /// `Sec-CH-DPR`: physical pixels per CSS pixel.
    pub density: Option<f64>,
    /// `Sec-CH-Viewport-Width`: the layout viewport, in CSS pixels.
    pub viewport_width: Option<u32>,
}

/// Where the width of a rendition comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WidthFrom {
    /// The recipe settles it.
    Recipe,
    /// The hints tell how wide it is shown at most; a step is given.
    Hints {
        /// Physical pixels across.
        shown: u32,
        /// The step they were rounded up to.
        step: u32,
    },
    /// Neither says: the original's own width.
    Original,
}

impl Request {
    /// Of a caller that reads every format and says nothing else.
    pub const ANYTHING: Self = Self::accepting(Accepted::EVERYTHING);

    /// That says nothing but what it accepts.
    pub const fn accepting(accepted: Accepted) -> Self {
        Self {
            accepted,
            hints: Hints { width: None, density: None, viewport_width: None },
            save_data: false,
        }
    }

    /// Reads a request by asking `header` for values by their names in lower case; several lines of
    /// one header are joined by commas. What is malformed says nothing.
    pub fn read(header: impl Fn(&str) -> Option<String>) -> Self {
        let number = |name: &str| {
            header(name)?.trim().parse::<f64>().ok().filter(|number| number.is_finite())
        };
        let pixels = |name| {
            number(name)
                .filter(|pixels| (1.0..=65_535.0).contains(pixels))
                .map(|pixels| pixels.ceil() as u32)
        };
        Self {
            accepted: Accepted::from_header(&header("accept").unwrap_or_default()),
            hints: Hints {
                width: pixels("sec-ch-width"),
                density: number("sec-ch-dpr").filter(|density| (0.1..=10.0).contains(density)),
                viewport_width: pixels("sec-ch-viewport-width"),
            },
            save_data: header("save-data")
                .is_some_and(|value| value.trim().eq_ignore_ascii_case("on")),
        }
    }

    /// The recipe with its width settled: as it stands where it settles one itself, else by the
    /// hints, rounded up to a step.
    pub fn settle(&self, recipe: &Recipe) -> (Recipe, WidthFrom) {
        if !recipe.leaves_width_open() {
            return (recipe.clone(), WidthFrom::Recipe);
        }
        let Some(shown) = self.hints.shown() else { return (recipe.clone(), WidthFrom::Original) };
        let step = step_for(f64::from(shown));
        (recipe.at_width(step), WidthFrom::Hints { shown, step })
    }
}

impl Hints {
    /// Physical pixels across that the picture takes, at most.
    fn shown(&self) -> Option<u32> {
        let by_viewport = || {
            Some(
                (f64::from(self.viewport_width?) * self.density.unwrap_or(1.0)).ceil().min(65_535.0)
                    as u32,
            )
        };
        self.width.or_else(by_viewport)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn request(headers: &[(&str, &str)]) -> Request {
        Request::read(|name| {
            headers.iter().find(|(known, _)| *known == name).map(|(_, value)| (*value).to_owned())
        })
    }

    fn settled(recipe: &str, headers: &[(&str, &str)]) -> (Option<u32>, WidthFrom) {
        let (recipe, from) = request(headers).settle(&recipe.parse().expect(recipe));
        (recipe.width, from)
    }

    #[test]
    fn open_widths_follow_the_hints_up_to_a_step() {
        let width = ("sec-ch-width", "701");
        assert_eq!(
            settled("ratio-3-2", &[width]),
            (Some(712), WidthFrom::Hints { shown: 701, step: 712 })
        );
        assert_eq!(settled("ratio-3-2", &[("sec-ch-width", "800")]).0, Some(800));
        assert_eq!(settled("ratio-3-2", &[("sec-ch-width", "9000")]).0, Some(3840));
        let viewport = [("sec-ch-viewport-width", "390"), ("sec-ch-dpr", "3.0")];
        assert_eq!(
            settled("as-webp", &viewport),
            (Some(1200), WidthFrom::Hints { shown: 1170, step: 1200 })
        );
        assert_eq!(
            settled("as-webp", &[viewport[0], width]).0,
            Some(712),
            "the picture's own width goes first"
        );
        assert_eq!(settled("as-webp", &[("sec-ch-dpr", "2")]), (None, WidthFrom::Original));
        for closed in ["640w", "360h", "original"] {
            assert_eq!(settled(closed, &[width]).1, WidthFrom::Recipe, "{closed}");
        }
    }

    #[test]
    fn malformed_headers_say_nothing() {
        for value in ["", "wide", "-3", "0", "NaN", "inf", "1e9", "640, 320"] {
            assert_eq!(
                request(&[("sec-ch-width", value), ("sec-ch-dpr", value)]).hints,
                Hints::default(),
                "{value}"
            );
        }
        assert!(
            request(&[("save-data", "On")]).save_data && !request(&[("save-data", "?1")]).save_data
        );
    }
}
