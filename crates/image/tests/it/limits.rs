//! What is too much is refused by name, and cancelled work stops.

use std::time::Duration;

use kivet_image::{
    ImageError, Limits, Raster, RowSource, Task, Work, encode, probe, render, resample,
};
use kivet_recipe::{Curves, Encoding, Format, Policy, Recipe, Rect, Request, Size, choose};

fn made(original: &[u8], recipe: &str, task: &Task<'_>) -> Result<(), ImageError> {
    let recipe: Recipe = recipe.parse().expect(recipe);
    let facts = probe(original, Limits::default()).expect("a picture");
    let choice =
        choose(&recipe, &facts, &Curves::default(), &Request::ANYTHING, &Policy::default())
            .expect("a choice");
    render(original, &facts, &choice, task).map(|_| ())
}

fn noise(size: Size) -> Raster {
    let bytes = (0..size.pixels() as u32 * 3)
        .map(|i| (i.wrapping_mul(2_654_435_761) >> 24) as u8)
        .collect();
    Raster::new(size, false, bytes).expect("pixels")
}

#[test]
fn a_file_a_picture_or_a_film_above_the_limits_is_refused() {
    let png =
        encode(&noise(Size::new(300, 200)), Format::Png, Encoding::Lossless).expect("encoded");
    let small = Limits { bytes: 1000, ..Limits::DEFAULT };
    assert!(matches!(probe(&png, small), Err(ImageError::TooHeavy { limit: 1000, .. })));
    assert!(matches!(
        probe(&png, Limits { pixels: 59_999, ..small }),
        Err(ImageError::TooHeavy { .. })
    ));
    let few = Limits { pixels: 59_999, ..Limits::DEFAULT };
    assert!(matches!(probe(&png, few), Err(ImageError::TooLarge { .. })));

    let mut gif = Vec::new();
    let mut encoder = gif::Encoder::new(&mut gif, 4, 4, &[]).expect("started");
    for i in 0..30u8 {
        encoder.write_frame(&gif::Frame::from_rgb(4, 4, &[i; 48])).expect("a frame");
    }
    drop(encoder);
    let short = Task { limits: Limits { frames: 20, ..Limits::DEFAULT }, ..Task::default() };
    assert_eq!(made(&gif, "4w_as-webp", &short), Err(ImageError::TooManyFrames { limit: 20 }));
    assert_eq!(made(&gif, "4w_still", &short), Ok(()));
}

#[test]
fn what_must_be_held_whole_is_bounded_and_what_comes_in_rows_is_not() {
    let raster = noise(Size::new(800, 600));
    let tight = Task { limits: Limits { whole: 1 << 20, ..Limits::DEFAULT }, ..Task::default() };
    let progressive = encode(&raster, Format::Jpeg, Encoding::lossy(60.0)).expect("encoded");
    assert!(matches!(made(&progressive, "80w", &tight), Err(ImageError::TooMuchMemory { .. })));
    let rows = encode(&raster, Format::Png, Encoding::Lossless).expect("encoded");
    assert_eq!(made(&rows, "80w", &tight), Ok(()));
}

#[test]
fn stopped_work_ends_within_a_strip_and_late_work_by_itself() {
    let original =
        encode(&noise(Size::new(4000, 3000)), Format::Png, Encoding::Lossless).expect("encoded");
    let work = Work::default();
    work.stop();
    let task = Task { work, ..Task::default() };
    assert_eq!(made(&original, "2000w_as-avif", &task), Err(ImageError::Stopped));
    let hurried = Limits { time: Duration::ZERO, ..Limits::DEFAULT };
    let task = Task { work: Work::within(hurried), ..Task::default() };
    assert_eq!(made(&original, "2000w_as-avif", &task), Err(ImageError::TooSlow));

    // Ended in the middle: at most a strip of sixteen more rows is drawn.
    let work = Work::default();
    let mut drawn = 0;
    let mut source = Gray { rows: 0 };
    let size = Size::new(300, 300);
    let crop = Rect::whole(source.size());
    let ended = resample(&mut source, crop, size, &work, &mut |_| {
        drawn += 1;
        if drawn == 100 {
            work.stop();
        }
    });
    assert_eq!(ended, Err(ImageError::Stopped));
    assert!((100..=116).contains(&drawn), "{drawn} rows were drawn");
    assert!(source.rows < 450, "{} rows were read", source.rows);
}

/// A plain picture that counts how far it is read.
struct Gray {
    rows: u32,
}

impl RowSource for Gray {
    fn size(&self) -> Size {
        Size::new(900, 900)
    }

    fn next_row(&mut self, row: &mut [f32]) -> Result<(), ImageError> {
        self.rows += 1;
        row.fill(0.5);
        Ok(())
    }
}
