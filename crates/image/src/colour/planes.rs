//! What readers and writers of brightness and differences of colour share (ITU-T H.273, 8.3).

/// Which bytes stand for black and white, and for no difference and the largest.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Range {
    /// The byte of black.
    pub(crate) black: f32,
    /// Steps of brightness and of difference for one of 255.
    pub(crate) brightness: f32,
    pub(crate) difference: f32,
}

impl Range {
    pub(crate) const FULL: Self = Self { black: 0.0, brightness: 1.0, difference: 1.0 };
    /// Brightness from 16 to 235, differences within 112 of 128.
    pub(crate) const LIMITED: Self = Self { black: 16.0, brightness: 219.0 / 255.0, difference: 224.0 / 255.0 };
}

/// The two of `count` samples at half the size that lie around a place, the nearer first: it is shown three to one.
#[inline(always)]
pub(crate) fn neighbours(at: usize, count: usize) -> (usize, usize) {
    let near = at / 2;
    (near, if at % 2 == 1 { (near + 1).min(count - 1) } else { near.saturating_sub(1) })
}
