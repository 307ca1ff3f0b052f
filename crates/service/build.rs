//! Lets a release build notice a freshly built console.

fn main() {
    let dist = std::path::Path::new("../../web/console/dist");
    // The folder must exist to be watched; without the console it stays empty.
    let _ = std::fs::create_dir_all(dist);
    println!("cargo:rerun-if-changed={}", dist.display());
}
