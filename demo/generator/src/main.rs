//! Paints the pictures of Windmark Kite Week, the made-up festival that Kivet is shown with.
//!
//! `cargo run --release -p kivet-festival -- demo/originals [PART]` writes every original, or those
//! whose path contains PART. The same pictures come out every time.

mod kite;
mod light;
mod noise;
mod scenes;
mod write;

use std::path::PathBuf;

use anyhow::{Context, Result};
use kite::Shape;
use write::{Camera, animated, drawing, keep, painting, photograph};

const PLAIN: Camera = Camera { turned: false, wide_gamut: false, located: false, grain: 9.0 };

/// Path, width, height, camera, and the scene for an aspect ratio.
type Photograph = (&'static str, usize, usize, Camera, fn(f32) -> scenes::Scene);

fn main() -> Result<()> {
    let mut arguments = std::env::args().skip(1);
    let folder = PathBuf::from(arguments.next().context("usage: kivet-festival FOLDER [PART]")?);
    let part = arguments.next().unwrap_or_default();
    let at = |name: &str| name.contains(&part).then(|| folder.join(name));

    let photographs: [Photograph; 14] = [
        ("harbour/kites-dawn.jpg", 4992, 3328, PLAIN, scenes::harbour_dawn),
        ("harbour/roofs.jpg", 4608, 3072, PLAIN, scenes::roofs),
        ("beach/dunes-noon.jpg", 4800, 3200, PLAIN, scenes::dunes),
        ("beach/breakers.jpg", 6000, 4000, Camera { grain: 6.0, ..PLAIN }, scenes::breakers),
        // Sides that are no multiples of 8, as exported pictures have them.
        ("beach/tide-line.jpg", 1365, 1074, Camera { located: true, ..PLAIN }, scenes::breakers),
        ("beach/high-kites.jpg", 4608, 3072, PLAIN, scenes::high_kites),
        ("night/lanterns.jpg", 4800, 3200, Camera { grain: 16.0, ..PLAIN }, scenes::lanterns),
        ("night/fire-tails.jpg", 4608, 3072, Camera { grain: 14.0, ..PLAIN }, scenes::fire_tails),
        (
            "field/storm-front.jpg",
            4800,
            3200,
            Camera { wide_gamut: true, ..PLAIN },
            scenes::storm_front,
        ),
        ("workshop/bench.jpg", 4608, 3456, PLAIN, scenes::workbench),
        ("workshop/sailcloth.jpg", 4096, 3072, Camera { grain: 5.0, ..PLAIN }, scenes::fabric),
        ("makers/ilse-varga.jpg", 3072, 4096, PLAIN, |aspect| scenes::portrait(aspect, 0)),
        ("makers/tomas-reed.jpg", 3072, 4096, Camera { turned: true, ..PLAIN }, |aspect| {
            scenes::portrait(aspect, 1)
        }),
        ("makers/noor-hale.jpg", 3072, 4096, PLAIN, |aspect| scenes::portrait(aspect, 2)),
    ];
    for (name, width, height, camera, scene) in photographs {
        if let Some(path) = at(name) {
            photograph(&path, width, height, camera, scene)?;
        }
    }
    if let Some(path) = at("field/poster.png") {
        painting(&path, 1187, 791, scenes::harbour_dawn)?;
    }
    if let Some(path) = at("kites/green-delta.png") {
        drawing(&path, 1800, 1800, scenes::cut_out(Shape::Delta, 9))?;
    }
    if let Some(path) = at("kites/six-panel.png") {
        drawing(&path, 1600, 1600, scenes::cut_out(Shape::Hex, 4))?;
    }
    if let Some(path) = at("brand/windmark-logo.png") {
        drawing(&path, 3000, 800, |x, y, _| scenes::logo(x, y))?;
    }
    for (name, title, colour) in [
        ("brand/sponsor-ellery.png", "ELLERY BANK", 0x1b5e7au32),
        ("brand/sponsor-tern.png", "TERN ROPE", 0xb23a2e),
        ("brand/sponsor-gale.png", "GALE TEA", 0x2f7a4f),
    ] {
        if let Some(path) = at(name) {
            let sponsor = scenes::sponsor(title, colour);
            drawing(&path, 2000, 1000, |x, y, _| sponsor(x, y))?;
        }
    }
    if let Some(path) = at("brand/mark.svg") {
        keep(&path, scenes::mark_svg().as_bytes())?;
    }
    if let Some(path) = at("motion/windsock.gif") {
        animated(&path, 560, 420, 36, scenes::windsock)?;
    }
    Ok(())
}
