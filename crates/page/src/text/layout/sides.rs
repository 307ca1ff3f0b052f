//! An element's boxes, and what lengths on it are relative to.

use scraper::ElementRef;

use crate::{Basis, Device, observation::Area};

/// The natural size of the picture an element shows, in CSS pixels.
pub(super) type Natural<'a> = &'a dyn Fn(ElementRef<'_>) -> Option<(f64, f64)>;

/// An element's border box, and what is inside its border and padding.
#[derive(Clone, Copy)]
pub(super) struct Sides {
    pub(super) border: Area,
    pub(super) content: Area,
}

/// What lengths are relative to where the font is `em` pixels large.
pub(super) fn basis(device: &Device, em: f64) -> Basis {
    Basis { em, ..Basis::viewport(f64::from(device.width), f64::from(device.height)) }
}
