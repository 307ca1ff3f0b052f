//! What markup is ordered, read into proven values.

use std::sync::Arc;

use kivet_page::{
    Loading, Place, PlaceDocument, Placeholder, first_on,
    markup::{CrossOrigin, Form, Options},
};
use kivet_recipe::{Format, PlaceName};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::{
    app::App,
    places::KeptPlace,
    problem::{Problem, ProblemKind},
};

/// Which markup to write.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct MarkupOrder {
    /// The originals, as `shelf/path`; one that ends in `/` stands for all in that folder.
    pub originals: Vec<String>,
    /// The place they appear in.
    #[serde(default)]
    pub place: Option<String>,
    /// A place of this order alone, instead.
    #[serde(default)]
    pub layout: Option<PlaceDocument>,
    /// `img` (if absent), `picture`, `preload`, `css`, `jsx`, `social` or `json`.
    #[serde(default)]
    pub form: Option<String>,
    /// What stands in for the picture; empty if it is decorative; the library's if absent.
    #[serde(default)]
    pub alt: Option<String>,
    /// The language of the library's alternative texts, as HTML's `lang` has it.
    #[serde(default)]
    pub language: Option<String>,
    /// Instead of the place's: `first`, `near`, `later` or `hidden`.
    #[serde(default)]
    pub loading: Option<String>,
    /// The screens on which it loads `first`, as a media condition; on others it loads `near`.
    #[serde(default)]
    pub media: Option<String>,
    /// Instead of the place's: `none`, `flat`, `soft`, or the path or URL of a picture.
    #[serde(default)]
    pub placeholder: Option<String>,
    /// What stands before `/pic/`, where pictures come from another host than the page.
    #[serde(default)]
    pub base: Option<String>,
    /// True to name the current version in every URL, so that caches keep it for ever.
    #[serde(default)]
    pub versioned: bool,
    /// Formats with sources of their own, best first, for hosts that do not choose by `Accept`.
    #[serde(default)]
    pub typed: Vec<String>,
    /// True to write placeholders as stylesheet classes.
    #[serde(default)]
    pub classes: bool,
    /// `anonymous` or `use-credentials`.
    #[serde(default)]
    pub cross_origin: Option<String>,
    /// The selector of a CSS background; the place's name as a class if absent.
    #[serde(default)]
    pub selector: Option<String>,
    /// True to write each element on one line.
    #[serde(default)]
    pub compact: bool,
    /// True to add the headers that ask for client hints.
    #[serde(default)]
    pub hints: bool,
}

/// An order that can be carried out, the originals apart.
pub(super) struct ReadOrder {
    /// The place, with the order's own loading policy and placeholder.
    pub place: Place,
    /// The place as it is kept, whose ladders stay; none for a layout of the order's own.
    pub kept: Option<Arc<KeptPlace>>,
    pub form: Form,
    pub options: Options,
    pub base: String,
}

impl MarkupOrder {
    pub(super) fn read(&self, app: &App) -> Result<ReadOrder, Problem> {
        let bad = |problem: String| Problem::new(ProblemKind::BadMarkupOrder, problem);
        let (mut place, kept) = self.place(app)?;
        if let Some(loading) = &self.loading {
            place = place.with_loading(loading.parse::<Loading>().map_err(bad)?);
        }
        if let Some(placeholder) = &self.placeholder {
            place = place.with_placeholder(placeholder.parse::<Placeholder>().map_err(bad)?);
        }
        let form = self.form.as_deref().map_or(Ok(Form::default()), str::parse).map_err(bad)?;
        let typed = self.typed.iter().map(|name| read_format(app, name));
        let cross_origin = self.cross_origin.as_deref().map(|name| {
            let problem = || {
                bad(format!("`{name}` is not a crossorigin mode: use anonymous or use-credentials"))
            };
            CrossOrigin::named(name).ok_or_else(problem)
        });
        let options = Options {
            typed: typed.collect::<Result<_, _>>()?,
            classes: self.classes,
            cross_origin: cross_origin.transpose()?,
            selector: self.selector.clone(),
            compact: self.compact,
            hints: self.hints,
            first_on: first_on(self.media.as_deref(), Some(place.loading())).map_err(bad)?,
        };
        if options.selector.as_ref().is_some_and(|selector| selector.contains(['{', '}', '<'])) {
            return Err(bad(
                "the selector holds `{`, `}` or `<`, which no selector does".to_owned()
            ));
        }
        Ok(ReadOrder { place, kept, form, options, base: read_base(self.base.as_deref())? })
    }

    fn place(&self, app: &App) -> Result<(Place, Option<Arc<KeptPlace>>), Problem> {
        match (&self.place, &self.layout) {
            (Some(name), None) => {
                let kept = app.places.named(name)?;
                Ok((kept.place.clone(), Some(kept)))
            }
            (None, Some(layout)) => Ok((layout.checked(&PlaceName::of_layout())?, None)),
            _ => {
                let detail =
                    "name the place the pictures appear in, or give a layout with sizes; not both";
                Err(Problem::new(ProblemKind::BadMarkupOrder, detail))
            }
        }
    }
}

/// A format to write.
///
/// # Errors
/// If the name is unknown, or this build cannot write the format.
pub fn read_format(app: &App, name: &str) -> Result<Format, Problem> {
    let format = Format::from_name(name).filter(|format| Format::NAMEABLE.contains(format));
    let bad = |detail: String| Problem::new(ProblemKind::BadMarkupOrder, detail);
    match format {
        Some(Format::Jxl) if !app.policy.jxl => {
            Err(bad("this build of Kivet writes no JPEG XL; leave `jxl` out".to_owned()))
        }
        Some(format) => Ok(format),
        None => Err(bad(format!(
            "`{name}` is not a format Kivet can make: avif, jxl, webp, jpeg, png or gif"
        ))),
    }
}

/// What stands before `/pic/`: an origin, without a slash at the end; empty for the page's own.
///
/// # Errors
/// If it is not an origin, or one that an attribute cannot hold.
pub fn read_base(base: Option<&str>) -> Result<String, Problem> {
    let Some(base) = base.filter(|base| !base.is_empty()) else {
        return Ok(String::new());
    };
    let bad = || {
        let detail = format!(
            "`{base}` is not an origin to put before /pic/; write one such as https://pics.example"
        );
        Problem::new(ProblemKind::BadMarkupOrder, detail)
    };
    let url = url::Url::parse(base).map_err(|_| bad())?;
    let is_plain = matches!(url.scheme(), "http" | "https")
        && url.query().is_none()
        && url.fragment().is_none()
        && !base.contains(|c: char| c.is_control() || "\"'<>() ".contains(c));
    if is_plain { Ok(base.trim_end_matches('/').to_owned()) } else { Err(bad()) }
}
