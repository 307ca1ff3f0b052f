//! Lets a release build notice freshly built web packages.

fn main() {
    for package in ["console", "viewer"] {
        let dist = std::path::Path::new("../../web").join(package).join("dist");
        // The folder must exist to be watched; without the package it stays empty.
        let _ = std::fs::create_dir_all(&dist);
        println!("cargo:rerun-if-changed={}", dist.display());
    }
}
