//! Parts of pictures (RFC 9110, section 14): one range of bytes; several at once are answered whole,
//! as the standard lets them be.

use std::ops::Range;

use axum::http::{HeaderMap, header};

/// What of a picture is wanted.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Wanted {
    /// All of it.
    Whole,
    /// These bytes.
    Part(Range<usize>),
    /// Bytes beyond its end.
    Beyond,
}

/// What a request wants of `length` bytes that have this entity tag.
pub(super) fn wanted(request: &HeaderMap, length: usize, etag: &str) -> Wanted {
    let text = |name| request.get(name).and_then(|value| value.to_str().ok());
    // Another representation, or one that is told by its date: the client's part is of no use.
    if text(header::IF_RANGE).is_some_and(|condition| condition.trim() != etag) {
        return Wanted::Whole;
    }
    let Some(set) = text(header::RANGE).and_then(|range| range.trim().strip_prefix("bytes="))
    else {
        return Wanted::Whole;
    };
    let Some((from, to)) = set.split_once('-').filter(|_| !set.contains(',')) else {
        return Wanted::Whole;
    };
    let number = |text: &str| {
        let digits = !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
        // More than a machine can count is beyond any end.
        digits.then(|| text.parse::<usize>().unwrap_or(usize::MAX))
    };
    match (number(from.trim()), number(to.trim())) {
        (Some(from), None) if to.trim().is_empty() => part(from, length, length),
        (Some(from), Some(to)) if from <= to => part(from, to.saturating_add(1), length),
        (None, Some(last)) if from.trim().is_empty() && last > 0 => {
            part(length.saturating_sub(last), length, length)
        }
        (None, Some(0)) if from.trim().is_empty() => Wanted::Beyond,
        _ => Wanted::Whole,
    }
}

fn part(from: usize, end: usize, length: usize) -> Wanted {
    if from >= length { Wanted::Beyond } else { Wanted::Part(from..end.min(length)) }
}

#[cfg(test)]
mod tests {
    use axum::http::HeaderValue;

    use super::*;

    #[test]
    fn ranges_are_read_as_the_standard_says() {
        let of = |range: &str| {
            let mut headers = HeaderMap::new();
            headers.insert(header::RANGE, HeaderValue::from_str(range).expect("a value"));
            wanted(&headers, 100, "\"a\"")
        };
        for (range, meant) in [
            ("bytes=0-9", Wanted::Part(0..10)),
            ("bytes=90-", Wanted::Part(90..100)),
            ("bytes=-5", Wanted::Part(95..100)),
            ("bytes=-500", Wanted::Part(0..100)),
            ("bytes=50-5000", Wanted::Part(50..100)),
            ("bytes=0-99999999999999999999999", Wanted::Part(0..100)),
            ("bytes=100-", Wanted::Beyond),
            ("bytes=-0", Wanted::Beyond),
            ("bytes=9-5", Wanted::Whole),
            ("bytes=0-1,5-6", Wanted::Whole),
            ("bytes=a-b", Wanted::Whole),
            ("bytes=-", Wanted::Whole),
            ("lines=0-1", Wanted::Whole),
        ] {
            assert_eq!(of(range), meant, "{range}");
        }
    }
}
