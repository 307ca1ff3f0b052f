//! The named devices pages are seen on, with the settings they are driven at.

use serde::Serialize;

/// A screen and the machine behind it, as far as pictures care.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[serde(rename_all = "camelCase")]
pub struct Device {
    /// Its name in reports.
    pub name: &'static str,
    /// Viewport in CSS pixels.
    pub width: u32,
    /// Viewport in CSS pixels.
    pub height: u32,
    /// Device pixels per CSS pixel.
    pub density: f64,
    /// Lays pages out as phones and tablets do.
    pub mobile: bool,
    /// How many times slower than this machine its processor is made to be.
    pub cpu_slowdown: f64,
    /// Time to the server and back, in milliseconds, added to every request.
    pub latency_ms: u32,
    /// Bits a second, in millions, both ways.
    pub megabits: u32,
}

/// Small phone, phone, tablet, laptop, wide desktop.
pub const DEVICES: [Device; 5] = [
    device("small phone", (360, 640, 2.0), true, (4.0, 80, 12)),
    device("phone", (412, 915, 3.0), true, (2.0, 50, 25)),
    device("tablet", (820, 1180, 2.0), true, (2.0, 30, 40)),
    device("laptop", (1366, 768, 1.0), false, (1.0, 20, 60)),
    device("wide desktop", (1920, 1080, 1.0), false, (1.0, 10, 100)),
];

const fn device(
    name: &'static str,
    (width, height, density): (u32, u32, f64),
    mobile: bool,
    (cpu_slowdown, latency_ms, megabits): (f64, u32, u32),
) -> Device {
    Device { name, width, height, density, mobile, cpu_slowdown, latency_ms, megabits }
}

impl Device {
    /// A screen of no other properties.
    pub const fn screen(width: u32, height: u32, density: f64) -> Self {
        device("screen", (width, height, density), false, (1.0, 0, 1000))
    }

    /// The device of that name; words may be joined by hyphens.
    pub fn named(name: &str) -> Option<Self> {
        DEVICES.into_iter().find(|device| device.name == name.replace('-', " "))
    }
}
