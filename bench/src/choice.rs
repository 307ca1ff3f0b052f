//! The choice against what it promises: targets met, formats chosen, bytes beside fixed settings, and what it costs.

mod tables;

use std::{
    path::{Path, PathBuf},
    sync::Mutex,
};

use anyhow::{Context, Result, ensure};
use kivet_image::{
    Limits, Probe, Raster, Reference, Writing, draw, encode, encode_first, probe, refine, sample, write,
};
use kivet_recipe::{
    Accepted, Choice, Curves, Decision, Effort, Encoding, Facts, Fidelity, Format, Gamut, Policy, REFINED, Recipe,
    Request, Scale, Seen, Trial, View, choose, plan_for,
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
    first: f32,
    last: f32,
    /// It is better than was asked, and the encoder has no lower setting: at first, and in the end.
    lowest: (bool, bool),
    bytes: usize,
    /// What it would take right at the target, by the slope of its curve: finals lie anywhere near it.
    at_target: f64,
    /// Seconds of a core: one encode with the fast preset, its score, and the search for the final rendition.
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

/// One raster: what fixed settings give, and what each browser is sent: at 70, at the equal mean, and aimed at the score
/// this very picture has as WebP at 75.
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

/// Prints the tables over every nth picture: the demo's and generated ones, or all files of a folder.
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
                    let Some(source) = queue.lock().ok().and_then(|mut queue| queue.next()) else { return };
                    let measured = source.bytes().and_then(|bytes| picture(&bytes, &tally));
                    if let Err(error) = measured.with_context(|| format!("cannot measure {source:?}")) {
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
        let entries = std::fs::read_dir(folder).with_context(|| format!("cannot read {}", folder.display()))?;
        let mut files = entries.map(|entry| Ok(entry?.path())).collect::<Result<Vec<PathBuf>>>()?;
        files.sort();
        Ok(files.into_iter().map(Self::File).collect())
    }

    fn bytes(&self) -> Result<Vec<u8>> {
        match self {
            Self::Demo(index) => Ok(photographs::all()?.swap_remove(*index)),
            Self::Generated(number) => generated::jpeg(*number),
            Self::File(path) => std::fs::read(path).with_context(|| format!("cannot read {}", path.display())),
        }
    }
}

fn picture(bytes: &[u8], tally: &Mutex<Tally>) -> Result<()> {
    let facts = probe(bytes, Limits::default())?;
    let (curves, took) = measured(bytes, &facts)?;
    for width in WIDTHS.into_iter().filter(|width| *width == WIDTHS[0] || *width <= facts.size.width) {
        let recipe = Recipe { width: Some(width), ..Recipe::default() };
        let plan = plan_for(&recipe, &facts);
        let raster = draw(bytes, &facts, &plan, None)?;
        let (reference, readied) = timed(|| Ok(Reference::new(&raster, Gamut::Srgb)))?;
        let at =
            |target| case(&facts, &curves, &recipe, (&raster, &reference, readied), View::of(&plan, &facts), target);
        let cases = TARGETS.into_iter().map(at).collect::<Result<Vec<Case>>>()?;
        let at_equal_mean = sent(&at(AT_EQUAL_MEAN)?);
        let fixed = fixed(&raster, &reference)?;
        let as_webp = fixed.iter().find(|kept| kept.0 == Format::Webp).map_or(70.0, |kept| kept.1.0);
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
    case.chosen.iter().filter_map(|chosen| of(chosen.known)).map(|outcome| (outcome.last, outcome.bytes)).collect()
}

/// The curves of every format, and what drawing the probes and each of the curves took, in seconds.
fn measured(bytes: &[u8], facts: &Facts) -> Result<(Curves, Vec<f64>)> {
    let drawn = |side: u32| -> Result<(Raster, Scale)> {
        let longer = facts.size.width.max(facts.size.height);
        let width = (u64::from(side) * u64::from(facts.size.width) / u64::from(longer)) as u32;
        let plan = plan_for(&Recipe { width: Some(width), ..Recipe::default() }, facts);
        Ok((draw(bytes, facts, &plan, None)?, Scale::of(&plan)))
    };
    let [whole, in_parts] = Probe::SIDES;
    let (probes, took) = timed(|| {
        let ((small, at_small), (large, at_large)) = (drawn(whole)?, drawn(in_parts)?);
        Ok([Probe::whole(small, at_small), Probe::tiled(&large, at_large)])
    })?;
    let (mut curves, mut spent) = (Curves::default(), vec![took]);
    for format in FORMATS {
        let curve = || Ok(probes.iter().map(|probe| probe.curve(format, false)).collect::<Result<_, _>>()?);
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
    let recipe = Recipe { quality: Some(kivet_recipe::Quality::Fidelity(fidelity)), ..recipe.clone() };
    let choose_with = |curves: &Curves, accept: &str| {
        choose(&recipe, facts, curves, &Request::accepting(Accepted::from_header(accept)), &Policy::default())
    };
    let guess = |(_, accept): (&str, &str)| Ok(choose_with(&Curves::default(), accept)?.format);
    let guesses = BROWSERS.into_iter().map(guess).collect::<Result<Vec<Format>>>()?;
    let (mut formats, mut samples) = (Vec::new(), Vec::new());
    for format in FORMATS {
        let (outcome, seen) =
            outcome((format, guesses.contains(&format)), curves, (raster, reference), view, fidelity)?;
        formats.push(outcome);
        samples.push((format, seen));
    }
    let contest = |((_, accept), guessed): ((&str, &str), Format)| {
        compared(guessed, &formats, (curves, &samples), readied, &|learned| Ok(choose_with(learned, accept)?))
    };
    let chosen = BROWSERS.into_iter().zip(guesses).map(contest).collect::<Result<_>>()?;
    Ok(Case { target: f32::from(target), formats, chosen })
}

/// What becomes of a first answer in the `guessed` format, as the service goes about it: trial_candidates are tried once each until
/// the one in front was.
fn compared(
    guessed: Format,
    formats: &[Outcome],
    (curves, samples): (&Curves, &[(Format, Seen)]),
    readied: f64,
    chosen: &dyn Fn(&Curves) -> Result<Choice>,
) -> Result<Chosen> {
    let of = |format: Format| formats.iter().find(|outcome| outcome.format == format).context("a format measured");
    let mut learned = curves.clone();
    let mut spent = readied + of(guessed)?.rescored;
    let mut tried = vec![guessed];
    let known = loop {
        let last = tried.last().copied();
        for (format, seen) in samples.iter().filter(|(format, _)| Some(*format) == last) {
            learned.learn(*format, *seen);
        }
        let choice = chosen(&learned)?;
        let untried = choice.trial_candidates().map(|one| one.format).find(|format| !tried.contains(format));
        let Some(format) = untried else { break choice.format };
        spent += of(format)?.fast + of(format)?.scored;
        tried.push(format);
    };
    let winner = of(known)?;
    Ok(Chosen { guessed, known, pass: (spent + winner.searched) / winner.fast })
}

/// What comes out of one format, as the service goes about it: the first answer where it is what was `guessed`, else one encode
/// with the fast preset as the curve says; that corrects the curve, then comes the search. Also what was seen in the hurry.
fn outcome(
    (format, guessed): (Format, bool),
    curves: &Curves,
    (raster, reference): (&Raster, &Reference),
    view: View,
    target: Fidelity,
) -> Result<(Outcome, Seen)> {
    let usual = |score| Curves::default().setting(format, score, view, Effort::Fast).unwrap_or(50.0);
    let first_encode = encode_first(raster, (format, &usual), target, &Writing::new(Encoding::Lossless))?;
    let first = reference.score(&first_encode.bytes)?;
    let pixels = raster.size().pixels();
    let said = match guessed {
        true => first_encode.setting,
        false => curves.lossy(format, target, view, pixels, Effort::Fast).context("a lossy format")?.setting,
    };
    let (file, fast) = timed(|| Ok(encode(raster, format, Encoding::Lossy { setting: said })?))?;
    let (score, scored) = timed(|| Ok(reference.score(&file)?))?;
    let sample = sample(raster, format, said, score, file.len());
    let seen = Seen { scale: view.scale, effort: Effort::Fast, sample };
    let mut learned = curves.clone();
    learned.learn(format, seen);
    let held = Trial { setting: said, fidelity: score, bytes: file.len() as u64 };
    let ((last, tried, effort), searched) =
        timed(|| trial((raster, reference), (format, &learned, view), held, target))?;
    let expected = |score| learned.setting(format, score, view, effort).unwrap_or(said);
    let at_target = at_target((raster, reference), (format, effort, &expected), tried, f32::from(target.get()))?;
    let is_lowest = |setting: f32, fidelity: f32| setting < 0.5 && fidelity > f32::from(target.get());
    let outcome = Outcome {
        format,
        first,
        last: last.fidelity,
        lowest: (is_lowest(first_encode.setting, first), is_lowest(last.setting, last.fidelity)),
        bytes: last.bytes as usize,
        at_target,
        fast,
        scored,
        rescored: if first_encode.fidelity.is_some() { 0.0 } else { scored },
        searched,
    };
    Ok((outcome, seen))
}

/// The bytes right at `goal`: on the line through what was `found` and one more encode beyond the goal.
fn at_target(
    (raster, reference): (&Raster, &Reference),
    (format, effort, expected): (Format, Effort, &dyn Fn(f32) -> f32),
    found: Trial,
    goal: f32,
) -> Result<f64> {
    let step = expected(2.0 * goal - found.fidelity) - expected(found.fidelity);
    let setting = (found.setting + step.abs().max(1.0).copysign(goal - found.fidelity)).clamp(0.0, 100.0);
    let writing = Writing { effort, ..Writing::new(Encoding::Lossy { setting }) };
    let file = write(raster, format, &writing)?;
    let (from, to) = ((found.bytes as f64).ln(), (file.len() as f64).ln());
    let apart = reference.score(&file)? - found.fidelity;
    let share = if apart.abs() < 0.25 { 0.0 } else { ((goal - found.fidelity) / apart).clamp(0.0, 1.5) };
    Ok((from + (to - from) * f64::from(share)).exp())
}

/// What becomes of a scored rendition `held` in its format, as the service has it. Also what the search found, and with which
/// effort: that may be too little gained to take its place.
fn trial(
    (raster, reference): (&Raster, &Reference),
    (format, learned, view): (Format, &Curves, View),
    held: Trial,
    target: Fidelity,
) -> Result<(Trial, Trial, Effort)> {
    let effort = learned.final_effort(format, target, view.scale, raster.size().pixels());
    if effort == Effort::Fast && held.misses(target) <= REFINED {
        return Ok((held, held, effort));
    }
    let writing = Writing { effort, ..Writing::new(Encoding::Lossless) };
    let expected = |score| learned.setting(format, score, view, effort).unwrap_or(50.0);
    let goes_on = |found: Option<&Trial>| {
        found.is_none_or(|found| learned.may_replace(format, (&held, found), target, view.scale, effort))
    };
    let found = refine(raster, reference, (format, &expected), target, &writing, &goes_on)?.trial;
    let last = if held.against(&found, target) == Decision::Swap { found } else { held };
    Ok((last, found, effort))
}

fn fixed(raster: &Raster, reference: &Reference) -> Result<Vec<(Format, Sent)>> {
    let mut kept = Vec::new();
    for (format, setting) in [(Format::Avif, 60.0), (Format::Jxl, 60.0), (Format::Webp, 75.0), (Format::Jpeg, 75.0)] {
        let file = match format {
            Format::Webp => bare::encode_webp(raster, setting, bare::USUAL)?,
            _ => encode(raster, format, Encoding::Lossy { setting })?,
        };
        kept.push((format, (reference.score(&file)?, file.len())));
    }
    Ok(kept)
}
