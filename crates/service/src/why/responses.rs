//! A choice and its reasons as JSON.

use kivet_recipe::{
    Basis, Candidate, Choice, Encoding, Facts, Format, Kind, LadderStep, Lowered, Placement,
    Reason, Request, Score, WidthFrom,
};
use kivet_store::{Blob, Stage};
use serde::{Deserialize, Serialize};

use crate::{
    pic::{PictureRequest, Vary},
    pipeline::Job,
};

/// What a request would get, and why.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct WhyResponse {
    /// The address of the picture.
    pub address: String,
    /// The recipe in its canonical form.
    pub recipe: String,
    /// The recipe that is followed, its open sides settled.
    pub followed: String,
    /// The original.
    pub original: OriginalSeen,
    /// What the request said.
    pub request: RequestSeen,
    /// Where the width comes from, in words.
    pub width_from: String,
    /// Pixels across and down.
    pub size: [u32; 2],
    /// What was asked for, if that was larger than the original can give.
    pub requested_size: Option<[u32; 2]>,
    /// The region kept of the upright original: left, top, width, height.
    pub crop: [f64; 4],
    /// What the crop rests on, in words; absent where nothing is cut away.
    #[serde(default)]
    pub crop_by: Option<String>,
    /// The fidelity aimed at; absent for lossless renditions.
    pub target: Option<u8>,
    /// What lowered the target, in words.
    pub lowered: Vec<String>,
    /// The format that is sent.
    pub format: Format,
    /// How the first answer is written.
    pub encoding: String,
    /// The rule that decided.
    pub reason: Reason,
    /// The rule in a sentence.
    pub because: String,
    /// Every format that could have been sent, the best first.
    pub candidates: Vec<CandidateSeen>,
    /// The widths considered, with what each would take.
    pub widths: Vec<WidthResponse>,
    /// The request headers that can change the answer, as `Vary` names them.
    pub vary: String,
    /// True if the answer is for this viewer alone.
    pub private: bool,
    /// What `?v=` must say for a final answer to be immutable.
    pub version: String,
    /// The rendition that is ready to be sent, if there is one.
    pub ready: Option<ReadyRendition>,
    /// Font families that a vector drawn as pixels names and that are not installed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub replaced_fonts: Vec<ReplacedFontSeen>,
}

/// A font family that is not installed.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct ReplacedFontSeen {
    /// The family that the drawing names.
    pub family: String,
    /// The family its text is set in.
    pub by: String,
}

/// The original, as far as the choice looks at it.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct OriginalSeen {
    /// `shelf/path`.
    pub id: String,
    /// Its format.
    pub format: Format,
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
    /// Bytes of the file.
    pub bytes: u64,
    /// Whether it is photographic or flat art.
    pub kind: Kind,
}

/// What a request said.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct RequestSeen {
    /// The formats that may be sent.
    pub accepts: Vec<String>,
    /// `Sec-CH-Width`.
    pub width: Option<u32>,
    /// `Sec-CH-DPR`.
    pub density: Option<f64>,
    /// `Sec-CH-Viewport-Width`.
    pub viewport_width: Option<u32>,
    /// `Save-Data`.
    pub save_data: bool,
}

/// One format that could have been sent.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct CandidateSeen {
    /// The format.
    pub format: Format,
    /// How its final rendition would be written.
    pub encoding: String,
    /// Bytes expected of it.
    pub predicted_bytes: u64,
    /// Score expected of it; absent where it is lossless.
    pub predicted_score: Option<f32>,
    /// What both rest on.
    pub basis: Basis,
}

/// One width of the ladder.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct WidthResponse {
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
    /// The format it would be sent in.
    pub format: Format,
    /// Bytes expected.
    pub predicted_bytes: u64,
    /// True for the one that is sent.
    pub chosen: bool,
}

/// A rendition that exists.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct ReadyRendition {
    /// Whether it may still be improved.
    pub detail: Stage,
    /// Its bytes.
    pub bytes: u64,
    /// Its entity tag.
    pub etag: String,
    /// Its score, once it was scored.
    pub score: Option<f32>,
}

impl WhyResponse {
    pub(super) fn new(
        asked: &PictureRequest,
        job: &Job,
        ready: Option<&Blob>,
        widths: Vec<WidthResponse>,
        vary: Vary,
        version: String,
        kind: Kind,
    ) -> Self {
        let Job { original, recipe: _, request, choice } = job;
        let facts = original.facts();
        Self {
            address: format!("/pic/{}/{}", asked.recipe, original.id.url_path()),
            recipe: asked.recipe.to_string(),
            followed: choice.recipe.to_string(),
            original: OriginalSeen {
                id: original.id.to_string(),
                format: facts.format,
                width: facts.size.width,
                height: facts.size.height,
                bytes: original.record.stamp.bytes,
                kind,
            },
            request: RequestSeen::of(request),
            width_from: width_from(choice.width),
            size: [choice.plan.size.width, choice.plan.size.height],
            requested_size: choice.plan.requested_size.map(|size| [size.width, size.height]),
            crop: [
                choice.plan.crop.x,
                choice.plan.crop.y,
                choice.plan.crop.width,
                choice.plan.crop.height,
            ],
            crop_by: crop_by(choice, facts),
            target: choice.target.map(|target| target.get()),
            lowered: choice.lowered.iter().map(lowered).collect(),
            format: choice.format,
            encoding: choice.encoding.to_string(),
            reason: choice.reason,
            because: because(choice),
            candidates: choice.candidates.iter().map(CandidateSeen::of).collect(),
            widths,
            vary: vary.names(),
            private: choice.private,
            version,
            ready: ready.map(ReadyRendition::of),
            replaced_fonts: Vec::new(),
        }
    }
}

impl RequestSeen {
    fn of(request: &Request) -> Self {
        let formats = [
            Format::Avif,
            Format::Jxl,
            Format::Webp,
            Format::Jpeg,
            Format::Png,
            Format::Gif,
            Format::Svg,
        ];
        let accepted = formats.into_iter().filter(|format| request.accepted.contains(*format));
        Self {
            accepts: accepted
                .map(|format| wanted(format, request.accepted.weight(format)))
                .collect(),
            width: request.hints.width,
            density: request.hints.density,
            viewport_width: request.hints.viewport_width,
            save_data: request.save_data,
        }
    }
}

impl CandidateSeen {
    fn of(candidate: &Candidate) -> Self {
        Self {
            format: candidate.format,
            encoding: candidate.encoding.to_string(),
            predicted_bytes: candidate.predicted_bytes.get(),
            predicted_score: candidate.predicted_score.map(Score::get),
            basis: candidate.basis,
        }
    }
}

impl WidthResponse {
    pub(super) fn new(step: &LadderStep, at: &Choice, chosen: bool) -> Self {
        let best = at.candidates.iter().find(|candidate| candidate.format == at.format);
        Self {
            width: step.size.width,
            height: step.size.height,
            format: at.format,
            predicted_bytes: best.map_or(0, |best| best.predicted_bytes.get()),
            chosen,
        }
    }
}

impl ReadyRendition {
    fn of(blob: &Blob) -> Self {
        Self {
            detail: blob.header.stage,
            bytes: blob.bytes.len() as u64,
            etag: blob.header.etag.clone(),
            score: blob.header.score.map(Score::get),
        }
    }
}

/// A format as `Accept` wants it.
fn wanted(format: Format, weight: f64) -> String {
    if weight < 1.0 { format!("{format};q={weight}") } else { format.to_string() }
}

/// What decides which part a crop keeps.
fn crop_by(choice: &Choice, facts: &Facts) -> Option<String> {
    let crop = choice.plan.crop;
    let (width, height) = (f64::from(facts.size.width), f64::from(facts.size.height));
    if crop.width > width - 0.5 && crop.height > height - 0.5 {
        return None;
    }
    let focus = facts.focus.map(|focus| focus.percents());
    let marked = focus.filter(|_| choice.recipe.position != Some(Placement::Subject));
    Some(match (choice.recipe.position, marked) {
        (Some(Placement::At(position)), _) => format!("the recipe: {position}"),
        (_, Some((x, y))) => format!("the focal point marked at {x}-{y}"),
        _ if facts.analysis.is_some() => "the subject found in the picture".to_owned(),
        _ => "the middle: the picture was not analysed yet".to_owned(),
    })
}

fn width_from(width: WidthFrom) -> String {
    match width {
        WidthFrom::Recipe => "the recipe settles it".to_owned(),
        WidthFrom::Hints { shown, step } => {
            format!("the hints say {shown} pixels at most; {step} is the next step")
        }
        WidthFrom::Original => {
            "neither the recipe nor the hints settle it: the original's own width".to_owned()
        }
    }
}

fn lowered(lowered: &Lowered) -> String {
    match lowered {
        Lowered::Density { amount } => format!("{amount} less for the density"),
        Lowered::UntoldDensity { amount } => {
            format!("{amount} less: nobody tells the density, which counts as 1.5")
        }
        Lowered::SaveData { amount } => format!("{amount} less for Save-Data"),
    }
}

fn because(choice: &Choice) -> String {
    let Choice { format, reason, .. } = choice;
    match reason {
        Reason::Named => format!("the recipe names {format}"),
        Reason::FewestBytes if choice.encoding == Encoding::Lossless => {
            format!(
                "{format} is expected to hold it losslessly in the fewest bytes of what is accepted"
            )
        }
        Reason::FewestBytes => {
            format!("{format} is expected to need the fewest bytes of what is accepted")
        }
        Reason::Preferred => {
            format!(
                "{format} is wanted more, by its weight, than what is expected to need fewer bytes"
            )
        }
        Reason::LeastWork => {
            format!(
                "{format} is the least work among those whose bytes the policy finds close enough"
            )
        }
        Reason::Vector => "a vector stays one".to_owned(),
        Reason::Original => "the recipe asks for the original".to_owned(),
        Reason::LighterOriginal => {
            "the original has these very pixels, and every format accepted is expected to take more bytes"
                .to_owned()
        }
    }
}
