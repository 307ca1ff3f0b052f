//! `kivet place`.

use std::{collections::BTreeMap, path::PathBuf, process::ExitCode};

use anyhow::{Context, Result};
use clap::Subcommand;
use kivet_page::PlaceDocument;
use kivet_service::{PlaceList, PlaceResponse};
use reqwest::Method;
use serde_json::Value;

use crate::{client::Reach, output};

/// See and set the places pictures appear in.
#[derive(clap::Args)]
pub struct Place {
    #[command(subcommand)]
    what: What,
}

#[derive(Subcommand)]
enum What {
    /// List all places.
    List {
        #[command(flatten)]
        reach: Reach,
    },
    /// Print one place as TOML.
    Show {
        /// The place.
        name: String,
        #[command(flatten)]
        reach: Reach,
    },
    /// Make a place, or change what is named of it.
    Set(Box<Set>),
    /// Remove a place; recipes that name it are refused from then on.
    Remove {
        /// The place.
        name: String,
        #[command(flatten)]
        reach: Reach,
    },
    /// Write all places as TOML, for version control.
    Export {
        /// The file; standard output if left out.
        file: Option<PathBuf>,
        #[command(flatten)]
        reach: Reach,
    },
    /// Read places from TOML, all or none; those it does not name stay.
    Import {
        /// The file.
        file: PathBuf,
        #[command(flatten)]
        reach: Reach,
    },
}

/// Make a place, or change what is named of it; the word `default` takes a setting back.
#[derive(clap::Args)]
struct Set {
    /// The place: a-z, 0-9 and -.
    name: String,
    /// How wide pictures are shown: the sizes attribute.
    #[arg(long, value_name = "LENGTHS")]
    sizes: Option<String>,
    /// Their aspect ratio, such as 3/2.
    #[arg(long, value_name = "RATIO")]
    ratio: Option<String>,
    /// CSS object-fit: cover, contain, fill or scale-down.
    #[arg(long, value_name = "FIT")]
    fit: Option<String>,
    /// What cover keeps: 30-40 in percent, top, focus or subject.
    #[arg(long, value_name = "POSITION")]
    position: Option<String>,
    /// The fidelity target at density 1.
    #[arg(long, value_name = "1-100")]
    fidelity: Option<String>,
    /// The highest density whose pixels are followed.
    #[arg(long, value_name = "1-4")]
    density_cap: Option<String>,
    /// first, near, later or hidden.
    #[arg(long, value_name = "WHEN")]
    loading: Option<String>,
    /// none, flat, soft, or the path or URL of a picture.
    #[arg(long, value_name = "WHAT")]
    placeholder: Option<String>,
    /// Whether the layout gives pictures a definite width: sizes="auto, ..." for lazy ones.
    #[arg(long, value_name = "true|false")]
    auto_sizes: Option<bool>,
    /// Whether pictures are never shown wider than their natural width, as with max-width: 100%.
    #[arg(long, value_name = "true|false")]
    natural_cap: Option<bool>,
    #[command(flatten)]
    reach: Reach,
}

impl Place {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        match self.what {
            What::List { reach } => {
                let places: Vec<PlaceResponse> = reach.call(Method::GET, "/api/places", &[])?;
                output::print(json, &places, |places| listed(places))?;
            }
            What::Show { name, reach } => {
                let place: PlaceResponse = reach.call(Method::GET, &path(&name), &[])?;
                let text = toml_of([&place])?;
                output::print(json, &place, |_| text)?;
            }
            What::Set(set) => {
                let place = set.send()?;
                let text = toml_of([&place])?;
                output::print(json, &place, |_| text)?;
            }
            What::Remove { name, reach } => {
                reach.delete(&path(&name))?;
                output::print(json, &Value::Null, |_| format!("removed the place {name}"))?;
            }
            What::Export { file, reach } => {
                let places: Vec<PlaceResponse> = reach.call(Method::GET, "/api/places", &[])?;
                let text = toml_of(&places)?;
                match file {
                    Some(file) => {
                        std::fs::write(&file, text)
                            .with_context(|| format!("cannot write {}", file.display()))?;
                        let done = format!("{} places in {}", places.len(), file.display());
                        output::print(json, &places, |_| done)?;
                    }
                    None => output::print(json, &places, |_| text)?,
                }
            }
            What::Import { file, reach } => {
                let text = std::fs::read_to_string(&file)
                    .with_context(|| format!("cannot read {}", file.display()))?;
                let places: BTreeMap<String, PlaceDocument> = toml::from_str(&text)
                    .with_context(|| format!("{} does not hold places", file.display()))?;
                let kept: Vec<PlaceResponse> = reach.post("/api/places", &PlaceList { places })?;
                output::print(json, &kept, |places| listed(places))?;
            }
        }
        Ok(ExitCode::SUCCESS)
    }
}

impl Set {
    /// Changes what is named of the place as it is, or of none.
    fn send(self) -> Result<PlaceResponse> {
        let Self {
            name,
            sizes,
            ratio,
            fit,
            position,
            fidelity,
            density_cap,
            loading,
            placeholder,
            auto_sizes,
            natural_cap,
            reach,
        } = self;
        let all: Vec<PlaceResponse> = reach.call(Method::GET, "/api/places", &[])?;
        let mut place = match (all.into_iter().find(|known| known.name == name), &sizes) {
            (Some(known), _) => known.place,
            (None, Some(_)) => PlaceDocument::default(),
            (None, None) => anyhow::bail!(
                "the place `{name}` is new and needs --sizes, such as --sizes '(min-width: 60em) 33vw, 100vw'"
            ),
        };
        place.sizes = sizes.unwrap_or(place.sizes);
        change(&mut place.ratio, ratio)?;
        change(&mut place.fit, fit)?;
        change(&mut place.position, position)?;
        change(&mut place.fidelity, fidelity)?;
        change(&mut place.density_cap, density_cap)?;
        change(&mut place.loading, loading)?;
        change(&mut place.placeholder, placeholder)?;
        place.auto_sizes = auto_sizes.unwrap_or(place.auto_sizes);
        place.natural_cap = natural_cap.unwrap_or(place.natural_cap);
        reach.put(&path(&name), &place)
    }
}

/// Sets what was named; `default` takes it back.
fn change<T>(slot: &mut Option<T>, word: Option<String>) -> Result<()>
where
    T: std::str::FromStr,
    T::Err: std::fmt::Display,
{
    match word.as_deref() {
        None => {}
        Some("default") => *slot = None,
        Some(word) => {
            let value = word.parse().map_err(|error| anyhow::anyhow!("`{word}`: {error}"))?;
            *slot = Some(value);
        }
    }
    Ok(())
}

fn path(name: &str) -> String {
    let plain = percent_encoding::utf8_percent_encode(name, percent_encoding::NON_ALPHANUMERIC);
    format!("/api/places/{plain}")
}

fn listed(places: &[PlaceResponse]) -> String {
    if places.is_empty() {
        return "no place yet; make one: kivet place set card --sizes '(min-width: 60em) 33vw, 100vw' --ratio 3/2".to_owned();
    }
    let rows: Vec<String> = places
        .iter()
        .map(|PlaceResponse { name, revision: _, recipe, place }| {
            let loading = place.loading.as_deref().unwrap_or("later");
            format!(
                "{name:<14} {loading:<7} {:<24} {}",
                Some(recipe.as_str())
                    .filter(|recipe| !recipe.is_empty())
                    .unwrap_or("its own shape"),
                place.sizes
            )
        })
        .collect();
    rows.join("\n")
}

/// Places as the file that `kivet place import` reads.
fn toml_of<'a>(places: impl IntoIterator<Item = &'a PlaceResponse>) -> Result<String> {
    let places = places.into_iter().map(|kept| (kept.name.as_str(), &kept.place));
    Ok(kivet_service::places_as_toml(places)?)
}
