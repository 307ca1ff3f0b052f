//! What work takes.

/// What a piece of work takes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Cost {
    /// Pixels that come out.
    pub pixels: u64,
    /// Bytes of memory while it is under way.
    pub memory: u64,
}
