//! What the service is told: `kivet.toml`, then the environment and flags over it.

mod policy;
mod read;
mod values;

use std::{collections::BTreeMap, net::SocketAddr, path::PathBuf, time::Duration};

use kivet_page::PageLimits;
use kivet_recipe::{Access, Policy, Position};

pub use read::{ConfigError, read};

/// Everything the service needs to start.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Config {
    /// Where to listen.
    pub listen: SocketAddr,
    /// The address of the admin listener, which serves this machine without the token.
    pub admin: Option<SocketAddr>,
    /// Records, renditions, the admin token.
    pub data: PathBuf,
    /// The shelves by name.
    pub shelves: BTreeMap<String, ShelfSettings>,
    /// Pictures that can be laid over renditions, by name.
    pub overlays: BTreeMap<String, OverlaySettings>,
    /// What holds for all renditions.
    pub policy: Policy,
    /// Which recipes are answered, where that is said.
    pub access: Option<Access>,
    /// The off switch: every address is answered with the untouched picture.
    pub plain: bool,
    /// Bounds on work and memory.
    pub limits: Limits,
    /// A folder holding `site/` and `originals/`, served under `/demo/`.
    pub demo: Option<PathBuf>,
}

impl Config {
    /// Which recipes are answered: where nothing is said, any on this machine alone, and elsewhere
    /// those of places, as strangers would fill the disk.
    pub fn access(&self) -> Access {
        let usual =
            if self.listen.ip().is_loopback() { Access::Open } else { Access::Listed(Vec::new()) };
        self.access.clone().unwrap_or(usual)
    }
}

/// A shelf, and what holds for it alone.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ShelfSettings {
    /// Where its originals live.
    pub source: ShelfSource,
    /// What holds for it.
    pub rules: ShelfRules,
}

/// What holds for one shelf alone.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ShelfRules {
    /// The overlay laid over every rendition of it, `original` included.
    pub overlay: Option<String>,
    /// What `original` sends.
    pub originals: Originals,
    /// Its off switch: every address is answered with the untouched picture.
    pub plain: bool,
}

/// What the recipe `original` sends.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Originals {
    /// The file with its location cut out.
    #[default]
    WithoutLocation,
    /// The file as it is.
    Untouched,
    /// Nothing: it is refused.
    Refused,
}

/// A picture that can be laid over renditions.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OverlaySettings {
    /// The file.
    pub picture: PathBuf,
    /// Where it stands in the free space.
    pub position: Position,
    /// Its width in percent of the rendition's.
    pub width_percent: u8,
    /// How much it covers, in percent.
    pub opacity_percent: u8,
}

/// Where a shelf's originals live.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ShelfSource {
    /// A folder on this machine.
    Folder(PathBuf),
    /// A web server, by its address. Not read by this version.
    Web(String),
    /// An S3-compatible bucket, by its address. Not read by this version.
    Bucket(String),
}

/// Bounds on work and memory.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limits {
    /// The most pixels an original may hold, in millions.
    pub megapixels: u64,
    /// Renditions kept in memory, in MiB.
    pub memory_mib: u64,
    /// Renditions that may wait to be made before further ones are turned away.
    pub queue: usize,
    /// Their pixels in all, in millions.
    pub queue_megapixels: u64,
    /// Memory for work under way, in MiB: files read and pixels drawn.
    pub working_mib: u64,
    /// Renditions kept on disk, in MiB.
    pub disk_mib: u64,
    /// Days that a rendition stays which nobody asks for.
    pub unused_days: u64,
    /// Seconds a connection may say nothing before it is closed.
    pub idle_seconds: u64,
    /// The most bytes of an original's file, in MiB.
    pub original_mib: u64,
    /// The most memory for an original that cannot be read row by row, in MiB.
    pub whole_mib: u64,
    /// The most frames of an animated original.
    pub frames: u32,
    /// The longest one rendition may take, in seconds.
    pub seconds: u64,
    /// Reductions kept in memory, in MiB.
    pub reduction_memory_mib: u64,
    /// Reductions kept on disk, in MiB.
    pub reduction_disk_mib: u64,
    /// The most bytes of a page or stylesheet, in MiB.
    pub page_mib: usize,
    /// The most elements of a page.
    pub page_elements: usize,
    /// The longest that reading one page may take, in seconds.
    pub page_seconds: u64,
}

impl Limits {
    /// Those that the engine keeps.
    pub const fn engine(&self) -> kivet_image::Limits {
        kivet_image::Limits {
            pixels: self.megapixels * 1_000_000,
            bytes: self.original_mib << 20,
            frames: self.frames,
            whole: self.whole_mib << 20,
            time: Duration::from_secs(self.seconds),
        }
    }

    /// Those of pages.
    pub const fn page(&self) -> PageLimits {
        PageLimits {
            bytes: self.page_mib << 20,
            elements: self.page_elements,
            time: Duration::from_secs(self.page_seconds),
            ..PageLimits::DEFAULT
        }
    }
}

impl Default for Limits {
    fn default() -> Self {
        Self {
            megapixels: 150,
            memory_mib: 256,
            queue: 512,
            queue_megapixels: 1024,
            working_mib: 320,
            disk_mib: 10_240,
            unused_days: 90,
            idle_seconds: 30,
            original_mib: 256,
            whole_mib: 320,
            frames: 1000,
            seconds: 60,
            reduction_memory_mib: 128,
            reduction_disk_mib: 2048,
            page_mib: PageLimits::DEFAULT.bytes >> 20,
            page_elements: PageLimits::DEFAULT.elements,
            page_seconds: PageLimits::DEFAULT.time.as_secs(),
        }
    }
}
