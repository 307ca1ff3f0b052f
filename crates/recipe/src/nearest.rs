//! The nearest known word to one that is not known, for errors that show the way out.

/// The candidate with the fewest edits from `word`, if that is few enough to be a likely slip.
pub fn nearest<'a>(word: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    candidates
        .into_iter()
        .map(|candidate| (edits(word, candidate), candidate))
        .filter(|(edits, candidate)| *edits <= (candidate.len().max(word.len()) / 3).max(1) + 1)
        .filter(|(edits, candidate)| *edits < candidate.len())
        .min_by_key(|(edits, _)| *edits)
        .map(|(_, candidate)| candidate)
}

/// Levenshtein distance in characters.
fn edits(a: &str, b: &str) -> usize {
    let b: Vec<char> = b.chars().collect();
    let mut row: Vec<usize> = (0..=b.len()).collect();
    for (i, from) in a.chars().enumerate() {
        let mut diagonal = row[0];
        row[0] = i + 1;
        for (j, to) in b.iter().enumerate() {
            let substituted = diagonal + usize::from(from != *to);
            diagonal = row[j + 1];
            row[j + 1] = substituted.min(row[j] + 1).min(diagonal + 1);
        }
    }
    row[b.len()]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_slip_of_the_pen_is_found_and_a_stranger_is_not() {
        let words = ["listen", "data", "shelves", "access"];
        assert_eq!(nearest("lisen", words), Some("listen"));
        assert_eq!(nearest("shelfs", words), Some("shelves"));
        assert_eq!(nearest("turnip-greens", words), None);
    }
}
