//! Curves, by the hash of an original's bytes and format: the same picture on two shelves is
//! measured once.

use kivet_recipe::{Curves, Format, Measured};
use rusqlite::params;

use crate::{Records, StoreError};

impl Records {
    /// The curves of the original whose bytes have `hash`, of encoders at the revision that
    /// `revision` gives; empty if it was not measured, or by other encoders.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn curves(
        &self,
        hash: &str,
        revision: impl Fn(Format) -> u32,
    ) -> Result<Curves, StoreError> {
        let connection = self.connection()?;
        let mut found = connection
            .prepare_cached("SELECT format, revision, measured FROM curves WHERE hash = ?1")?;
        let rows = found.query_map(params![hash], |row| {
            Ok((row.get::<_, String>(0)?, row.get::<_, u32>(1)?, row.get::<_, String>(2)?))
        })?;
        let mut curves = Curves::default();
        for row in rows {
            let (format, measured_at, measured) = row?;
            // What an older version wrote in another form is measured anew.
            if let (Some(format), Ok(measured)) =
                (Format::from_name(&format), serde_json::from_str(&measured))
                && measured_at == revision(format)
            {
                curves.0.insert(format, measured);
            }
        }
        Ok(curves)
    }

    /// Keeps what is known of one original in one format, as measured by its encoder at `revision`.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn keep_curve(
        &self,
        hash: &str,
        format: Format,
        revision: u32,
        measured: &Measured,
    ) -> Result<(), StoreError> {
        let text = serde_json::to_string(measured)
            .map_err(|source| StoreError::Unreadable { what: "a curve", source })?;
        self.connection()?
            .prepare_cached("INSERT OR REPLACE INTO curves (hash, format, revision, measured) VALUES (?1, ?2, ?3, ?4)")?
            .execute(params![hash, format.name(), revision, text])?;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use kivet_recipe::{
        BytesPerPixel, Curve, Facts, Sample, Scale, Score, Setting, Size, Storage, plan_for,
    };

    use super::*;

    #[test]
    fn curves_come_back_as_they_were_kept() {
        let folder = tempfile::tempdir().expect("a folder");
        let records = Records::open(&folder.path().join("records.db")).expect("opened");
        let facts = Facts::plain(Format::Jpeg, Size::new(4000, 3000), Storage::Lossy);
        let scale = Scale::of(&plan_for(&"640w".parse().expect("a recipe"), &facts));
        let bytes_per_pixel = BytesPerPixel::new(0.0625);
        let sample = Sample {
            setting: Setting::nearest_to(62.0),
            score: Score::new(70.25),
            bytes_per_pixel,
        };
        let samples = vec![sample];
        let measured = Measured {
            curves: vec![Curve {
                scale,
                slow_samples: samples.clone(),
                samples,
                lossless: Some(BytesPerPixel::new(0.8125)),
            }],
            ..Measured::default()
        };
        records.keep_curve("aa", Format::Avif, 3, &Measured::default()).expect("kept");
        records.keep_curve("aa", Format::Avif, 3, &measured).expect("kept again");
        let curves = records.curves("aa", |_| 3).expect("asked");
        assert_eq!(curves, Curves([(Format::Avif, measured)].into()));
        assert_eq!(
            records.curves("aa", |_| 4).expect("asked"),
            Curves::default(),
            "measured by another encoder"
        );
        assert_eq!(records.curves("bb", |_| 3).expect("asked"), Curves::default());
    }
}
