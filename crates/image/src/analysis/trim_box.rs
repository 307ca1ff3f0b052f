//! Uniform borders, which `trim` takes off.

use kivet_recipe::{Facts, Rect, Size};

use crate::{ImageError, Limits, Work, decode, decode::Reading};

/// How far a border's pixels may differ from its corner, on encoded values from 0 to 1: above a
/// lossy format's noise.
const NOISE: f32 = 0.06;

/// What is left of the upright picture without borders of one colour; all of it if there are none,
/// or nothing else.
///
/// # Errors
/// If it cannot be decoded, or not within the limits.
pub fn find_trim_box(bytes: &[u8], facts: &Facts, limits: Limits) -> Result<Rect, ImageError> {
    let mut source = decode::open(bytes, facts, Reading { limits, ..Reading::WHOLE })?;
    let Size { width, height } = source.size();
    let mut row = vec![0.0; width as usize * 4];
    let mut border: Option<[f32; 4]> = None;
    let mut edges: Option<(u32, u32, u32, u32)> = None;
    let work = Work::within(limits);
    for y in 0..height {
        work.go_on()?;
        source.next_row(&mut row)?;
        let border = *border.get_or_insert_with(|| [row[0], row[1], row[2], row[3]]);
        let differs = |pixel: &[f32]| {
            pixel
                .iter()
                .zip(border)
                .any(|(one, other)| (one.max(0.0).sqrt() - other.max(0.0).sqrt()).abs() > NOISE)
        };
        let mut pixels = row.chunks_exact(4);
        if let Some(first) = pixels.position(differs) {
            let last = row.chunks_exact(4).rposition(differs).unwrap_or(first);
            let (left, top, right, _) = edges.unwrap_or((u32::MAX, y, 0, 0));
            edges = Some((left.min(first as u32), top, right.max(last as u32 + 1), y + 1));
        }
    }
    let whole = Rect::whole(facts.size);
    let Some((left, top, right, bottom)) = edges else { return Ok(whole) };
    let stored = facts.orientation.apply(facts.size);
    let (x, y) =
        (f64::from(stored.width) / f64::from(width), f64::from(stored.height) / f64::from(height));
    let kept = Rect {
        x: f64::from(left) * x,
        y: f64::from(top) * y,
        width: f64::from(right - left) * x,
        height: f64::from(bottom - top) * y,
    };
    Ok(facts.orientation.apply_to(kept, stored))
}
