//! Saying what there is, and listing it anew.

use axum::{Json, extract::State};
use kivet_store::HeldOf;
use utoipa_axum::{router::OpenApiRouter, routes as api};

use super::{CacheResponse, CachedGroup};
use crate::{app::App, problem::Problem, sign_in::Admin};

/// The routes of this feature.
pub fn routes() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(api!(cache)).routes(api!(rebuild))
}

/// What renditions take on disk.
#[utoipa::path(get, path = "/api/cache", responses(
    (status = 200, body = CacheResponse),
    (status = 401, body = Problem), (status = 403, body = Problem), (status = 500, body = Problem),
))]
async fn cache(_: Admin, State(app): State<App>) -> Result<Json<CacheResponse>, Problem> {
    Ok(Json(described(&app).await?))
}

/// Makes the index of renditions anew from what is on disk; nothing that is there is made again.
#[utoipa::path(post, path = "/api/cache/rebuild", responses(
    (status = 200, body = CacheResponse),
    (status = 401, body = Problem), (status = 403, body = Problem), (status = 500, body = Problem),
))]
async fn rebuild(_: Admin, State(app): State<App>) -> Result<Json<CacheResponse>, Problem> {
    app.pipeline.rebuild().await?;
    Ok(Json(described(&app).await?))
}

async fn described(app: &App) -> Result<CacheResponse, Problem> {
    let limits = app.pipeline.limits();
    let of_sort = |HeldOf { shelf, format, held }: HeldOf| CachedGroup {
        shelf,
        format,
        renditions: held.count,
        bytes: held.bytes,
    };
    let groups: Vec<CachedGroup> =
        app.pipeline.held_by_shelf().await?.into_iter().map(of_sort).collect();
    Ok(CacheResponse {
        renditions: groups.iter().map(|group| group.renditions).sum(),
        bytes: groups.iter().map(|group| group.bytes).sum(),
        max_bytes: limits.disk_mib << 20,
        unused_days: limits.unused_days,
        groups,
    })
}
