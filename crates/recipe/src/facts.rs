//! What is known of an original without decoding its pixels.

use serde::{Deserialize, Serialize};

use crate::{Format, Orientation, Position, Rect, Size, Subject};

/// Whether a picture is photographic or drawn in few colours.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// Continuous tone: lossy formats pay.
    Photo,
    /// Few colours and hard edges: lossless formats pay.
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
    /// Photographic or flat, judged from the header and the bytes spent per pixel.
    pub kind: Kind,
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
    pub const fn plain(format: Format, size: Size, kind: Kind) -> Self {
        Self {
            format,
            size,
            orientation: Orientation::UPRIGHT,
            alpha: false,
            animated: false,
            kind,
            profile: None,
            depth: 8,
            wide: false,
            truncated: false,
            detail: None,
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
