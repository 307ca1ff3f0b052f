use proptest::prelude::*;

use super::*;
use crate::{
    Accepted, Basis, BytesPerPixel, Curve, Curves, Encoding, Facts, Fidelity, Format, Gamut, Hints,
    Measured, Policy, Recipe, Request, Sample, Scale, Score, Setting, Size, Storage, plan_for,
};

/// Of a few plain areas, at the size it is stored in.
const FLAT: Storage = Storage::Packed(BytesPerPixel::new(0.005));

fn facts(alpha: bool, storage: Storage) -> Facts {
    Facts { alpha, ..Facts::plain(Format::Jpeg, Size::new(4800, 3200), storage) }
}

#[track_caller]
fn sends(recipe: &str, facts: &Facts, accept: &str, format: Format) -> Choice {
    let choice = chosen(recipe, facts, &accepting(accept), &Policy::default());
    assert_eq!(choice.format, format);
    choice
}

fn accepting(accept: &str) -> Request {
    Request::accepting(Accepted::from_header(accept))
}

#[track_caller]
fn chosen(recipe: &str, facts: &Facts, request: &Request, policy: &Policy) -> Choice {
    choose(&recipe.parse().expect(recipe), facts, &Curves::default(), request, policy)
        .expect("a choice")
}

#[test]
fn the_request_decides_among_what_it_accepts() {
    let photo = facts(false, Storage::Lossy);
    sends("640w", &photo, "image/avif,image/webp,*/*", Format::Avif);
    sends("640w", &photo, "image/webp,*/*", Format::Webp);
    sends("640w", &photo, "*/*", Format::Jpeg);
    assert_eq!(sends("640w_as-png", &photo, "image/avif", Format::Png).reason, Reason::Named);
    // AVIF takes fewer bytes, but not half as many.
    let preferred = sends("640w", &photo, "image/avif;q=0.5,image/webp,*/*", Format::Webp);
    assert_eq!(preferred.reason, Reason::Preferred);
    sends("640w", &photo, "image/avif;q=0.01,image/webp;q=0.01", Format::Jpeg);
    sends("640w_as-avif", &photo, "image/avif;q=0.01", Format::Avif);
}

#[test]
fn transparency_is_kept_unless_a_canvas_or_a_format_forbids_it() {
    let cut_out = facts(true, Storage::Lossy);
    sends("640w", &cut_out, "*/*", Format::Png);
    assert_eq!(sends("640w_on-102030", &cut_out, "*/*", Format::Jpeg).flatten, Some([16, 32, 48]));
    assert_eq!(sends("640w_as-jpeg", &cut_out, "*/*", Format::Jpeg).flatten, Some([255; 3]));
    let opaque = facts(false, Storage::Lossy);
    sends("300w_300h_contain_on-clear", &opaque, "*/*", Format::Png);
    sends("640w_on-clear", &opaque, "*/*", Format::Jpeg);
}

#[test]
fn flat_art_is_lossless_unless_the_recipe_asks_otherwise() {
    let logo = facts(true, FLAT);
    assert_eq!(
        sends("320w", &logo, "image/avif,image/webp", Format::Webp).encoding,
        Encoding::Lossless
    );
    sends("320w", &logo, "image/avif", Format::Png);
    let lossy = sends("320w_as-jpeg", &logo, "*/*", Format::Jpeg);
    assert!(matches!(lossy.encoding, Encoding::Lossy { .. }));
}

#[test]
fn an_original_with_the_very_pixels_is_sent_where_it_is_lighter() {
    let icon =
        |bytes| Facts { bytes, ..Facts::plain(Format::Jpeg, Size::new(120, 90), Storage::Lossy) };
    let light = icon(Some(200));
    let modern = "image/avif,image/webp,*/*";
    for recipe in ["120w", "240w_2x", "ratio-4-3_fidelity-60"] {
        let choice = sends(recipe, &light, modern, Format::Jpeg);
        assert_eq!((choice.encoding, choice.reason), (Encoding::Original, Reason::LighterOriginal));
    }
    let made = |recipe: &str, facts: &Facts| {
        let choice = chosen(recipe, facts, &accepting(modern), &Policy::default());
        choice.reason != Reason::LighterOriginal
    };
    for recipe in ["60w", "ratio-1-1", "as-webp", "blur-3", "overlay-mark", "keep-credit"] {
        assert!(made(recipe, &light), "{recipe}");
    }
    assert!(made("120w", &icon(Some(90_000))), "a rendition is lighter");
    assert!(made("120w", &icon(None)), "the file is not to be sent");
    let turned =
        Facts { orientation: crate::Orientation::from_exif(6).expect("a turn"), ..light.clone() };
    assert!(made("120w", &turned), "it is stored on its side");
    assert!(made("120w", &Facts { format: Format::Tiff, ..light }), "no request accepts it");
    let without = Policy { formats: crate::Formats::of([Format::Jpeg]), ..Policy::default() };
    let avif = Facts { format: Format::Avif, ..icon(Some(200)) };
    let choice = chosen("120w", &avif, &accepting(modern), &without);
    assert_eq!(choice.format, Format::Jpeg, "the policy leaves its format out");
}

#[test]
fn what_no_format_can_hold_is_refused_with_its_size() {
    let mut wide = facts(false, Storage::Lossy);
    wide.size = Size::new(20_000, 100);
    let error = refused("as-webp", &wide);
    assert!(error.to_string().contains("20000 x 100"), "{error}");
    sends("fidelity-70", &wide, "image/webp", Format::Jpeg);
}

#[test]
fn what_moves_keeps_moving_where_the_viewer_can_see_it() {
    let windsock = Facts { animated: true, ..Facts::plain(Format::Gif, Size::new(400, 300), FLAT) };
    assert!(sends("200w", &windsock, "image/avif,image/webp", Format::Webp).animated);
    assert!(sends("200w", &windsock, "*/*", Format::Gif).animated);
    assert!(!sends("200w_still", &windsock, "*/*", Format::Png).animated);
    assert!(!sends("200w_as-avif", &windsock, "*/*", Format::Avif).animated);
}

#[test]
fn a_vector_stays_one_unless_pixels_are_asked_for() {
    let mark =
        Facts { alpha: true, ..Facts::plain(Format::Svg, Size::new(40, 30), Storage::Vector) };
    assert_eq!(
        sends("640w_ratio-1-1", &mark, "image/avif", Format::Svg).encoding,
        Encoding::Vector
    );
    assert_eq!(
        sends("640w_as-png", &mark, "image/avif", Format::Png).plan.size,
        Size::new(640, 480)
    );
    sends("640w_blur-3", &mark, "image/webp", Format::Webp);
    assert_eq!(
        varies(&"640w".parse().expect("a recipe"), &mark, &Policy::default()),
        Varies::default()
    );
    assert!(matches!(refused("16000w_as-jxl", &mark), ChoiceError::TooMany { .. }));
}

#[test]
fn a_wide_gamut_is_kept_where_the_policy_says_so() {
    let front = Facts { wide: true, ..facts(false, Storage::Lossy) };
    let gamut = |policy: Policy| chosen("640w", &front, &Request::ANYTHING, &policy).gamut;
    assert_eq!(gamut(Policy::default()), Gamut::Srgb);
    assert_eq!(gamut(Policy { gamut: Gamut::DisplayP3, ..Policy::default() }), Gamut::DisplayP3);
}

fn refused(recipe: &str, facts: &Facts) -> ChoiceError {
    choose(
        &recipe.parse().expect(recipe),
        facts,
        &Curves::default(),
        &Request::ANYTHING,
        &Policy::default(),
    )
    .expect_err("no format can hold it")
}

#[test]
fn density_and_thrift_lower_the_target_and_say_so() {
    let photo = facts(false, Storage::Lossy);
    let saving = Request { save_data: true, ..Request::ANYTHING };
    let policy = Policy::default();
    let aim = |recipe: &str, request: &Request| {
        let choice = chosen(recipe, &photo, request, &policy);
        (choice.target.map(Fidelity::get), choice.lowered)
    };
    let untold = Lowered::UntoldDensity { amount: 5 };
    assert_eq!(aim("640w", &Request::ANYTHING), (Some(75), vec![untold]));
    assert_eq!(aim("640w_fidelity-80", &Request::ANYTHING), (Some(80), vec![]), "as written");
    assert_eq!(aim("640w_1x", &Request::ANYTHING), (Some(80), vec![]), "told");
    assert_eq!(
        aim("320w_2x", &Request::ANYTHING),
        (Some(72), vec![Lowered::Density { amount: 8 }])
    );
    let dense = Request {
        hints: crate::Hints { density: Some(2.0), ..crate::Hints::default() },
        ..Request::ANYTHING
    };
    assert_eq!(aim("ratio-3-2_fidelity-70", &dense).0, Some(62), "hints tell it exactly");
    assert_eq!(aim("640w", &dense).0, Some(75), "where the width is settled no hint is read");
    let hinted = |recipe: &str| chosen(recipe, &photo, &dense, &policy).private;
    assert!(hinted("ratio-3-2") && !hinted("640w"));
    assert_eq!(aim("640w", &saving), (Some(60), vec![untold, Lowered::SaveData { amount: 15 }]));
    assert_eq!(
        aim("640w_fidelity-40", &saving),
        (Some(30), vec![Lowered::SaveData { amount: 10 }])
    );
    assert_eq!(
        aim("640w_fidelity-20", &saving),
        (Some(20), vec![]),
        "below the floor nothing is taken off"
    );
    assert_eq!(aim("640w_lossless", &saving), (None, vec![]));
    let thrifty = chosen("320w_3x", &photo, &saving, &policy);
    assert_eq!((thrifty.plan.size.width, thrifty.recipe.to_string().as_str()), (480, "320w_1.5x"));
    assert_eq!(
        chosen("640w", &photo, &saving, &policy).plan.size.width,
        640,
        "without an x pixels stay"
    );
}

#[test]
fn an_originals_own_curve_overrules_the_prior() {
    let photo = facts(false, Storage::Lossy);
    let samples = |bytes: f32| {
        [(20.0, 10.0, 0.5), (60.0, 70.0, 1.0), (95.0, 92.0, 4.0)]
            .map(|(setting, score, share)| Sample {
                setting: Setting::nearest_to(setting),
                score: Score::new(score),
                bytes_per_pixel: BytesPerPixel::new(bytes * share),
            })
            .to_vec()
    };
    let scale = Scale::of(&plan_for(&"640w".parse().expect("a recipe"), &photo));
    let measured = |bytes| Measured {
        curves: vec![Curve {
            scale,
            samples: samples(bytes),
            slow_samples: Vec::new(),
            lossless: None,
        }],
        ..Measured::default()
    };
    let curves = Curves(
        [
            (Format::Avif, measured(0.2)),
            (Format::Jxl, measured(0.15)),
            (Format::Webp, measured(0.14)),
        ]
        .into(),
    );
    let with = |accept: &str, policy: &Policy| {
        choose(&"640w".parse().expect("a recipe"), &photo, &curves, &accepting(accept), policy)
            .expect("a choice")
    };
    let choice = with("image/avif,image/jxl,image/webp", &Policy::default());
    // JPEG keeps its prior, which promises even less here.
    assert_eq!((choice.format, choice.reason), (Format::Jpeg, Reason::FewestBytes));
    let modern =
        Policy { formats: crate::Formats::of([Format::Webp, Format::Avif]), ..Policy::default() };
    let only = with("image/avif,image/jxl,image/webp", &modern);
    assert!(only.candidates.iter().all(|candidate| candidate.format != Format::Jxl));
    assert!(matches!(
        only.candidates[1],
        Candidate { format: Format::Webp, basis: Basis::Curve, .. }
    ));
    assert_eq!(with("image/webp", &Policy::LEAST_WORK).format, Format::Jpeg);
}

#[test]
fn only_lossy_candidates_near_the_best_contend() {
    let choice = |recipe: &str| {
        chosen(
            recipe,
            &facts(false, Storage::Lossy),
            &accepting("image/avif,image/jxl,image/webp"),
            &Policy::default(),
        )
    };
    for recipe in ["640w_fidelity-30", "640w", "1280w_fidelity-90"] {
        let choice = choice(recipe);
        let fewest = choice.candidates[0].predicted_bytes.get() as f64;
        for one in choice.candidates.iter().filter(|one| one.predicted_score.is_some()) {
            let within = if one.format == Format::Webp { 1.1 } else { 1.3 };
            let contends = choice.trial_candidates().any(|other| other.format == one.format);
            assert_eq!(
                contends,
                one.predicted_bytes.get() as f64 <= fewest * within,
                "{recipe}: {}",
                one.format
            );
        }
        assert!(
            choice.trial_candidates().count() < choice.candidates.len(),
            "{recipe}: PNG, at least, stays behind"
        );
    }
    assert_eq!(choice("640w_lossless").trial_candidates().count(), 0);
}

#[test]
fn less_work_is_preferred_where_the_policy_says_so() {
    let photo = facts(false, Storage::Lossy);
    let quick = chosen("640w", &photo, &accepting("image/webp"), &Policy::LEAST_WORK);
    assert_eq!((quick.format, quick.reason), (Format::Jpeg, Reason::LeastWork));
    assert_eq!(quick.candidates[0].format, Format::Webp, "it takes fewer bytes");
    let no_more = chosen("640w", &photo, &accepting("image/avif,image/webp"), &Policy::LEAST_WORK);
    assert_eq!(
        (no_more.format, no_more.reason),
        (Format::Avif, Reason::FewestBytes),
        "it is no more work"
    );
}

fn any_request() -> impl Strategy<Value = Request> {
    (
        any::<[bool; 4]>(),
        prop::option::of(1u32..5000),
        prop::option::of(0.5f64..4.0),
        prop::option::of(200u32..3000),
    )
        .prop_map(|([avif, jxl, webp, save_data], width, density, viewport_width)| {
            let names = [(avif, "image/avif"), (jxl, "image/jxl"), (webp, "image/webp")];
            let header: Vec<&str> =
                names.into_iter().filter(|(named, _)| *named).map(|(_, name)| name).collect();
            let hints = Hints { width, density, viewport_width };
            Request { hints, save_data, ..accepting(&format!("{},*/*;q=0.8", header.join(","))) }
        })
}

fn any_recipe() -> impl Strategy<Value = Recipe> {
    let parts = [
        vec!["", "640w", "300h", "9000w", "200w_2x"],
        vec!["", "ratio-1-1"],
        vec!["", "fidelity-40", "lossless"],
    ];
    let last = vec!["still", "as-webp", "as-png", "on-102030", "on-clear"];
    let [a, b, c] = parts.map(prop::sample::select);
    (a, b, c, prop::sample::select(last)).prop_map(|(a, b, c, d)| {
        let text: Vec<&str> = [a, b, c, d].into_iter().filter(|part| !part.is_empty()).collect();
        text.join("_").parse().expect("a recipe")
    })
}

proptest! {
    #[test]
    fn what_is_sent_was_accepted_and_is_never_enlarged(
        recipe in any_recipe(), request in any_request(), alpha in any::<bool>(), flat in any::<bool>(), side in 50u32..5000,
    ) {
        let storage = if flat { FLAT } else { Storage::Lossy };
        let facts = Facts { alpha, ..Facts::plain(Format::Png, Size::new(side, side / 2 + 1), storage) };
        let choice = choose(&recipe, &facts, &Curves::default(), &request, &Policy::default()).expect("a choice");
        prop_assert!(recipe.format.is_some() || request.accepted.contains(choice.format));
        prop_assert!(!alpha || choice.format.has_alpha() || choice.flatten.is_some());
        let crop = choice.plan.crop;
        prop_assert!(f64::from(choice.plan.drawn.width) <= crop.width + 0.5 && f64::from(choice.plan.drawn.height) <= crop.height.max(1.0) + 0.5);
        prop_assert!(choice.candidates.iter().any(|candidate| candidate.format == choice.format));
    }

    /// Caches may only keep answers apart by the headers that `Vary` names.
    #[test]
    fn requests_that_agree_on_what_vary_names_get_the_same(
        recipe in any_recipe(), one in any_request(), other in any_request(), flat in any::<bool>(), animated in any::<bool>(),
    ) {
        let storage = if flat { FLAT } else { Storage::Lossy };
        let facts = Facts { animated, ..Facts::plain(Format::Gif, Size::new(2400, 1600), storage) };
        let varies = varies(&recipe, &facts, &Policy::default());
        let alike = Request {
            accepted: if varies.accept { one.accepted } else { other.accepted },
            hints: if varies.hints { one.hints } else { other.hints },
            save_data: if varies.save_data { one.save_data } else { other.save_data },
        };
        let choose = |request| choose(&recipe, &facts, &Curves::default(), &request, &Policy::default()).expect("a choice");
        let (one, alike) = (choose(one), choose(alike));
        let shaped = |choice: &Choice| (choice.plan, choice.format, choice.encoding, choice.target, choice.flatten, choice.private);
        prop_assert_eq!(shaped(&one), shaped(&alike));
    }
}
