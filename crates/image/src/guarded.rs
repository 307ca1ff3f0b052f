//! Codecs that panic on a file: the file is damaged then, and nothing else is.

use std::panic::{AssertUnwindSafe, catch_unwind};

use kivet_recipe::{Format, Size};

use crate::{ImageError, RowSource};

/// What `work` on a file of that format gives. What it was working on is not used again after a
/// panic, so that nothing half changed is seen.
pub(crate) fn guarded<T>(
    format: Format,
    work: impl FnOnce() -> Result<T, ImageError>,
) -> Result<T, ImageError> {
    let done = catch_unwind(AssertUnwindSafe(work));
    done.unwrap_or_else(|_| Err(ImageError::damaged(format, "its decoder broke down on it")))
}

/// Rows of a codec that may panic.
pub(crate) struct Guarded<'a> {
    pub(crate) rows: Box<dyn RowSource + 'a>,
    pub(crate) format: Format,
}

impl RowSource for Guarded<'_> {
    fn size(&self) -> Size {
        self.rows.size()
    }

    fn scale(&self) -> (f64, f64) {
        self.rows.scale()
    }

    fn next_row(&mut self, row: &mut [f32]) -> Result<(), ImageError> {
        guarded(self.format, || self.rows.next_row(row))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    struct Broken;

    impl RowSource for Broken {
        fn size(&self) -> Size {
            Size::new(1, 1)
        }

        #[allow(clippy::panic)]
        fn next_row(&mut self, _: &mut [f32]) -> Result<(), ImageError> {
            panic!("a mistake in a decoder")
        }
    }

    #[test]
    fn a_panic_is_a_damaged_file() {
        let mut rows = Guarded { rows: Box::new(Broken), format: Format::Tiff };
        let error = rows.next_row(&mut [0.0; 4]).expect_err("it panics");
        assert!(matches!(error, ImageError::Damaged { format: Format::Tiff, .. }), "{error}");
    }
}
