//! Curves, by the hash of an original's bytes and format: the same picture on two shelves is measured once.

use kivet_recipe::{Curves, Format, Measured};
use rusqlite::params;

use crate::{Records, StoreError};

impl Records {
    /// The curves of the original whose bytes have `hash`; empty if it was not measured.
    ///
    /// # Errors
    /// If the database cannot be read.
    pub fn curves(&self, hash: &str) -> Result<Curves, StoreError> {
        let connection = self.connection()?;
        let mut found = connection.prepare_cached("SELECT format, measured FROM curves WHERE hash = ?1")?;
        let rows = found.query_map(params![hash], |row| Ok((row.get::<_, String>(0)?, row.get::<_, String>(1)?)))?;
        let mut curves = Curves::default();
        for row in rows {
            let (format, measured) = row?;
            // What an older version wrote in another form is measured anew.
            if let (Some(format), Ok(measured)) = (Format::from_name(&format), serde_json::from_str(&measured)) {
                curves.0.insert(format, measured);
            }
        }
        Ok(curves)
    }

    /// Keeps what is known of one original in one format.
    ///
    /// # Errors
    /// If the database cannot be written.
    pub fn keep_curve(&self, hash: &str, format: Format, measured: &Measured) -> Result<(), StoreError> {
        let text =
            serde_json::to_string(measured).map_err(|source| StoreError::Unreadable { what: "a curve", source })?;
        self.connection()?
            .prepare_cached("INSERT OR REPLACE INTO curves (hash, format, measured) VALUES (?1, ?2, ?3)")?
            .execute(params![hash, format.name(), text])?;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use kivet_recipe::{Curve, Facts, Kind, Sample, Scale, Size, plan_for};

    use super::*;

    #[test]
    fn curves_come_back_as_they_were_kept() {
        let folder = tempfile::tempdir().expect("a folder");
        let records = Records::open(&folder.path().join("records.db")).expect("opened");
        let facts = Facts::plain(Format::Jpeg, Size::new(4000, 3000), Kind::Photo);
        let scale = Scale::of(&plan_for(&"640w".parse().expect("a recipe"), &facts));
        let samples = vec![Sample { setting: 62.0, fidelity: 70.25, bytes: 0.0625 }];
        let measured = Measured {
            curves: vec![Curve { scale, slow_samples: samples.clone(), samples, lossless: Some(0.8) }],
            ..Measured::default()
        };
        records.keep_curve("aa", Format::Avif, &Measured::default()).expect("kept");
        records.keep_curve("aa", Format::Avif, &measured).expect("kept again");
        let curves = records.curves("aa").expect("asked");
        assert_eq!(curves, Curves([(Format::Avif, measured)].into()));
        assert_eq!(records.curves("bb").expect("asked"), Curves::default());
    }
}
