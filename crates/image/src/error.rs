//! What can go wrong between bytes and bytes, by whose fault it is.

use kivet_recipe::{Format, Size};

/// A picture that cannot be read or written.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ImageError {
    /// The bytes are not a picture Kivet knows.
    #[error(
        "the bytes are not a picture: neither JPEG, PNG, WebP, AVIF, JPEG XL, GIF, SVG, BMP nor TIFF"
    )]
    NotAPicture,
    /// The bytes begin as a picture but break the format's rules.
    #[error("the {format} data is damaged: {problem}")]
    Damaged {
        /// What the bytes claim to be.
        format: Format,
        /// What is wrong with them.
        problem: String,
    },
    /// A picture that only another build reads or writes.
    #[error(
        "this build of Kivet was made without {sort}; build it with the feature, or convert the picture"
    )]
    NotBuilt {
        /// The sort of picture, e.g. `JPEG XL`.
        sort: &'static str,
    },
    /// A larger file than the limits allow.
    #[error("the file holds {bytes} bytes, more than the limit of {limit}")]
    TooHeavy {
        /// Its bytes.
        bytes: u64,
        /// The limit.
        limit: u64,
    },
    /// More frames than the limits allow.
    #[error("the picture has more than {limit} frames; ask for `still`, or shorten it")]
    TooManyFrames {
        /// The limit.
        limit: u32,
    },
    /// A picture that cannot be read row by row and is too large to be held whole.
    #[error(
        "a picture of {size} pixels stored like this (progressive, interlaced, or in a format without rows) takes {mebibytes} MiB to read, more than the limit of {limit}; store it as baseline JPEG or plain PNG"
    )]
    TooMuchMemory {
        /// Its size.
        size: Size,
        /// What it would take.
        mebibytes: u64,
        /// The limit, in MiB.
        limit: u64,
    },
    /// The work was cancelled.
    #[error("the work was cancelled: no request waits for it any more")]
    Stopped,
    /// It took longer than the limits allow.
    #[error("the work took longer than allowed and was stopped; ask for a smaller rendition")]
    TooSlow,
    /// It took longer than the limits allow, because the machine had other work.
    #[error("the machine was too busy to finish the work in time")]
    Busy,
    /// An overlay that is not configured.
    #[error("there is no overlay `{name}`{}", nearest.as_ref().map_or("; none is configured".to_owned(), |nearest| format!("; `{nearest}` is configured")))]
    NoOverlay {
        /// The name asked for.
        name: String,
        /// The nearest that exists.
        nearest: Option<String>,
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
    /// An original whose location cannot be cut out for sure.
    #[error(
        "the {format} file cannot be taken apart far enough to cut out where it was taken; ask for a rendition of it, or for `keep-all`"
    )]
    NotCleaned {
        /// What the file is.
        format: Format,
    },
    /// A rendition could not be compared with its reference.
    #[error("the file could not be scored: {problem}")]
    NotScored {
        /// What the scorer said.
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
