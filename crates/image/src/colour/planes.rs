//! What readers and writers of luma and chroma share (ITU-T H.273, 8.3).

/// Which bytes stand for black and white, and for no chroma and the largest.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Range {
    /// The byte of black.
    pub(crate) black: f32,
    /// Steps of luma and of chroma for one of 255.
    pub(crate) luma: f32,
    pub(crate) chroma: f32,
}

impl Range {
    pub(crate) const FULL: Self = Self { black: 0.0, luma: 1.0, chroma: 1.0 };
    /// Luma from 16 to 235, chroma within 112 of 128.
    pub(crate) const LIMITED: Self =
        Self { black: 16.0, luma: 219.0 / 255.0, chroma: 224.0 / 255.0 };
}

/// The two of `count` samples at half the size that lie around a place, the nearer first: it is
/// shown three to one.
#[inline(always)]
pub(crate) fn neighbours(at: usize, count: usize) -> (usize, usize) {
    let near = at / 2;
    (near, if at % 2 == 1 { (near + 1).min(count - 1) } else { near.saturating_sub(1) })
}
