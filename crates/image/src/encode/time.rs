//! Encoders cannot be stopped once they have begun, most of them: how long one would take is told by
//! what it takes for a sample.

use std::time::Instant;

use cpu_time::ThreadTime;
use kivet_recipe::Format;

use super::{Writing, write_now};
use crate::{ImageError, Raster, Work, first::sample, limits::Step, metadata::Kept};

/// From so many pixels on a sample is tried first: below, no encoder takes a minute.
const FROM: u64 = 6_000_000;

/// How much longer the whole may take than its sample says.
const MARGIN: f64 = 1.3;

/// Refuses to begin what would take longer than is left.
///
/// # Errors
/// [`ImageError::TooSlow`], [`ImageError::Busy`], or that the work was ended.
pub(super) fn check(raster: &Raster, format: Format, writing: &Writing) -> Result<(), ImageError> {
    writing.work.go_on()?;
    let pixels = raster.size().pixels();
    if pixels < FROM || !writing.work.has_end() {
        return Ok(());
    }
    let Some(sample) = sample(raster) else { return Ok(()) };
    let alone = Writing { kept: Kept::default(), work: Work::default(), ..writing.clone() };
    let began = (Instant::now(), ThreadTime::now());
    write_now(&sample, format, &alone)?;
    let step = Step::since(began).times(pixels as f64 / sample.size().pixels() as f64 * MARGIN);
    writing.work.has_time_for(step)
}

#[cfg(test)]
mod tests {
    use std::time::Duration;

    use kivet_recipe::{Encoding, Size};

    use super::*;
    use crate::{Limits, write};

    #[test]
    fn what_would_take_too_long_is_not_begun() {
        let (size, mut state) = (Size::new(3000, 2400), 1u32);
        let bytes = (0..size.pixels() * 3)
            .map(|_| {
                state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                (state >> 24) as u8
            })
            .collect();
        let noise = Raster::new(size, false, bytes).expect("pixels");
        let soon = Limits { time: Duration::from_millis(400), ..Limits::DEFAULT };
        for format in crate::written([Format::Avif, Format::Jxl, Format::Jpeg]) {
            let work = Work::within(soon);
            let writing = Writing { work, ..Writing::new(Encoding::lossy(98.0)) };
            let refused = write(&noise, format, &writing);
            assert!(matches!(refused, Err(ImageError::TooSlow)), "{format}");
        }
    }
}
