//! One handler: read the address, choose, fetch or make, answer.

use std::{io::Write, sync::Arc, time::Instant};

use axum::{
    Router,
    body::Body,
    extract::{OriginalUri, State},
    http::{HeaderMap, StatusCode, Uri, header},
    response::{IntoResponse, Response},
    routing::get,
};
use flate2::{Compression, write::GzEncoder};
use kivet_recipe::{Access, Choice, Recipe};
use kivet_store::Blob;

use super::{
    drawn_problem,
    headers::{self, Lasting, Vary},
    range::{self, Wanted},
    request::{Chosen, PictureRequest, request_of},
};
use crate::{
    app::App,
    pipeline::{Job, PipelineError, Source},
    problem::{Problem, ProblemKind},
};

/// The routes of this feature.
pub fn routes() -> Router<App> {
    Router::new().route("/pic/{*address}", get(answer))
}

async fn answer(
    State(app): State<App>,
    OriginalUri(uri): OriginalUri,
    headers: HeaderMap,
) -> Response {
    // What the answer depends on is known better step by step, and is the same whether it succeeds
    // or not.
    let mut vary = Vary::default();
    let mut response = match picture(&app, &uri, &headers, &mut vary).await {
        Ok(response) => response,
        Err(problem) if *app.access == Access::Open && drawn_problem::is_wanted(&headers) => {
            drawn_problem::answer(problem, &uri)
        }
        Err(problem) => problem.into_response(),
    };
    headers::add_common(response.headers_mut(), vary);
    app.metrics.responded(response.status().as_u16());
    response
}

async fn picture(
    app: &App,
    uri: &Uri,
    headers: &HeaderMap,
    vary: &mut Vary,
) -> Result<Response, Problem> {
    let started = Instant::now();
    let asked = read(app, uri)?;
    *vary = asked.vary(app);
    let request = request_of(headers);
    let Chosen { original, recipe, choice, version } = asked.choose(app, &request, vary).await?;
    let mut lasting = lasting(app, &asked, &choice, &version);
    let mut job = Job { original, recipe, request, choice };
    let (blob, source) = match app.pipeline.rendition(job.clone()).await {
        Ok(found) => found,
        Err(error @ PipelineError::Overloaded { .. }) => {
            let (blob, format) =
                app.pipeline.nearest_ready(&job, request.accepted).await.ok_or(error)?;
            job.choice.format = format;
            lasting = Lasting::NotStored;
            (blob, Source::Nearest)
        }
        Err(error) => {
            app.shelves.look_again(&asked.id).await;
            return Err(error.into());
        }
    };
    app.metrics.found(source);
    respond(headers, vary.coding, &job, &blob, source, lasting, started)
}

/// The address; in plain mode, whatever it asks for, the original.
fn read(app: &App, uri: &Uri) -> Result<PictureRequest, Problem> {
    let asked = PictureRequest::read(uri, "/pic/");
    let is_plain = |shelf: &str| app.plain || app.shelves.rules(shelf).plain;
    match asked {
        Ok(asked) if is_plain(asked.id.shelf()) => {
            Ok(PictureRequest { recipe: Recipe::original(), version: None, ..asked })
        }
        Ok(asked) => Ok(asked),
        // Not even a recipe that cannot be read keeps a picture back.
        Err(problem) => match PictureRequest::of_path_alone(uri, "/pic/") {
            Some(id) if is_plain(id.shelf()) => {
                Ok(PictureRequest { recipe: Recipe::original(), id, version: None })
            }
            _ => Err(problem),
        },
    }
}

/// How long the answer holds, stages apart.
fn lasting(app: &App, asked: &PictureRequest, choice: &Choice, current: &str) -> Lasting {
    if app.plain || app.shelves.rules(asked.id.shelf()).plain {
        return Lasting::Short;
    }
    match &asked.version {
        Some(version) if version == current => Lasting::Versioned { private: choice.private },
        Some(_) => Lasting::Short,
        None => Lasting::Usual { private: choice.private },
    }
}

fn respond(
    headers: &HeaderMap,
    coding: bool,
    job: &Job,
    blob: &Arc<Blob>,
    source: Source,
    lasting: Lasting,
    started: Instant,
) -> Result<Response, Problem> {
    let packed = coding && accepts_gzip(headers);
    let etag =
        if packed { headers::packed_etag(&blob.header.etag) } else { blob.header.etag.clone() };
    let mut response = if headers::is_current(headers, &etag) {
        StatusCode::NOT_MODIFIED.into_response()
    } else {
        let mut response = if packed {
            Body::from(gzip(&blob.bytes)?).into_response()
        } else {
            ranged(headers, blob, &etag)
        };
        if response.status() != StatusCode::RANGE_NOT_SATISFIABLE {
            headers::add_content(response.headers_mut(), job, blob, packed);
        }
        response
    };
    headers::add_caching(response.headers_mut(), blob, &etag, lasting, source, started.elapsed());
    Ok(response)
}

/// The bytes, or the part of them that is wanted.
fn ranged(headers: &HeaderMap, blob: &Blob, etag: &str) -> Response {
    let length = blob.bytes.len();
    let (mut response, range) = match range::wanted(headers, length, etag) {
        Wanted::Whole => (Body::from(blob.bytes.clone()).into_response(), None),
        Wanted::Part(part) => {
            let range = format!("bytes {}-{}/{length}", part.start, part.end - 1);
            let body = Body::from(blob.bytes.slice(part));
            ((StatusCode::PARTIAL_CONTENT, body).into_response(), Some(range))
        }
        Wanted::Beyond => {
            let detail = format!("the picture has {length} bytes, fewer than the range begins at");
            let problem = Problem::new(ProblemKind::UnsatisfiableRange, detail);
            (problem.into_response(), Some(format!("bytes */{length}")))
        }
    };
    headers::add_ranges(response.headers_mut(), range);
    response
}

/// True if the request lists gzip and does not refuse it (RFC 9110, section 12.5.3).
fn accepts_gzip(request: &HeaderMap) -> bool {
    let lines =
        request.get_all(header::ACCEPT_ENCODING).iter().filter_map(|line| line.to_str().ok());
    lines.flat_map(|line| line.split(',')).any(|coding| {
        let mut parts = coding.split(';').map(str::trim);
        let named = parts.next().is_some_and(|name| name.eq_ignore_ascii_case("gzip"));
        named && !parts.any(|part| part.strip_prefix("q=").is_some_and(|q| q.parse() == Ok(0.0)))
    })
}

fn gzip(bytes: &[u8]) -> Result<Vec<u8>, Problem> {
    let mut packer = GzEncoder::new(Vec::new(), Compression::best());
    packer
        .write_all(bytes)
        .and_then(|()| packer.finish())
        .map_err(|error| Problem::internal(&error))
}
