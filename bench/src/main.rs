//! Side-by-side measures, printed as tables for `docs/design/performance.md`. Run them by `cargo xtask
//! bench NAME`.

mod bare;
mod choice;
mod clock;
mod cold;
mod curve;
mod density;
mod faults;
mod generated;
mod hits;
mod ladder;
mod latency;
mod markup;
mod memory;
mod nginx;
mod page;
mod pages;
mod photographs;
mod pictures;
mod prior;
mod resize;
mod rewrite;
mod served;

use anyhow::Result;
use clap::{Parser, Subcommand};

#[derive(Parser)]
struct Bench {
    #[command(subcommand)]
    measure: Measure,
}

#[derive(Subcommand)]
enum Measure {
    /// What is chosen and what comes out, against what is promised and against fixed settings.
    Choice {
        /// Only every nth picture.
        #[arg(long, default_value_t = 1)]
        every: usize,
        /// A folder of photographs to take instead of the demo's and generated ones.
        #[arg(long)]
        folder: Option<std::path::PathBuf>,
    },
    /// First answers with and without background work, and how long final ones take.
    Latency,
    /// One cold rendition against the bare codec calls it cannot avoid.
    Cold,
    /// A whole ladder through reductions, against the codecs alone.
    Ladder,
    /// Targets that follow the screens of each step, against one target for all, at the same score.
    Density {
        /// In this layout only.
        #[arg(long)]
        layout: Option<String>,
    },
    /// Faults that take too long for tests, and what viewers see of them.
    Faults,
    /// Pictures that are ready, against nginx and the same bytes as files.
    Hits,
    /// Elements written a second, on one core.
    Markup,
    /// Peak memory for a 100-megapixel original.
    Memory,
    /// One rendition of one file, and the memory it took.
    #[command(hide = true)]
    One {
        /// The file.
        file: std::path::PathBuf,
    },
    /// Our resampler against the fastest SIMD resizing crate, doing the same work.
    Resize,
    /// Pages rewritten, against their parser alone, and the memory it takes.
    Rewrite,
    /// The memory that reading one page took.
    #[command(hide = true)]
    RewriteOne {
        /// Its pictures.
        pictures: usize,
        /// Bytes of text before each.
        between: usize,
    },
    /// The settings and bytes each encoder needs for a fidelity, over the demo's photographs.
    Prior {
        /// Of this format only.
        #[arg(long)]
        format: Option<String>,
    },
    /// The urgent picture of a page of thirteen new ones, in Chromium, against the same alone.
    Page,
    /// First responses and final renditions of a folder of pictures, at the target and in bytes.
    Pictures {
        /// The folder.
        folder: std::path::PathBuf,
        /// Draw each picture beside its final rendition, on sheets in this folder.
        #[arg(long)]
        sheets: Option<std::path::PathBuf>,
    },
    /// A thousand pages checked as text: time a page, and memory.
    Pages,
    /// The bytes lossless renditions need, over the demo's photographs and flat drawings.
    Lossless,
}

fn main() -> Result<()> {
    match Bench::parse().measure {
        Measure::Choice { every, folder } => choice::run(every.max(1), folder.as_deref()),
        Measure::Latency => latency::run(),
        Measure::Cold => cold::run(),
        Measure::Ladder => ladder::run(),
        Measure::Density { layout } => density::run(layout.as_deref()),
        Measure::Faults => faults::run(),
        Measure::Hits => hits::run(),
        Measure::Markup => markup::run(),
        Measure::Memory => memory::run(),
        Measure::One { file } => memory::one(&file),
        Measure::Resize => resize::run(),
        Measure::Rewrite => rewrite::run(),
        Measure::RewriteOne { pictures, between } => rewrite::one(pictures, between),
        Measure::Prior { format } => prior::run(format.as_deref()),
        Measure::Page => page::run(),
        Measure::Pictures { folder, sheets } => pictures::run(&folder, sheets.as_deref()),
        Measure::Pages => pages::run(),
        Measure::Lossless => prior::run_lossless(),
    }
}
