//! How long an answer may be kept (RFC 9111, sections 4.2.1 and 5.2.2; RFC 5861).

/// Seconds browsers may use an answer for without asking again, stale use included; `None` if its
/// headers do not say.
pub fn cache_lifetime(
    cache_control: Option<&str>,
    expires: Option<&str>,
    date: Option<&str>,
) -> Option<u64> {
    let directives: Vec<String> = cache_control
        .unwrap_or_default()
        .split(',')
        .map(|one| one.trim().to_ascii_lowercase())
        .collect();
    if directives.iter().any(|one| one == "no-store" || one == "no-cache") {
        return Some(0);
    }
    let seconds = |name: &str| {
        let value = directives.iter().find_map(|one| one.strip_prefix(name)?.strip_prefix('='))?;
        value.trim_matches('"').parse::<u64>().ok()
    };
    if let Some(fresh) = seconds("max-age") {
        return Some(fresh.saturating_add(seconds("stale-while-revalidate").unwrap_or(0)));
    }
    // An Expires that cannot be read, such as 0, means already expired.
    let expires = expires?;
    let difference = httpdate::parse_http_date(expires)
        .ok()
        .zip(date.and_then(|date| httpdate::parse_http_date(date).ok()));
    Some(
        difference
            .and_then(|(end, now)| end.duration_since(now).ok())
            .map_or(0, |left| left.as_secs()),
    )
}

#[cfg(test)]
mod tests {
    use super::cache_lifetime;

    #[test]
    fn headers_say_how_long() {
        let date = Some("Mon, 04 May 2026 10:00:00 GMT");
        for (control, expires, seconds) in [
            (Some("public, max-age=3600"), None, Some(3600)),
            (Some("max-age=60, stale-while-revalidate=86400"), None, Some(86460)),
            (Some("no-cache, max-age=9"), None, Some(0)),
            (Some("No-Store"), None, Some(0)),
            (Some("public"), None, None),
            (None, None, None),
            (None, Some("Mon, 04 May 2026 11:00:00 GMT"), Some(3600)),
            (None, Some("0"), Some(0)),
            (Some("max-age=5"), Some("Mon, 04 May 2026 11:00:00 GMT"), Some(5)),
        ] {
            assert_eq!(cache_lifetime(control, expires, date), seconds, "{control:?} {expires:?}");
        }
    }
}
