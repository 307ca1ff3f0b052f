//! Measures, and the tables they leave in `docs/design/measures/`.

use std::process::Stdio;

use anyhow::{Context, Result, ensure};

use crate::run::{in_repository, root};

/// Runs a bench. With `--write` among its arguments what it prints becomes its page in the docs.
pub fn run(name: &str, arguments: &[&str]) -> Result<()> {
    let read: Vec<&str> = arguments.iter().copied().filter(|one| *one != "--write").collect();
    run_for(&[&["cargo xtask bench", name], read.as_slice()].concat().join(" "), name, arguments)
}

/// Runs a bench whose page in the docs names another command.
pub fn run_for(command: &str, name: &str, arguments: &[&str]) -> Result<()> {
    let writes = arguments.contains(&"--write");
    let arguments: Vec<&str> =
        arguments.iter().copied().filter(|argument| *argument != "--write").collect();
    let mut bench = in_repository(env!("CARGO"));
    bench.args(["run", "--release", "--package", "kivet-bench", "--", name]).args(&arguments);
    if !writes {
        return crate::run::succeed(&mut bench);
    }
    let output = bench.stdout(Stdio::piped()).spawn()?.wait_with_output()?;
    let text = String::from_utf8(output.stdout).context("the bench prints text")?;
    println!("{text}");
    ensure!(output.status.success(), "bench {name} failed, and its page stays as it was");
    let folder = root().join("docs/design/measures");
    std::fs::create_dir_all(&folder)?;
    let page = format!("# bench {name}\n\nWritten by `{command} --write`.\n\n{}\n", text.trim());
    Ok(std::fs::write(folder.join(name).with_extension("md"), page)?)
}
