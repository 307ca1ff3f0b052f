//! Drawn things: logos, a cut-out kite, an animated windsock.

use super::Scene;
use crate::kite::{Kite, Shape};
use crate::light::{develop, hex};

/// Straight sRGB with alpha.
pub type Pixel = [u8; 4];

fn srgb(colour: u32) -> [u8; 3] {
    [(colour >> 16) as u8, (colour >> 8) as u8, colour as u8]
}

fn opaque(colour: u32) -> Pixel {
    let [r, g, b] = srgb(colour);
    [r, g, b, 255]
}

/// One large kite on nothing, as cut out for the shop: colour and coverage.
pub fn cut_out(shape: Shape, seed: u32) -> impl Fn(f32, f32, f32) -> Pixel + Send + Sync {
    let kite = Kite {
        tail: 0.45,
        ..Kite::new(
            shape,
            0.5,
            0.4,
            if matches!(shape, Shape::Delta) { 0.62 } else { 0.7 },
            0.12,
            seed,
        )
    };
    move |x, y, pixel| match kite.shade(x, y, pixel) {
        Some((light, share)) => {
            // The camera's grain, which the cutting-out left in.
            let grain =
                34.0 * (crate::noise::hash((x / pixel) as i32, (y / pixel) as i32, seed) - 0.5);
            let [r, g, b] = light.map(|value| (develop(value) + grain).round() as u8);
            [r, g, b, (share * 255.0).round() as u8]
        }
        None => [0; 4],
    }
}

/// The festival's mark: three sails in a ring, flat colours, hard edges.
fn mark(x: f32, y: f32) -> Option<u32> {
    let (dx, dy) = (x - 0.5, y - 0.5);
    let radius = (dx * dx + dy * dy).sqrt();
    if radius > 0.48 {
        return None;
    }
    if radius > 0.43 {
        return Some(0x0d2b45);
    }
    let inside = |cx: f32, top: f32, bottom: f32, half: f32| {
        let share =
            if y < 0.42 { (y - top) / (0.42 - top) } else { (bottom - y) / (bottom - 0.42) };
        (x - cx).abs() < half * share
    };
    match () {
        () if inside(0.5, 0.14, 0.8, 0.2) => {
            Some(if (x < 0.5) ^ (y < 0.42) { 0xd8342b } else { 0xf2a51e })
        }
        () if (x - 0.5 - 0.03 * (y * 40.0).sin()).abs() < 0.012 && y > 0.8 && y < 0.93 => {
            Some(0xd8342b)
        }
        () if y > 0.7 + 0.04 * (x * 14.0).sin() => Some(0x1f6fb4),
        () => Some(0xf4efe6),
    }
}

/// Letters on a five by seven grid: enough for the names here.
fn glyph(letter: char) -> [u8; 7] {
    match letter {
        'A' => [14, 17, 17, 31, 17, 17, 17],
        'B' => [30, 17, 17, 30, 17, 17, 30],
        'C' => [14, 17, 16, 16, 16, 17, 14],
        'D' => [30, 17, 17, 17, 17, 17, 30],
        'E' => [31, 16, 16, 30, 16, 16, 31],
        'G' => [14, 17, 16, 23, 17, 17, 14],
        'H' => [17, 17, 17, 31, 17, 17, 17],
        'I' => [14, 4, 4, 4, 4, 4, 14],
        'K' => [17, 18, 20, 24, 20, 18, 17],
        'L' => [16, 16, 16, 16, 16, 16, 31],
        'M' => [17, 27, 21, 21, 17, 17, 17],
        'N' => [17, 25, 21, 19, 17, 17, 17],
        'O' => [14, 17, 17, 17, 17, 17, 14],
        'P' => [30, 17, 17, 30, 16, 16, 16],
        'R' => [30, 17, 17, 30, 20, 18, 17],
        'S' => [15, 16, 16, 14, 1, 1, 30],
        'T' => [31, 4, 4, 4, 4, 4, 4],
        'U' => [17, 17, 17, 17, 17, 17, 14],
        'W' => [17, 17, 17, 21, 21, 27, 17],
        'Y' => [17, 17, 10, 4, 4, 4, 4],
        _ => [0; 7],
    }
}

/// True where a point of a text box, `u` in letters and `v` from 0 to 1, is ink.
fn ink(text: &str, u: f32, v: f32) -> bool {
    if u < 0.0 || !(0.0..1.0).contains(&v) {
        return false;
    }
    let letter = text.chars().nth(u as usize).unwrap_or(' ');
    let column = (u.fract() * 6.0) as usize;
    column < 5 && glyph(letter)[(v * 7.0) as usize] & (16 >> column) != 0
}

/// The wide logo, transparent around.
pub fn logo(x: f32, y: f32) -> Pixel {
    if x < 1.0 {
        return mark(x, y).map_or([0; 4], opaque);
    }
    if ink("WINDMARK", (x - 1.1) / 0.33, (y - 0.2) / 0.36) {
        return opaque(0x0d2b45);
    }
    if ink("KITE WEEK", (x - 1.1) / 0.225, (y - 0.66) / 0.2) { opaque(0xd8342b) } else { [0; 4] }
}

/// A sponsor's logo, opaque on white as sponsors send them.
pub fn sponsor(name: &'static str, colour: u32) -> impl Fn(f32, f32) -> Pixel + Send + Sync {
    let letter = 1.5 / name.chars().count() as f32;
    move |x, y| {
        let (dx, dy) = (x - 1.0, y - 0.3);
        let badge = match colour % 3 {
            0 => dx.abs() + dy.abs() < 0.2,
            1 => dx * dx + dy * dy < 0.03,
            _ => dx.abs().max(dy.abs()) < 0.15 && (dx + dy).abs() > 0.04,
        };
        if badge || ink(name, (x - 0.25) / letter, (y - 0.6) / 0.22) {
            opaque(colour)
        } else {
            opaque(0xffffff)
        }
    }
}

/// One frame of a windsock swinging on its pole, `phase` from 0 to 1: few colours, as GIFs have.
pub fn windsock(phase: f32) -> Scene {
    let turn = phase * std::f32::consts::TAU;
    Box::new(move |x, y, _| {
        if (x - 0.25).abs() < 0.012 && y > 0.18 {
            return hex(0x4a4a4a);
        }
        let along = x - 0.26;
        if (0.0..0.75).contains(&along) {
            let middle = 0.24
                + 0.10 * turn.sin() * along
                + 0.05 * (along * 9.0 - turn * 2.0).sin() * along
                + 0.25 * along * along;
            let half = 0.085 - 0.05 * along;
            if (y - middle).abs() < half {
                return if (along * 7.0) as i32 % 2 == 0 { hex(0xd8342b) } else { hex(0xf4efe6) };
            }
        }
        let hill = 0.84 + 0.04 * (x * 3.0).sin();
        if y > hill {
            hex(0x6f9a4e)
        } else if y > 0.6 {
            hex(0xbfe0f0)
        } else {
            hex(0x8fc3e6)
        }
    })
}

/// The mark as a vector, for those who ask.
pub fn mark_svg() -> &'static str {
    r##"<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100" width="200" height="200" role="img" aria-label="Windmark Kite Week">
  <circle cx="50" cy="50" r="48" fill="#0d2b45"/>
  <circle cx="50" cy="50" r="43" fill="#f4efe6"/>
  <path d="M8.5 70q10 -6 20.5 0t21 0 20.5 0 21 0A43 43 0 0 1 8.5 70z" fill="#1f6fb4"/>
  <path d="M50 14 70 42H50zM50 42v38L30 42z" fill="#f2a51e"/>
  <path d="M50 14 30 42h20zM50 42h20L50 80z" fill="#d8342b"/>
  <path d="M50 80q4 3 0 6t0 6" fill="none" stroke="#d8342b" stroke-width="2.4"/>
</svg>
"##
}
