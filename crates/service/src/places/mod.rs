//! Places: their records, `/api/places`, and the ladders that they offer.

mod handlers;
mod kept;
mod ladders;
mod responses;
mod toml;

pub use handlers::routes;
pub use kept::{KeptPlace, Places};
pub use ladders::{chosen, offered, offered_once};
pub use responses::{PlaceList, PlaceResponse};
pub use toml::places_as_toml;
