//! The `Accept` header of a picture request (RFC 9110, section 12.5.1).

use crate::Format;

/// The formats a request names, and how much it wants them. JPEG, PNG, GIF and SVG every browser
/// shows, named or not; of the modern ones only those named count, so that a bare `*/*` or
/// `image/*` promises none of them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Accepted {
    avif: Weight,
    jxl: Weight,
    webp: Weight,
}

/// A weight in thousandths, as many as a header can write; 0 is refused, or not named.
type Weight = u16;

const FULL: Weight = 1000;

impl Accepted {
    /// Every format: for callers that read the result themselves.
    pub const EVERYTHING: Self = Self { avif: FULL, jxl: FULL, webp: FULL };

    /// Reads a header's value; anything malformed names nothing.
    pub fn from_header(value: &str) -> Self {
        let mut accepted = Self::default();
        for range in unquoted(value, ',') {
            let mut parts = unquoted(range, ';').map(str::trim);
            let media_type = parts.next().unwrap_or_default();
            let wanted = parts.find_map(weight).unwrap_or(FULL);
            let of = |format: Format| {
                if media_type.eq_ignore_ascii_case(format.media_type()) { wanted } else { 0 }
            };
            accepted.avif = accepted.avif.max(of(Format::Avif));
            accepted.jxl = accepted.jxl.max(of(Format::Jxl));
            accepted.webp = accepted.webp.max(of(Format::Webp));
        }
        accepted
    }

    /// True if a rendition in `format` may be sent.
    pub const fn contains(self, format: Format) -> bool {
        self.weight(format) > 0.0
    }

    /// How much `format` is wanted beside the others, 0 to 1: a format wanted half as much must
    /// save half the bytes.
    pub const fn weight(self, format: Format) -> f64 {
        let thousandths = match format {
            Format::Avif => self.avif,
            Format::Jxl => self.jxl,
            Format::Webp => self.webp,
            Format::Jpeg | Format::Png | Format::Gif | Format::Svg => FULL,
            Format::Bmp | Format::Tiff => 0,
        };
        thousandths as f64 / FULL as f64
    }
}

/// The parts of a header's value between separators, those in quoted strings left alone (RFC 9110,
/// section 5.6.4).
fn unquoted(value: &str, separator: char) -> impl Iterator<Item = &str> {
    let (mut quoted, mut escaped) = (false, false);
    value.split(move |c| {
        let literal = std::mem::take(&mut escaped);
        match c {
            '\\' if quoted && !literal => escaped = true,
            '"' if !literal => quoted = !quoted,
            _ => {}
        }
        c == separator && !quoted
    })
}

/// The value of a `q=` parameter.
fn weight(parameter: &str) -> Option<Weight> {
    let (name, value) = parameter.split_once('=')?;
    let value: f32 = name.trim().eq_ignore_ascii_case("q").then(|| value.trim().parse().ok())??;
    (0.0..=1.0).contains(&value).then(|| (value * f32::from(FULL)).round() as Weight)
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
        assert!(
            !picky.contains(Format::Avif)
                && picky.contains(Format::Webp)
                && picky.contains(Format::Png)
        );
        assert_eq!(
            [Format::Avif, Format::Webp, Format::Png].map(|format| picky.weight(format)),
            [0.0, 0.5, 1.0]
        );
        assert_eq!(Accepted::from_header(";;q=,,=,image/avif;q=0.0"), Accepted::default());
        let quoted =
            r#"image/avif;note="a, image/webp; q=0.1 \", image/jxl";q=0.25,image/webp;q=0.5"#;
        let accepted = Accepted::from_header(quoted);
        assert_eq!(
            [Format::Avif, Format::Jxl, Format::Webp].map(|format| accepted.weight(format)),
            [0.25, 0.0, 0.5]
        );
        assert_eq!(
            Accepted::from_header("image/webp;q=7").weight(Format::Webp),
            1.0,
            "no weight at all"
        );
    }
}
