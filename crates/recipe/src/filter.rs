//! Filters by the CSS Filter Effects functions (Filter Effects 1, section 6), and two of our own.

use std::fmt;

/// What a filter does. In this order they are applied, whatever order the address names them in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Effect {
    /// `blur()`: a Gaussian whose standard deviation is in pixels of the box, before density.
    Blur,
    /// `saturate()` in percent.
    Saturate,
    /// `brightness()` in percent.
    Brightness,
    /// `contrast()` in percent.
    Contrast,
    /// `grayscale()` in percent.
    Grayscale,
    /// `sepia()` in percent.
    Sepia,
    /// `hue-rotate()` in degrees.
    HueRotate,
    /// Edges made crisper, in percent of their own contrast. Not of CSS.
    Sharpen,
    /// Squares of one colour, their side in pixels of the box, before density. Not of CSS.
    Pixelate,
}

impl Effect {
    /// All of them, in the order they are applied.
    pub const ALL: [Self; 9] = [
        Self::Blur,
        Self::Saturate,
        Self::Brightness,
        Self::Contrast,
        Self::Grayscale,
        Self::Sepia,
        Self::HueRotate,
        Self::Sharpen,
        Self::Pixelate,
    ];

    /// The name in recipes: CSS's where CSS has one.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Blur => "blur",
            Self::Saturate => "saturate",
            Self::Brightness => "brightness",
            Self::Contrast => "contrast",
            Self::Grayscale => "grayscale",
            Self::Sepia => "sepia",
            Self::HueRotate => "hue-rotate",
            Self::Sharpen => "sharpen",
            Self::Pixelate => "pixelate",
        }
    }

    /// The least and the most it can be told, both included.
    pub const fn range(self) -> (u16, u16) {
        match self {
            Self::Blur => (0, 200),
            Self::Saturate | Self::Brightness | Self::Contrast => (0, 1000),
            Self::Grayscale | Self::Sepia => (0, 100),
            Self::HueRotate => (0, 360),
            Self::Sharpen => (0, 200),
            Self::Pixelate => (1, 500),
        }
    }

    /// True if its amount is a length in pixels, which density multiplies.
    pub const fn is_length(self) -> bool {
        matches!(self, Self::Blur | Self::Pixelate)
    }
}

/// A part of the rendition, in whole percent of its width and height; never empty, never beyond the
/// edge.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Region {
    x: u8,
    y: u8,
    width: u8,
    height: u8,
}

impl Region {
    /// `None` if it is empty or reaches beyond the picture.
    pub const fn new(x: u8, y: u8, width: u8, height: u8) -> Option<Self> {
        let inside = x as u16 + width as u16 <= 100 && y as u16 + height as u16 <= 100;
        if inside && width > 0 && height > 0 { Some(Self { x, y, width, height }) } else { None }
    }

    /// As recipes write it: `x-y-w-h`.
    pub(crate) fn text(self) -> String {
        let Self { x, y, width, height } = self;
        format!("{x}-{y}-{width}-{height}")
    }

    /// Left, top, right and bottom edge in pixels of a picture of `width` by `height`.
    pub fn edges(self, width: u32, height: u32) -> (u32, u32, u32, u32) {
        let at = |percent: u8, length: u32| {
            (f64::from(percent) / 100.0 * f64::from(length)).round() as u32
        };
        (
            at(self.x, width),
            at(self.y, height),
            at(self.x + self.width, width).min(width),
            at(self.y + self.height, height).min(height),
        )
    }
}

/// One filter clause: `blur-6`, `sepia-60.in-10-20-30-40`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Filter {
    /// What it does.
    pub effect: Effect,
    /// The only part it touches; everything if `None`.
    pub region: Option<Region>,
    amount: u16,
}

impl Filter {
    /// `None` if the amount is outside the effect's range.
    pub fn new(effect: Effect, amount: u16, region: Option<Region>) -> Option<Self> {
        let (least, most) = effect.range();
        (least..=most).contains(&amount).then_some(Self { effect, amount, region })
    }

    /// How much, in the effect's own unit.
    pub fn amount(self) -> f32 {
        f32::from(self.amount)
    }
}

impl fmt::Display for Filter {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}-{}", self.effect.name(), self.amount)?;
        match self.region {
            Some(region) => write!(f, ".in-{}", region.text()),
            None => Ok(()),
        }
    }
}
