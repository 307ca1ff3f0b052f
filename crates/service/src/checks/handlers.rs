//! Keeping, listing, comparing and making checks.

use axum::{
    Json,
    extract::{
        DefaultBodyLimit, Query, State, rejection::QueryRejection, rejection::StringRejection,
    },
    http::StatusCode,
};
use kivet_check::{CheckOptions, Fetcher, check, targets};
use kivet_page::{
    DEVICES,
    report::{Mode, Report, ReportError, compare},
};
use serde::Deserialize;
use serde_json::Value;
use utoipa::IntoParams;
use utoipa_axum::{router::OpenApiRouter, routes as api};

use super::responses::{CheckedPage, Kept, by_page, records};
use crate::{
    app::App,
    blocking::blocking,
    problem::{Problem, ProblemKind},
    query::{Path, accept_query},
    sign_in::Admin,
};

/// Checks of one page that are listed.
const LISTED: u32 = 60;

/// The largest report that is taken, in bytes: some hundred pages with their small pictures.
const REPORT: usize = 64 << 20;

/// The routes of this feature.
pub fn routes() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(api!(list, keep))
        .routes(api!(make))
        .routes(api!(report))
        .routes(api!(against))
        .layer(DefaultBodyLimit::max(REPORT))
}

/// Lists the pages that were checked, with their history.
#[utoipa::path(get, path = "/api/checks", responses((status = 200, body = Vec<CheckedPage>), (status = 401, body = Problem)))]
async fn list(_: Admin, State(app): State<App>) -> Result<Json<Vec<CheckedPage>>, Problem> {
    let records = app.records.clone();
    let checks = blocking(move || records.checks(LISTED)).await??;
    Ok(Json(by_page(checks)?))
}

/// Keeps a report, as `kivet check --report FILE.json` writes it: a record for each of its pages.
#[utoipa::path(post, path = "/api/checks", request_body = Value, responses(
    (status = 201, body = Kept), (status = 400, body = Problem), (status = 401, body = Problem),
))]
async fn keep(
    _: Admin,
    State(app): State<App>,
    body: Result<String, StringRejection>,
) -> Result<(StatusCode, Json<Kept>), Problem> {
    let bad = |detail: String| Problem::new(ProblemKind::NotAReport, detail);
    let body = body.map_err(|rejection| bad(rejection.body_text()))?;
    let report =
        Report::from_json(&body).map_err(|error| bad(format!("the document is {error}")))?;
    Ok((StatusCode::CREATED, Json(kept(&app, report).await?)))
}

async fn kept(app: &App, report: Report) -> Result<Kept, Problem> {
    let pages = records(report)?;
    let store = app.records.clone();
    let keep = move || {
        pages
            .iter()
            .map(|(record, report)| store.keep_check(record, report))
            .collect::<Result<_, _>>()
    };
    let ids = blocking(keep).await??;
    Ok(Kept { ids })
}

/// What to check.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
#[into_params(parameter_in = Query)]
struct What {
    /// The page's address.
    page: String,
    /// `browser` (if absent) or `text`.
    mode: Option<String>,
}

/// Checks a page from here, and keeps the record.
#[utoipa::path(post, path = "/api/checks/new", params(What), responses(
    (status = 201, body = Kept), (status = 400, body = Problem), (status = 401, body = Problem), (status = 502, body = Problem),
))]
async fn make(
    _: Admin,
    State(app): State<App>,
    query: Result<Query<What>, QueryRejection>,
) -> Result<(StatusCode, Json<Kept>), Problem> {
    let What { page, mode } = accept_query(query)?;
    if !page.starts_with("http://") && !page.starts_with("https://") {
        let detail = format!(
            "`{page}` is not an http URL; files are checked with `kivet check FILE --keep`"
        );
        return Err(Problem::new(ProblemKind::NotAUrl, detail));
    }
    let mode = mode.as_deref().unwrap_or(Mode::Browser.name());
    let mode = Mode::from_name(mode).ok_or_else(|| {
        let detail = format!("`{mode}` is not a mode of a check; use browser or text");
        Problem::new(ProblemKind::UnknownMode, detail)
    })?;
    let cannot =
        |error: kivet_check::CheckError| Problem::new(ProblemKind::NotChecked, error.to_string());
    let fetcher = Fetcher::new().map_err(cannot)?;
    let targets = targets(&[page], &fetcher).await.map_err(cannot)?;
    let options = CheckOptions {
        mode,
        devices: DEVICES.to_vec(),
        runs: 1,
        throttled: true,
        program: None,
        thumbnails: true,
        pictures: None,
        at_once: 1,
        shelves: Vec::new(),
        sweeps: true,
        limits: app.page_limits,
    };
    let report = check(&targets, &options, &fetcher, &|_| {}).await.map_err(cannot)?;
    if let Some(failure) = report.failures.first() {
        return Err(Problem::new(ProblemKind::NotChecked, failure.problem.clone()));
    }
    Ok((StatusCode::CREATED, Json(kept(&app, report).await?)))
}

/// The whole report of one check.
#[utoipa::path(get, path = "/api/checks/{id}", params(("id" = i64, Path)), responses(
    (status = 200, body = Value), (status = 401, body = Problem), (status = 404, body = Problem),
))]
async fn report(
    _: Admin,
    State(app): State<App>,
    Path(id): Path<i64>,
) -> Result<Json<Report>, Problem> {
    Ok(Json(kept_report(&app, id).await?))
}

/// What changed on a page from an earlier check to this one.
#[utoipa::path(get, path = "/api/checks/{id}/against/{earlier}", params(("id" = i64, Path), ("earlier" = i64, Path)), responses(
    (status = 200, body = Value), (status = 401, body = Problem), (status = 404, body = Problem),
    (status = 409, body = Problem),
))]
async fn against(
    _: Admin,
    State(app): State<App>,
    Path((id, earlier)): Path<(i64, i64)>,
) -> Result<Json<Value>, Problem> {
    let (later, earlier) = (kept_report(&app, id).await?, kept_report(&app, earlier).await?);
    let compared = compare(&earlier, &later)
        .map_err(|error| Problem::new(ProblemKind::Incomparable, error.to_string()))?;
    let comparison = serde_json::to_value(compared).map_err(|error| Problem::internal(&error))?;
    Ok(Json(comparison))
}

async fn kept_report(app: &App, id: i64) -> Result<Report, Problem> {
    let records = app.records.clone();
    let text = blocking(move || records.check_report(id)).await??;
    let missing = || {
        Problem::new(
            ProblemKind::UnknownCheck,
            format!("there is no check {id}; /api/checks lists them"),
        )
    };
    Report::from_json(&text.ok_or_else(missing)?).map_err(|error| match error {
        ReportError::OtherVersion { .. } => {
            Problem::new(ProblemKind::OutdatedCheck, format!("the check {id} was kept as {error}"))
        }
        error => Problem::internal(&error),
    })
}
