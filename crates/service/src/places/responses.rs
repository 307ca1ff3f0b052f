//! Places as JSON.

use std::collections::BTreeMap;

use kivet_page::PlaceDocument;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::KeptPlace;

/// A place as it is kept.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PlaceResponse {
    /// Its name.
    pub name: String,
    /// Counts its changes, from 1.
    pub revision: i64,
    /// What `@name` stands for in recipes.
    pub recipe: String,
    /// The place as it was written.
    pub place: PlaceDocument,
}

/// Places by name, to be kept all or none.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct PlaceList {
    /// The places.
    pub places: BTreeMap<String, PlaceDocument>,
}

impl PlaceResponse {
    /// Of a kept place.
    pub fn of(kept: &KeptPlace) -> Self {
        Self {
            name: kept.place.name().to_string(),
            revision: kept.revision,
            recipe: kept.place.recipe().to_string(),
            place: kept.document.clone(),
        }
    }
}
