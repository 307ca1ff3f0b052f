//! The curves of originals: memory over the records. Calls block.

use std::sync::Arc;

use kivet_image::encoder_revision;
use kivet_recipe::{Curves, Format};
use kivet_store::{Records, StoreError};
use moka::sync::Cache;

use crate::{revision::Revision, shelves::Original};

/// Originals whose curves are kept in memory.
const CURVES_IN_MEMORY: u64 = 20_000;

/// The curves by the hash of an original's bytes. Cheap to clone.
#[derive(Clone)]
pub(super) struct CurveStore {
    memory: Cache<String, Arc<Curves>>,
    records: Records,
    revision: Revision,
}

impl CurveStore {
    pub(super) fn new(records: Records, revision: Revision) -> Self {
        Self { memory: Cache::new(CURVES_IN_MEMORY), records, revision }
    }

    /// What is known of an original's curves, if memory has it.
    pub(super) fn in_memory(&self, original: &Original) -> Option<Arc<Curves>> {
        self.memory.get(&original.record.hash)
    }

    /// What is known of an original's curves; empty before it was measured by encoders as they are
    /// set today.
    pub(super) fn known(&self, original: &Original) -> Arc<Curves> {
        let hash = &original.record.hash;
        self.memory.get_with_by_ref(hash, || match self.records.curves(hash, encoder_revision) {
            Ok(curves) => Arc::new(curves),
            Err(error) => {
                tracing::warn!(original = %original.id, error = %crate::causes(&error), "curves cannot be read; the prior serves");
                Arc::default()
            }
        })
    }

    /// Keeps what is known of some formats, and takes it into use.
    pub(super) fn keep(
        &self,
        original: &Original,
        curves: Curves,
        formats: &[Format],
    ) -> Result<(), StoreError> {
        let hash = &original.record.hash;
        for format in formats {
            if let Some(measured) = curves.0.get(format) {
                self.records.keep_curve(hash, *format, encoder_revision(*format), measured)?;
            }
        }
        self.memory.insert(hash.clone(), Arc::new(curves));
        self.revision.advance();
        Ok(())
    }
}
