//! Rewriting a page or stylesheet.

use axum::{
    Json,
    body::Bytes,
    extract::{
        DefaultBodyLimit, Query, State,
        rejection::{BytesRejection, QueryRejection},
    },
    http::{HeaderMap, header::CONTENT_TYPE},
    response::{IntoResponse, Response},
};
use base64::{Engine, engine::general_purpose::STANDARD};
use kivet_page::{
    Budget, OverLimit,
    markup::{Form, Options, write},
    rewrite::{Decided, RewriteError, Scan, Wanted, edits, plan, scan_within, splice},
    rules::{Of, Rules},
};
use utoipa_axum::{router::OpenApiRouter, routes as api};

use super::{
    linked,
    order::RewriteOrder,
    pictures::{Finder, Found},
    responses::{PictureChange, RewriteResponse},
    sheet,
};
use crate::{
    app::App,
    blocking::blocking,
    markup::{read_base, read_format},
    problem::{Problem, ProblemKind},
    query::{accept_body, accept_query},
    rules,
    sign_in::Admin,
};

/// No page may be larger.
const MAX_BYTES: usize = 32 << 20;

/// The routes of this feature.
pub fn routes() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(api!(rewrite)).layer(DefaultBodyLimit::max(MAX_BYTES))
}

/// Rewrites a page or stylesheet. Sent as JSON, the answer says what became of each picture; sent
/// as `text/html` or `text/css`, with the order's other fields in the query, it is the document.
#[utoipa::path(post, path = "/api/rewrite", request_body = RewriteOrder, responses(
    (status = 200, body = RewriteResponse),
    (status = 400, body = Problem), (status = 401, body = Problem), (status = 404, body = Problem),
    (status = 422, body = Problem),
))]
async fn rewrite(
    _: Admin,
    State(app): State<App>,
    query: Result<Query<PageQuery>, QueryRejection>,
    headers: HeaderMap,
    body: Result<Bytes, BytesRejection>,
) -> Result<Response, Problem> {
    let body = body.map_err(|rejection| too_long(&rejection))?;
    let kind = headers.get(CONTENT_TYPE).and_then(|value| value.to_str().ok()).unwrap_or_default();
    if kind.starts_with("text/html") || kind.starts_with("text/css") {
        let PageQuery { page, folder, base } = accept_query(query)?;
        let name = if kind.starts_with("text/css") { "sheet.css" } else { "page.html" };
        let page = page.unwrap_or_else(|| name.to_owned());
        let order = RewriteOrder { page, folder, base, ..RewriteOrder::default() };
        let (bytes, _) = rewritten(&app, &order, body.to_vec()).await?;
        return Ok(([(CONTENT_TYPE, kind.to_owned())], bytes).into_response());
    }
    let order = accept_body(Json::<RewriteOrder>::from_bytes(&body))?;
    let (bytes, mut response) = rewritten(&app, &order, order.bytes()?).await?;
    match order.html {
        Some(_) => response.html = Some(String::from_utf8_lossy(&bytes).into_owned()),
        None => response.base64 = Some(STANDARD.encode(&bytes)),
    }
    Ok(Json(response).into_response())
}

fn too_long(rejection: &BytesRejection) -> Problem {
    let limit = MAX_BYTES >> 20;
    let detail = format!("the page cannot be read: {}; {limit} MiB at most", rejection.body_text());
    Problem::new(ProblemKind::NotAPage, detail)
}

/// An order's fields beside a document that is sent as it is.
#[derive(serde::Deserialize)]
#[serde(deny_unknown_fields)]
struct PageQuery {
    page: Option<String>,
    folder: Option<String>,
    base: Option<String>,
}

async fn rewritten(
    app: &App,
    order: &RewriteOrder,
    document: Vec<u8>,
) -> Result<(Vec<u8>, RewriteResponse), Problem> {
    let written = match &order.rules {
        Some(rules) => rules.clone(),
        None => rules::kept(app).await?,
    };
    if order.rules.is_none() && written.rules.is_empty() {
        let detail = "no rules are kept and none were sent; `kivet learn` writes them, `kivet rules set` keeps them";
        return Err(Problem::new(ProblemKind::BadRules, detail));
    }
    let rules = rules::read(app, &written)?;
    let base = read_base(order.base.as_deref())?;
    let typed = order.typed.iter().map(|name| read_format(app, name));
    let options = order.options(typed.collect::<Result<_, _>>()?);
    let mut finder = Finder::new(app, &rules, order.folder.clone().map(Into::into));
    finder.language = order.language.as_deref();
    finder.versioned = order.versioned;
    if order.page.ends_with(".css") {
        return sheet::rewritten(&mut finder, &document, &order.page, &base, &options.typed).await;
    }
    let budget = Budget::new(app.page_limits);
    let _stop = budget.stop_on_drop();
    let (page_path, folder) = (order.page.clone(), order.folder.clone());
    let read = blocking(move || read(document, &page_path, folder.as_deref(), &written, &budget));
    let (html, scan, wanted) = match read.await?? {
        Read::Planned(html, scan, wanted) => (html, *scan, wanted),
        Read::OverLimit(html, over) => return Ok(unchanged(html, &over)),
    };
    let (found, mut pictures) = finder.all(&wanted).await?;
    let decided: Vec<Decided<'_>> = found.iter().map(|one| one.decided(&wanted, &base)).collect();
    let mut edits = edits(&html, &scan, &wanted, &decided, &options);
    for range in &scan.sheets {
        let Ok(css) = std::str::from_utf8(&html[range.clone()]) else { continue };
        let written = sheet::Written {
            page: &order.page,
            base_element: scan.base.as_deref(),
            base: &base,
            typed: &options.typed,
        };
        let (of_sheet, shown) = sheet::changed(&mut finder, css, &written).await?;
        let first_line = html[..range.start].iter().filter(|byte| **byte == b'\n').count();
        pictures.extend(
            shown.into_iter().map(|one| PictureChange { line: one.line + first_line, ..one }),
        );
        edits.extend(of_sheet.into_iter().map(|edit| edit.moved(range.start)));
    }
    let css = if options.classes { class_rules(&decided, &options) } else { Vec::new() };
    let response = RewriteResponse {
        changed: !edits.is_empty(),
        notes: notes(&finder, &found, &scan, &wanted),
        pictures,
        css,
        ..RewriteResponse::default()
    };
    Ok((splice(&html, &edits), response))
}

/// The rules for the page's stylesheet, where no inline styles are written.
fn class_rules(decided: &[Decided<'_>], options: &Options) -> Vec<String> {
    let mut css: Vec<String> =
        decided.iter().filter_map(|one| write(Form::Img, &one.one, options).css).collect();
    css.push(".kivet-picture { display: contents; }".to_owned());
    css.sort();
    css.dedup();
    css
}

/// A page that was read.
enum Read {
    Planned(Vec<u8>, Box<Scan>, Vec<Wanted>),
    /// It exceeds a limit, and stays as it is.
    OverLimit(Vec<u8>, OverLimit),
}

/// The response for a page above the limits.
fn unchanged(html: Vec<u8>, over: &OverLimit) -> (Vec<u8>, RewriteResponse) {
    let note = format!("the page stays as it is: {over}; `[limits]` in kivet.toml sets the limits");
    (html, RewriteResponse { notes: vec![note], ..RewriteResponse::default() })
}

/// Reads and judges a page. Its selectors are made here: a streaming reader's cannot be shared.
fn read(
    html: Vec<u8>,
    page: &str,
    folder: Option<&str>,
    written: &kivet_page::rules::RulesDocument,
    budget: &Budget,
) -> Result<Read, Problem> {
    let rules: Rules = written.checked()?;
    let scan = match scan_within(&html, &rules, budget) {
        Ok(scan) => scan,
        Err(RewriteError::OverLimit(over)) => return Ok(Read::OverLimit(html, over)),
        Err(error) => return Err(error.into()),
    };
    let mut wanted = plan(&html, &scan, &rules, page);
    let preloaded = |one: &Wanted| one.of == Of::Background && one.source.is_none();
    if let Some(folder) = folder.filter(|_| wanted.iter().any(preloaded)) {
        // A preload of what no stylesheet of the page shows would be fetched for nothing.
        let shown = linked::shown(std::path::Path::new(folder), page, &html, &scan);
        wanted.retain(|one| !preloaded(one) || shown.contains(one.address.path()));
    }
    Ok(Read::Planned(html, Box::new(scan), wanted))
}

/// What a person has to decide: pictures without words for those who cannot see them.
fn notes(finder: &Finder<'_>, found: &[Found], scan: &Scan, wanted: &[Wanted]) -> Vec<String> {
    let wordless = found.iter().filter_map(|one| {
        let wanted = &wanted[one.wanted];
        let is_picture = wanted.of == kivet_page::rules::Of::Picture && wanted.source.is_none();
        let said = is_picture && scan.pictures[wanted.number].img.attribute("alt").is_some();
        let unknown = matches!(one.alt, crate::library::AltChoice::Unknown);
        (is_picture && !said && unknown).then(|| {
            format!(
                "line {}: {}: no alt is known and none is invented; write one, or say it is decorative: kivet library alt",
                wanted.line, wanted.written
            )
        })
    });
    finder.notes.iter().cloned().chain(wordless).collect()
}
