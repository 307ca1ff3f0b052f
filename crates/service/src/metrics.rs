//! Counters, in the Prometheus text format. One registry a service, so that several can run in one process.

use kivet_recipe::Format;
use prometheus::{Histogram, HistogramOpts, IntCounterVec, IntGauge, Opts, Registry, TextEncoder};

use crate::pipeline::{Source, Spent};

/// The service's counters. Cheap to clone.
#[derive(Clone)]
pub struct Metrics {
    registry: Registry,
    answers: IntCounterVec,
    sources: IntCounterVec,
    made: IntCounterVec,
    made_bytes: IntCounterVec,
    under_way: IntGauge,
    background: IntGauge,
    queued: Histogram,
    work: Histogram,
}

impl Metrics {
    /// Fresh counters.
    ///
    /// # Errors
    /// If a name is given twice, which is a mistake in this file.
    pub fn new() -> Result<Self, prometheus::Error> {
        let registry = Registry::new();
        let counter = |name: &str, help: &str, label: &str| {
            let counter = IntCounterVec::new(Opts::new(name, help), &[label])?;
            registry.register(Box::new(counter.clone()))?;
            Ok::<_, prometheus::Error>(counter)
        };
        let seconds = |name: &str, help: &str| {
            let buckets = prometheus::exponential_buckets(0.001, 2.0, 15)?;
            let histogram = Histogram::with_opts(HistogramOpts::new(name, help).buckets(buckets))?;
            registry.register(Box::new(histogram.clone()))?;
            Ok::<_, prometheus::Error>(histogram)
        };
        let under_way = IntGauge::new("kivet_renditions_under_way", "Renditions being computed now.")?;
        registry.register(Box::new(under_way.clone()))?;
        let background = IntGauge::new("kivet_background_tasks", "Curves and final renditions still to be made.")?;
        registry.register(Box::new(background.clone()))?;
        Ok(Self {
            under_way,
            background,
            answers: counter("kivet_picture_responses_total", "Answers to picture requests.", "status")?,
            sources: counter("kivet_rendition_sources_total", "Where sent renditions came from.", "source")?,
            made: counter("kivet_renditions_made_total", "Renditions computed.", "format")?,
            made_bytes: counter("kivet_renditions_made_bytes_total", "Bytes of renditions computed.", "format")?,
            queued: seconds("kivet_rendition_queued_seconds", "Time renditions waited for a core.")?,
            work: seconds("kivet_rendition_work_seconds", "Time renditions took to draw and encode.")?,
            registry,
        })
    }

    /// Counts an answer to a picture request.
    pub fn answered(&self, status: u16) {
        self.answers.with_label_values(&[&status.to_string()]).inc();
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

    /// Counts a rendition as under way until the answer is dropped.
    pub fn begun(&self) -> UnderWay {
        self.under_way.inc();
        UnderWay(self.under_way.clone())
    }

    /// Counts a computed rendition.
    pub fn made(&self, format: Format, bytes: usize, spent: Spent) {
        self.made.with_label_values(&[format.name()]).inc();
        self.made_bytes.with_label_values(&[format.name()]).inc_by(bytes as u64);
        self.queued.observe(spent.queued.as_secs_f64());
        self.work.observe((spent.work.draw + spent.work.encode).as_secs_f64());
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
