//! Making and redeeming sign-in links.

use axum::{
    Json, Router,
    extract::{Path, State},
    http::{HeaderValue, header},
    response::{IntoResponse, Redirect, Response},
    routing::get,
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::{router::OpenApiRouter, routes as api};

use super::{
    guard::Admin,
    sessions::{COOKIE, LINK_LASTS, SESSION_LASTS},
};
use crate::{app::App, problem::Problem};

/// The routes of this feature.
pub fn routes() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(api!(new_link))
        .merge(Router::new().route("/console/sign-in/{code}", get(redeem)).into())
}

/// A link that signs one browser in.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SignInLink {
    /// The path of the link on this service.
    pub path: String,
    /// Seconds for which it works, once.
    pub seconds: u64,
}

/// Makes a single-use sign-in link.
#[utoipa::path(post, path = "/api/sign-in-links", responses((status = 200, body = SignInLink), (status = 401, body = Problem)))]
async fn new_link(_: Admin, State(app): State<App>) -> Result<Json<SignInLink>, Problem> {
    let code = app.sign_in.new_link().map_err(|error| Problem::internal(&error))?;
    Ok(Json(SignInLink { path: format!("/console/sign-in/{code}"), seconds: LINK_LASTS.as_secs() }))
}

async fn redeem(State(app): State<App>, Path(code): Path<String>) -> Response {
    let Some(session) = app.sign_in.redeem(&code) else {
        return Redirect::to("/console/?link=spent").into_response();
    };
    let cookie = format!(
        "{COOKIE}={session}; Path=/; HttpOnly; SameSite=Strict; Max-Age={}",
        SESSION_LASTS.as_secs()
    );
    let mut response = Redirect::to("/console/").into_response();
    if let Ok(cookie) = HeaderValue::try_from(cookie) {
        response.headers_mut().insert(header::SET_COOKIE, cookie);
    }
    response
}
