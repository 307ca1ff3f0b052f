//! What clauses say, each a checked type.

use std::fmt;

use serde::{Deserialize, Serialize};

use crate::{Fidelity, Orientation, Position};

/// Pixels per CSS pixel, 0.5 to 4, held in hundredths.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Density(u16);

impl Density {
    /// From hundredths: 50 to 400.
    pub const fn from_hundredths(hundredths: u16) -> Option<Self> {
        if hundredths >= 50 && hundredths <= 400 { Some(Self(hundredths)) } else { None }
    }

    /// Half of it, though not below 1; a density that is lower already stays.
    pub fn halved(self) -> Self {
        Self((self.0 / 2).max(100).min(self.0))
    }

    /// The factor, e.g. 1.5.
    pub fn factor(self) -> f64 {
        f64::from(self.0) / 100.0
    }
}

impl fmt::Display for Density {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}x", self.factor())
    }
}

/// Width to height in lowest terms, each part 1 to 9999.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Ratio {
    width: u16,
    height: u16,
}

impl Ratio {
    /// The ratio in lowest terms; `None` if a part is 0 or above 9999.
    pub fn new(width: u16, height: u16) -> Option<Self> {
        let divisor = gcd(width, height);
        let whole = (1..=9999).contains(&width) && (1..=9999).contains(&height);
        whole.then(|| Self { width: width / divisor, height: height / divisor })
    }

    /// The ratio nearest to that of two sides, in parts of at most 9999.
    pub(super) fn nearest(width: u32, height: u32) -> Option<Self> {
        let shrink = (f64::from(width.max(height)) / 9999.0).max(1.0);
        let part = |side: u32| (f64::from(side) / shrink).round().max(1.0) as u16;
        Self::new(part(width), part(height))
    }

    /// Width divided by height.
    pub fn value(self) -> f64 {
        f64::from(self.width) / f64::from(self.height)
    }
}

impl fmt::Display for Ratio {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "ratio-{}-{}", self.width, self.height)
    }
}

fn gcd(a: u16, b: u16) -> u16 {
    if b == 0 { a } else { gcd(b, a % b) }
}

/// How a picture meets its box: CSS `object-fit` (CSS Images 3, section 5.1).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Fit {
    /// Fills the box and cuts what is over.
    Cover,
    /// Lies whole inside the box.
    Contain,
    /// Takes the box's shape, stretched.
    Fill,
    /// `contain`, but never larger than it is.
    ScaleDown,
}

impl Fit {
    /// All of them, in the order the documentation names them.
    pub const ALL: [Self; 4] = [Self::Cover, Self::Contain, Self::Fill, Self::ScaleDown];

    /// The CSS keyword.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Cover => "cover",
            Self::Contain => "contain",
            Self::Fill => "fill",
            Self::ScaleDown => "scale-down",
        }
    }
}

/// Where in the free space the picture stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Placement {
    /// `at-30-40`, `at-top`: as CSS says.
    At(Position),
    /// `at-focus`: around the focal point marked on the original, else around the detected subject.
    Focus,
    /// `at-subject`: around what the picture shows.
    Subject,
}

impl fmt::Display for Placement {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::At(position) => position.fmt(f),
            Self::Focus => f.write_str("at-focus"),
            Self::Subject => f.write_str("at-subject"),
        }
    }
}

/// A turn clockwise.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Turn {
    /// `rotate-90`.
    Quarter,
    /// `rotate-180`.
    Half,
    /// `rotate-270`.
    ThreeQuarters,
}

impl Turn {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::Quarter, Self::Half, Self::ThreeQuarters];

    /// Degrees clockwise.
    pub const fn degrees(self) -> u16 {
        match self {
            Self::Quarter => 90,
            Self::Half => 180,
            Self::ThreeQuarters => 270,
        }
    }

    pub(super) const fn orientation(self) -> Orientation {
        let (transpose, flip_x, flip_y) = match self {
            Self::Quarter => (true, true, false),
            Self::Half => (false, true, true),
            Self::ThreeQuarters => (true, false, true),
        };
        Orientation { transpose, flip_x, flip_y }
    }
}

/// Which metadata a rendition keeps. What colours mean is always kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Keep {
    /// `keep-credit`: who made it and whose it is, never where.
    Credit,
    /// `keep-all`: EXIF and XMP as they are.
    All,
}

impl Keep {
    /// The clause.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Credit => "keep-credit",
            Self::All => "keep-all",
        }
    }
}

/// How close to the lossless rendition the result must be.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Quality {
    /// `fidelity-70`: a target, the same meaning in every format.
    Fidelity(Fidelity),
    /// `lossless`: every pixel as drawn.
    Lossless,
}

impl fmt::Display for Quality {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Fidelity(fidelity) => write!(f, "fidelity-{}", fidelity.get()),
            Self::Lossless => f.write_str("lossless"),
        }
    }
}

/// What lies behind a picture: under its transparent parts, and around it in a `contain` box.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum CanvasColour {
    /// `on-clear`: nothing.
    Clear,
    /// `on-f4efe6`: an opaque sRGB colour.
    Rgb([u8; 3]),
}

impl fmt::Display for CanvasColour {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Clear => f.write_str("on-clear"),
            Self::Rgb([r, g, b]) => write!(f, "on-{r:02x}{g:02x}{b:02x}"),
        }
    }
}
