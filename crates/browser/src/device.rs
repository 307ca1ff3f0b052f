//! The named devices pages are seen on.

/// A screen, as far as pictures care.
#[derive(Clone, Copy, Debug, PartialEq)]
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
}

/// Small phone, phone, tablet, laptop, wide desktop.
pub const DEVICES: [Device; 5] = [
    Device { name: "small phone", width: 360, height: 640, density: 2.0, mobile: true },
    Device { name: "phone", width: 412, height: 915, density: 3.0, mobile: true },
    Device { name: "tablet", width: 820, height: 1180, density: 2.0, mobile: true },
    Device { name: "laptop", width: 1366, height: 768, density: 1.0, mobile: false },
    Device { name: "wide desktop", width: 1920, height: 1080, density: 1.0, mobile: false },
];

impl Device {
    /// The device of that name.
    pub fn named(name: &str) -> Option<Self> {
        DEVICES.into_iter().find(|device| device.name == name)
    }
}
