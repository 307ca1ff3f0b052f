//! Set-up, demo, tests, benches and screenshots of this repository.
fn main() {}
