//! Side-by-side measures of Kivet against the work it cannot avoid.
fn main() {}
