//! Sides of every length: encoders work in blocks, and halve colour.

use kivet_image::{Raster, encode};
use kivet_recipe::{Encoding, Format, Size};
use proptest::prelude::*;

use crate::pixels;

/// Slow changes of strong colours, to the last column and row.
fn colours(size: Size) -> Raster {
    let pixel = |x: u32, y: u32| [40 + 4 * x as u8, 40 + 4 * y as u8, 200 - 4 * x as u8];
    let bytes =
        (0..size.height).flat_map(|y| (0..size.width).flat_map(move |x| pixel(x, y))).collect();
    Raster::new(size, false, bytes).expect("as many pixels as the size says")
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn a_picture_comes_back_whole_whatever_its_sides(width in 1u32..40, height in 1u32..40, full in any::<bool>()) {
        let raster = colours(Size::new(width, height));
        let setting = if full { 99.0 } else { 90.0 };
        for format in [Format::Jpeg, Format::Webp, Format::Avif] {
            let file = encode(&raster, format, Encoding::lossy(setting)).expect("written");
            let shown = pixels(&file);
            prop_assert_eq!(shown.size(), raster.size(), "{}", format);
            for (at, (given, shown)) in raster.bytes().iter().zip(shown.bytes()).enumerate() {
                let (x, y) = (at / 3 % width as usize, at / 3 / width as usize);
                prop_assert!(given.abs_diff(*shown) <= 16, "{format}: {given} became {shown} at {x},{y}");
            }
        }
    }
}
