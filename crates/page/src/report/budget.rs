//! What a check may find without failing: codes, and limits on what a page sends and how fast it
//! paints.

use std::{fmt, str::FromStr};

use super::{DeviceReport, Mode, Report, percent};
use crate::Code;

/// What fails a check.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Budget {
    /// Findings of these codes.
    pub codes: Vec<Code>,
    /// Any finding.
    pub any: bool,
    /// Measures that are too high, or too low.
    pub limits: Vec<Limit>,
}

/// A measure and its bound: the minimum of `fit`, the maximum of all others.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Limit {
    measure: Measure,
    bound: f64,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Measure {
    Fit,
    Sent,
    Wasted,
    Requests,
    LargestMs,
    Shift,
}

impl Measure {
    const ALL: [(&'static str, Self); 6] = [
        ("fit", Self::Fit),
        ("sent", Self::Sent),
        ("wasted", Self::Wasted),
        ("requests", Self::Requests),
        ("largest", Self::LargestMs),
        ("shift", Self::Shift),
    ];

    fn name(self) -> &'static str {
        Self::ALL.iter().find(|(_, measure)| *measure == self).map_or("", |(name, _)| name)
    }

    /// A value with its unit.
    fn written(self, value: f64) -> String {
        match self {
            Self::Sent | Self::Wasted => kivet_recipe::Bytes::new(value as u64).to_string(),
            Self::Fit => percent(Some(value)),
            Self::Requests => format!("{value}"),
            Self::LargestMs => format!("{value:.0} ms"),
            Self::Shift => format!("{value:.3}"),
        }
    }

    /// The sign of conditions on it, as they are written.
    const fn sign(self) -> char {
        if matches!(self, Self::Fit) { '<' } else { '>' }
    }

    fn of(self, device: &DeviceReport) -> Option<f64> {
        Some(match self {
            Self::Fit => device.fit?,
            Self::Sent => device.sent as f64,
            Self::Wasted => device.sent.saturating_sub(device.needed) as f64,
            Self::Requests => f64::from(device.requests_before_scroll),
            Self::LargestMs => device.largest_ms?.median,
            Self::Shift => device.shift?.median,
        })
    }
}

/// A budget that cannot be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("`{word}` is not a condition of --fail-on{}; name a code (such as {}), `any`, or a limit such as fit<90, sent>300kB, wasted>50kB, requests>10, largest>2500ms, shift>0.1", nearest.map(|one| format!(", did you mean `{one}`?")).unwrap_or_default(), Code::MorePixels)]
pub struct BudgetError {
    /// As given.
    pub word: String,
    /// The code nearest to it.
    pub nearest: Option<&'static str>,
}

impl FromStr for Budget {
    type Err = BudgetError;

    /// Codes and limits joined by commas.
    fn from_str(text: &str) -> Result<Self, BudgetError> {
        let mut budget = Self::default();
        for word in text.split(',').map(str::trim).filter(|word| !word.is_empty()) {
            if word == "any" {
                budget.any = true;
            } else if let Some(limit) = limit(word) {
                budget.limits.push(limit);
            } else if let Some(code) = Code::named(word) {
                budget.codes.push(code);
            } else {
                let codes = Code::ALL.iter().map(|code| code.as_str());
                return Err(BudgetError {
                    word: word.to_owned(),
                    nearest: kivet_recipe::nearest(word, codes),
                });
            }
        }
        Ok(budget)
    }
}

fn limit(word: &str) -> Option<Limit> {
    let at = word.find(['<', '>'])?;
    let (name, value) = (&word[..at], &word[at + 1..]);
    let (_, measure) = Measure::ALL
        .into_iter()
        .find(|(known, measure)| *known == name.trim() && word[at..].starts_with(measure.sign()))?;
    let value = value.trim();
    let digits = value.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(value.len());
    let number: f64 = value[..digits].parse().ok()?;
    let unit = match value[digits..].trim() {
        "%" if measure == Measure::Fit => 1.0,
        "" | "B" | "ms" => 1.0,
        "kB" | "KB" | "k" => 1e3,
        "s" => 1e3,
        "MB" | "M" => 1e6,
        _ => return None,
    };
    Some(Limit { measure, bound: number * unit })
}

impl fmt::Display for Limit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}{}{}", self.measure.name(), self.measure.sign(), self.bound)
    }
}

impl Limit {
    /// True if a value is beyond the bound.
    fn is_broken_by(self, value: f64) -> bool {
        match self.measure {
            Measure::Fit => value < self.bound,
            _ => value > self.bound,
        }
    }
}

impl Budget {
    /// True if no finding of this code may be there.
    pub fn forbids(&self, code: Code) -> bool {
        self.any || self.codes.contains(&code)
    }

    /// The limits that pages break: page and sentence.
    pub fn limits_broken_by(&self, report: &Report) -> Vec<(String, String)> {
        let mut broken = Vec::new();
        for page in &report.pages {
            for device in &page.devices {
                broken.extend(self.limits.iter().filter_map(|limit| {
                    let actual =
                        limit.measure.of(device).filter(|actual| limit.is_broken_by(*actual))?;
                    let said = limit.measure.written(actual);
                    Some((
                        page.page.clone(),
                        format!("{limit} on the {}: it is {said}", device.device),
                    ))
                }));
            }
        }
        broken
    }

    /// The first of its limits that cannot be measured in a mode, by name.
    pub fn unmeasured_in(&self, mode: Mode) -> Option<&'static str> {
        let needs_browser =
            |limit: &&Limit| matches!(limit.measure, Measure::LargestMs | Measure::Shift);
        let limit = self.limits.iter().find(|limit| mode == Mode::Text && needs_browser(limit))?;
        Some(limit.measure.name())
    }
}
