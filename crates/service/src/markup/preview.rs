//! What a place does to one original, before it is kept: for its editor.

use axum::{
    Json,
    extract::{State, rejection::JsonRejection},
};
use kivet_page::{DEVICES, Device, Layout, Offered, Place, PlaceDocument, Population, Screen};
use kivet_recipe::PlaceName;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::responses::LadderResponse;
use crate::{
    app::App, places, problem::Problem, query::accept_body, queue::Requester, shelves::OriginalId,
    sign_in::Admin,
};

/// Which place to try on which original.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct PreviewOrder {
    /// The place.
    pub layout: PlaceDocument,
    /// The original, as `shelf/path`.
    pub original: String,
}

/// What the place would do.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PreviewResponse {
    /// Its layouts, in the order a browser tries them.
    pub layouts: Vec<LayoutPreview>,
    /// What the named devices take.
    pub devices: Vec<DevicePreview>,
}

/// One layout.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LayoutPreview {
    /// Its media condition; absent for the one that holds everywhere else.
    pub media: Option<String>,
    /// Viewport width and shown width, in CSS pixels, over the viewports there are.
    pub shown: Vec<[f64; 2]>,
    /// Its ladder.
    pub ladder: LadderResponse,
    /// The screens that show it.
    pub screens: Vec<ScreenPreview>,
}

/// One screen of the population.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ScreenPreview {
    /// The viewport's width in CSS pixels.
    pub viewport: u32,
    /// Device pixels per CSS pixel.
    pub density: f64,
    /// Its share of views.
    pub share: f64,
    /// The device pixels across that the picture takes there.
    pub needed: f64,
    /// Those of the candidate that is taken.
    pub taken: u32,
}

/// What one named device takes.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DevicePreview {
    /// The device.
    pub name: String,
    /// Its viewport in CSS pixels, across and down.
    pub viewport: [u32; 2],
    /// Device pixels per CSS pixel.
    pub density: f64,
    /// How wide the picture is shown, in CSS pixels.
    pub shown: f64,
    /// The recipe it takes.
    pub recipe: String,
    /// The pixels that come, across and down.
    pub size: [u32; 2],
    /// The bytes expected of it.
    pub bytes: u64,
}

/// Tries a place on an original without keeping it.
#[utoipa::path(post, path = "/api/markup/preview", request_body = PreviewOrder, responses(
    (status = 200, body = PreviewResponse),
    (status = 400, body = Problem), (status = 401, body = Problem), (status = 404, body = Problem),
))]
pub(super) async fn preview(
    _: Admin,
    State(app): State<App>,
    order: Result<Json<PreviewOrder>, JsonRejection>,
) -> Result<Json<PreviewResponse>, Problem> {
    let PreviewOrder { layout, original } = accept_body(order)?;
    let place = layout.checked(&PlaceName::of_layout())?;
    let original = app.shelves.original(&OriginalId::from_text(&original)?).await?;
    let original =
        app.pipeline.with_facts_for(original, &place.recipe(), Requester::default()).await?;
    let offered = places::chosen(&app, &place, &original).await?;
    let layouts = place
        .layouts()
        .enumerate()
        .map(|(number, (media, layout))| of_layout(&place, &offered, number, media, layout))
        .collect();
    let devices = DEVICES.iter().map(|device| of_device(&place, &offered, device)).collect();
    Ok(Json(PreviewResponse { layouts, devices }))
}

/// From the narrowest viewport to the widest that a plot shows, and how far apart.
const VIEWPORTS: (u32, u32, usize) = (280, 2600, 20);

fn of_layout(
    place: &Place,
    offered: &Offered,
    number: usize,
    media: Option<&str>,
    layout: &Layout,
) -> LayoutPreview {
    let (from, to, step) = VIEWPORTS;
    // A landscape of the usual shape, where height counts.
    let at = |width: u32| {
        let device = Device::screen(width, width * 9 / 16, 1.0);
        [f64::from(width), layout.sizes.shown_on(&device)]
    };
    let shows = |screen: &&Screen| place.layout_on(&screen.device()) == number;
    let seen = |screen: &Screen| {
        let device = screen.device();
        ScreenPreview {
            viewport: screen.width,
            density: screen.density,
            share: screen.share,
            needed: layout.sizes.shown_on(&device) * place.density_on(screen.density),
            taken: offered.taken_on(place, &device).1.size.width,
        }
    };
    LayoutPreview {
        media: media.map(str::to_owned),
        shown: (from..=to).step_by(step).map(at).collect(),
        ladder: LadderResponse::of(media, &offered.layouts[number]),
        screens: Population::assumed().screens.iter().filter(shows).map(seen).collect(),
    }
}

fn of_device(place: &Place, offered: &Offered, device: &Device) -> DevicePreview {
    let (number, step) = offered.taken_on(place, device);
    let layout = place.layouts().nth(number).map(|(_, layout)| layout);
    DevicePreview {
        name: device.name.to_owned(),
        viewport: [device.width, device.height],
        density: device.density,
        shown: layout.map_or(0.0, |layout| layout.sizes.shown_on(device)),
        recipe: step.recipe.to_string(),
        size: [step.size.width, step.size.height],
        bytes: step.bytes,
    }
}
