//! The markup for a picture in a place: everything a browser needs to ask for the right rendition
//! at the right moment (HTML, 4.8.2 to 4.8.4).
//!
//! An [`Offer`] holds what every form says: the sources a browser tries in turn and what each has.
//! Every [`Form`] is a file that writes it down.

mod alt;
mod css;
mod element;
mod head;
mod img;
mod json;
mod jsx;
mod manifest;
mod offer;
mod preload;
mod social;
#[cfg(test)]
mod tests;
mod waiting;

use std::str::FromStr;

use kivet_recipe::{Facts, Format, nearest};

pub use alt::Alt;
pub(crate) use element::escaped;
pub use head::{CrossOrigin, HINTS};
pub use json::MarkupDocument;
pub use manifest::{Manifest, ManifestOffer, ManifestOriginal, ManifestPlace, ManifestSource};
pub use offer::{Candidates, Offer, OfferedSource};
pub use social::preview_recipe;

use crate::{Loading, Offered, Place};

/// An original as markup sees it.
#[derive(Clone, Copy, Debug)]
pub struct Picture<'a> {
    /// What stands before `/pic/`: empty where pictures come from the page's own host.
    pub base: &'a str,
    /// `shelf/path`, percent-encoded.
    pub path: &'a str,
    /// What is known of it.
    pub facts: &'a Facts,
    /// The version that URLs name, `?v=`: such responses never change, and the markup is written
    /// again when they do.
    pub version: Option<&'a str>,
}

/// How markup is written down.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Form {
    /// `img`; `picture` where the place has alternatives, a density cap or typed sources.
    #[default]
    Img,
    /// `picture`, whatever the place has.
    Picture,
    /// `link rel="preload"`, as an element and as a `Link` header.
    Preload,
    /// A CSS background.
    Css,
    /// JSX, with React's attribute names.
    Jsx,
    /// The picture that link previews show.
    Social,
    /// The parts as JSON.
    Json,
}

impl Form {
    /// All of them.
    pub const ALL: [Self; 7] =
        [Self::Img, Self::Picture, Self::Preload, Self::Css, Self::Jsx, Self::Social, Self::Json];

    /// The name in JSON and on the command line.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Img => "img",
            Self::Picture => "picture",
            Self::Preload => "preload",
            Self::Css => "css",
            Self::Jsx => "jsx",
            Self::Social => "social",
            Self::Json => "json",
        }
    }
}

impl FromStr for Form {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let names = Self::ALL.map(Self::name);
        Self::ALL.into_iter().find(|form| form.name() == text).ok_or_else(|| {
            let near = nearest(text, names)
                .map_or(String::new(), |near| format!("; did you mean `{near}`?"));
            format!("`{text}` is not a form of markup: use {}{near}", names.join(", "))
        })
    }
}

/// How an [`Offer`] is written.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Options {
    /// Formats with sources of their own, best first, for hosts that do not choose by `Accept`.
    pub typed: Vec<Format>,
    /// True to write placeholders as stylesheet classes, which a strict content security policy
    /// lets pass.
    pub classes: bool,
    /// How the request treats credentials.
    pub cross_origin: Option<CrossOrigin>,
    /// The selector of a CSS background; the place's name as a class if absent.
    pub selector: Option<String>,
    /// True to write each element on one line.
    pub compact: bool,
    /// True to ask for client hints.
    pub hints: bool,
    /// The screens on which the picture loads `first`, where it does; all if `None`.
    pub first_on: Option<String>,
}

impl Options {
    /// The `fetchpriority` attribute. Where a picture loads first on some screens only, its preload
    /// says so on those.
    fn priority(&self, loading: Loading) -> Option<&'static str> {
        let everywhere = loading != Loading::First || self.first_on.is_none();
        loading.priority().filter(|_| everywhere)
    }
}

/// A picture in a place, and how it is offered there.
#[derive(Clone, Copy, Debug)]
pub struct Use<'a> {
    /// The original.
    pub picture: Picture<'a>,
    /// The place.
    pub place: &'a Place,
    /// Its ladders for this original.
    pub offered: &'a Offered,
    /// What stands in for the picture where it cannot be seen.
    pub alt: Alt<'a>,
}

/// Finished markup.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Markup {
    /// The markup itself.
    pub text: String,
    /// Elements for the page's head.
    pub head: Vec<String>,
    /// Headers for the page's response.
    pub headers: Vec<String>,
    /// Rules for the page's stylesheet.
    pub css: Option<String>,
    /// What a person still has to decide.
    pub notes: Vec<String>,
}

/// The `img` of a use, as attributes with their values as HTML has them; the `source` elements
/// before it; and the preloads that go with it.
pub(crate) struct Parts {
    pub(crate) img: Vec<(&'static str, String)>,
    pub(crate) sources: Vec<String>,
    pub(crate) preloads: Vec<String>,
    pub(crate) size: kivet_recipe::Size,
}

/// The markup of one picture in parts, for pages that have an element of their own. `sized` sources
/// have their own `width` and `height`.
pub(crate) fn parts(one: &Use<'_>, options: &Options, sized: bool) -> Parts {
    let offer = Offer::new(one, options);
    Parts {
        img: img::attributes(one, &offer, options),
        sources: img::sources(one, &offer, sized),
        preloads: preload::elements(one, &offer, options),
        size: offer.main.size,
    }
}

/// Rules that set a custom property to the picture that each screen shows as a background.
pub(crate) fn background_variable(one: &Use<'_>, name: &str, typed: &[Format]) -> String {
    css::variable(one, name, typed)
}

/// The background that the widest screens show, as a value.
pub(crate) fn background_value(one: &Use<'_>, typed: &[Format]) -> String {
    css::value(one, typed)
}

/// The rule that keeps late backgrounds waiting for the page script; `None` for others.
pub(crate) fn background_waiting(one: &Use<'_>, selector: &str) -> Option<String> {
    css::waiting(one, selector)
}

/// The preloads of a CSS background, on the screens where it loads first.
pub(crate) fn background_preloads(
    one: &Use<'_>,
    on: Option<&str>,
    typed: &[Format],
) -> Vec<String> {
    css::preloads(one, on, typed)
}

/// Writes the markup of one picture.
pub fn write(form: Form, one: &Use<'_>, options: &Options) -> Markup {
    let offer = Offer::new(one, options);
    let mut markup = match form {
        Form::Img => img::write(one, &offer, options, offer.needs_picture()),
        Form::Picture => img::write(one, &offer, options, true),
        Form::Preload => preload::write(one, &offer, options),
        Form::Css => css::write(one, options),
        Form::Jsx => jsx::write(one, &offer, options),
        Form::Social => social::write(one),
        Form::Json => json::write(one, &offer, options),
    };
    head::add(&mut markup, one, options);
    markup
}
