//! Readable names of places.

/// A word as a place's name: `a-z`, `0-9` and `-`.
pub(super) fn name(word: &str) -> String {
    let mut name = String::new();
    for c in word.chars() {
        match c {
            'A'..='Z' => {
                if name.ends_with(|c: char| c.is_ascii_lowercase()) {
                    name.push('-');
                }
                name.push(c.to_ascii_lowercase());
            }
            'a'..='z' | '0'..='9' => name.push(c),
            _ if !name.ends_with('-') => name.push('-'),
            _ => {}
        }
    }
    let name: String = name.trim_matches('-').chars().take(24).collect();
    if name.starts_with(|c: char| c.is_ascii_lowercase()) {
        name
    } else {
        format!("place-{name}").trim_end_matches('-').to_owned()
    }
}
