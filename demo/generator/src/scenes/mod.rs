//! The festival's scenes. Each is a function from a point to linear light: `x` from 0 to the
//! picture's aspect ratio, `y` from 0 at the top to 1, `pixel` the width of one pixel.

mod beach;
mod flat;
mod indoors;
mod night;
mod people;
mod sea;
mod sky;
mod town;

pub use beach::dunes;
pub use flat::{cut_out, logo, mark_svg, sponsor, windsock};
pub use indoors::{fabric, workbench};
pub use night::{fire_tails, lanterns};
pub use people::portrait;
pub use sea::{breakers, harbour_dawn};
pub use sky::{high_kites, storm_front};
pub use town::roofs;

use crate::light::Light;

/// A scene prepared for one aspect ratio.
pub type Scene = Box<dyn Fn(f32, f32, f32) -> Light + Send + Sync>;
