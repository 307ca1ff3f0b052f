//! Places as TOML, for version control.

use std::collections::BTreeMap;

use kivet_page::PlaceDocument;
use serde::ser::Error as _;
use serde_json::Value;

/// Places by name as the file that `kivet place import` reads.
///
/// # Errors
/// If one cannot be written as TOML.
pub fn places_as_toml<'a>(
    places: impl IntoIterator<Item = (&'a str, &'a PlaceDocument)>,
) -> Result<String, ::toml::ser::Error> {
    let tables = places.into_iter().map(|(name, place)| {
        let place = serde_json::to_value(place).map_err(::toml::ser::Error::custom)?;
        Ok((name, with_file_names(place)))
    });
    let tables: BTreeMap<&str, Value> = tables.collect::<Result<_, ::toml::ser::Error>>()?;
    ::toml::to_string_pretty(&tables)
}

/// Keys as files write them: `density-cap` for `densityCap`.
fn with_file_names(value: Value) -> Value {
    match value {
        Value::Object(entries) => {
            let name = |key: &str| {
                key.chars().fold(String::new(), |mut name, c| {
                    if c.is_ascii_uppercase() {
                        name.push('-');
                    }
                    name.push(c.to_ascii_lowercase());
                    name
                })
            };
            let renamed =
                entries.into_iter().map(|(key, value)| (name(&key), with_file_names(value)));
            Value::Object(renamed.collect())
        }
        Value::Array(values) => Value::Array(values.into_iter().map(with_file_names).collect()),
        other => other,
    }
}
