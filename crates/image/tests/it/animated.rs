//! Animated pictures: timing, loops and disposal survive, and `still` is the first frame.

use gif::{DisposalMethod, Encoder, Frame, Repeat};
use kivet_image::{Limits, draw, probe};
use kivet_recipe::{Format, Recipe, Size, plan_for};

use crate::rendered;

const RED: [u8; 3] = [200, 30, 30];
const GREEN: [u8; 3] = [30, 180, 40];
const BLUE: [u8; 3] = [30, 40, 200];

/// 40 x 20: a red ground that stays; a green square that is taken back to what was before; a blue
/// one that leaves a hole.
fn gif() -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut encoder = Encoder::new(&mut bytes, 40, 20, &[]).expect("started");
    encoder.set_repeat(Repeat::Finite(2)).expect("repeats");
    let mut frame =
        |colour: [u8; 3], (left, top, width, height): (u16, u16, u16, u16), delay, dispose| {
            let mut rgba: Vec<u8> = [colour[0], colour[1], colour[2], 255]
                .repeat(usize::from(width) * usize::from(height));
            let mut frame = Frame::from_rgba(width, height, &mut rgba);
            (frame.left, frame.top, frame.delay, frame.dispose) = (left, top, delay, dispose);
            encoder.write_frame(&frame).expect("a frame");
        };
    frame(RED, (0, 0, 40, 20), 10, DisposalMethod::Keep);
    frame(GREEN, (0, 0, 20, 20), 25, DisposalMethod::Previous);
    frame(BLUE, (20, 0, 20, 20), 7, DisposalMethod::Background);
    frame(GREEN, (0, 0, 4, 4), 50, DisposalMethod::Keep);
    drop(encoder);
    bytes
}

/// Colour at a point, or nothing where it is clear.
type Seen = Option<[u8; 3]>;

/// Frames of an animated GIF by another decoder than the engine's: how often shown, how long each,
/// and what is seen left and right. A WebP is brought to GIF first, by the decoder of its own
/// library.
fn frames(file: &[u8], format: Format) -> (u32, Vec<(u32, Seen, Seen)>) {
    use image::AnimationDecoder;
    let brought =
        if format == Format::Webp { rendered(file, "as-gif").bytes } else { file.to_vec() };
    let seen = |frame: &image::RgbaImage, x: u32| {
        let pixel = frame.get_pixel(x, frame.height() / 2).0;
        (pixel[3] > 127).then_some([pixel[0], pixel[1], pixel[2]])
    };
    let decoder =
        image::codecs::gif::GifDecoder::new(std::io::Cursor::new(&brought)).expect("a GIF");
    let loop_count = match decoder.loop_count() {
        image::metadata::LoopCount::Infinite => 0,
        image::metadata::LoopCount::Finite(times) => times.get() + 1,
    };
    let frames = decoder
        .into_frames()
        .map(|frame| {
            let frame = frame.expect("a frame");
            let (numerator, denominator) = frame.delay().numer_denom_ms();
            let buffer = frame.buffer();
            (
                numerator / denominator,
                seen(buffer, buffer.width() / 4),
                seen(buffer, buffer.width() * 3 / 4),
            )
        })
        .collect();
    (loop_count, frames)
}

fn near(seen: Seen, expected: Seen) -> bool {
    match (seen, expected) {
        (Some(seen), Some(expected)) => seen.iter().zip(expected).all(|(a, b)| a.abs_diff(b) <= 12),
        (None, None) => true,
        _ => false,
    }
}

#[test]
fn a_gif_keeps_its_timing_loops_and_disposal_as_webp_and_as_gif() {
    let original = gif();
    let facts = probe(&original, Limits::default()).expect("a picture");
    assert!(facts.animated && facts.size == Size::new(40, 20));
    let expected: [(u32, Seen, Seen); 4] = [
        (100, Some(RED), Some(RED)),
        (250, Some(GREEN), Some(RED)),
        (70, Some(RED), Some(BLUE)),
        // The blue square's place was cleared; what remains of the red ground is seen on the left.
        (500, Some(RED), None),
    ];
    for (recipe, format) in
        [("20w", Format::Webp), ("20w_as-gif", Format::Gif), ("40w_blur-1_as-webp", Format::Webp)]
    {
        let made = rendered(&original, recipe);
        assert_eq!(made.format, format);
        let (loop_count, seen) = frames(&made.bytes, format);
        assert_eq!((loop_count, seen.len()), (3, 4), "{recipe}");
        for (i, ((ms, left, right), (expected_ms, expected_left, expected_right))) in
            seen.into_iter().zip(expected).enumerate()
        {
            assert_eq!(ms, expected_ms, "{recipe}, frame {i}");
            assert!(
                near(left, expected_left) && near(right, expected_right),
                "{recipe}, frame {i}: {left:?} {right:?}"
            );
        }
    }
}

#[test]
fn still_and_formats_that_stand_give_the_first_frame() {
    for recipe in ["20w_still", "20w_as-png", "20w_as-jpeg", "20w_as-avif", "20w_as-gif_still"] {
        let made = rendered(&gif(), recipe);
        let facts = probe(&made.bytes, Limits::default()).expect("a picture");
        assert!(!facts.animated, "{recipe}");
        let drawn =
            draw(&made.bytes, &facts, &plan_for(&Recipe::default(), &facts), None).expect("drawn");
        assert!(
            drawn.bytes()[..3].iter().zip(RED).all(|(got, red)| got.abs_diff(red) <= 12),
            "{recipe}: {:?}",
            &drawn.bytes()[..4]
        );
    }
}

#[test]
fn an_apng_and_a_moving_webp_move_too() {
    let mut apng = Vec::new();
    let mut encoder = png::Encoder::new(&mut apng, 16, 8);
    encoder.set_color(png::ColorType::Rgb);
    encoder.set_animated(3, 0).expect("animated");
    let mut writer = encoder.write_header().expect("a header");
    for colour in [RED, GREEN, BLUE] {
        writer.set_frame_delay(3, 20).expect("a delay");
        writer.write_image_data(&colour.repeat(16 * 8)).expect("a frame");
    }
    writer.finish().expect("finished");
    let webp = rendered(&apng, "8w");
    assert_eq!(webp.format, Format::Webp);
    let again = rendered(&webp.bytes, "8w_as-gif");
    for (file, format) in [(&webp.bytes, Format::Webp), (&again.bytes, Format::Gif)] {
        let (loop_count, seen) = frames(file, format);
        assert_eq!(loop_count, 0);
        let colours: Vec<_> = seen.iter().map(|(ms, left, _)| (*ms, *left)).collect();
        for ((ms, left), colour) in colours.into_iter().zip([RED, GREEN, BLUE]) {
            assert!(ms == 150 && near(left, Some(colour)), "{format}: {ms} ms, {left:?}");
        }
    }
}

#[test]
fn frames_mean_what_their_file_says_of_colour_with_all_its_bits() {
    // Under a gamma of 1, half the light is 188 in sRGB; 400 of 65,535 is 18, which in 8 bits would
    // be 13 or 22.
    for (depth, values, expected) in [
        (png::BitDepth::Eight, [128, 64], [188, 137]),
        (png::BitDepth::Sixteen, [128 * 257, 400], [188, 18]),
    ] {
        let mut apng = Vec::new();
        let mut encoder = png::Encoder::new(&mut apng, 16, 8);
        encoder.set_color(png::ColorType::Rgb);
        encoder.set_depth(depth);
        encoder.set_animated(2, 0).expect("animated");
        encoder.set_source_gamma(png::ScaledFloat::new(1.0));
        let mut writer = encoder.write_header().expect("a header");
        for value in values {
            let sample = u16::to_be_bytes(value);
            let sample = if depth == png::BitDepth::Eight { &sample[1..] } else { &sample[..] };
            writer.write_image_data(&sample.repeat(16 * 8 * 3)).expect("a frame");
        }
        writer.finish().expect("finished");
        let (_, seen) = frames(&rendered(&apng, "8w").bytes, Format::Webp);
        for ((_, left, _), value) in seen.into_iter().zip(expected) {
            let left = left.expect("opaque");
            assert!(
                left.iter().all(|channel| channel.abs_diff(value) <= 3),
                "{left:?} for {value}, {depth:?}"
            );
        }
    }
}

/// Two frames of two by one pixels, the first index 0 beside 1, the second 1 beside 0, without any
/// colour table; the looping extension stands twice.
#[test]
fn a_gif_without_a_table_is_drawn_and_its_last_loop_count_counts() {
    let looping =
        |count: u8| [b"\x21\xFF\x0BNETSCAPE2.0\x03\x01".as_slice(), &[count, 0, 0]].concat();
    // Codes of three bits: clear, two pixels, end.
    let frame =
        |codes: [u8; 2]| [b"\x2C\0\0\0\0\x02\0\x01\0\0\x02\x02".as_slice(), &codes, &[0]].concat();
    let packed = |one: u8, other: u8| [4 | one << 3 | (other & 3) << 6, other >> 2 | 5 << 1];
    let head = b"GIF89a\x02\0\x01\0\0\0\0".to_vec();
    let gif = [head, looping(7), looping(2), frame(packed(0, 1)), frame(packed(1, 0)), vec![0x3B]]
        .concat();
    let facts = probe(&gif, Limits::default()).expect("facts");
    let first = draw(&gif, &facts, &plan_for(&Recipe::default(), &facts), None).expect("drawn");
    assert_eq!(first.bytes()[..3], [0; 3]);
    assert_eq!(first.bytes()[first.channels()..][..3], [255; 3]);
    let again = rendered(&gif, "2w_as-gif").bytes;
    let decoder = gif::DecodeOptions::new().read_info(again.as_slice()).expect("a GIF");
    assert_eq!(decoder.repeat(), Repeat::Finite(2));
}
