//! The manifest that front ends write markup from.

use std::{collections::BTreeMap, sync::Arc};

use axum::{
    Json,
    extract::{State, rejection::JsonRejection},
};
use kivet_page::markup::{Manifest, ManifestOffer, ManifestOriginal, ManifestPlace};
use kivet_store::AltRecord;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::{
    app::App,
    blocking::blocking,
    places::{self, KeptPlace},
    problem::Problem,
    query::accept_body,
    queue::Requester,
    shelves::OriginalId,
    sign_in::Admin,
};

/// What to export.
#[derive(Debug, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct ExportOrder {
    /// The shelves; all that can be read if empty.
    #[serde(default)]
    pub shelves: Vec<String>,
    /// The places; all if empty.
    #[serde(default)]
    pub places: Vec<String>,
}

/// Originals with what places offer of them. One that cannot be used is left out.
#[utoipa::path(post, path = "/api/library/export", request_body = ExportOrder, responses(
    (status = 200, body = Manifest),
    (status = 400, body = Problem), (status = 401, body = Problem), (status = 404, body = Problem),
))]
pub(super) async fn export(
    _: Admin,
    State(app): State<App>,
    order: Result<Json<ExportOrder>, JsonRejection>,
) -> Result<Json<Manifest>, Problem> {
    let ExportOrder { shelves, places } = accept_body(order)?;
    let places = if places.is_empty() {
        app.places.all()
    } else {
        places.iter().map(|name| app.places.named(name)).collect::<Result<_, _>>()?
    };
    let shelves = if shelves.is_empty() { app.shelves.names() } else { shelves };
    let mut manifest = Manifest {
        version: 1,
        places: places
            .iter()
            .map(|kept| (kept.place.name().to_string(), ManifestPlace::of(&kept.place)))
            .collect(),
        originals: BTreeMap::new(),
        overlays: app.pipeline.assets().overlays.keys().cloned().collect(),
    };
    for shelf in shelves {
        for id in app.shelves.list(&shelf, None, usize::MAX).await? {
            match one(&app, &places, &id).await {
                Ok(original) => {
                    manifest.originals.insert(id.to_string(), original);
                }
                Err(problem) => {
                    tracing::warn!(original = %id, problem = problem.detail, "is not exported");
                }
            }
        }
    }
    Ok(Json(manifest))
}

async fn one(
    app: &App,
    places: &[Arc<KeptPlace>],
    id: &OriginalId,
) -> Result<ManifestOriginal, Problem> {
    let original = app.shelves.original(id).await?;
    let original = app.pipeline.analysed(original, false, Requester::default()).await?;
    let (records, kept) = (app.records.clone(), id.clone());
    let texts = blocking(move || records.alts(kept.shelf(), kept.path())).await??;
    let version = app.pipeline.version(&original, None);
    let mut exported = ManifestOriginal::new(id.url_path(), version, original.facts());
    exported.alt = of_place(&texts, "");
    for kept in places {
        let offered = places::offered(app, kept, &original).await?;
        let mut offer = ManifestOffer::of(&kept.place, &offered, original.facts());
        let name = kept.place.name().to_string();
        offer.alt = of_place(&texts, &name);
        exported.places.insert(name, offer);
    }
    Ok(exported)
}

fn of_place(texts: &[AltRecord], place: &str) -> BTreeMap<String, String> {
    let own = texts.iter().filter(|alt| alt.place == place);
    own.map(|alt| (alt.language.clone(), alt.text.clone())).collect()
}
