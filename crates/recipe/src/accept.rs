//! The `Accept` header of a picture request (RFC 9110, section 12.5.1).

use crate::Format;

/// The formats a request names, and how much it wants them. JPEG, PNG, GIF and SVG every browser
/// shows, named or not; of the modern ones only those named count, so that a bare `*/*` or
/// `image/*` promises none of them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
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

/// The weight that a `q=` parameter gives, 0 if it gives none that is one (RFC 9110, section
/// 12.4.2).
fn weight(parameter: &str) -> Option<Weight> {
    let (name, value) = parameter.split_once('=')?;
    name.trim().eq_ignore_ascii_case("q").then(|| thousandths(value.trim()).unwrap_or(0))
}

/// `0` or `1` with at most three decimals, at most 1.
fn thousandths(value: &str) -> Option<Weight> {
    let (whole, decimals) = value.split_once('.').unwrap_or((value, ""));
    let are_digits = decimals.bytes().all(|byte| byte.is_ascii_digit());
    if !matches!(whole, "0" | "1") || !are_digits || decimals.len() > 3 {
        return None;
    }
    let decimals: Weight = format!("{decimals:0<3}").parse().ok()?;
    let all = if whole == "1" { FULL } else { 0 } + decimals;
    (all <= FULL).then_some(all)
}

/// True if a line of `Accept-Encoding` names `coding` and does not refuse it (RFC 9110, section
/// 12.5.3).
pub fn accepts_coding(line: &str, coding: &str) -> bool {
    unquoted(line, ',').any(|named| {
        let mut parts = unquoted(named, ';').map(str::trim);
        let is_named = parts.next().is_some_and(|name| name.eq_ignore_ascii_case(coding));
        is_named && parts.find_map(weight).unwrap_or(FULL) > 0
    })
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
        for (weight, meant) in [
            ("1", 1.0),
            ("1.000", 1.0),
            ("0.125", 0.125),
            ("0.", 0.0),
            ("7", 0.0),
            ("1.001", 0.0),
            ("-0.5", 0.0),
            ("0.1234", 0.0),
            ("1e-1", 0.0),
            ("nan", 0.0),
            ("", 0.0),
        ] {
            let accepted = Accepted::from_header(&format!("image/webp; Q={weight}"));
            assert_eq!(accepted.weight(Format::Webp), meant, "{weight}");
        }
        for (line, meant) in [
            ("gzip", true),
            ("br, GZIP;q=0.5", true),
            ("gzip;q=0", false),
            ("gzip; Q=0.000", false),
            ("gzip;q=2", false),
            ("br;a=\"gzip, gzip\"", false),
            ("*", false),
            ("", false),
        ] {
            assert_eq!(accepts_coding(line, "gzip"), meant, "{line}");
        }
    }
}
