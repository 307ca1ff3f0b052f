//! `bench pictures` on pictures that others made, fetched from the registries.

use std::{
    fs,
    path::{Path, PathBuf},
};

use anyhow::{Result, ensure};

use crate::{bench, packages::Package};

/// Pictures of one kind: a package, a folder of it, and how many are taken.
struct Group {
    kind: &'static str,
    package: Package,
    folder: &'static str,
    count: usize,
}

const fn debian(
    kind: &'static str,
    package: &'static str,
    folder: &'static str,
    count: usize,
) -> Group {
    Group { kind, package: Package::Debian(package), folder, count }
}

const fn npm(
    kind: &'static str,
    package: &'static str,
    folder: &'static str,
    count: usize,
) -> Group {
    Group { kind, package: Package::Npm(package), folder, count }
}

const GROUPS: [Group; 8] = [
    debian("screenshot", "gimp-help-en", "usr/share/gimp/2.0/help/en/images/using", 8),
    debian("dialog", "gimp-help-en", "usr/share/gimp/2.0/help/en/images/dialogs", 6),
    debian("example", "gimp-help-en", "usr/share/gimp/2.0/help/en/images/filters/examples", 4),
    debian("clip-art", "tuxpaint-stamps-default", "usr/share/tuxpaint/stamps", 8),
    debian("icon", "oxygen-icon-theme", "usr/share/icons/oxygen/base/256x256", 6),
    debian("wallpaper", "mate-backgrounds", "usr/share/backgrounds/mate", 8),
    npm("template", "now-ui-kit@1.3.0", "package/assets/img", 6),
    npm("illustration", "argon-design-system-free@1.2.0", "package/assets/img", 6),
];

/// Smaller files are icons and rules, of which nothing is resampled.
const MIN_BYTES: u64 = 6_000;

/// Fetches the pictures, and measures what the service sends of them.
pub fn run(arguments: &[&str]) -> Result<()> {
    let folder = std::env::temp_dir().join("kivet-pictures");
    let chosen = folder.join("chosen");
    let _ = fs::remove_dir_all(&chosen);
    fs::create_dir_all(&chosen)?;
    for group in &GROUPS {
        let source = group.package.unpacked(&folder.join("packages"))?.join(group.folder);
        let mut files = Vec::new();
        pictures(&source, &mut files)?;
        ensure!(files.len() >= group.count, "{} has too few pictures", source.display());
        files.sort();
        // Spread over the whole, the same each time.
        for number in 0..group.count {
            let file = &files[number * files.len() / group.count];
            let name = file.file_name().unwrap_or_default().to_string_lossy();
            fs::copy(file, chosen.join(format!("{}-{number}-{name}", group.kind)))?;
        }
    }
    let chosen = chosen.to_string_lossy().into_owned();
    bench::run_for("cargo xtask pictures", "pictures", &[&[chosen.as_str()], arguments].concat())
}

/// The picture files below a folder.
fn pictures(folder: &Path, files: &mut Vec<PathBuf>) -> Result<()> {
    for entry in fs::read_dir(folder)? {
        let path = entry?.path();
        if path.is_dir() {
            pictures(&path, files)?;
        }
        let ending = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
        let is_picture = matches!(ending.as_str(), "png" | "jpg" | "jpeg" | "svg");
        if is_picture && path.metadata()?.len() >= MIN_BYTES {
            files.push(path);
        }
    }
    Ok(())
}
