//! What is known of an original without decoding its pixels.

use serde::{Deserialize, Serialize};

use crate::{BytesPerPixel, Format, Orientation, Position, Rect, Size, Subject};

/// Whether a picture is photographic or flat art: see [`kind`](crate::kind).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// Continuous tone: lossy formats pay.
    Photo,
    /// Plain areas and hard edges: lossless formats pay.
    Flat,
}

impl Kind {
    /// The name in JSON and on the command line.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Photo => "photo",
            Self::Flat => "flat",
        }
    }
}

/// How a file holds its pixels, as far as its header and its length tell.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Storage {
    /// With loss, or not known: noise of its encoder takes most of a lossless rendition's bytes.
    Lossy,
    /// Without loss, in a way that tells nothing of the picture.
    Lossless,
    /// Without loss, in so many bytes a pixel.
    Packed(BytesPerPixel),
    /// As lines and areas.
    Vector,
}

impl Storage {
    /// Pixels of `size` packed without loss into `bytes`.
    pub fn packed(bytes: u64, size: Size) -> Self {
        Self::Packed(BytesPerPixel::new((bytes as f64 / size.pixels().max(1) as f64) as f32))
    }

    /// True if no encoder has changed the pixels yet.
    pub const fn is_lossless(self) -> bool {
        !matches!(self, Self::Lossy)
    }
}

/// What is known of one original.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Facts {
    /// What the bytes are, whatever the file is called.
    pub format: Format,
    /// Pixels as shown, after the orientation was applied.
    pub size: Size,
    /// How the stored pixels are turned.
    pub orientation: Orientation,
    /// True if any pixel may be transparent.
    pub alpha: bool,
    /// True if there is more than one frame.
    pub animated: bool,
    /// How its pixels are stored.
    pub storage: Storage,
    /// The description of an embedded colour profile, if there is one.
    pub profile: Option<String>,
    /// Bits a channel.
    #[serde(default = "eight")]
    pub depth: u8,
    /// True if its colours reach beyond sRGB, as far as its header says.
    #[serde(default)]
    pub wide: bool,
    /// True if the file ends before its picture does.
    #[serde(default)]
    pub truncated: bool,
    /// How much there is to see in it, as far as its own encoder tells: the natural logarithm of
    /// the bits a pixel that it would take at quantiser steps of 1. About 1 for a clear sky, 3 for
    /// sand and grain.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub detail: Option<f32>,
    /// Bytes of its file; `None` where the file itself is not to be sent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bytes: Option<u64>,
    /// The focal point marked on it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub focus: Option<Position>,
    /// The analysis of its pixels, once one was made; not every recipe needs it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub analysis: Option<Analysis>,
    /// The trim box: the upright picture without its uniform borders, once it was found.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub trim_box: Option<Rect>,
}

const fn eight() -> u8 {
    8
}

impl Facts {
    /// Facts of an upright, opaque, still 8-bit picture: what most files are.
    pub const fn plain(format: Format, size: Size, storage: Storage) -> Self {
        Self {
            format,
            size,
            orientation: Orientation::UPRIGHT,
            alpha: false,
            animated: false,
            storage,
            profile: None,
            depth: 8,
            wide: false,
            truncated: false,
            detail: None,
            bytes: None,
            focus: None,
            analysis: None,
            trim_box: None,
        }
    }
}

/// What an analysis of a picture's pixels tells.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Analysis {
    /// Where attention lies.
    pub subject: Subject,
    /// The colour there is most of, in sRGB.
    pub dominant: [u8; 3],
    /// A blurred miniature as a `data:` address of fewer than 400 bytes; none under transparency.
    pub soft: Option<String>,
}
