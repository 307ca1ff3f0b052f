use proptest::prelude::*;

use crate::Recipe;

#[track_caller]
fn canonical(text: &str, expected: &str) {
    let recipe: Recipe = text.parse().unwrap_or_else(|error| panic!("{error}"));
    assert_eq!(recipe.to_string(), expected);
}

#[track_caller]
fn refused(text: &str, clause: &str, nearest: Option<&str>) {
    let error = text.parse::<Recipe>().expect_err(text);
    assert_eq!((error.clause.as_str(), error.nearest.as_deref()), (clause, nearest), "{error}");
    assert!(error.to_string().contains(&format!("`{clause}`")), "{error}");
}

#[test]
fn clauses_come_out_in_one_order() {
    canonical("640w", "640w");
    canonical(
        "as-avif_on-clear_fidelity-70_at-30-40_cover_2x_360h_640w",
        "640w_360h_2x_cover_at-30-40_fidelity-70_as-avif_on-clear",
    );
    canonical("ratio-6-4_640w", "640w_ratio-3-2");
    canonical("1.50x_640w", "640w_1.5x");
    canonical("ratio-1-1_at-50-0", "ratio-1-1_at-top");
    canonical("lossless", "lossless");
    canonical("contain_320w_320h_on-f4efe6_at-left", "320w_320h_contain_at-left_on-f4efe6");
}

#[test]
fn a_slip_is_answered_with_what_was_meant() {
    refused("640", "640", Some("640w"));
    refused("w640", "w640", Some("640w"));
    refused("640px", "640px", Some("640w"));
    refused("640w_quality-80", "quality-80", Some("fidelity-80"));
    refused("640w_fidelty-70", "fidelty-70", Some("fidelity-70"));
    refused("640w_360h_covr", "covr", Some("cover"));
    refused("640w_as-jpg", "as-jpg", Some("as-jpeg"));
    refused("640w_avif", "avif", Some("as-avif"));
    refused("640w_ratio-16:9", "ratio-16:9", Some("ratio-16-9"));
    refused("640w_ratio-1.5", "ratio-1.5", Some("ratio-3-2"));
    refused("640w_on-fff", "on-fff", Some("on-ffffff"));
    refused("640w_on-F4EFE6", "on-F4EFE6", Some("on-f4efe6"));
    refused("640w_ratio-1-1_at-left-top", "at-left-top", Some("at-top-left"));
    refused("640w_kite", "kite", None);
}

#[test]
fn a_value_out_of_range_is_answered_with_the_limit() {
    refused("0w", "0w", Some("1w"));
    refused("99999h", "99999h", Some("16383h"));
    refused("99999999999999999999w", "99999999999999999999w", Some("16383w"));
    refused("640.4w", "640.4w", Some("640w"));
    refused("640w_9x", "9x", Some("4x"));
    refused("640w_0.1x", "0.1x", Some("0.5x"));
    refused("640w_fidelity-0", "fidelity-0", Some("fidelity-1"));
    refused("640w_fidelity-250", "fidelity-250", Some("fidelity-100"));
    refused("640w_360h_at-120-40", "at-120-40", Some("at-100-40"));
    refused("640w_ratio-0-2", "ratio-0-2", Some("ratio-3-2"));
}

#[test]
fn clauses_that_contradict_or_lack_a_partner_are_refused() {
    refused("", "", Some("640w"));
    refused("640w_", "", None);
    refused("640w_320w", "320w", None);
    refused("fidelity-70_lossless", "lossless", None);
    refused("640w_360h_ratio-16-9", "ratio-16-9", None);
    refused("640w_contain", "contain", Some("contain_ratio-3-2"));
    refused("2x", "2x", Some("640w_2x"));
    refused("640w_at-top", "at-top", Some("at-top_ratio-3-2"));
    refused("640w_as-jpeg_lossless", "lossless", Some("lossless_as-webp"));
}

#[test]
fn clauses_of_later_versions_say_so() {
    for clause in ["original", "trim", "blur-6", "overlay-mark", "@card", "at-focus"] {
        let error = format!("640w_{clause}").parse::<Recipe>().expect_err(clause);
        assert!(error.problem.contains("yet"), "{error}");
    }
}

proptest! {
    #[test]
    fn no_text_panics_and_every_suggestion_is_itself_a_recipe(text in "[0-9a-z@_.:-]{0,24}") {
        if let Err(error) = text.parse::<Recipe>()
            && let Some(nearest) = error.nearest
        {
            let alone = nearest.parse::<Recipe>();
            let partnered = format!("{nearest}_ratio-3-2").parse::<Recipe>();
            let boxed = format!("640w_360h_{nearest}").parse::<Recipe>();
            prop_assert!(alone.is_ok() || partnered.is_ok() || boxed.is_ok(), "{} -> {}", text, nearest);
        }
    }

    #[test]
    fn the_canonical_form_parses_to_itself(
        width in 1u32..4000, height in proptest::option::of(1u32..4000), density in 50u16..400,
        fidelity in 1u8..=100, x in 0u8..=100, y in 0u8..=100, colour in any::<[u8; 3]>(),
    ) {
        let shape = height.map_or("ratio-4-3".to_owned(), |height| format!("{height}h"));
        let density = f64::from(density) / 100.0;
        let [r, g, b] = colour;
        let text = format!("on-{r:02x}{g:02x}{b:02x}_fidelity-{fidelity}_at-{x}-{y}_{density}x_{shape}_{width}w");
        let recipe: Recipe = text.parse().map_err(|error| TestCaseError::fail(format!("{error}")))?;
        prop_assert_eq!(recipe.to_string().parse::<Recipe>(), Ok(recipe));
    }
}
