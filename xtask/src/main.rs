//! Set-up, demo, tests, benches and screenshots of this repository: `cargo xtask NAME`.

mod bench;
mod halves;
mod machine;
mod modules;
mod packages;
mod pictures;
mod run;
mod shots;
mod sites;
mod tests;

use std::process::ExitCode;

use anyhow::{Result, bail};
use machine::{BUILD, SHOOT, TEST};
use run::{cargo, in_repository, web, web_built};

const USAGE: &str = "cargo xtask NAME

  demo            install what is missing, build everything in release mode, start the service with the festival
  test [FILTER]   install what is missing, run all tests, also without JPEG XL, or those selected
  check           formatting, clippy, import circles, docs, the console's types and lint
  modules         the modules of each crate and their imports; fails if imports run in a circle
  faults          faults that take too long for tests, and what viewers see of them; --write as below
  bench NAME      a side-by-side measure: choice, cold, density, hits, ladder, latency, lossless,
                  markup, memory, pages, prior, resize; --write keeps what it prints in docs/design/measures
  pictures        what is sent of pictures that others made, fetched from the registries; --write as above
  sites [NAME]    try rewriting on sites that others made, fetched from the registries; --halves: rules
                  from half of the pages on the other half
  shots           make docs/screenshots anew from the demo
  originals [PART]  paint the demo's originals anew, or those whose path contains PART";

/// The crates' documentation without a warning.
fn documentation() -> Result<()> {
    let mut cargo = in_repository(env!("CARGO"));
    run::succeed(
        cargo
            .args(["doc", "--workspace", "--no-deps", "--quiet"])
            .env("RUSTDOCFLAGS", "-D warnings"),
    )
}

fn main() -> ExitCode {
    match run() {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("xtask: {error:#}");
            ExitCode::FAILURE
        }
    }
}

fn run() -> Result<()> {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
    match arguments.as_slice() {
        ["demo", rest @ ..] => {
            machine::install(&[BUILD])?;
            web_built()?;
            cargo(&["build", "--release", "--package", "kivet"])?;
            in_repository(run::release_binary("kivet")?).arg("demo").args(rest).status()?;
            Ok(())
        }
        ["test", rest @ ..] => {
            machine::install(&[BUILD, TEST])?;
            web_built()?;
            tests::run(rest)
        }
        ["check"] => {
            machine::install(&[BUILD])?;
            web_built()?;
            cargo(&["fmt", "--all", "--check"])?;
            modules::run()?;
            cargo(&["clippy", "--workspace", "--all-targets", "--", "-D", "warnings"])?;
            let lints = ["clippy", "--workspace", "--all-targets", "--no-default-features"];
            let without = ["--exclude", "kivet-bench", "--exclude", "kivet-fuzz"];
            cargo(&[&lints, without.as_slice(), &["--", "-D", "warnings"]].concat())?;
            documentation()?;
            web(&["run", "check"])
        }
        ["modules"] => modules::run(),
        ["faults", rest @ ..] => {
            machine::install(&[BUILD])?;
            web_built()?;
            cargo(&["build", "--release", "--package", "kivet"])?;
            bench::run("faults", rest)
        }
        ["bench", name, rest @ ..] => {
            machine::install(&[BUILD])?;
            bench::run(name, rest)
        }
        ["originals", rest @ ..] => {
            let paint = ["run", "--release", "--package", "kivet-festival", "--", "demo/originals"];
            cargo(&[&paint, rest].concat())
        }
        ["pictures", rest @ ..] => {
            machine::install(&[BUILD])?;
            web_built()?;
            cargo(&["build", "--release", "--package", "kivet"])?;
            pictures::run(rest)
        }
        ["sites", rest @ ..] => {
            machine::install(&[BUILD, TEST])?;
            web_built()?;
            match rest {
                ["--halves", rest @ ..] => halves::run(rest),
                rest => sites::run(rest),
            }
        }
        ["shots"] => {
            machine::install(&[BUILD, TEST, SHOOT])?;
            web_built()?;
            cargo(&["build", "--release", "--package", "kivet"])?;
            shots::run()
        }
        _ => bail!("{USAGE}"),
    }
}
