//! Lengths as the layout library takes them: pixels, shares, and what mixes the two, as `calc(50% -
//! 20px)`.

use taffy::{Dimension, LengthPercentage, LengthPercentageAuto};

use crate::{Basis, length};

/// The mixed lengths of a page. The library keeps a handle of each and asks what it comes to.
#[derive(Default)]
pub(super) struct Lengths(Vec<(String, Basis)>);

/// Handles are multiples of eight and never zero, as the library asks.
const STEP: usize = 8;

/// A length as far as it is known without what is around it.
#[derive(Clone, Copy)]
pub(super) enum Amount {
    Auto,
    Pixels(f32),
    /// 1 is the whole.
    Share(f32),
    Keyword(Dimension),
    Mixed(*const ()),
}

impl Lengths {
    /// Reads a length; what is none is `auto`.
    pub fn read(&mut self, text: &str, basis: &Basis) -> Amount {
        match text {
            "min-content" => return Amount::Keyword(Dimension::min_content()),
            "max-content" => return Amount::Keyword(Dimension::max_content()),
            "fit-content" => return Amount::Keyword(Dimension::fit_content()),
            _ => {}
        }
        if !text.contains('%') {
            return length(text, basis)
                .map_or(Amount::Auto, |pixels| Amount::Pixels(pixels as f32));
        }
        let at = |percent: f64| length(text, &Basis { percent: Some(percent), ..*basis });
        let (Some(none), Some(some), Some(more)) = (at(0.0), at(100.0), at(1000.0)) else {
            return Amount::Auto;
        };
        if none == some && some == more {
            Amount::Pixels(none as f32)
        } else if none.abs() < 1e-6 && (more - 10.0 * some).abs() < 1e-3 {
            Amount::Share(some as f32 / 100.0)
        } else {
            self.0.push((text.to_owned(), *basis));
            Amount::Mixed(std::ptr::without_provenance(self.0.len() * STEP))
        }
    }

    /// What a mixed length comes to where 100% is `around`.
    pub fn resolve(&self, handle: *const (), around: f32) -> f32 {
        let mixed = (handle.addr() / STEP).checked_sub(1).and_then(|at| self.0.get(at));
        let pixels = mixed.and_then(|(text, basis)| {
            length(text, &Basis { percent: Some(f64::from(around)), ..*basis })
        });
        pixels.unwrap_or_default() as f32
    }
}

impl Amount {
    pub fn dimension(self) -> Dimension {
        match self {
            Self::Auto => Dimension::auto(),
            Self::Pixels(pixels) => Dimension::length(pixels),
            Self::Share(share) => Dimension::percent(share),
            Self::Keyword(keyword) => keyword,
            Self::Mixed(handle) => Dimension::calc(handle),
        }
    }

    /// Where keywords count as `auto`.
    pub fn or_auto(self) -> LengthPercentageAuto {
        match self {
            Self::Auto | Self::Keyword(_) => LengthPercentageAuto::auto(),
            Self::Pixels(pixels) => LengthPercentageAuto::length(pixels),
            Self::Share(share) => LengthPercentageAuto::percent(share),
            Self::Mixed(handle) => LengthPercentageAuto::calc(handle),
        }
    }

    /// Where `auto` is nothing.
    pub fn or_nothing(self) -> LengthPercentage {
        match self {
            Self::Auto | Self::Keyword(_) => LengthPercentage::length(0.0),
            Self::Pixels(pixels) => LengthPercentage::length(pixels),
            Self::Share(share) => LengthPercentage::percent(share),
            Self::Mixed(handle) => LengthPercentage::calc(handle),
        }
    }
}
