//! Renditions of one picture that fit every device: what its place would be, and what that offers.

use std::collections::BTreeSet;

use kivet_recipe::{Curves, Facts, Format, Kind, PlaceName, Policy, Recipe, Request, choose};

use super::tag::{Shelved, is_img, rewritten};
use crate::{
    Offered, Place, PlaceDocument, Population, Targets,
    learn::{Boxed, SeenPicture, place_of},
    markup::{Alt, Form, Offer, Options, Picture, Use as Written, write},
    observation::{Element, Observation, PictureFile, Role, Use},
};

/// A picture in the place that the devices' layouts make.
pub(super) struct Renditions {
    place: Place,
    offered: Offered,
    facts: Facts,
    path: String,
    is_img: bool,
    /// True if it is cropped.
    is_cropped: bool,
    /// True if its `picture` has sources, which go.
    in_picture: bool,
}

impl Renditions {
    /// What fits the devices; else what to do instead.
    pub(super) fn new(
        uses: &[(&Observation, &Use)],
        element: &Element,
        changes: &[(String, Option<String>)],
        shelved: &Shelved<'_>,
    ) -> Result<Self, String> {
        let largest = uses
            .iter()
            .filter_map(|(page, place)| Some((*place, page.file(place)?)))
            .max_by_key(|(_, file)| file.facts.as_ref().map_or(0, |facts| facts.size.pixels()));
        let Some((place, file, facts)) =
            largest.and_then(|(place, file)| Some((place, file, file.facts.clone()?)))
        else {
            return Err("kivet learn writes a place from the layout".to_owned());
        };
        let is_img = is_img(uses);
        let directed =
            uses.iter().any(|(_, one)| one.sources.iter().any(|source| !source.media.is_empty()));
        if directed {
            return Err(
                "its sources crop for some screens: kivet learn, then kivet apply, rewrite each"
                    .to_owned(),
            );
        }
        let document = document(uses, &facts, element, changes)
            .ok_or_else(|| "kivet learn writes a place from the layout".to_owned())?;
        if let Some(original) = of_service(&place.url) {
            return Err(format!("kivet markup {original} --sizes \"{}\"", document.sizes));
        }
        let name: PlaceName = "picture".parse().map_err(|error| format!("{error}"))?;
        let is_cropped = document.ratio.is_some();
        let placed = document.checked(&name).map_err(|error| error.to_string())?;
        let offered = offered(&placed, &facts, file);
        let path = shelved(&place.url)
            .unwrap_or_else(|| format!("<shelf>/{}", crate::findings::name(&place.url)));
        let in_picture = uses.iter().any(|(_, one)| !one.sources.is_empty());
        Ok(Self { place: placed, offered, facts, path, is_img, is_cropped, in_picture })
    }

    /// The `sizes` that all devices' layouts make.
    pub(super) fn sizes(&self) -> String {
        self.place.layout.sizes.as_str().to_owned()
    }

    /// How to come by a shelf, where none holds the picture.
    pub(super) fn shelf_wanted(&self) -> Option<String> {
        let wanted = "for <shelf>, kivet init makes one of the folder that holds it".to_owned();
        self.path.starts_with("<shelf>").then_some(wanted)
    }

    fn written_use(&self) -> Written<'_> {
        Written {
            picture: Picture { base: "", path: &self.path, facts: &self.facts, version: None },
            place: &self.place,
            offered: &self.offered,
            alt: Alt::Unknown,
        }
    }

    /// The tag, or the rules of a background.
    pub(super) fn written(
        &self,
        element: &Element,
        changes: &[(String, Option<String>)],
    ) -> String {
        let one = self.written_use();
        if !self.is_img {
            let options =
                Options { selector: Some(element.selector.clone()), ..Options::default() };
            return write(Form::Css, &one, &options).text;
        }
        let offer = Offer::of(&self.place, &self.offered, &self.facts, &[]);
        let main = &offer.main;
        let many = main.steps.len() > 1;
        let mut all: Vec<(String, Option<String>)> = changes.to_vec();
        let mut put = |name: &str, value: Option<String>| {
            all.retain(|(known, _)| known != name);
            all.push((name.to_owned(), value));
        };
        put("src", Some(main.fallback(&one.picture)));
        put("srcset", many.then(|| main.srcset(&one.picture)));
        put("sizes", many.then(|| main.sizes.clone()));
        // Attributes that describe the file describe the crop from now on.
        if let (true, Some(width), Some(_)) =
            (self.is_cropped, element.dimension("width"), element.dimension("height"))
        {
            let height = width * f64::from(main.size.height) / f64::from(main.size.width);
            put("height", Some(format!("{}", height.round())));
        }
        let img = rewritten(element, &all);
        let sources: String = crate::markup::parts(&one, &Options::default()).sources.concat();
        match (sources.is_empty(), self.in_picture) {
            (false, _) => format!("<picture>{sources}{img}</picture>"),
            (true, true) => format!("in place of the whole picture element: {img}"),
            (true, false) => img,
        }
    }
}

/// The original that an address asks a service for, as `shelf/path`.
fn of_service(url: &str) -> Option<&str> {
    let (_, rest) = url.split_once("/pic/")?;
    let (_, path) = rest.split_once('/')?;
    path.split(['?', '#']).next()
}

/// What the place of a picture is, from its boxes on all devices.
fn document(
    uses: &[(&Observation, &Use)],
    facts: &Facts,
    element: &Element,
    changes: &[(String, Option<String>)],
) -> Option<PlaceDocument> {
    let (_, first) = uses.first()?;
    let size = facts.size;
    let boxes = |swept: bool| {
        uses.iter().filter(|(_, place)| place.rendered).map(move |(page, place)| Boxed {
            window: (f64::from(page.device.width), f64::from(page.device.height)),
            size: (place.area.width, place.area.height),
            swept,
        })
    };
    let swept = uses.iter().map(|(_, place)| &place.swept).find(|swept| !swept.is_empty());
    let mut samples: Vec<Boxed> = match swept {
        Some(swept) => swept.iter().copied().chain(boxes(false)).collect(),
        // What five windows show is all that is known.
        None => boxes(true).chain(boxes(false)).collect(),
    };
    samples.sort_by(|one, other| one.window.0.total_cmp(&other.window.0));
    let picture = SeenPicture {
        element: element.clone(),
        role: first.role,
        ratio: Some(f64::from(size.width) / f64::from(size.height)),
        vector: facts.format == Format::Svg,
        fit: first.fit.clone(),
        position: first.position.clone(),
        samples,
        // A picture around the element may change what its style sheet says of it.
        wraps: first.role != Role::Img || !first.sources.is_empty() || first.wraps,
        ..SeenPicture::default()
    };
    let mut document = place_of(&picture, &mut BTreeSet::new())?;
    // A crop that was the style sheet's keeps its middle.
    if document.ratio.is_some() && document.position.is_none() {
        document.position = Some("center".to_owned());
    }
    document.loading = Some(loading(element, changes, first.role).to_owned());
    Some(document)
}

/// The loading policy that the attributes say once they are changed.
fn loading(element: &Element, changes: &[(String, Option<String>)], role: Role) -> &'static str {
    let said = |name: &str| match changes.iter().find(|(known, _)| known == name) {
        Some((_, value)) => value.clone().unwrap_or_default(),
        None => element.keyword(name),
    };
    match (said("loading").as_str(), said("fetchpriority").as_str()) {
        ("lazy", "low") if role == Role::Img => "hidden",
        ("lazy", _) if role == Role::Img => "later",
        (_, "high") => "first",
        _ => "near",
    }
}

/// The ladders, with bytes as a service expects them that knows no more than a check.
fn offered(place: &Place, facts: &Facts, file: &PictureFile) -> Offered {
    let (curves, policy) = (Curves::default(), Policy::default());
    let bytes = |recipe: &Recipe| {
        let choice = choose(recipe, facts, &curves, &Request::ANYTHING, &policy).ok();
        let best = choice.and_then(|choice| choice.candidates.first().copied());
        best.map_or(0.0, |best| best.predicted_bytes.get() as f64)
    };
    let targets = Targets {
        fidelity: policy.fidelity,
        density_step: policy.density_step,
        lossless: file.kind == Kind::Flat,
    };
    Offered::new(place, facts, Population::assumed(), targets, &bytes)
}
