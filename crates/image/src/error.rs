//! What can go wrong between bytes and bytes, by whose fault it is.

use kivet_recipe::{Format, Size};

/// A picture that cannot be read or written.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ImageError {
    /// The bytes are no picture Kivet knows.
    #[error("the bytes are no picture: neither JPEG, PNG, WebP, AVIF, GIF nor SVG")]
    NotAPicture,
    /// The bytes begin as a picture but break the format's rules.
    #[error("the {format} data is damaged: {problem}")]
    Damaged {
        /// What the bytes claim to be.
        format: Format,
        /// What is wrong with them.
        problem: String,
    },
    /// A picture that is whole but of a sort this version does not decode.
    #[error("{sort} originals cannot be drawn by this version of Kivet; JPEG, PNG, WebP and AVIF can")]
    NotYetDrawn {
        /// The sort of picture, e.g. `GIF`.
        sort: &'static str,
    },
    /// More pixels than the limits allow.
    #[error("the picture says it holds {size} pixels, more than the limit of {limit} million")]
    TooLarge {
        /// The size the header claims.
        size: Size,
        /// The limit, in millions of pixels.
        limit: u64,
    },
    /// The encoder refused.
    #[error("the {format} encoder failed: {problem}")]
    NotEncoded {
        /// The format being written.
        format: Format,
        /// What the encoder said.
        problem: String,
    },
}

impl ImageError {
    /// A complaint about the bytes of a `format` file.
    pub(crate) fn damaged(format: Format, problem: impl ToString) -> Self {
        Self::Damaged { format, problem: problem.to_string() }
    }

    /// A complaint of the encoder of `format`.
    pub(crate) fn not_encoded(format: Format, problem: impl ToString) -> Self {
        Self::NotEncoded { format, problem: problem.to_string() }
    }
}
