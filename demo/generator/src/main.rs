//! Paints the pictures of the made-up kite festival.
fn main() {}
