//! Geometry and filters held against Chromium's own drawing of the same CSS.

use kivet_browser::{Chromium, Device, Tab};
use kivet_image::{Limits, Raster, draw, encode, probe};
use kivet_recipe::{Encoding, Format, Recipe, Size, plan_for};

use crate::{
    console::until,
    running::{Running, header},
};

/// The pixels of a PNG.
pub fn raster(png: &[u8]) -> Raster {
    let facts = probe(png, Limits::default()).unwrap();
    draw(png, &facts, &plan_for(&Recipe::default(), &facts), None).unwrap()
}

fn pixel(raster: &Raster, x: u32, y: u32) -> [u8; 3] {
    let at = (y * raster.size().width + x) as usize * raster.channels();
    [raster.bytes()[at], raster.bytes()[at + 1], raster.bytes()[at + 2]]
}

/// A page of our own making on the service's address, so that its pictures are same-origin.
async fn page(kivet: &Running, tab: &Tab, body: &str) -> Raster {
    tab.open(&format!("{}/healthz", kivet.root)).await.unwrap();
    let body = serde_json::to_string(body).unwrap();
    let script =
        format!("(document.body.style.margin = 0, document.body.innerHTML = {body}, true)");
    assert!(tab.evaluate::<bool>(&script).await.unwrap());
    until(tab, "[...document.images].every(image => image.complete && image.naturalWidth > 0)")
        .await;
    // Two frames later everything decoded is drawn.
    let drawn =
        "new Promise(done => requestAnimationFrame(() => requestAnimationFrame(() => done(true))))";
    assert!(tab.evaluate::<bool>(drawn).await.unwrap());
    raster(&tab.screenshot().await.unwrap())
}

#[tokio::test(flavor = "multi_thread")]
async fn filters_look_as_chromium_draws_them() {
    let kivet = Running::start().await;
    let chromium = Chromium::launch().await.unwrap();
    let tab = chromium.tab(Device::named("laptop").unwrap()).await.unwrap();
    const MARGIN: u32 = 80;
    let filters = [
        ("blur-1", "blur(1px)"),
        ("blur-3", "blur(3px)"),
        ("blur-6", "blur(6px)"),
        ("blur-20", "blur(20px)"),
        ("saturate-0", "saturate(0%)"),
        ("saturate-150", "saturate(150%)"),
        ("saturate-300", "saturate(300%)"),
        ("brightness-60", "brightness(60%)"),
        ("brightness-150", "brightness(150%)"),
        ("contrast-50", "contrast(50%)"),
        ("contrast-180", "contrast(180%)"),
        ("grayscale-40", "grayscale(40%)"),
        ("grayscale-100", "grayscale(100%)"),
        ("sepia-60", "sepia(60%)"),
        ("sepia-100", "sepia(100%)"),
        ("hue-rotate-30", "hue-rotate(30deg)"),
        ("hue-rotate-200", "hue-rotate(200deg)"),
        ("saturate-200_contrast-120_sepia-30", "saturate(200%) contrast(120%) sepia(30%)"),
    ];
    for original in ["photos/beach/high-kites.jpg", "photos/kites/six-panel.png"] {
        for (clause, css) in filters {
            let plain = format!("/pic/400w_as-png/{original}");
            // Away from the window's edge, where less is drawn than would be seen.
            let body = format!(
                "<img src=\"{plain}\" style=\"display: block; margin: {MARGIN}px; filter: {css}\">"
            );
            let theirs = page(&kivet, &tab, &body).await;
            // On white, as the page is: a blur fades into what lies behind.
            let ours =
                kivet.picture(&format!("/pic/400w_{clause}_on-ffffff_as-png/{original}")).await;
            let ours = raster(&ours.bytes().await.unwrap());
            let Size { width, height } = ours.size();
            let mut off: Vec<u8> = Vec::new();
            for y in 0..height.min(theirs.size().height - MARGIN) {
                for x in 0..width {
                    let their = pixel(&theirs, x + MARGIN, y + MARGIN);
                    off.extend(pixel(&ours, x, y).iter().zip(their).map(|(a, b)| a.abs_diff(b)));
                }
            }
            off.sort_unstable();
            let mean = off.iter().map(|off| f64::from(*off)).sum::<f64>() / off.len() as f64;
            let high = off[off.len() * 99 / 100];
            println!("{original} {clause}: mean {mean:.2}, 99th percentile {high}");
            assert!(
                mean <= 3.0 && high <= 8,
                "{original} {clause}: mean {mean:.2}, 99th percentile {high}"
            );
        }
    }
}

/// A box on a page, and what the recipe asks for the same.
struct Case {
    original: usize,
    width: u32,
    height: u32,
    fit: &'static str,
    at: (u32, u32),
}

const ORIGINALS: [Size; 5] = [
    Size::new(240, 160),
    Size::new(160, 240),
    Size::new(200, 200),
    Size::new(250, 90),
    Size::new(90, 250),
];

/// Boxes of all shapes and positions, none larger than what the original can fill.
fn cases() -> Vec<Case> {
    let mut seed = 11u32;
    let mut roll = move |below: u32| {
        seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (seed >> 8) % below
    };
    (0..216)
        .map(|i| {
            let original = i % ORIGINALS.len();
            let fit = ["cover", "cover", "contain", "fill"][i % 4];
            Case {
                original,
                width: 24 + roll(60),
                height: 24 + roll(60),
                fit,
                at: (roll(11) * 10, roll(11) * 10),
            }
        })
        .collect()
}

/// Red says how far to the right, green how far down.
fn ramp(size: Size) -> Vec<u8> {
    let bytes = (0..size.height)
        .flat_map(|y| {
            (0..size.width).flat_map(move |x| [share(x, size.width), share(y, size.height), 128])
        })
        .collect();
    encode(&Raster::new(size, false, bytes).unwrap(), Format::Png, Encoding::Lossless).unwrap()
}

fn share(at: u32, length: u32) -> u8 {
    (20.0 + (f64::from(at) + 0.5) / f64::from(length) * 215.0) as u8
}

#[tokio::test(flavor = "multi_thread")]
async fn boxes_fit_and_place_as_chromium_lays_them_out() {
    const CELL: u32 = 88;
    let kivet = Running::start().await;
    for (i, size) in ORIGINALS.into_iter().enumerate() {
        std::fs::write(kivet.odd.join(format!("ramp-{i}.png")), ramp(size)).unwrap();
    }
    let chromium = Chromium::launch().await.unwrap();
    let tab = chromium.tab(Device::named("laptop").unwrap()).await.unwrap();
    let (columns, rows) = (14u32, 8u32);
    let mut compared = 0;
    for screen in cases().chunks((columns * rows) as usize) {
        let place = |i: usize| ((i as u32 % columns) * CELL, (i as u32 / columns) * CELL);
        let body: String = screen
            .iter()
            .enumerate()
            .map(|(i, case)| {
                let (left, top) = place(i);
                format!(
                    "<img src=\"/pic/lossless_as-png/odd/ramp-{}.png\" style=\"position: absolute; left: {left}px; top: {top}px; width: {}px; height: {}px; object-fit: {}; object-position: {}% {}%; background: #0000ff\">",
                    case.original, case.width, case.height, case.fit, case.at.0, case.at.1
                )
            })
            .collect();
        let theirs = page(&kivet, &tab, &body).await;
        for (i, case) in screen.iter().enumerate() {
            let Case { original, width, height, fit, at: (x, y) } = case;
            let clause = match *fit {
                "fill" => "fill".to_owned(),
                "contain" => format!("contain_at-{x}-{y}_on-0000ff"),
                _ => format!("cover_at-{x}-{y}"),
            };
            let answer = kivet
                .picture(&format!(
                    "/pic/{width}w_{height}h_{clause}_as-png/odd/ramp-{original}.png"
                ))
                .await;
            assert!(
                !header(&answer, "kivet-rendition").contains("asked"),
                "the box is not too large"
            );
            let ours = raster(&answer.bytes().await.unwrap());
            assert_eq!(ours.size(), Size::new(*width, *height));
            let off = displacement(&ours, &theirs, place(i));
            let told = format!(
                "{} in {width} x {height}, {clause}: off by {off:?} pixels",
                ORIGINALS[*original]
            );
            assert!(off.0.abs() <= 0.75 && off.1.abs() <= 0.75, "{told}");
            compared += 1;
        }
    }
    assert!(compared >= 200);
}

/// By how many pixels what we show lies right of and below what the page shows at `corner`, from
/// what the ramps say.
fn displacement(ours: &Raster, theirs: &Raster, corner: (u32, u32)) -> (f64, f64) {
    let Size { width, height } = ours.size();
    let shows = |pixel: [u8; 3]| pixel[2].abs_diff(128) <= 6;
    // Difference of red along a row and of green down a column, and their slopes; the canvas says
    // nothing.
    let (mut across, mut slope_x, mut down, mut slope_y) = (0.0, 0.0, 0.0, 0.0);
    for y in 1..height - 1 {
        for x in 1..width - 1 {
            let around = [(x, y), (x - 1, y), (x + 1, y), (x, y - 1), (x, y + 1)];
            let mine = around.map(|(x, y)| pixel(ours, x, y));
            let their = around.map(|(x, y)| pixel(theirs, corner.0 + x, corner.1 + y));
            if mine.iter().chain(&their).all(|pixel| shows(*pixel)) {
                let value = |pixel: [u8; 3], channel: usize| f64::from(pixel[channel]);
                across += value(their[0], 0) - value(mine[0], 0);
                slope_x += (value(mine[2], 0) - value(mine[1], 0)) / 2.0;
                down += value(their[0], 1) - value(mine[0], 1);
                slope_y += (value(mine[4], 1) - value(mine[3], 1)) / 2.0;
            }
        }
    }
    (across / slope_x, down / slope_y)
}
