//! Renditions of one picture that fit every device: what its place would be, and what that offers.

use std::collections::BTreeSet;

use kivet_recipe::{Facts, Format, Kind, PlaceName};

use super::tag::{Shelved, rewritten};
use crate::{
    Offered, Place, PlaceDocument,
    findings::name as name_of,
    learn::{Boxed, SeenPicture, Trial, place_of},
    markup::{
        Alt, Offer, Options, Picture, Use as Written, background_preloads, background_variable,
        parts,
    },
    observation::{Element, Observation, Role, Use, Window},
};

/// A picture in the place that the devices' layouts make.
pub(super) struct Renditions {
    place: Place,
    offered: Offered,
    facts: Facts,
    /// `shelf/path` of its file.
    path: String,
    /// Its address on the page.
    url: String,
    /// True if that is what the page asks a service for already: `facts` are then those of a
    /// rendition.
    is_served: bool,
    role: Role,
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
    ) -> Result<Self, &'static str> {
        let largest = uses
            .iter()
            .filter_map(|(page, place)| Some((*place, page.file(place)?)))
            .max_by_key(|(_, file)| file.facts.as_ref().map_or(0, |facts| facts.size.pixels()));
        let unknown = "kivet learn writes a place for it from the layout";
        let (place, file) = largest.ok_or(unknown)?;
        let facts = file.facts.clone().ok_or(unknown)?;
        let directed =
            uses.iter().any(|(_, one)| one.sources.iter().any(|source| !source.media.is_empty()));
        if directed {
            return Err(
                "its sources crop for some screens; kivet learn and kivet apply rewrite each",
            );
        }
        let document = document(uses, &facts, element, changes).ok_or(unknown)?;
        let name: PlaceName = "picture".parse().map_err(|_| unknown)?;
        let placed = document.checked(&name).map_err(|_| unknown)?;
        let served = of_service(&place.url);
        let path = served.map(str::to_owned).or_else(|| shelved(&place.url));
        Ok(Self {
            offered: Offered::expected(&placed, &facts, file.kind == Kind::Flat),
            place: placed,
            facts,
            path: path.unwrap_or_else(|| format!("<shelf>/{}", name_of(&place.url))),
            is_served: served.is_some(),
            url: place.url.clone(),
            role: place.role,
            is_cropped: document.ratio.is_some(),
            in_picture: uses.iter().any(|(_, one)| !one.sources.is_empty()),
        })
    }

    /// The `sizes` that all devices' layouts make.
    pub(super) fn sizes(&self) -> String {
        self.place.layout.sizes.as_str().to_owned()
    }

    /// How to come by a shelf, where none holds the picture.
    pub(super) fn shelf_wanted(&self) -> Option<String> {
        let way = "kivet init makes a shelf of the folder that holds it";
        self.path.starts_with("<shelf>").then(|| way.to_owned())
    }

    /// The custom property that the rules of a background set.
    fn variable(&self) -> String {
        let stem = self.path.rsplit('/').next().unwrap_or_default();
        let stem = stem.rsplit_once('.').map_or(stem, |(stem, _)| stem);
        format!("--{}", stem.replace(|c: char| !c.is_ascii_alphanumeric(), "-"))
    }

    /// The step beside the rules of a background: the declaration names what they set, and keeps its
    /// layers, its position and its place in the cascade.
    pub(super) fn declaration(&self, element: &Element) -> Option<String> {
        if self.role != Role::Background {
            return None;
        }
        let in_style = element.attribute("style").is_some_and(|style| style.contains("url("));
        let place = if in_style { "the style attribute" } else { "the style sheet" };
        let (name, file) = (self.variable(), name_of(&self.url));
        Some(format!(
            "write var({name}) instead of the url() of {file} in {place}: other layers, position and size stay"
        ))
    }

    /// The command that writes its markup from the original, of which a page that shows a rendition
    /// tells nothing.
    pub(super) fn command(&self) -> Option<String> {
        let (path, sizes) = (&self.path, self.place.layout.sizes.as_str());
        self.is_served.then(|| format!("kivet markup {path} --sizes \"{sizes}\""))
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
        match self.role {
            Role::Img => self.img(element, changes),
            Role::Background => background_variable(&self.written_use(), &self.variable(), &[]),
            // A still has one address for all screens.
            Role::Poster => {
                let steps = self.offered.layouts.last().map(|layout| &layout.steps);
                let largest = steps.and_then(|steps| steps.last());
                let url = largest.map(|step| self.written_use().picture.url(step.recipe.as_str()));
                rewritten(element, &[changes, &[("poster".to_owned(), url)]].concat())
            }
        }
    }

    /// The preloads that go with it.
    pub(super) fn preloads(&self) -> Vec<String> {
        match self.role {
            Role::Background => background_preloads(&self.written_use(), None, &[]),
            Role::Img | Role::Poster => {
                parts(&self.written_use(), &Options::default(), true).preloads
            }
        }
    }

    fn img(&self, element: &Element, changes: &[(String, Option<String>)]) -> String {
        let one = self.written_use();
        let main = Offer::of(&self.place, &self.offered, &self.facts, &[]).main;
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
        let sources: String = parts(&one, &Options::default(), true).sources.concat();
        match (sources.is_empty(), self.in_picture) {
            (false, _) => format!("<picture style=\"display:contents\">{sources}{img}</picture>"),
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
    let boxes = |of: Window| {
        uses.iter().filter(|(_, place)| place.rendered).map(move |(page, place)| Boxed {
            window: (f64::from(page.device.width), f64::from(page.device.height)),
            size: (place.area.width, place.area.height),
            of,
        })
    };
    // One device's sweep is all devices', and of several elements each has its own.
    let mut swept: Vec<Boxed> = uses.iter().flat_map(|(_, one)| one.swept.clone()).collect();
    if swept.is_empty() {
        // What five windows show is all that is known.
        swept = boxes(Window::Swept).collect();
    }
    let mut samples: Vec<Boxed> = swept.into_iter().chain(boxes(Window::Device)).collect();
    samples.sort_by(|one, other| one.window.0.total_cmp(&other.window.0));
    let picture = SeenPicture {
        element: element.clone(),
        role: first.role,
        ratio: Some(f64::from(size.width) / f64::from(size.height)),
        vector: facts.format == Format::Svg,
        fit: first.fit.clone(),
        position: first.position.clone(),
        steady: uses
            .iter()
            .all(|(_, one)| (&one.fit, &one.position) == (&first.fit, &first.position)),
        samples,
        // A picture around the element may change what its style sheet says of it.
        trial: Trial {
            wrapped: first.role != Role::Img || !first.sources.is_empty() || first.wraps,
            ..Trial::PASSED
        },
        ..SeenPicture::default()
    };
    let mut document = place_of(&picture, &mut BTreeSet::new())?;
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
