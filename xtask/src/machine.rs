//! What a fresh Debian machine lacks, and installing it.

use std::{path::PathBuf, process::Command};

use anyhow::{Context, Result, bail, ensure};

/// A program that must be on the path, and the Debian packages that bring it, and what goes with
/// it.
type Need = (&'static str, &'static str);

/// For building.
pub const BUILD: &[Need] = &[
    ("nasm", "nasm"),
    ("cmake", "cmake"),
    ("cc", "build-essential"),
    ("clang", "clang libclang-dev"),
];

/// For the tests.
pub const TEST: &[Need] = &[("chromium", "chromium"), ("fc-list", "fontconfig")];

/// For the screenshots.
pub const SHOOT: &[Need] = &[("Xvfb", "xvfb"), ("xterm", "xterm"), ("import", "imagemagick")];

/// Installs the packages of those programs that are missing.
pub fn install(needs: &[&[Need]]) -> Result<()> {
    for (program, way) in
        [("node", "install Node.js 20 or later"), ("npm", "it comes with Node.js")]
    {
        ensure!(find(program).is_some(), "{program} is missing: {way}");
    }
    let missing: Vec<&str> = needs
        .concat()
        .into_iter()
        .filter(|(program, _)| find(program).is_none())
        .flat_map(|(_, packages)| packages.split(' '))
        .collect();
    if missing.is_empty() {
        return Ok(());
    }
    println!("installing {}", missing.join(" "));
    apt(&["update"])?;
    apt(&[&["install", "--yes", "--no-install-recommends", "fonts-dejavu"], missing.as_slice()]
        .concat())
    .with_context(|| format!("install these Debian packages by hand: {}", missing.join(" ")))
}

fn apt(arguments: &[&str]) -> Result<()> {
    let mut command = match find("sudo") {
        Some(sudo) if !is_root() => {
            let mut command = Command::new(sudo);
            command.arg("apt-get");
            command
        }
        _ => Command::new("apt-get"),
    };
    let status = command.args(arguments).env("DEBIAN_FRONTEND", "noninteractive").status();
    if !status.context("apt-get cannot be run")?.success() {
        bail!("apt-get {} failed", arguments.join(" "));
    }
    Ok(())
}

fn is_root() -> bool {
    Command::new("id").arg("-u").output().is_ok_and(|output| output.stdout.trim_ascii() == b"0")
}

fn find(program: &str) -> Option<PathBuf> {
    let path = std::env::var_os("PATH")?;
    std::env::split_paths(&path).map(|folder| folder.join(program)).find(|file| file.is_file())
}
