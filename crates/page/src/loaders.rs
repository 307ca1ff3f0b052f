//! Attributes by which scripts hold pictures back.

/// True if a `data-` attribute holds an address that a script puts in later.
pub fn holds_an_address(name: &str) -> bool {
    let Some(rest) = name.strip_prefix("data-") else { return false };
    let parts: Vec<&str> = rest.split('-').collect();
    parts.iter().any(|part| {
        matches!(
            *part,
            "src" | "srcset" | "lazysrc" | "lazysrcset" | "bg" | "background" | "original"
        )
    }) && !parts
        .iter()
        .any(|part| matches!(*part, "full" | "zoom" | "large" | "retina" | "fallback" | "hover"))
}
