//! Side-by-side measures, printed as tables for `docs/performance.md`. Run them by `cargo xtask bench NAME`.

mod bare;
mod cold;
mod pages;
mod photographs;
mod prior;

use anyhow::Result;
use clap::{Parser, Subcommand};

#[derive(Parser)]
struct Bench {
    #[command(subcommand)]
    measure: Measure,
}

#[derive(Subcommand)]
enum Measure {
    /// One cold rendition against the bare codec calls it cannot avoid.
    Cold,
    /// The settings and bytes each encoder needs for a fidelity, over the demo's photographs.
    Prior,
    /// A thousand pages checked as text: time a page, and memory.
    Pages,
    /// The bytes exact renditions need, over the demo's photographs and flat drawings.
    Exact,
}

fn main() -> Result<()> {
    match Bench::parse().measure {
        Measure::Cold => cold::run(),
        Measure::Prior => prior::run(),
        Measure::Pages => pages::run(),
        Measure::Exact => prior::run_exact(),
    }
}
