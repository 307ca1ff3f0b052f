//! Checks as JSON.

use kivet_page::report::{DeviceReport, Mode, PageReport, Report, thumbnail_key};
use kivet_store::CheckRecord;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::{problem::Problem, schema};

/// A page and how it fared, oldest check first.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
pub struct CheckedPage {
    /// Its address or path.
    pub page: String,
    /// Its checks.
    pub history: Vec<CheckResponse>,
}

/// One check of a page.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
pub struct CheckResponse {
    /// Its number.
    pub id: i64,
    /// When, in seconds since 1970.
    pub at: i64,
    /// How it was measured.
    #[schema(schema_with = schema::mode)]
    pub mode: Mode,
    /// How many findings there were.
    pub findings: u32,
    /// What each device measured.
    pub devices: Vec<DeviceMeasures>,
}

/// What one device measured.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DeviceMeasures {
    /// The device's name.
    pub device: String,
    /// The share of the sent bytes that the screen needed, in percent; absent if none was sent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fit: Option<f64>,
    /// Bytes of pictures over the wire.
    pub sent: u64,
    /// What exactly fitting renditions of what is seen would weigh.
    pub needed: u64,
    /// Picture requests before anybody scrolled.
    pub requests_before_scroll: u32,
    /// When the largest paint was there, in milliseconds: the median of the runs.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub largest_ms: Option<f64>,
}

/// What was kept.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
pub struct Kept {
    /// The numbers of the checks, one a page.
    pub ids: Vec<i64>,
}

impl DeviceMeasures {
    fn of(device: &DeviceReport) -> Self {
        Self {
            device: device.device.clone(),
            fit: device.fit,
            sent: device.sent,
            needed: device.needed,
            requests_before_scroll: device.requests_before_scroll,
            largest_ms: device.largest_ms.map(|spread| spread.median),
        }
    }
}

impl CheckResponse {
    fn of(record: CheckRecord) -> Result<Self, Problem> {
        let CheckRecord { id, page: _, at, mode, findings, measures } = record;
        let devices = serde_json::from_str(&measures).map_err(|error| Problem::internal(&error))?;
        let mode =
            serde_json::from_value(mode.into()).map_err(|error| Problem::internal(&error))?;
        Ok(Self { id, at, mode, findings, devices })
    }
}

/// Records by page, the page checked last first.
pub(super) fn by_page(records: Vec<CheckRecord>) -> Result<Vec<CheckedPage>, Problem> {
    let mut pages: Vec<CheckedPage> = Vec::new();
    for record in records {
        let at = pages.iter().position(|known| known.page == record.page);
        let mut page = at.map_or_else(
            || CheckedPage { page: record.page.clone(), history: Vec::new() },
            |at| pages.remove(at),
        );
        page.history.push(CheckResponse::of(record)?);
        pages.push(page);
    }
    pages.reverse();
    Ok(pages)
}

/// A record and a report of its own for each page of a report.
pub(super) fn records(report: Report) -> Result<Vec<(CheckRecord, String)>, Problem> {
    let Report {
        version,
        kivet,
        at,
        mode,
        runs,
        throttled,
        devices,
        pages,
        failures: _,
        thumbnails,
    } = report;
    let record = |page: PageReport| {
        let rows = page.devices.iter().flat_map(|device| {
            device.pictures.iter().map(|row| thumbnail_key(&device.device, &row.url))
        });
        let thumbnails =
            rows.filter_map(|key| Some((key.clone(), thumbnails.get(&key)?.clone()))).collect();
        let measures: Vec<DeviceMeasures> = page.devices.iter().map(DeviceMeasures::of).collect();
        let record = CheckRecord {
            id: 0,
            page: page.page.clone(),
            at: at as i64,
            mode: mode.name().to_owned(),
            findings: page.findings.len() as u32,
            measures: serde_json::to_string(&measures)
                .map_err(|error| Problem::internal(&error))?,
        };
        let alone = Report {
            version,
            kivet: kivet.clone(),
            at,
            mode,
            runs,
            throttled,
            devices: devices.clone(),
            pages: vec![page],
            failures: Vec::new(),
            thumbnails,
        };
        Ok((record, serde_json::to_string(&alone).map_err(|error| Problem::internal(&error))?))
    };
    pages.into_iter().map(record).collect()
}
