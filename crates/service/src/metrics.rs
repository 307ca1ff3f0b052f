//! Counters, in the Prometheus text format. One registry a service, so that several can run in one
//! process.

use axum::http::StatusCode;
use kivet_recipe::Format;
use prometheus::{Histogram, HistogramOpts, IntCounterVec, IntGauge, Opts, Registry, TextEncoder};

use crate::pipeline::{MadeTimings, Source};

/// The service's counters. Cheap to clone.
#[derive(Clone)]
pub struct Metrics {
    registry: Registry,
    responses: IntCounterVec,
    sources: IntCounterVec,
    made: IntCounterVec,
    made_bytes: IntCounterVec,
    store_failures: IntCounterVec,
    evicted: IntCounterVec,
    held: IntGauge,
    recovered: IntGauge,
    under_way: IntGauge,
    background: IntGauge,
    queued: Histogram,
    work: Histogram,
}

/// One counter, gauge or histogram.
struct Description {
    name: &'static str,
    help: &'static str,
    /// The label that tells its values apart; none for gauges and histograms.
    label: &'static str,
}

const RECOVERED: Description = Description {
    name: "kivet_records_recovered",
    help: "1 if the records were broken, empty or missing at the start and were recovered.",
    label: "",
};
const UNDER_WAY: Description = Description {
    name: "kivet_renditions_under_way",
    help: "Renditions being made now.",
    label: "",
};
const BACKGROUND: Description = Description {
    name: "kivet_background_tasks",
    help: "Curves and final renditions still to be made.",
    label: "",
};
const RESPONSES: Description = Description {
    name: "kivet_picture_responses_total",
    help: "Responses to picture requests.",
    label: "status",
};
const SOURCES: Description = Description {
    name: "kivet_rendition_sources_total",
    help: "Where sent renditions came from.",
    label: "source",
};
const MADE: Description =
    Description { name: "kivet_renditions_made_total", help: "Renditions made.", label: "format" };
const MADE_BYTES: Description = Description {
    name: "kivet_renditions_made_bytes_total",
    help: "Bytes of renditions made.",
    label: "format",
};
const EVICTED: Description = Description {
    name: "kivet_renditions_evicted_total",
    help: "Renditions removed from disk, by the limit that they were above.",
    label: "reason",
};
const HELD: Description = Description {
    name: "kivet_renditions_held_bytes",
    help: "Bytes of the renditions on disk.",
    label: "",
};
const STORE_FAILURES: Description = Description {
    name: "kivet_storage_failures_total",
    help: "Times that records, blobs or backups could not be read or written; pictures are sent all the same.",
    label: "store",
};
const QUEUED: Description = Description {
    name: "kivet_rendition_queued_seconds",
    help: "Time renditions waited for a core.",
    label: "",
};
const WORK: Description = Description {
    name: "kivet_rendition_work_seconds",
    help: "Time renditions took to draw and encode.",
    label: "",
};

/// `docs/reference/metrics.md`.
#[cfg(test)]
pub(crate) fn reference() -> String {
    let mut text = String::from(
        "# Metrics\n\n`/metrics` speaks the Prometheus text format, with the token or at the admin listener.\n\n| name | kind | \
         label | what |\n| --- | --- | --- | --- |\n",
    );
    for Description { name, help, label } in [
        RESPONSES,
        SOURCES,
        MADE,
        MADE_BYTES,
        STORE_FAILURES,
        EVICTED,
        HELD,
        RECOVERED,
        UNDER_WAY,
        BACKGROUND,
        QUEUED,
        WORK,
    ] {
        let kind = match name {
            _ if name.ends_with("_total") => "counter",
            _ if name.ends_with("_seconds") => "histogram",
            _ => "gauge",
        };
        let label = if label.is_empty() { String::new() } else { format!("`{label}`") };
        text.push_str(&format!("| `{name}` | {kind} | {label} | {help} |\n"));
    }
    text
}

impl Metrics {
    /// What a store was asked for, or nothing if it failed: a viewer's picture does not hang on it.
    pub fn of_store<T, E: std::error::Error>(
        &self,
        store: &str,
        what: &str,
        outcome: Result<T, E>,
    ) -> Option<T> {
        outcome
            .inspect_err(|error| {
                self.store_failures.with_label_values(&[store]).inc();
                let error = crate::causes(error);
                tracing::error!(
                    store,
                    what,
                    error,
                    "a store failed; pictures are sent all the same"
                );
            })
            .ok()
    }

    /// Fresh counters.
    ///
    /// # Errors
    /// If a name is given twice, which is a mistake in this file.
    pub fn new() -> Result<Self, prometheus::Error> {
        let registry = Registry::new();
        let counter = |Description { name, help, label }: Description| {
            let counter = IntCounterVec::new(Opts::new(name, help), &[label])?;
            registry.register(Box::new(counter.clone()))?;
            Ok::<_, prometheus::Error>(counter)
        };
        let seconds = |Description { name, help, .. }: Description| {
            let buckets = prometheus::exponential_buckets(0.001, 2.0, 15)?;
            let histogram = Histogram::with_opts(HistogramOpts::new(name, help).buckets(buckets))?;
            registry.register(Box::new(histogram.clone()))?;
            Ok::<_, prometheus::Error>(histogram)
        };
        let recovered = IntGauge::new(RECOVERED.name, RECOVERED.help)?;
        registry.register(Box::new(recovered.clone()))?;
        let under_way = IntGauge::new(UNDER_WAY.name, UNDER_WAY.help)?;
        registry.register(Box::new(under_way.clone()))?;
        let held = IntGauge::new(HELD.name, HELD.help)?;
        registry.register(Box::new(held.clone()))?;
        let background = IntGauge::new(BACKGROUND.name, BACKGROUND.help)?;
        registry.register(Box::new(background.clone()))?;
        Ok(Self {
            recovered,
            under_way,
            background,
            responses: counter(RESPONSES)?,
            sources: counter(SOURCES)?,
            made: counter(MADE)?,
            made_bytes: counter(MADE_BYTES)?,
            store_failures: counter(STORE_FAILURES)?,
            evicted: counter(EVICTED)?,
            held,
            queued: seconds(QUEUED)?,
            work: seconds(WORK)?,
            registry,
        })
    }

    /// Counts a rendition that was removed from disk.
    pub fn evicted(&self, reason: &str) {
        self.evicted.with_label_values(&[reason]).inc();
    }

    /// Says how many bytes the renditions on disk have.
    pub fn holds(&self, bytes: u64) {
        self.held.set(i64::try_from(bytes).unwrap_or(i64::MAX));
    }

    /// Says whether the records come from a backup.
    pub fn recovered(&self, are_recovered: bool) {
        self.recovered.set(i64::from(are_recovered));
    }

    /// Counts a response to a picture request.
    pub fn responded(&self, status: StatusCode) {
        self.responses.with_label_values(&[status.as_str()]).inc();
    }

    /// Counts where a rendition came from.
    pub fn found(&self, source: Source) {
        let name = match source {
            Source::Memory => "memory",
            Source::Disk => "disk",
            Source::Made(_) => "made",
            Source::Joined => "joined",
            Source::Nearest => "nearest",
        };
        self.sources.with_label_values(&[name]).inc();
    }

    /// Counts a rendition as under way until the guard is dropped.
    pub fn begun(&self) -> UnderWay {
        self.under_way.inc();
        UnderWay(self.under_way.clone())
    }

    /// Counts a computed rendition.
    pub fn made(&self, format: Format, bytes: usize, timings: MadeTimings) {
        self.made.with_label_values(&[format.name()]).inc();
        self.made_bytes.with_label_values(&[format.name()]).inc_by(bytes as u64);
        self.queued.observe(timings.queued.as_secs_f64());
        self.work.observe((timings.work.draw + timings.work.encode).as_secs_f64());
    }

    /// Everything, as text; so many tasks of the background are left.
    ///
    /// # Errors
    /// If the encoder refuses.
    pub fn text(&self, background_tasks: usize) -> Result<String, prometheus::Error> {
        self.background.set(i64::try_from(background_tasks).unwrap_or(i64::MAX));
        TextEncoder::new().encode_to_string(&self.registry.gather())
    }
}

/// A rendition under way.
pub struct UnderWay(IntGauge);

impl Drop for UnderWay {
    fn drop(&mut self) {
        self.0.dec();
    }
}
