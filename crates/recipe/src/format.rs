//! Picture formats by their registered names.

use serde::{Deserialize, Serialize};

/// A picture format, of an original or of a rendition.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Format {
    /// AV1 Image File Format.
    Avif,
    /// JPEG XL.
    Jxl,
    /// WebP, lossy or lossless.
    Webp,
    /// JPEG.
    Jpeg,
    /// PNG.
    Png,
    /// GIF.
    Gif,
    /// SVG, a vector.
    Svg,
    /// BMP, read only.
    Bmp,
    /// TIFF, read only.
    Tiff,
}

impl Format {
    /// The formats an `as-` clause can name.
    pub const NAMEABLE: [Self; 6] =
        [Self::Avif, Self::Jxl, Self::Webp, Self::Jpeg, Self::Png, Self::Gif];

    /// Every format.
    pub const ALL: [Self; 9] = [
        Self::Avif,
        Self::Jxl,
        Self::Webp,
        Self::Jpeg,
        Self::Png,
        Self::Gif,
        Self::Svg,
        Self::Bmp,
        Self::Tiff,
    ];

    /// The name used in recipes and records, e.g. `jpeg`.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Avif => "avif",
            Self::Jxl => "jxl",
            Self::Webp => "webp",
            Self::Jpeg => "jpeg",
            Self::Png => "png",
            Self::Gif => "gif",
            Self::Svg => "svg",
            Self::Bmp => "bmp",
            Self::Tiff => "tiff",
        }
    }

    /// The format with this [`name`](Self::name).
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|format| format.name() == name)
    }

    /// The registered media type, e.g. `image/jpeg`.
    pub const fn media_type(self) -> &'static str {
        match self {
            Self::Avif => "image/avif",
            Self::Jxl => "image/jxl",
            Self::Webp => "image/webp",
            Self::Jpeg => "image/jpeg",
            Self::Png => "image/png",
            Self::Gif => "image/gif",
            Self::Svg => "image/svg+xml",
            Self::Bmp => "image/bmp",
            Self::Tiff => "image/tiff",
        }
    }

    /// The customary file extension, without the dot.
    pub const fn extension(self) -> &'static str {
        match self {
            Self::Jpeg => "jpg",
            Self::Tiff => "tif",
            other => other.name(),
        }
    }

    /// True where pixels can be transparent.
    pub const fn has_alpha(self) -> bool {
        !matches!(self, Self::Jpeg)
    }

    /// True where a rendition can move.
    pub const fn can_animate(self) -> bool {
        matches!(self, Self::Webp | Self::Gif)
    }

    /// The longest side the format can hold, in pixels (WebP: RFC 9649, section 2.6; JPEG: ITU-T
    /// T.81, B.2.2).
    pub const fn max_side(self) -> u32 {
        match self {
            Self::Webp => 16_383,
            Self::Jpeg | Self::Gif => 65_535,
            Self::Avif => 65_536,
            Self::Jxl | Self::Png | Self::Svg | Self::Bmp | Self::Tiff => i32::MAX as u32,
        }
    }
}

impl std::fmt::Display for Format {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}
