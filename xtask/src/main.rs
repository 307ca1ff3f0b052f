//! Set-up, demo, tests, benches and screenshots of this repository: `cargo xtask NAME`.

mod machine;
mod run;
mod shots;
mod tests;

use std::process::ExitCode;

use anyhow::{Result, bail};
use machine::{BUILD, SHOOT, TEST};
use run::{cargo, console, console_built, in_repository};

const USAGE: &str = "cargo xtask NAME

  demo            install what is missing, build everything in release mode, start the service with the festival
  test            install what is missing, run all tests
  check           formatting, clippy, the console's types and lint
  bench NAME      a side-by-side measure: choice, cold, ladder, latency, memory, pages, prior, resize
  shots           make docs/screenshots anew from the demo
  originals [PART]  paint the demo's originals anew, or those whose path contains PART";

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
            console_built()?;
            cargo(&["build", "--release", "--package", "kivet"])?;
            in_repository(run::release_binary("kivet")?).arg("demo").args(rest).status()?;
            Ok(())
        }
        ["test", rest @ ..] => {
            machine::install(&[BUILD, TEST])?;
            console_built()?;
            tests::run(rest)
        }
        ["check"] => {
            machine::install(&[BUILD])?;
            console_built()?;
            cargo(&["fmt", "--all", "--check"])?;
            cargo(&["clippy", "--workspace", "--all-targets", "--", "-D", "warnings"])?;
            console(&["run", "check"])
        }
        ["bench", name, rest @ ..] => {
            machine::install(&[BUILD])?;
            cargo(&[&["run", "--release", "--package", "kivet-bench", "--", name], rest].concat())
        }
        ["originals", rest @ ..] => {
            let paint = ["run", "--release", "--package", "kivet-festival", "--", "demo/originals"];
            cargo(&[&paint, rest].concat())
        }
        ["shots"] => {
            machine::install(&[BUILD, TEST, SHOOT])?;
            console_built()?;
            cargo(&["build", "--release", "--package", "kivet"])?;
            shots::run()
        }
        _ => bail!("{USAGE}"),
    }
}
