use proptest::prelude::*;

use super::*;

fn sample(setting: f32, score: f32, bytes_per_pixel: f32) -> Sample {
    Sample {
        setting: Setting::nearest_to(setting),
        score: Score::new(score),
        bytes_per_pixel: BytesPerPixel::new(bytes_per_pixel),
    }
}

fn curve(scale: f32, bytes: f32) -> Curve {
    let samples = vec![
        sample(25.0, 20.0, 0.02 * bytes),
        sample(45.0, 48.0, 0.03 * bytes),
        sample(62.0, 70.0, 0.06 * bytes),
        sample(80.0, 82.0, 0.12 * bytes),
        sample(95.0, 91.0, 0.3 * bytes),
    ];
    Curve { scale: Scale(scale), samples, slow_samples: Vec::new(), lossless: None }
}

fn curves() -> Curves {
    let measured =
        Measured { curves: vec![curve(-4.0, 2.0), curve(-2.0, 1.0)], ..Measured::default() };
    Curves(BTreeMap::from([(Format::Avif, measured)]))
}

fn at(curves: &Curves, target: u8, scale: f32) -> Prediction {
    at_effort(curves, target, scale, Effort::Fast)
}

fn at_effort(curves: &Curves, target: u8, scale: f32, effort: Effort) -> Prediction {
    let (target, view) =
        (Fidelity::new(target).expect("a fidelity"), View { scale: Scale(scale), detail: None });
    curves.lossy(Format::Avif, target, view, 1_000_000, effort).expect("AVIF has a lossy form")
}

#[test]
fn samples_are_met_and_scales_mixed() {
    let curves = curves();
    let met = at(&curves, 70, -2.0);
    assert!(
        (met.setting.get() - 62.0).abs() < 0.01 && met.bytes.get().abs_diff(60_270) < 50,
        "{met:?}"
    );
    let between = at(&curves, 70, -3.0).bytes.get();
    assert!(
        between > 80_000 && between < 90_000,
        "the geometric mean of the two scales: {between}"
    );
    assert_eq!(at(&curves, 70, 0.0).bytes, met.bytes, "beyond the last scale, the last scale");
    let best = at(&curves, 100, -2.0);
    assert_eq!(
        (best.score, best.basis),
        (Score::new(91.0), Basis::Curve),
        "no more is promised than was reached"
    );
    assert_eq!(at(&Curves::default(), 70, -2.0).basis, Basis::Prior);
}

#[test]
fn the_slow_preset_is_not_used_where_it_gains_nothing() {
    let with = |bytes: f32, pixels: u64| {
        let mut curves = curves();
        let sample = sample(62.0, 70.0, bytes);
        curves.0.get_mut(&Format::Avif).expect("its curve").curves[0].slow_samples = vec![sample];
        curves.final_effort(Format::Avif, Fidelity::DEFAULT, Scale(-4.0), pixels)
    };
    // The first curve has 0.12 bytes a pixel there.
    assert_eq!((with(0.1, 100_000), with(0.115, 100_000)), (Effort::Slow, Effort::Fast));
    assert_eq!(with(0.1, 10_000), Effort::Fast, "a tenth of next to nothing");
    assert_eq!(
        Curves::default().final_effort(Format::Avif, Fidelity::DEFAULT, Scale(-3.0), 10_000),
        Effort::Slow
    );
    let may_gain = |bytes: f32| {
        let slow_samples = vec![sample(62.0, 70.0, bytes)];
        Curve { slow_samples, ..curve(-4.0, 2.0) }.may_gain(Format::Avif)
    };
    assert_eq!(
        (may_gain(0.1), may_gain(0.118)),
        (true, false),
        "sampling with the slow preset ends there"
    );
}

#[test]
fn a_slow_search_goes_on_only_where_it_may_replace_what_is_held() {
    let (curves, target) = (curves(), Fidelity::new(70).expect("a target"));
    let one = |score, bytes| Trial {
        setting: Setting::nearest_to(62.0),
        score: Score::new(score),
        bytes: Bytes::new(bytes),
    };
    // At a score of 82 the curve has twice the bytes of 70.
    let goes_on = |held, found| {
        curves.may_replace(Format::Avif, (&held, &found), target, Scale(-2.0), Effort::Fast)
    };
    assert!(
        goes_on(one(70.0, 60_000), one(82.0, 100_000)),
        "at the target it would be a sixth smaller"
    );
    assert!(!goes_on(one(70.0, 60_000), one(82.0, 115_000)), "it would not be a tenth smaller");
    assert!(goes_on(one(64.0, 60_000), one(82.0, 115_000)), "what is held misses the target, too");
}

#[test]
fn a_scored_rendition_corrects_its_neighbourhood() {
    let mut curves = curves();
    let sample = sample(66.0, 70.0, 0.072);
    curves.learn(Format::Avif, Seen { scale: Scale(-2.0), effort: Effort::Fast, sample });
    let here = at(&curves, 70, -2.0);
    assert_eq!(here.basis, Basis::Corrected);
    assert!(
        (here.setting.get() - 66.0).abs() < 0.3 && here.bytes.get().abs_diff(72_270) < 1_445,
        "{here:?}"
    );
    let far = at(&curves, 20, -2.0);
    assert!((far.setting.get() - 25.0).abs() < 0.5, "{far:?}");
}

#[test]
fn a_format_whose_lowest_setting_is_its_best_is_predicted_as_measured() {
    // A picture whose bytes are all alpha: settings change nothing.
    let samples = [0.0, 40.0, 100.0].map(|setting| sample(setting, 100.0, 0.4)).to_vec();
    let level = Curve { scale: Scale(-2.0), samples, slow_samples: Vec::new(), lossless: None };
    let measured = Measured { curves: vec![level], ..Measured::default() };
    let curves = Curves(BTreeMap::from([(Format::Avif, measured)]));
    let found = at(&curves, 75, -2.0);
    assert_eq!((found.basis, found.score), (Basis::Curve, Score::new(100.0)));
    assert_eq!(found.setting, Setting::nearest_to(0.0));
    assert!(found.bytes.get().abs_diff(400_270) < 100, "{found:?}");
}

#[test]
fn no_more_is_promised_than_the_highest_setting_gave() {
    let mut curves = curves();
    let sample = sample(100.0, 59.5, 0.3);
    curves.learn(Format::Avif, Seen { scale: Scale(-2.0), effort: Effort::Fast, sample });
    let found = at(&curves, 80, -2.0);
    assert!((55.0..=66.0).contains(&found.score.get()), "{found:?}");
    assert!(found.bytes.get() >= 290_000, "{found:?}");
    assert_eq!(at(&curves, 40, -2.0).score, Score::new(40.0), "below it the curve holds");
}

proptest! {
    #[test]
    fn predictions_never_fall_as_the_target_rises(
        seen in prop::collection::vec((0.0f32..100.0, -20.0f32..95.0, 0.005f32..1.0, -5.0f32..0.0), 0..12), scale in -5.0f32..0.0,
        slow_samples in prop::collection::vec((40.0f32..60.0, 0.02f32..0.08), 0..3), best in any::<bool>(),
    ) {
        let mut curves = curves();
        for curve in &mut curves.0.get_mut(&Format::Avif).expect("its curve").curves {
            let slow = |(i, (score, bytes)): (usize, &(f32, f32))| {
                sample(45.0 + 17.0 * i as f32, score + 22.0 * i as f32, *bytes)
            };
            curve.slow_samples = slow_samples.iter().enumerate().map(slow).collect();
        }
        let effort = if best { Effort::Slow } else { Effort::Fast };
        for (setting, score, bytes, scale) in seen {
            let sample = sample(setting, score, bytes);
            curves.learn(Format::Avif, Seen { scale: Scale(scale), effort: Effort::Fast, sample });
        }
        let all: Vec<Prediction> = (1..=100).map(|target| at_effort(&curves, target, scale, effort)).collect();
        for pair in all.windows(2) {
            prop_assert!(pair[1].setting.get() >= pair[0].setting.get() - 1e-3 && pair[1].bytes.get() * 10_000 >= pair[0].bytes.get() * 9_999);
        }
    }
}
