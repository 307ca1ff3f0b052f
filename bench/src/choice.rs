//! The choice against what it promises: targets met, formats chosen, bytes beside fixed settings,
//! and what it costs.

mod tables;

use std::{
    path::{Path, PathBuf},
    sync::Mutex,
};

use anyhow::{Context, Result, bail, ensure};
use kivet_image::{
    FirstEncode, Limits, Probe, Raster, Reference, Writing, draw, encode, encode_near, probe,
    try_setting, write,
};
use kivet_recipe::{
    Accepted, Bytes, Choice, Curves, Effort, Encoding, Facts, Fidelity, Format, Gamut, Improver,
    Outcome as Final, Policy, Recipe, Request, Scale, Score, Setting, Step, Trial, View, choose,
    plan_for,
};

use crate::{bare, clock::timed, generated, photographs};

const WIDTHS: [u32; 3] = [320, 640, 1280];
const TARGETS: [u8; 5] = [30, 50, 70, 85, 90];

/// The target whose mean comes out no lower than WebP's at 75: bytes are compared there too.
const AT_EQUAL_MEAN: u8 = 72;
const FORMATS: [Format; 4] = [Format::Avif, Format::Jxl, Format::Webp, Format::Jpeg];
const BROWSERS: [(&str, &str); 3] = [
    ("JPEG XL and AVIF", "image/jxl,image/avif,image/webp,*/*"),
    ("AVIF and WebP", "image/avif,image/webp,*/*"),
    ("WebP alone", "image/webp,*/*"),
];

/// One rendition of one picture: what came out in every format, and what each browser is sent.
struct Case {
    target: f32,
    formats: Vec<Outcome>,
    chosen: Vec<Chosen>,
}

struct Outcome {
    format: Format,
    /// One encode with the fast preset, at the setting that the curve says.
    trial: Trial,
    first: f32,
    last: f32,
    /// It is better than was asked, and the encoder has no lower setting: at first, and in the end.
    lowest: (bool, bool),
    bytes: usize,
    /// What it would take right at the target, by the slope of its curve: finals lie anywhere near
    /// it.
    at_target: f64,
    /// Seconds of a core: one encode with the fast preset, its score, and the search for the final
    /// rendition.
    fast: f64,
    scored: f64,
    /// The score of a first answer that went out unscored.
    rescored: f64,
    searched: f64,
}

/// What one browser is sent.
struct Chosen {
    /// Before the curve.
    guessed: Format,
    /// With the curve, after the contest.
    known: Format,
    /// The whole final pass in fast encodes of the format that is sent.
    pass: f64,
}

/// Score and bytes.
type Sent = (f32, usize);

/// One raster: what fixed settings give, and what each browser is sent: at 70, at the equal mean,
/// and aimed at the score this very picture has as WebP at 75.
struct Drawn {
    fixed: Vec<(Format, Sent)>,
    sent: Vec<Sent>,
    at_equal_mean: Vec<Sent>,
    as_alike: Vec<Sent>,
}

#[derive(Default)]
struct Tally {
    cases: Vec<Case>,
    drawn: Vec<Drawn>,
    /// Seconds of a core, of each picture: drawing the probes, then the curve of each format.
    curves: Vec<Vec<f64>>,
}

/// Prints the tables over every nth picture: the demo's and generated ones, or all files of a
/// folder.
pub fn run(every: usize, folder: Option<&Path>) -> Result<()> {
    let pictures = match folder {
        Some(folder) => Source::of_folder(folder)?,
        None => {
            let demo = (0..photographs::all()?.len()).map(Source::Demo);
            demo.chain((0..generated::COUNT).map(Source::Generated)).collect()
        }
    };
    let pictures: Vec<Source> = pictures.into_iter().step_by(every).collect();
    ensure!(!pictures.is_empty(), "there are no pictures to measure");
    let (queue, tally) = (Mutex::new(pictures.iter()), Mutex::new(Tally::default()));
    let failures = Mutex::new(Vec::new());
    std::thread::scope(|scope| {
        for _ in 0..std::thread::available_parallelism().map_or(1, usize::from) {
            scope.spawn(|| {
                loop {
                    let Some(source) = queue.lock().ok().and_then(|mut queue| queue.next()) else {
                        return;
                    };
                    let measured = source.bytes().and_then(|bytes| picture(&bytes, &tally));
                    if let Err(error) =
                        measured.with_context(|| format!("cannot measure {source:?}"))
                    {
                        failures.lock().map(|mut all| all.push(error)).ok();
                    }
                }
            });
        }
    });
    if let Some(error) = failures.into_inner().ok().and_then(|mut all| all.pop()) {
        return Err(error);
    }
    let tally = tally.into_inner().map_err(|_| anyhow::anyhow!("a measure broke down"))?;
    println!("{} pictures, widths {WIDTHS:?}, targets {TARGETS:?}\n", pictures.len());
    tables::accuracy(&tally);
    tables::bytes(&tally);
    tables::costs(&tally);
    Ok(())
}

#[derive(Debug)]
enum Source {
    Demo(usize),
    Generated(u32),
    File(PathBuf),
}

impl Source {
    fn of_folder(folder: &Path) -> Result<Vec<Self>> {
        let entries = std::fs::read_dir(folder)
            .with_context(|| format!("cannot read {}", folder.display()))?;
        let mut files = entries.map(|entry| Ok(entry?.path())).collect::<Result<Vec<PathBuf>>>()?;
        files.sort();
        Ok(files.into_iter().map(Self::File).collect())
    }

    fn bytes(&self) -> Result<Vec<u8>> {
        match self {
            Self::Demo(index) => Ok(photographs::all()?.swap_remove(*index)),
            Self::Generated(number) => generated::jpeg(*number),
            Self::File(path) => {
                std::fs::read(path).with_context(|| format!("cannot read {}", path.display()))
            }
        }
    }
}

fn picture(bytes: &[u8], tally: &Mutex<Tally>) -> Result<()> {
    let facts = probe(bytes, Limits::default())?;
    let (curves, took) = measured(bytes, &facts)?;
    for width in
        WIDTHS.into_iter().filter(|width| *width == WIDTHS[0] || *width <= facts.size.width)
    {
        let recipe = Recipe::of_width(width);
        let plan = plan_for(&recipe, &facts);
        let raster = draw(bytes, &facts, &plan, None)?;
        let (reference, readied) = timed(|| Ok(Reference::new(&raster, Gamut::Srgb)))?;
        let at = |target| {
            case(
                &facts,
                &curves,
                &recipe,
                (&raster, &reference, readied),
                View::of(&plan, &facts),
                target,
            )
        };
        let cases = TARGETS.into_iter().map(at).collect::<Result<Vec<Case>>>()?;
        let at_equal_mean = sent(&at(AT_EQUAL_MEAN)?);
        let fixed = fixed(&raster, &reference)?;
        let as_webp =
            fixed.iter().find(|kept| kept.0 == Format::Webp).map_or(70.0, |kept| kept.1.0);
        // A point above, because what is sent may be a little below its target.
        let as_alike = sent(&at((as_webp + 1.0).round().clamp(1.0, 100.0) as u8)?);
        let sent = cases.iter().find(|case| case.target == 70.0).map(sent).unwrap_or_default();
        let mut tally = tally.lock().map_err(|_| anyhow::anyhow!("a measure broke down"))?;
        tally.cases.extend(cases);
        tally.drawn.push(Drawn { fixed, sent, at_equal_mean, as_alike });
        if width == WIDTHS[0] {
            tally.curves.push(took.clone());
        }
    }
    Ok(())
}

/// For each browser, score and bytes of what it is sent.
fn sent(case: &Case) -> Vec<Sent> {
    let of = |format: Format| case.formats.iter().find(|outcome| outcome.format == format);
    case.chosen
        .iter()
        .filter_map(|chosen| of(chosen.known))
        .map(|outcome| (outcome.last, outcome.bytes))
        .collect()
}

/// The curves of every format, and what drawing the probes and each of the curves took, in seconds.
fn measured(bytes: &[u8], facts: &Facts) -> Result<(Curves, Vec<f64>)> {
    let drawn = |side: u32| -> Result<(Raster, Scale)> {
        let longer = facts.size.width.max(facts.size.height);
        let width = (u64::from(side) * u64::from(facts.size.width) / u64::from(longer)) as u32;
        let plan = plan_for(&Recipe::of_width(width), facts);
        Ok((draw(bytes, facts, &plan, None)?, Scale::of(&plan)))
    };
    let [whole, in_parts] = Probe::SIDES;
    let (probes, took) = timed(|| {
        let ((small, at_small), (large, at_large)) = (drawn(whole)?, drawn(in_parts)?);
        Ok([Probe::whole(small, at_small, false), Probe::tiled(&large, at_large, false)])
    })?;
    let (mut curves, mut spent) = (Curves::default(), vec![took]);
    for format in FORMATS {
        let curve = || {
            Ok(probes.iter().map(|probe| probe.curve(format, false)).collect::<Result<_, _>>()?)
        };
        let (measured, took) = timed(curve)?;
        curves.0.entry(format).or_default().curves = measured;
        spent.push(took);
    }
    Ok((curves, spent))
}

fn case(
    facts: &Facts,
    curves: &Curves,
    recipe: &Recipe,
    (raster, reference, readied): (&Raster, &Reference, f64),
    view: View,
    target: u8,
) -> Result<Case> {
    let fidelity = Fidelity::new(target).context("no fidelity")?;
    let recipe = recipe.with_fidelity(fidelity);
    let scene = Scene { recipe: &recipe, facts, curves, raster, reference, view, target: fidelity };
    let guess = |(_, accept): (&str, &str)| Ok(scene.choice(&Curves::default(), accept)?.format);
    let guesses = BROWSERS.into_iter().map(guess).collect::<Result<Vec<Format>>>()?;
    let outcome = |format: Format| scene.outcome(format, guesses.contains(&format));
    let formats = FORMATS.into_iter().map(outcome).collect::<Result<Vec<Outcome>>>()?;
    let chosen = BROWSERS.into_iter().map(|(_, accept)| scene.chosen(accept, &formats, readied));
    let chosen = chosen.collect::<Result<_>>()?;
    Ok(Case { target: f32::from(target), formats, chosen })
}

/// One rendition of one picture, ready to be encoded and scored.
struct Scene<'a> {
    recipe: &'a Recipe,
    facts: &'a Facts,
    curves: &'a Curves,
    raster: &'a Raster,
    reference: &'a Reference,
    view: View,
    target: Fidelity,
}

impl Scene<'_> {
    fn choice(&self, curves: &Curves, accept: &str) -> Result<Choice> {
        let request = Request::accepting(Accepted::from_header(accept));
        Ok(choose(self.recipe, self.facts, curves, &request, &Policy::default())?)
    }

    /// What one browser is sent, by the service's own decisions ([`Improver`]); each format's
    /// encodes were measured once.
    fn chosen(&self, accept: &str, formats: &[Outcome], readied: f64) -> Result<Chosen> {
        let of = |format: Format| {
            formats.iter().find(|outcome| outcome.format == format).context("a format measured")
        };
        let first = self.choice(&Curves::default(), accept)?;
        let guessed = first.format;
        let (request, policy) =
            (Request::accepting(Accepted::from_header(accept)), Policy::default());
        let (asked, trial) = ((self.recipe, self.facts), of(guessed)?.trial);
        let mut improver =
            Improver::new(asked, (&request, &policy), self.curves.clone(), first, trial)
                .context("a photograph has a target")?;
        let mut spent = readied + of(guessed)?.rescored;
        loop {
            let step = improver.next_step();
            let winner = improver.winner().map(|winner| winner.format);
            if let Step::Compare(choice) = step {
                let compared = of(choice.format)?;
                spent += compared.fast + compared.scored;
                improver.report(compared.trial);
            }
            if let Some(known) = winner {
                let winner = of(known)?;
                return Ok(Chosen {
                    guessed,
                    known,
                    pass: (spent + winner.searched) / winner.fast,
                });
            }
        }
    }

    /// What comes out of one format, as the service goes about it: the first response where it is
    /// what was `guessed`, else one encode with the fast preset as the curve says; that corrects
    /// the curve, then comes the search.
    fn outcome(&self, format: Format, guessed: bool) -> Result<Outcome> {
        let Self { raster, reference, view, target, .. } = *self;
        let usual = |score| {
            Curves::default().expected_setting(format, score, view, Effort::Fast).unwrap_or(50.0)
        };
        let writing = Writing::new(Encoding::Lossless);
        let FirstEncode { bytes, encoding } =
            encode_near(raster, (format, &usual), target, &writing)?;
        let Encoding::Lossy { setting: guess } = encoding else { bail!("{encoding} is not lossy") };
        let first = reference.score(&bytes)?;
        let setting = match guessed {
            true => guess,
            false => {
                let pixels = raster.size().pixels();
                self.curves
                    .lossy(format, target, view, pixels, Effort::Fast)
                    .context("a lossy format")?
                    .setting
            }
        };
        let (file, fast) = timed(|| Ok(encode(raster, format, Encoding::Lossy { setting })?))?;
        let (score, scored) = timed(|| Ok(reference.score(&file)?))?;
        let trial = Trial { setting, score, bytes: Bytes::of(&file) };
        let ((last, found, effort), searched) = timed(|| self.searched(format, trial))?;
        let expected =
            |score| self.curves.expected_setting(format, score, view, effort).unwrap_or(50.0);
        let at_target =
            at_target((raster, reference), (format, effort, &expected), found, target.as_f32())?;
        let is_lowest =
            |setting: Setting, score: Score| setting.get() < 0.5 && score.get() > target.as_f32();
        Ok(Outcome {
            format,
            trial,
            first: first.get(),
            last: last.score.get(),
            lowest: (is_lowest(guess, first), is_lowest(last.setting, last.score)),
            bytes: last.bytes.get() as usize,
            at_target,
            fast,
            scored,
            rescored: scored,
            searched,
        })
    }

    /// The final rendition in one format after its fast encode, by the service's own decisions.
    /// Also the best trial of the search, and its preset: it may have gained too little to take the
    /// fast encode's place.
    fn searched(&self, format: Format, fast: Trial) -> Result<(Trial, Trial, Effort)> {
        let named = self.recipe.with(|clauses| clauses.format = Some(format))?;
        let (request, policy) = (Request::ANYTHING, Policy::default());
        let choice = choose(&named, self.facts, self.curves, &request, &policy)?;
        let mut improver = Improver::new(
            (&named, self.facts),
            (&request, &policy),
            self.curves.clone(),
            choice,
            fast,
        )
        .context("a lossy format has a target")?;
        let (mut found, mut used) = (fast, Effort::Fast);
        loop {
            match improver.next_step() {
                Step::Refine { setting, effort } => {
                    let writing = Writing { effort, ..Writing::new(Encoding::Lossless) };
                    let (trial, _) =
                        try_setting(self.raster, self.reference, format, setting, &writing)?;
                    if used != effort || trial.misses(self.target) < found.misses(self.target) {
                        (found, used) = (trial, effort);
                    }
                    improver.report(trial);
                }
                Step::Done(Final::Keep(last) | Final::Swap(last)) => {
                    return Ok((last, found, used));
                }
                Step::Compare(choice) => {
                    bail!("{format} was named, and {} is compared", choice.format)
                }
            }
        }
    }
}

/// The bytes right at `goal`: on the line through what was `found` and one more encode beyond the
/// goal.
fn at_target(
    (raster, reference): (&Raster, &Reference),
    (format, effort, expected): (Format, Effort, &dyn Fn(Score) -> f32),
    found: Trial,
    goal: f32,
) -> Result<f64> {
    let score = found.score.get();
    let step = expected(Score::new(2.0 * goal - score)) - expected(found.score);
    let setting =
        Setting::nearest_to(found.setting.get() + step.abs().max(1.0).copysign(goal - score));
    let writing = Writing { effort, ..Writing::new(Encoding::Lossy { setting }) };
    let file = write(raster, format, &writing)?;
    let (from, to) = ((found.bytes.get() as f64).ln(), (file.len() as f64).ln());
    let apart = reference.score(&file)?.get() - score;
    let share = if apart.abs() < 0.25 { 0.0 } else { ((goal - score) / apart).clamp(0.0, 1.5) };
    Ok((from + (to - from) * f64::from(share)).exp())
}

fn fixed(raster: &Raster, reference: &Reference) -> Result<Vec<(Format, Sent)>> {
    let mut kept = Vec::new();
    for (format, setting) in
        [(Format::Avif, 60.0), (Format::Jxl, 60.0), (Format::Webp, 75.0), (Format::Jpeg, 75.0)]
    {
        let file = match format {
            Format::Webp => bare::encode_webp(raster, setting, bare::USUAL)?,
            _ => encode(raster, format, Encoding::lossy(setting))?,
        };
        kept.push((format, (reference.score(&file)?.get(), file.len())));
    }
    Ok(kept)
}
