//! The `[policy]` table: a policy to start from, and single settings over it.

use kivet_recipe::{Fidelity, Format, Formats, Gamut, Policy, Recipe};
use toml::{Spanned, de::DeValue};

use super::read::{ConfigError, Entry, Reader};

const POLICY_KEYS: [&str; 9] = [
    "aim",
    "fidelity",
    "formats",
    "surplus",
    "improve",
    "density-step",
    "save-data-step",
    "gamut",
    "sharpen",
];
const AIMS: [&str; 2] = ["fewest-bytes", "least-work"];
const GAMUTS: [&str; 2] = ["srgb", "display-p3"];
const FORMATS: [&str; 5] = ["avif", "jxl", "webp", "jpeg", "png"];

impl Reader<'_> {
    pub(super) fn policy(&self, entry: Entry<'_, '_>) -> Result<Policy, ConfigError> {
        let table = self.table(entry)?;
        let mut policy = match table.get("aim").map(|aim| self.one_of(aim, &AIMS)).transpose()? {
            Some("least-work") => Policy::LEAST_WORK,
            _ => Policy::FEWEST_BYTES,
        };
        policy.jxl = kivet_image::JXL;
        for (key, value) in table {
            match key.get_ref().as_ref() {
                "aim" => {}
                "fidelity" => {
                    policy.fidelity =
                        Fidelity::new(self.percent(key, value)?).unwrap_or(policy.fidelity)
                }
                "formats" => policy.formats = self.formats(value)?,
                "surplus" => policy.surplus = self.up_to_100(key, value)?,
                "improve" => policy.improve = self.flag(key, value)?,
                "density-step" => policy.density_step = self.up_to_100(key, value)?,
                "save-data-step" => policy.save_data_step = self.up_to_100(key, value)?,
                "gamut" => {
                    policy.gamut = match self.one_of(value, &GAMUTS)? {
                        "display-p3" => Gamut::DisplayP3,
                        _ => Gamut::Srgb,
                    }
                }
                "sharpen" => policy.sharpen = self.percent(key, value)?.into(),
                _ => return Err(self.unknown(key, &POLICY_KEYS)),
            }
        }
        Ok(policy)
    }

    fn formats(&self, value: &Spanned<DeValue<'_>>) -> Result<Formats, ConfigError> {
        let names = self.list(value)?.iter().map(|name| self.one_of(name, &FORMATS));
        let formats: Vec<&str> = names.collect::<Result<_, _>>()?;
        Ok(Formats::of(formats.into_iter().filter_map(Format::from_name)))
    }

    pub(super) fn recipes(&self, value: &Spanned<DeValue<'_>>) -> Result<Vec<Recipe>, ConfigError> {
        let read = |entry: &Spanned<DeValue<'_>>| {
            let recipe = self.string(entry)?.parse::<Recipe>();
            recipe.map_err(|error| self.complain(entry.span().start, &error.to_string()))
        };
        self.list(value)?.iter().map(read).collect()
    }

    fn list<'a, 'b>(
        &self,
        value: &'b Spanned<DeValue<'a>>,
    ) -> Result<&'b [Spanned<DeValue<'a>>], ConfigError> {
        let complaint = || {
            self.complain(value.span().start, "a list is wanted here, such as [\"one\", \"two\"]")
        };
        value.get_ref().as_array().map(|list| &**list).ok_or_else(complaint)
    }

    fn up_to_100(
        &self,
        key: &Spanned<std::borrow::Cow<'_, str>>,
        value: &Spanned<DeValue<'_>>,
    ) -> Result<u8, ConfigError> {
        let number = value.get_ref().as_integer().and_then(|number| number.as_str().parse().ok());
        number.filter(|number| (0..=100).contains(number)).ok_or_else(|| {
            self.complain(
                value.span().start,
                &format!("`{}` wants a whole number from 0 to 100", key.get_ref()),
            )
        })
    }

    pub(super) fn flag(
        &self,
        key: &Spanned<std::borrow::Cow<'_, str>>,
        value: &Spanned<DeValue<'_>>,
    ) -> Result<bool, ConfigError> {
        let wanted = || {
            self.complain(value.span().start, &format!("`{}` wants true or false", key.get_ref()))
        };
        value.get_ref().as_bool().ok_or_else(wanted)
    }
}
