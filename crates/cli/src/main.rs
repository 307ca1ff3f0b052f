//! The kivet command.
fn main() {}
