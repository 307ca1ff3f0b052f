//! The recipe as typed values: each clause a checked type, the whole written in one canonical order.

use std::fmt;

use serde::{Deserialize, Serialize};

use crate::{Filter, Format, Orientation};

/// What is asked of an original. Parse it with [`str::parse`]; `Display` writes the canonical form, which is the
/// cache's.
///
/// Guaranteed by the parser: no clause twice, a fit only where there is a box to fit, a density only where there
/// is a side to multiply, at most two of width, height and ratio.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash)]
pub struct Recipe {
    /// `640w`: width of the box in pixels, 1 to [`Recipe::MAX_SIDE`].
    pub width: Option<u32>,
    /// `360h`: height of the box in pixels, 1 to [`Recipe::MAX_SIDE`].
    pub height: Option<u32>,
    /// `2x`: multiplies the box.
    pub density: Option<Density>,
    /// `ratio-3-2`: completes a missing side, and crops.
    pub ratio: Option<Ratio>,
    /// `cover`, `contain`, `fill`, `scale-down`.
    pub fit: Option<Fit>,
    /// `at-30-40`, `at-top`, `at-subject`: what `cover` keeps, where `contain` puts the picture on its canvas.
    pub position: Option<Placement>,
    /// `trim`: uniform borders off, before anything else.
    pub trim: bool,
    /// `rotate-90`: turned clockwise, after the original's own orientation was applied.
    pub turn: Option<Turn>,
    /// `flip-x`: left and right swap places, after the turn.
    pub flip_x: bool,
    /// `flip-y`: top and bottom swap places, after the turn.
    pub flip_y: bool,
    /// Filters in the order they are applied; none twice on one region.
    pub filters: Vec<Filter>,
    /// `overlay-mark`: names of configured pictures laid over it, in the order they are laid.
    pub overlays: Vec<String>,
    /// `still`: the first frame of an animated picture.
    pub still: bool,
    /// `fidelity-70` or `lossless`.
    pub quality: Option<Quality>,
    /// `as-avif`: a fixed format.
    pub format: Option<Format>,
    /// `on-f4efe6`, `on-clear`: the colour behind the picture.
    pub canvas: Option<CanvasColour>,
    /// `keep-credit`, `keep-all`: metadata kept.
    pub keep: Option<Keep>,
    /// `original`: the file itself, location cut out. Stands alone.
    pub original: bool,
}

impl Recipe {
    /// The longest side a clause can ask for, in pixels.
    pub const MAX_SIDE: u32 = 16_383;

    /// The fit that applies: the one named, else `cover` where the recipe gives two sides or a ratio.
    pub fn effective_fit(&self) -> Option<Fit> {
        self.fit.or_else(|| self.has_shape().then_some(Fit::Cover))
    }

    /// True if width and height are both settled, or their ratio is.
    pub fn has_shape(&self) -> bool {
        self.ratio.is_some() || (self.width.is_some() && self.height.is_some())
    }

    /// True if nothing in it says how many pixels are wanted.
    pub fn leaves_width_open(&self) -> bool {
        self.width.is_none() && self.height.is_none() && self.density.is_none() && !self.original
    }

    /// How stored pixels are turned to be what the recipe sees: upright first, then as it asks.
    pub fn turned(&self, orientation: Orientation) -> Orientation {
        let flips = Orientation { transpose: false, flip_x: self.flip_x, flip_y: self.flip_y };
        orientation.then(self.turn.map_or(Orientation::default(), Turn::orientation)).then(flips)
    }

    /// True if what is kept follows from what the picture shows.
    pub fn wants_subject(&self) -> bool {
        self.effective_fit() == Some(Fit::Cover)
            && matches!(self.position, None | Some(Placement::Focus | Placement::Subject))
    }
}

impl fmt::Display for Recipe {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self {
            width,
            height,
            density,
            ratio,
            fit,
            position,
            trim,
            turn,
            flip_x,
            flip_y,
            filters,
            overlays,
            still,
            quality,
            format,
            canvas,
            keep,
            original,
        } = self;
        let word = |set: bool, word: &str| set.then(|| word.to_owned());
        let geometry = [
            width.map(|pixels| format!("{pixels}w")),
            height.map(|pixels| format!("{pixels}h")),
            density.map(|density| density.to_string()),
            ratio.map(|ratio| ratio.to_string()),
            fit.map(|fit| fit.name().to_owned()),
            position.map(|position| position.to_string()),
            word(*trim, "trim"),
            turn.map(|turn| format!("rotate-{}", turn.degrees())),
            word(*flip_x, "flip-x"),
            word(*flip_y, "flip-y"),
        ];
        let edits = filters.iter().map(Filter::to_string).chain(overlays.iter().map(|name| format!("overlay-{name}")));
        let output = [
            word(*still, "still"),
            quality.map(|quality| quality.to_string()),
            format.map(|format| format!("as-{format}")),
            canvas.map(|canvas| canvas.to_string()),
            keep.map(|keep| keep.name().to_owned()),
            word(*original, "original"),
        ];
        let clauses = geometry.into_iter().flatten().chain(edits).chain(output.into_iter().flatten());
        f.write_str(&clauses.collect::<Vec<_>>().join("_"))
    }
}

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
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
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

/// CSS `object-position` in whole percent of the free space, 0 to 100 each.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Position {
    x: u8,
    y: u8,
}

impl Position {
    /// The middle, CSS's own default.
    pub const CENTER: Self = Self { x: 50, y: 50 };

    /// Each keyword clause and what it means, as CSS resolves it.
    pub const KEYWORDS: [(&'static str, Self); 9] = [
        ("center", Self { x: 50, y: 50 }),
        ("top", Self { x: 50, y: 0 }),
        ("bottom", Self { x: 50, y: 100 }),
        ("left", Self { x: 0, y: 50 }),
        ("right", Self { x: 100, y: 50 }),
        ("top-left", Self { x: 0, y: 0 }),
        ("top-right", Self { x: 100, y: 0 }),
        ("bottom-left", Self { x: 0, y: 100 }),
        ("bottom-right", Self { x: 100, y: 100 }),
    ];

    /// `None` if a part is above 100.
    pub const fn new(x: u8, y: u8) -> Option<Self> {
        if x <= 100 && y <= 100 { Some(Self { x, y }) } else { None }
    }

    /// Percents across and down.
    pub const fn percents(self) -> (u8, u8) {
        (self.x, self.y)
    }

    /// Shares of the free space left of and above what is kept, 0 to 1.
    pub fn shares(self) -> (f64, f64) {
        (f64::from(self.x) / 100.0, f64::from(self.y) / 100.0)
    }
}

impl fmt::Display for Position {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match Self::KEYWORDS.iter().find(|(_, position)| position == self) {
            Some((keyword, _)) => write!(f, "at-{keyword}"),
            None => write!(f, "at-{}-{}", self.x, self.y),
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

    const fn orientation(self) -> Orientation {
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
    Fidelity(crate::Fidelity),
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
