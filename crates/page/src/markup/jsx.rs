//! JSX, with the attribute names that React knows.

use super::{Markup, Offer, Options, Use, img, waiting::Waiting};

pub(super) fn write(one: &Use<'_>, offer: &Offer, options: &Options) -> Markup {
    let waiting = Waiting::of(one, options.classes);
    let element = img::element(one, offer, options, offer.needs_picture(), &waiting);
    Markup {
        text: element.jsx(options.compact),
        css: waiting.css(),
        notes: img::notes(one, options),
        ..Markup::default()
    }
}
