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
    refused("640w_blur", "blur", Some("blur-50"));
    refused("640w_greyscale", "greyscale", Some("grayscale-50"));
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
fn every_clause_has_its_place_in_the_order() {
    canonical(
        "keep-all_still_overlay-mark_pixelate-12_blur-6_flip-y_flip-x_rotate-90_trim_at-subject_640w_ratio-1-1",
        "640w_ratio-1-1_at-subject_trim_rotate-90_flip-x_flip-y_blur-6_pixelate-12_overlay-mark_still_keep-all",
    );
    canonical("sepia-60.in-10-20-30-40_blur-3_sepia-20", "blur-3_sepia-20_sepia-60.in-10-20-30-40");
    canonical(
        "hue-rotate-30_brightness-90_contrast-110",
        "brightness-90_contrast-110_hue-rotate-30",
    );
    canonical("original", "original");
    canonical("keep-credit_as-jxl", "as-jxl_keep-credit");
}

#[test]
fn an_edit_that_cannot_be_is_answered_with_one_that_can() {
    refused("640w_blur--6", "blur--6", Some("blur-6"));
    refused("640w_blur-9999", "blur-9999", Some("blur-200"));
    refused("640w_grayscale-120", "grayscale-120", Some("grayscale-100"));
    refused("640w_sepia-1.5", "sepia-1.5", Some("sepia-2"));
    refused("640w_blur-6.in-80-10-40-20", "blur-6.in-80-10-40-20", Some("blur-6.in-80-10-20-20"));
    refused("640w_blur-6.at-10", "blur-6.at-10", Some("blur-6.in-10-10-50-50"));
    refused("640w_blurr-6", "blurr-6", Some("blur-6"));
    refused("640w_greyscale-100", "greyscale-100", Some("grayscale-100"));
    refused("640w_blur-6_blur-7", "blur-7", None);
    refused("640w_rotate-45", "rotate-45", Some("rotate-90"));
    refused("640w_overlay-Mark", "overlay-Mark", None);
    refused("640w_original", "640w", Some("original"));
    refused("640w_trim_trim", "trim", None);
    refused("640w_as-gif_lossless", "lossless", Some("lossless_as-webp"));
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
