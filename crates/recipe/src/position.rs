//! CSS `object-position`.

use std::fmt;

use serde::{Deserialize, Serialize};

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
