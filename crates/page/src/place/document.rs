//! Places as people write them, in TOML and JSON.

use std::str::FromStr;

use kivet_recipe::{Density, Fidelity, Fit, PlaceName, Recipe};
use serde::{Deserialize, Serialize};

use super::{Alternative, Crop, Layout, Place, PlaceError};
use crate::{Sizes, is_media_condition};

/// A place as it is written. Absent keys take their defaults.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct PlaceDocument {
    /// How wide pictures are shown: the `sizes` attribute.
    pub sizes: String,
    /// Their aspect ratio, such as `3-2` or CSS's `3 / 2`; absent for each original's own. Where the
    /// layout shows them at several ratios, the narrowest and the widest: `3/4 to 16/9`. Each
    /// original is then cropped to the ratio of these nearest its own, so that only those parts are
    /// cut away that no screen shows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ratio: Option<String>,
    /// CSS `object-fit`; `cover` if a ratio stands.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fit: Option<String>,
    /// What `cover` keeps: `30-40` in percent, `top`, `focus` or `subject`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub position: Option<String>,
    /// The fidelity target at density 1, 1 to 100; the policy's if absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fidelity: Option<u8>,
    /// The highest density whose pixels are followed, 1 to 4.
    #[serde(default, alias = "density-cap", skip_serializing_if = "Option::is_none")]
    pub density_cap: Option<f64>,
    /// `first`, `near`, `later` (if absent) or `hidden`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub loading: Option<String>,
    /// `none` (if absent), `flat`, `soft`, or the path or URL of a picture.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub placeholder: Option<String>,
    /// True if the layout gives pictures a definite width, so that browsers may use it for lazy
    /// ones: `sizes="auto, ..."`.
    #[serde(default, alias = "auto-sizes", skip_serializing_if = "std::ops::Not::not")]
    pub auto_sizes: bool,
    /// True if pictures are never shown wider than their natural width, as with `max-width: 100%`:
    /// `sizes` is then capped at each original's.
    #[serde(default, alias = "natural-cap", skip_serializing_if = "std::ops::Not::not")]
    pub natural_cap: bool,
    /// Other layouts where media conditions hold; the first that holds counts.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub alternatives: Vec<AlternativeDocument>,
}

impl PlaceDocument {
    /// True if it cuts nothing off.
    pub(crate) fn is_uncropped(&self) -> bool {
        self.ratio.is_none() && self.alternatives.iter().all(|one| one.ratio.is_none())
    }
}

/// Another layout of the same picture where a media condition holds.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct AlternativeDocument {
    /// The condition, such as `(max-width: 40em)`.
    pub media: String,
    /// As in the place; the place's if absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sizes: Option<String>,
    /// As in the place, as are the following.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ratio: Option<String>,
    /// CSS `object-fit`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fit: Option<String>,
    /// What `cover` keeps.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub position: Option<String>,
}

impl PlaceDocument {
    /// The place that this describes.
    ///
    /// # Errors
    /// Names the key at fault and the way out.
    pub fn checked(&self, name: &PlaceName) -> Result<Place, PlaceError> {
        let Self {
            sizes,
            ratio,
            fit,
            position,
            fidelity,
            density_cap,
            loading,
            placeholder,
            auto_sizes,
            natural_cap,
            alternatives,
        } = self;
        let keys = Keys { place: name, within: String::new() };
        let layout = keys.layout(sizes, ratio.as_deref(), fit.as_deref(), position.as_deref())?;
        let place = Place {
            name: name.clone(),
            alternatives: alternatives
                .iter()
                .enumerate()
                .map(|(at, one)| one.checked(name, at, self))
                .collect::<Result<_, _>>()?,
            layout,
            fidelity: fidelity.map(|value| keys.fidelity(value)).transpose()?,
            density_cap: density_cap.map(|cap| keys.density_cap(cap)).transpose()?,
            loading: keys.read("loading", loading.as_deref())?,
            placeholder: keys.read("placeholder", placeholder.as_deref())?,
            auto_sizes: *auto_sizes,
            natural_cap: *natural_cap,
        };
        keys.check_cap(&place)?;
        Ok(place)
    }

    /// A place of which only the width is known.
    pub fn of_sizes(sizes: &str) -> Self {
        Self { sizes: sizes.to_owned(), ..Self::default() }
    }
}

impl AlternativeDocument {
    fn checked(
        &self,
        name: &PlaceName,
        at: usize,
        place: &PlaceDocument,
    ) -> Result<Alternative, PlaceError> {
        let keys = Keys { place: name, within: format!("alternative {}, ", at + 1) };
        if !is_media_condition(&self.media) {
            let problem = format!(
                "`{}` is not one media condition: write it in parentheses, without a media type, such as `(max-width: 40em)`",
                self.media
            );
            return Err(keys.complain("media", problem));
        }
        let sizes = self.sizes.as_ref().unwrap_or(&place.sizes);
        let or =
            |own: &'_ Option<String>, theirs: &'_ Option<String>| own.clone().or(theirs.clone());
        let ratio = or(&self.ratio, &place.ratio);
        let fit = or(&self.fit, &place.fit);
        let position = or(&self.position, &place.position);
        let layout = keys.layout(sizes, ratio.as_deref(), fit.as_deref(), position.as_deref())?;
        Ok(Alternative { media: self.media.clone(), layout })
    }
}

/// Reads keys, and complains of them by name.
struct Keys<'a> {
    place: &'a PlaceName,
    within: String,
}

impl Keys<'_> {
    fn complain(&self, key: &str, problem: impl Into<String>) -> PlaceError {
        PlaceError {
            place: self.place.to_string(),
            key: format!("{}{key}", self.within),
            problem: problem.into(),
        }
    }

    fn layout(
        &self,
        sizes: &str,
        ratio: Option<&str>,
        fit: Option<&str>,
        position: Option<&str>,
    ) -> Result<Layout, PlaceError> {
        let sizes: Sizes = sizes
            .parse()
            .map_err(|error: crate::SizesError| self.complain("sizes", error.to_string()))?;
        let (ratio, to) = match ratio.and_then(|ratio| ratio.split_once(" to ")) {
            Some((from, to)) => (Some(from), Some(to)),
            None => (ratio, None),
        };
        let clause = |ratio: &str| format!("ratio-{}", plain_ratio(ratio));
        let position = position.map(|position| format!("at-{position}"));
        if let Some(fit) = fit
            && !Fit::ALL.iter().any(|known| known.name() == fit)
        {
            let names = Fit::ALL.map(Fit::name).join(", ");
            return Err(self.complain("fit", format!("`{fit}` is not one of {names}")));
        }
        let clauses = [
            ("ratio", ratio.map(clause)),
            ("ratio", to.map(clause)),
            ("fit", fit.map(str::to_owned)),
            ("position", position),
        ];
        // Each alone first, so that the key at fault is named.
        for (key, clause) in &clauses {
            let beside = if *key == "ratio" { "" } else { "_ratio-3-2" };
            if let Some(clause) = clause {
                format!("{clause}{beside}")
                    .parse::<Recipe>()
                    .map_err(|error| self.complain(key, of_clause(&error)))?;
            }
        }
        let [first, widest, fit, position] = clauses.map(|(_, clause)| clause);
        let geometry = |ratio: Option<String>| -> Result<Recipe, PlaceError> {
            let clauses = [ratio, fit.clone(), position.clone()];
            let together: Vec<String> = clauses.into_iter().flatten().collect();
            match together.join("_").as_str() {
                "" => Ok(Recipe::default()),
                text => text.parse().map_err(|error| self.complain("ratio", of_clause(&error))),
            }
        };
        let crop = match widest {
            None => Crop::One(geometry(first)?),
            Some(widest) => {
                let (narrowest, widest) = (geometry(first)?, geometry(Some(widest))?);
                Crop::between(narrowest, widest).ok_or_else(|| {
                    let way_out = "a range goes from the narrower ratio to the wider one, such as `3/4 to 16/9`, and is for `cover`";
                    self.complain("ratio", way_out.to_owned())
                })?
            }
        };
        Ok(Layout { sizes, crop })
    }

    fn fidelity(&self, value: u8) -> Result<Fidelity, PlaceError> {
        let problem = || self.complain("fidelity", format!("{value} is not from 1 to 100"));
        Fidelity::new(value).ok_or_else(problem)
    }

    fn density_cap(&self, cap: f64) -> Result<Density, PlaceError> {
        let hundredths = Some(cap).filter(|cap| (1.0..=4.0).contains(cap));
        hundredths
            .and_then(|cap| Density::from_hundredths((cap * 100.0).round() as u16))
            .ok_or_else(|| self.complain("density-cap", format!("{cap} is not from 1 to 4")))
    }

    fn read<T: FromStr<Err = String> + Default>(
        &self,
        key: &str,
        text: Option<&str>,
    ) -> Result<T, PlaceError> {
        text.map_or(Ok(T::default()), |text| {
            text.parse().map_err(|problem: String| self.complain(key, problem))
        })
    }

    /// A cap is written as media conditions on the viewport's width, which must decide alone.
    fn check_cap(&self, place: &Place) -> Result<(), PlaceError> {
        let tall = || place.layouts().any(|(_, layout)| layout.sizes.depends_on_height());
        if place.density_cap.is_some() && tall() {
            let problem = "needs sizes that depend on the viewport's width alone, without vh, vmin or orientation";
            return Err(self.complain("density-cap", problem));
        }
        Ok(())
    }
}

/// A ratio as CSS writes it, as a clause does.
fn plain_ratio(ratio: &str) -> String {
    ratio.split_once(['/', ':']).map_or_else(
        || ratio.to_owned(),
        |(across, down)| format!("{}-{}", across.trim(), down.trim()),
    )
}

fn of_clause(error: &kivet_recipe::RecipeError) -> String {
    let way_out =
        error.nearest.as_ref().map(|nearest| nearest.split('_').next().unwrap_or(nearest));
    let way_out = way_out.map_or(String::new(), |nearest| {
        let value = ["ratio-", "at-"]
            .iter()
            .find_map(|prefix| nearest.strip_prefix(prefix))
            .unwrap_or(nearest);
        format!("; try `{value}`")
    });
    let value = error.clause.split_once('-').map_or(error.clause.as_str(), |(_, value)| value);
    format!("`{value}` {}{way_out}", error.problem)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn card() -> PlaceDocument {
        PlaceDocument {
            ratio: Some("3 / 2".to_owned()),
            position: Some("top".to_owned()),
            ..PlaceDocument::of_sizes("(min-width: 60em) 33vw, 100vw")
        }
    }

    fn name() -> PlaceName {
        "card".parse().expect("a name")
    }

    #[test]
    fn a_place_is_read_from_toml_and_stands_for_its_geometry() {
        let document: PlaceDocument = toml::from_str(
            "sizes = '50vw'\nratio = '4/3'\nfidelity = 75\ndensity-cap = 2\nauto-sizes = true\n\
             [[alternatives]]\nmedia = '(max-width: 40em)'\nratio = '1-1'\n",
        )
        .expect("readable");
        let place = document.checked(&name()).expect("a place");
        assert_eq!(place.recipe().to_string(), "ratio-4-3_fidelity-75");
        assert_eq!(place.alternatives[0].layout.crop.widest().to_string(), "ratio-1-1");
        assert_eq!(place.alternatives[0].layout.sizes.as_str(), "50vw");
        let phone = Device::named("phone").expect("a device");
        assert_eq!((place.layout_on(&phone), place.density_on(3.0)), (0, 2.0));
    }

    #[test]
    fn what_is_wrong_is_named_by_its_key() {
        type Change = fn(&mut PlaceDocument);
        let cases: [(Change, &str); 8] = [
            (|place| place.sizes = "50%".to_owned(), "sizes: `50%` cannot stand in sizes"),
            (|place| place.ratio = Some("1.5".to_owned()), "ratio: `1.5` is not a ratio"),
            (|place| place.fit = Some("crop".to_owned()), "fit: `crop` is not one of cover"),
            (|place| place.position = Some("topp".to_owned()), "try `top`"),
            (|place| place.fidelity = Some(0), "fidelity: 0 is not from 1 to 100"),
            (|place| place.loading = Some("latr".to_owned()), "did you mean `later`?"),
            (|place| place.placeholder = Some("blur".to_owned()), "placeholder: `blur` is not"),
            (
                |place| {
                    place.density_cap = Some(2.0);
                    place.sizes = "max(100vw, 93vh)".to_owned();
                },
                "density-cap: needs sizes that depend on the viewport's width alone",
            ),
        ];
        for (change, part) in cases {
            let mut place = card();
            change(&mut place);
            let said = place.checked(&name()).expect_err(part).to_string();
            assert!(said.contains(part) && said.starts_with("the place `card`, "), "{said}");
        }
        let mut place = card();
        place.alternatives = vec![AlternativeDocument {
            media: "screen".to_owned(),
            ..AlternativeDocument::default()
        }];
        let said = place.checked(&name()).expect_err("no condition").to_string();
        assert!(
            said.contains("alternative 1, media: `screen` is not one media condition"),
            "{said}"
        );
    }

    use crate::Device;
}
