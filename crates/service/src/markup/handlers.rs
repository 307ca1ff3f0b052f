//! Writing markup.

use axum::{
    Json,
    extract::{State, rejection::JsonRejection},
};
use kivet_page::{
    Loading, Offered, Place,
    markup::{Alt, Form, Markup, Picture, Use, write},
};
use utoipa_axum::{router::OpenApiRouter, routes as api};

use super::{
    order::{MarkupOrder, ReadOrder},
    prepared::{Prepared, prepared},
    preview::{__path_preview, preview},
    responses::{LadderResponse, MarkupResponse, PictureMarkup},
};
use crate::{
    app::App,
    blocking::blocking,
    library::{AltChoice, alt_for},
    problem::{Problem, ProblemKind},
    query::accept_body,
    shelves::{Original, OriginalId},
    sign_in::Admin,
};

/// Originals in one order at most.
const MAX: usize = 500;

/// The routes of this feature.
pub fn routes() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(api!(markup)).routes(api!(preview))
}

/// Writes the markup for originals in a place.
#[utoipa::path(post, path = "/api/markup", request_body = MarkupOrder, responses(
    (status = 200, body = MarkupResponse),
    (status = 400, body = Problem), (status = 401, body = Problem), (status = 404, body = Problem),
    (status = 409, body = Problem),
))]
async fn markup(
    _: Admin,
    State(app): State<App>,
    order: Result<Json<MarkupOrder>, JsonRejection>,
) -> Result<Json<MarkupResponse>, Problem> {
    let order = accept_body(order)?;
    let read = order.read(&app)?;
    let ids = originals(&app, &order.originals).await?;
    refuse_second_first(&read, &ids)?;
    let mut response = MarkupResponse::default();
    for id in ids {
        let (markup, one) = one(&app, &order, &read, id).await?;
        response.add(markup, one);
    }
    Ok(Json(response))
}

/// One picture's markup, and what is told of its ladders.
async fn one(
    app: &App,
    order: &MarkupOrder,
    read: &ReadOrder,
    id: OriginalId,
) -> Result<(Markup, PictureMarkup), Problem> {
    let Prepared { original, offered } =
        prepared(app, &read.place, read.kept.as_deref(), &id).await?;
    let alt = alt_of(app, order, &original, &read.place).await?;
    let version = order.versioned.then(|| app.pipeline.version(&original, None));
    let path = original.id.url_path();
    let picture = Picture {
        base: &read.base,
        path: &path,
        facts: original.facts(),
        version: version.as_deref(),
    };
    let alt = match &alt {
        AltChoice::Text(text) => Alt::Text(text),
        AltChoice::Decorative => Alt::Decorative,
        AltChoice::Unknown => Alt::Unknown,
    };
    let one = Use { picture, place: &read.place, offered: &offered, alt };
    let markup = write(read.form, &one, &read.options);
    let told = PictureMarkup {
        original: original.id.to_string(),
        text: markup.text.clone(),
        ladders: ladders(&read.place, &offered),
    };
    Ok((markup, told))
}

fn ladders(place: &Place, offered: &Offered) -> Vec<LadderResponse> {
    place
        .layouts()
        .zip(&offered.layouts)
        .map(|((media, _), offered)| LadderResponse::of(media, offered))
        .collect()
}

/// The order's own words, else the library's for this place and language.
async fn alt_of(
    app: &App,
    order: &MarkupOrder,
    original: &Original,
    place: &Place,
) -> Result<AltChoice, Problem> {
    if let Some(text) = &order.alt {
        return Ok(AltChoice::of(text));
    }
    let (records, id) = (app.records.clone(), original.id.clone());
    let texts = blocking(move || records.alts(id.shelf(), id.path())).await??;
    Ok(alt_for(&texts, order.language.as_deref(), place.name().as_str()))
}

/// The originals of an order, folders read out.
async fn originals(app: &App, words: &[String]) -> Result<Vec<OriginalId>, Problem> {
    let mut ids = Vec::new();
    for word in words {
        match word.strip_suffix('/') {
            Some(folder) => ids.extend(in_folder(app, folder).await?),
            None => ids.push(OriginalId::from_text(word)?),
        }
    }
    let bad = |detail: String| Problem::new(ProblemKind::BadMarkupOrder, detail);
    match ids.len() {
        0 => Err(bad(
            "name at least one original, as shelf/path, or a folder that ends in /".to_owned()
        )),
        many if many > MAX => Err(bad(format!(
            "{many} originals are more than {MAX} in one order; name smaller folders"
        ))),
        _ => Ok(ids),
    }
}

async fn in_folder(app: &App, folder: &str) -> Result<Vec<OriginalId>, Problem> {
    let (shelf, within) = folder.split_once('/').unwrap_or((folder, ""));
    let prefix = if within.is_empty() { String::new() } else { format!("{within}/") };
    let all = app.shelves.list(shelf, None, usize::MAX).await?;
    let found: Vec<OriginalId> =
        all.into_iter().filter(|id| id.path().starts_with(&prefix)).collect();
    if found.is_empty() {
        let detail = format!(
            "the folder `{folder}/` has no originals; `kivet library list {shelf}` shows what there is"
        );
        return Err(Problem::new(ProblemKind::UnknownOriginal, detail));
    }
    Ok(found)
}

/// One picture a page is the largest paint.
fn refuse_second_first(read: &ReadOrder, ids: &[OriginalId]) -> Result<(), Problem> {
    let shows = matches!(read.form, Form::Img | Form::Picture | Form::Jsx | Form::Preload);
    match ids {
        [one, two, ..] if shows && read.place.loading() == Loading::First => {
            let detail = format!(
                "{one} and {two} would both load `first`: high priority for two delays the largest paint; use --loading near or later for all but one"
            );
            Err(Problem::new(ProblemKind::SecondFirst, detail))
        }
        _ => Ok(()),
    }
}
