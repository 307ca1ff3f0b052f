//! Running cargo and npm where they belong.

use std::{
    ffi::OsStr,
    path::{Path, PathBuf},
    process::Command,
    time::SystemTime,
};

use anyhow::{Context, Result, ensure};

/// The repository's folder.
pub fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().map_or_else(PathBuf::new, Path::to_path_buf)
}

/// A command that runs in the repository's folder.
pub fn in_repository(program: impl AsRef<OsStr>) -> Command {
    let mut command = Command::new(program);
    command.current_dir(root());
    command
}

/// Runs a command and insists that it succeeds.
pub fn succeed(command: &mut Command) -> Result<()> {
    let said = format!("{command:?}");
    ensure!(
        command.status().with_context(|| format!("cannot run {said}"))?.success(),
        "{said} failed"
    );
    Ok(())
}

/// Runs cargo.
pub fn cargo(arguments: &[&str]) -> Result<()> {
    succeed(in_repository(env!("CARGO")).args(arguments))
}

/// Runs npm in the folder of all web packages.
pub fn web(arguments: &[&str]) -> Result<()> {
    succeed(Command::new("npm").args(arguments).current_dir(root().join("web")))
}

/// What the service carries in its binary: the package, and the file its build writes.
const CARRIED: [(&str, &str); 2] = [("console", "dist/index.html"), ("viewer", "dist/kivet.js")];

/// Installs the web packages and builds what the service carries, each only if what it depends on
/// has changed: a fresh build makes cargo build the service anew.
pub fn web_built() -> Result<()> {
    let folder = root().join("web");
    let installed = changed(&folder.join("node_modules/.package-lock.json"));
    let lock = changed(&folder.join("package-lock.json"));
    if installed.is_none() || installed < lock {
        web(&["ci", "--no-audit", "--no-fund"])?;
    }
    for (package, file) in CARRIED {
        let folder = folder.join(package);
        let built = changed(&folder.join(file));
        let sources = ["src", "index.html", "package.json", "vite.config.ts"];
        let newest = sources.iter().map(|source| changed(&folder.join(source))).max().flatten();
        if built.is_none() || newest.max(lock) > built {
            web(&["run", "--silent", "build", "--workspace", package])?;
        }
    }
    Ok(())
}

/// When a file, or anything in a folder, last changed; `None` if it is not there.
fn changed(path: &Path) -> Option<SystemTime> {
    let own = path.metadata().and_then(|about| about.modified()).ok()?;
    let entries = std::fs::read_dir(path).into_iter().flatten().filter_map(|entry| entry.ok());
    Some(entries.filter_map(|entry| changed(&entry.path())).fold(own, SystemTime::max))
}

/// Where cargo puts a release binary.
pub fn release_binary(name: &str) -> Result<PathBuf> {
    // Cargo's own answer: a variable or any of its configuration files may name another folder.
    let metadata = in_repository(env!("CARGO"))
        .args(["metadata", "--no-deps", "--format-version", "1"])
        .output()
        .context("cannot run cargo metadata")?;
    let metadata: serde_json::Value = serde_json::from_slice(&metadata.stdout)
        .context("cargo metadata does not answer with JSON")?;
    let folder = metadata["target_directory"].as_str().context("no target folder is named")?;
    let binary = Path::new(folder).join("release").join(name);
    ensure!(binary.is_file(), "{} was not built", binary.display());
    Ok(binary)
}
