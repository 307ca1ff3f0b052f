//! The `Accept` header of a picture request (RFC 9110, section 12.5.1).

use crate::Format;

/// The formats a request names. JPEG, PNG, GIF and SVG every browser shows, named or not; of the modern ones only
/// those named count, so that a bare `*/*` or `image/*` promises none of them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Accepted {
    avif: bool,
    jxl: bool,
    webp: bool,
}

impl Accepted {
    /// Every format: for callers that read the result themselves.
    pub const EVERYTHING: Self = Self { avif: true, jxl: true, webp: true };

    /// Reads a header's value; anything malformed names nothing.
    pub fn from_header(value: &str) -> Self {
        let mut accepted = Self::default();
        for range in value.split(',') {
            let mut parts = range.split(';').map(str::trim);
            let media_type = parts.next().unwrap_or_default();
            let refused = parts.any(|parameter| weight(parameter) == Some(0.0));
            let is = |format: Format| media_type.eq_ignore_ascii_case(format.media_type()) && !refused;
            accepted.avif |= is(Format::Avif);
            accepted.jxl |= is(Format::Jxl);
            accepted.webp |= is(Format::Webp);
        }
        accepted
    }

    /// True if a rendition in `format` may be sent.
    pub const fn contains(self, format: Format) -> bool {
        match format {
            Format::Avif => self.avif,
            Format::Jxl => self.jxl,
            Format::Webp => self.webp,
            Format::Jpeg | Format::Png | Format::Gif | Format::Svg => true,
            Format::Bmp | Format::Tiff => false,
        }
    }
}

/// The value of a `q=` parameter.
fn weight(parameter: &str) -> Option<f32> {
    let (name, value) = parameter.split_once('=')?;
    name.trim().eq_ignore_ascii_case("q").then(|| value.trim().parse().ok())?
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_formats_named_with_weight_count() {
        let chromium = "image/jxl,image/avif,image/webp,image/apng,image/svg+xml,image/*,*/*;q=0.8";
        assert_eq!(Accepted::from_header(chromium), Accepted::EVERYTHING);
        assert_eq!(Accepted::from_header("*/*"), Accepted::default());
        assert_eq!(Accepted::from_header("image/*"), Accepted::default());
        let picky = Accepted::from_header("image/avif;q=0, IMAGE/WEBP; q=0.5");
        assert!(!picky.contains(Format::Avif) && picky.contains(Format::Webp) && picky.contains(Format::Png));
        assert_eq!(Accepted::from_header(";;q=,,=,image/avif;q=0.0"), Accepted::default());
    }
}
