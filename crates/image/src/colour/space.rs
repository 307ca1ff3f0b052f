//! What the numbers of an original stand for: its profile, or what its header says in place of one.

use moxcms::{
    CicpColorPrimaries, CicpProfile, ColorPrimaries, ColorProfile, DataColorSpace,
    MatrixCoefficients, ToneReprCurve, TransferCharacteristics,
};

use kivet_recipe::Gamut;

/// A colour space. Anything that cannot be read is taken as sRGB, as browsers do.
#[derive(Clone, Debug)]
pub(crate) enum Space {
    /// sRGB (IEC 61966-2-1).
    Srgb,
    /// Described by a profile, and by how much brighter its white is than a screen's.
    Described(Box<ColorProfile>, f32),
}

/// Nits of white in pictures for ordinary screens, to which absolute luma is scaled (ITU-R BT.2408,
/// 2.1).
const REFERENCE_WHITE: f32 = 203.0;

/// What one of 10,000 nits means (SMPTE ST 2084).
const PQ_WHITE: f32 = 10_000.0;

impl Space {
    /// Of an ICC profile's bytes.
    pub(crate) fn of_icc(icc: Option<&[u8]>) -> Self {
        icc.and_then(|bytes| ColorProfile::new_from_slice(bytes).ok())
            .map_or(Self::Srgb, Self::described)
    }

    /// Of code points for primaries and transfer function (ITU-T H.273, tables 2 and 3).
    pub(crate) fn of_code_points(primaries: u8, transfer: u8) -> Self {
        const UNSPECIFIED: u8 = 2;
        let or_srgb = |value: u8, srgb: u8| if value == UNSPECIFIED { srgb } else { value };
        let (primaries, transfer) = (or_srgb(primaries, 1), or_srgb(transfer, 13));
        // BT.709's own function is a camera's; everything marked with it is shown as sRGB.
        if primaries == 1 && matches!(transfer, 1 | 6 | 13 | 14 | 15) {
            return Self::Srgb;
        }
        let Ok(primaries) = CicpColorPrimaries::try_from(primaries) else { return Self::Srgb };
        let transfer = if matches!(transfer, 1 | 6 | 14 | 15) { 13 } else { transfer };
        let Ok(transfer) = TransferCharacteristics::try_from(transfer) else { return Self::Srgb };
        let profile = ColorProfile::new_from_cicp(CicpProfile {
            color_primaries: primaries,
            transfer_characteristics: transfer,
            matrix_coefficients: MatrixCoefficients::Identity,
            full_range: true,
        });
        let brighter = if transfer == TransferCharacteristics::Smpte2084 {
            PQ_WHITE / REFERENCE_WHITE
        } else {
            1.0
        };
        match Self::described(profile) {
            Self::Described(profile, _) => Self::Described(profile, brighter),
            srgb => srgb,
        }
    }

    /// Of PNG's `gAMA` (the exponent of the file, e.g. 0.45455) and `cHRM` (white, red, green, blue
    /// as x and y) (PNG, third edition, 11.3.2).
    pub(crate) fn of_gamma(gamma: Option<f32>, chromaticities: Option<[(f32, f32); 4]>) -> Self {
        // Files say "about sRGB" so; its true function is meant.
        const NEAR_SRGB: std::ops::RangeInclusive<f32> = 0.454..=0.456;
        let plain = gamma.is_none_or(|gamma| NEAR_SRGB.contains(&gamma) || gamma <= 0.0);
        if plain && chromaticities.is_none_or(|points| is_srgb(&points)) {
            return Self::Srgb;
        }
        let mut profile = ColorProfile::new_srgb();
        profile.cicp = None;
        if !plain {
            let curve = ToneReprCurve::Parametric(vec![1.0 / gamma.unwrap_or(1.0)]);
            profile.red_trc = Some(curve.clone());
            profile.green_trc = Some(curve.clone());
            profile.blue_trc = Some(curve);
        }
        if let Some([white, red, green, blue]) = chromaticities.filter(sensible) {
            let point = |(x, y): (f32, f32)| moxcms::Chromaticity { x, y };
            let primaries =
                ColorPrimaries { red: point(red), green: point(green), blue: point(blue) };
            profile.update_rgb_colorimetry(point(white).to_xyyb(), primaries);
        }
        Self::described(profile)
    }

    fn described(profile: ColorProfile) -> Self {
        if is_plain_srgb(&profile) { Self::Srgb } else { Self::Described(Box::new(profile), 1.0) }
    }

    /// True if it holds colours that sRGB does not.
    pub(crate) fn is_wide(&self) -> bool {
        let Self::Described(profile, brighter) = self else { return false };
        const SLACK: f64 = 0.02;
        *brighter > 1.0
            || (profile.is_matrix_shaper()
                && profile
                    .transform_matrix(&target(Gamut::Srgb))
                    .v
                    .iter()
                    .flatten()
                    .any(|part| *part < -SLACK))
    }

    /// True if its numbers are amounts of four inks.
    pub(crate) fn is_inks(&self) -> bool {
        matches!(self, Self::Described(profile, _) if profile.color_space == DataColorSpace::Cmyk)
    }
}

/// The profile of what renditions hold.
pub(crate) fn target(gamut: Gamut) -> ColorProfile {
    match gamut {
        Gamut::Srgb => ColorProfile::new_srgb(),
        Gamut::DisplayP3 => ColorProfile::new_display_p3(),
    }
}

/// Every matrix and curve the same as sRGB's, to well below what 8 bits can show.
fn is_plain_srgb(profile: &ColorProfile) -> bool {
    let srgb = ColorProfile::new_srgb();
    if !profile.is_matrix_shaper()
        || profile.lut_a_to_b_perceptual.is_some()
        || profile.lut_a_to_b_colorimetric.is_some()
    {
        return false;
    }
    let matrix = profile.transform_matrix(&srgb);
    let unit = (0..3).all(|row| {
        (0..3)
            .all(|column| (matrix.v[row][column] - f64::from(u8::from(row == column))).abs() < 2e-3)
    });
    let value = |curve: &Option<ToneReprCurve>, at: f32| {
        curve
            .as_ref()
            .and_then(|curve| Some(curve.make_linear_evaluator().ok()?.evaluate_value(at)))
    };
    let alike = |curve: &Option<ToneReprCurve>| {
        (0..=16).map(|i| i as f32 / 16.0).all(|at| {
            value(curve, at)
                .zip(value(&srgb.red_trc, at))
                .is_some_and(|(one, other)| (one - other).abs() < 1e-3)
        })
    };
    unit && alike(&profile.red_trc) && alike(&profile.green_trc) && alike(&profile.blue_trc)
}

fn is_srgb(points: &[(f32, f32); 4]) -> bool {
    const SRGB: [(f32, f32); 4] = [(0.3127, 0.329), (0.64, 0.33), (0.3, 0.6), (0.15, 0.06)];
    points
        .iter()
        .zip(SRGB)
        .all(|(one, other)| (one.0 - other.0).abs() < 2e-3 && (one.1 - other.1).abs() < 2e-3)
}

/// Chromaticities that span a triangle and have a luminance.
fn sensible(points: &[(f32, f32); 4]) -> bool {
    let [_, red, green, blue] = *points;
    let area = (green.0 - red.0) * (blue.1 - red.1) - (blue.0 - red.0) * (green.1 - red.1);
    area.abs() > 1e-3
        && points.iter().all(|(x, y)| (0.0..=1.0).contains(x) && (1e-3..=1.0).contains(y))
}
