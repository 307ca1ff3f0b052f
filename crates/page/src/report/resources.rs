//! Every request of a page on a device, not only those for pictures.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::DeviceReport;
use crate::observation::{Observation, Request, ResourceType, Started};

/// One request.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct ResourceRow {
    /// Its URL, after redirects.
    pub url: String,
    /// Its kind.
    pub kind: ResourceType,
    /// HTTP status; 0 if there was no response.
    pub status: i64,
    /// Bytes over the wire, headers included.
    pub bytes: u64,
    /// The priority it was requested with, in the browser's word.
    pub priority: String,
    /// When it was requested, in milliseconds from the start of the visit.
    pub start_ms: f64,
    /// When its response began; 0 if there was none.
    pub response_ms: f64,
    /// When its last byte arrived; 0 if it did not.
    pub end_ms: f64,
    /// The kind of its initiator.
    pub started: Started,
    /// The URL of the stylesheet, script or document that requested it.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub started_by: String,
    /// True if it was requested before scrolling.
    pub before_scroll: bool,
    /// True if the page was not painted before it ended.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub blocks_rendering: bool,
}

/// The requests of one kind, or from one host.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct RequestSum {
    /// Requests.
    pub requests: u32,
    /// Their bytes over the wire.
    pub bytes: u64,
}

impl ResourceRow {
    fn of(request: &Request) -> Self {
        Self {
            url: request.url.clone(),
            kind: request.resource,
            status: request.status,
            bytes: request.bytes,
            priority: request.priority.clone(),
            start_ms: request.start_ms.round(),
            response_ms: request.answer_ms.round(),
            end_ms: request.end_ms.round(),
            started: request.started,
            started_by: request.started_by.clone(),
            before_scroll: request.before_scroll,
            blocks_rendering: request.blocks_rendering,
        }
    }

    /// The host of its URL; empty for files of the page's own server.
    pub fn host(&self) -> &str {
        let after = self.url.split_once("://").map_or("", |(_, after)| after);
        after.split(['/', '?', '#']).next().unwrap_or_default()
    }

    /// The last segment of its path, or its host.
    pub fn name(&self) -> &str {
        let path = self.url.split(['?', '#']).next().unwrap_or_default();
        let last = path.trim_end_matches('/').rsplit('/').next().unwrap_or_default();
        if last.is_empty() { &self.url } else { last }
    }
}

/// The requests of a visit in the order they were made; none in text, where only pictures are known.
pub(super) fn resources(page: &Observation) -> Vec<ResourceRow> {
    if page.measured { page.requests.iter().map(ResourceRow::of).collect() } else { Vec::new() }
}

impl DeviceReport {
    /// Requests and bytes of each kind that was requested.
    pub fn kinds(&self) -> BTreeMap<ResourceType, RequestSum> {
        self.summed(|row| row.kind)
    }

    /// Requests and bytes of each host, the heaviest first.
    pub fn hosts(&self) -> Vec<(&str, RequestSum)> {
        let mut hosts: Vec<_> = self.summed(ResourceRow::host).into_iter().collect();
        hosts.sort_by_key(|(_, sum)| std::cmp::Reverse(sum.bytes));
        hosts
    }

    fn summed<'a, K: Ord>(&'a self, key: impl Fn(&'a ResourceRow) -> K) -> BTreeMap<K, RequestSum> {
        let mut sums: BTreeMap<K, RequestSum> = BTreeMap::new();
        for row in &self.resources {
            let sum = sums.entry(key(row)).or_default();
            (sum.requests, sum.bytes) = (sum.requests + 1, sum.bytes + row.bytes);
        }
        sums
    }
}
