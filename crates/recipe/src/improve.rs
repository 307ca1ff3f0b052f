//! From a first rendition to the final one: what to try next, when to stop, which one wins.
//!
//! [`Improver`] decides and does nothing else. Whoever drives it encodes and scores what
//! [`Improver::next_step`] asks for and reports it with [`Improver::report`]; the service's
//! background and the bench drive it alike.
//!
//! 1. Every format that may take fewer bytes is encoded once with its fast preset and scored. What
//!    one trial teaches decides whether, and which, another follows.
//! 2. The best format is encoded, with the preset that pays for this picture, until its score meets
//!    the target.
//! 3. The result replaces the fast encode only if it is worth a swap ([`Trial::decide`]).

use crate::{
    Choice, Curves, Decision, Effort, Encoding, Facts, Fidelity, Format, Policy, REFINED, Recipe,
    Request, Sample, Scale, Search, Seen, Setting, Trial, View, choose,
};

/// What to do next.
#[derive(Clone, Debug, PartialEq)]
pub enum Step {
    /// Encode this choice with its own setting and the fast preset, score it, report the trial.
    Compare(Box<Choice>),
    /// Encode the winner with this setting and preset, score it, report the trial.
    Refine {
        /// The encoder's setting.
        setting: Setting,
        /// The encoder's preset.
        effort: Effort,
    },
    /// Nothing more is to be tried.
    Done(Outcome),
}

/// What the final rendition is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Outcome {
    /// The fast encode of the winner is declared final.
    Keep(Trial),
    /// This trial of the search takes its place.
    Swap(Trial),
}

/// The decisions of one improvement. Pure: no pixels, no clock.
#[derive(Clone, Debug)]
pub struct Improver<'a> {
    recipe: &'a Recipe,
    facts: &'a Facts,
    request: &'a Request,
    policy: &'a Policy,
    target: Fidelity,
    curves: Curves,
    /// The fast encode of each format tried, the first rendition's first.
    tried: Vec<(Choice, Trial)>,
    stage: Stage,
}

#[derive(Clone, Debug)]
enum Stage {
    /// Formats are compared; the choice that was asked for last is not reported yet.
    Comparing(Option<Choice>),
    /// The winner was never tried: its fast encode is asked for.
    Settling(Choice),
    Refining(Refining),
    Done(Choice, Outcome),
}

/// The search for the final rendition of the winner.
#[derive(Clone, Debug)]
struct Refining {
    winner: Choice,
    held: Trial,
    effort: Effort,
    search: Search,
    best: Option<Trial>,
    seen: Vec<Seen>,
    asked: Option<Setting>,
}

impl<'a> Improver<'a> {
    /// An improvement of `first`, the choice that was sent for `recipe` and `request`, whose file
    /// came out as `trial`; `None` for a choice without a fidelity target.
    pub fn new(
        (recipe, facts): (&'a Recipe, &'a Facts),
        (request, policy): (&'a Request, &'a Policy),
        curves: Curves,
        first: Choice,
        trial: Trial,
    ) -> Option<Self> {
        let target = first.target?;
        let stage = Stage::Comparing(None);
        let mut improver =
            Self { recipe, facts, request, policy, target, curves, tried: Vec::new(), stage };
        improver.keep_trial(first, trial);
        Some(improver)
    }

    /// What is known of the original's curves by now.
    pub const fn curves(&self) -> &Curves {
        &self.curves
    }

    /// The choice whose final rendition is made; `None` while formats are compared.
    pub const fn winner(&self) -> Option<&Choice> {
        match &self.stage {
            Stage::Comparing(_) => None,
            Stage::Settling(winner)
            | Stage::Refining(Refining { winner, .. })
            | Stage::Done(winner, _) => Some(winner),
        }
    }

    /// Decides what to do next.
    pub fn next_step(&mut self) -> Step {
        if let Stage::Comparing(_) = self.stage {
            let now = self.choice_now();
            if let Some(untried) = now.as_ref().and_then(|now| self.untried(now)) {
                self.stage = Stage::Comparing(Some(untried.clone()));
                return Step::Compare(Box::new(untried));
            }
            let first = self.tried[0].0.clone();
            let winner =
                now.filter(|now| now.format != first.format && is_lossy(now)).unwrap_or(first);
            let held = self
                .tried
                .iter()
                .find(|(tried, _)| tried.format == winner.format)
                .map(|(_, trial)| *trial);
            match held {
                Some(held) => self.refine(winner, held),
                None => self.stage = Stage::Settling(winner),
            }
        }
        match &mut self.stage {
            Stage::Comparing(_) => unreachable!("comparing ended above"),
            Stage::Settling(winner) => Step::Compare(Box::new(winner.clone())),
            Stage::Refining(_) => self.next_refinement(),
            Stage::Done(_, outcome) => Step::Done(*outcome),
        }
    }

    /// Takes in what the last step gave.
    pub fn report(&mut self, trial: Trial) {
        match std::mem::replace(&mut self.stage, Stage::Comparing(None)) {
            Stage::Comparing(Some(choice)) => self.keep_trial(choice, trial),
            Stage::Settling(winner) => {
                self.keep_trial(winner.clone(), trial);
                self.refine(winner, trial);
            }
            Stage::Refining(mut refining) => {
                refining.take(trial, self.target);
                self.stage = Stage::Refining(refining);
            }
            other => self.stage = other,
        }
    }

    fn choice_now(&self) -> Option<Choice> {
        choose(self.recipe, self.facts, &self.curves, self.request, self.policy).ok()
    }

    /// The next format to compare: one that may take fewer bytes and was not scored at this size
    /// near this target.
    fn untried(&self, now: &Choice) -> Option<Choice> {
        let scale = Scale::of(&now.plan);
        let is_unknown = |format: &Format| {
            self.tried.iter().all(|(tried, _)| tried.format != *format)
                && !self.curves.has_seen(*format, self.target, scale)
        };
        let format = now.trial_candidates().map(|candidate| candidate.format).find(is_unknown)?;
        let named = self.recipe.with(|clauses| clauses.format = Some(format)).ok()?;
        choose(&named, self.facts, &self.curves, self.request, self.policy).ok()
    }

    fn keep_trial(&mut self, choice: Choice, trial: Trial) {
        self.curves.learn(choice.format, seen(&choice, Effort::Fast, trial));
        self.tried.push((choice, trial));
    }

    /// Turns to the search for the final rendition; there is none where the fast encode is near
    /// enough and the slow preset does not pay.
    fn refine(&mut self, winner: Choice, held: Trial) {
        let (scale, pixels) = (Scale::of(&winner.plan), winner.plan.size.pixels());
        let effort = self.curves.final_effort(winner.format, self.target, scale, pixels);
        self.stage = if effort == Effort::Fast && held.misses(self.target) <= REFINED {
            Stage::Done(winner, Outcome::Keep(held))
        } else {
            let search = Search::new(winner.format, self.target, REFINED, effort);
            Stage::Refining(Refining {
                winner,
                held,
                effort,
                search,
                best: None,
                seen: Vec::new(),
                asked: None,
            })
        };
    }

    fn next_refinement(&mut self) -> Step {
        let Stage::Refining(refining) = &mut self.stage else {
            unreachable!("only called while refining")
        };
        match refining.next_setting(&self.curves, self.facts, self.target) {
            Some(setting) => Step::Refine { setting, effort: refining.effort },
            None => {
                let Refining { winner, held, best, seen, .. } = refining.clone();
                seen.into_iter().for_each(|seen| self.curves.learn(winner.format, seen));
                let outcome = match best {
                    Some(best) if held.decide(&best, self.target) == Decision::Swap => {
                        Outcome::Swap(best)
                    }
                    _ => Outcome::Keep(held),
                };
                self.stage = Stage::Done(winner, outcome);
                Step::Done(outcome)
            }
        }
    }
}

impl Refining {
    /// The setting to try next; the same again until it is reported.
    fn next_setting(
        &mut self,
        curves: &Curves,
        facts: &Facts,
        target: Fidelity,
    ) -> Option<Setting> {
        if self.asked.is_none() {
            let (format, scale) = (self.winner.format, Scale::of(&self.winner.plan));
            let goes_on = self.best.is_none_or(|best| {
                curves.may_replace(format, (&self.held, &best), target, scale, self.effort)
            });
            let view = View::of(&self.winner.plan, facts);
            let usual = self.held.setting.get();
            let expected =
                |score| curves.expected_setting(format, score, view, self.effort).unwrap_or(usual);
            self.asked = self.search.next_setting(&expected).filter(|_| goes_on);
        }
        self.asked
    }

    fn take(&mut self, trial: Trial, target: Fidelity) {
        self.asked = None;
        self.search.tried(trial.setting, trial.score);
        self.seen.push(seen(&self.winner, self.effort, trial));
        if self.best.is_none_or(|best| trial.misses(target) < best.misses(target)) {
            self.best = Some(trial);
        }
    }
}

fn is_lossy(choice: &Choice) -> bool {
    matches!(choice.encoding, Encoding::Lossy { .. })
}

fn seen(choice: &Choice, effort: Effort, trial: Trial) -> Seen {
    let sample = Sample::of(choice.format, trial, choice.plan.size.pixels());
    Seen { scale: Scale::of(&choice.plan), effort, sample }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::{Accepted, Bytes, Curve, Measured, Score, Size, Storage, prior};

    /// An encoder as the prior has it, but for its bytes: those are times a weight of the format's
    /// own.
    fn encode(format: Format, effort: Effort, setting: Setting, weights: &[f64; 4]) -> Trial {
        let index = [Format::Avif, Format::Jxl, Format::Webp, Format::Jpeg]
            .iter()
            .position(|one| *one == format);
        let usual = |score: f32| prior::usual(format, score, 0.0, effort).expect("a lossy format");
        let score = (1..=900)
            .map(|tenth| tenth as f32 / 10.0)
            .take_while(|at| usual(*at).setting <= setting)
            .last();
        let score = score.unwrap_or(1.0);
        let weight = weights[index.expect("a lossy format")];
        let bytes = f64::from(usual(score).bytes_per_pixel.get()) * 640.0 * 480.0 * weight;
        Trial { setting, score: Score::new(score), bytes: Bytes::new(bytes as u64) }
    }

    /// Curves as the prior has them: what a trial teaches corrects a curve.
    fn measured(scale: Scale) -> Curves {
        let curve = |format: Format| {
            let sample = |score: u8| {
                let usual =
                    prior::usual(format, score.into(), 0.0, Effort::Fast).expect("a lossy format");
                let (setting, bytes_per_pixel) = (usual.setting, usual.bytes_per_pixel);
                Sample { setting, score: Score::new(score.into()), bytes_per_pixel }
            };
            let samples = [10, 30, 50, 70, 85, 90].map(sample).to_vec();
            let curves = vec![Curve { scale, samples, slow_samples: Vec::new(), lossless: None }];
            (format, Measured { curves, ..Measured::default() })
        };
        Curves([Format::Avif, Format::Jxl, Format::Webp, Format::Jpeg].map(curve).into())
    }

    /// Drives an improvement to its end: the winner, what became of it, and how many encodes it
    /// took.
    fn improved(target: u8, weights: &[f64; 4], accept: &str) -> (Choice, Outcome, usize) {
        let recipe: Recipe = format!("640w_fidelity-{target}").parse().expect("a recipe");
        let facts = Facts::plain(Format::Jpeg, Size::new(4000, 3000), Storage::Lossy);
        let request = Request::accepting(Accepted::from_header(accept));
        let policy = Policy::default();
        let first =
            choose(&recipe, &facts, &Curves::default(), &request, &policy).expect("a choice");
        let curves = measured(Scale::of(&first.plan));
        let Encoding::Lossy { setting } = first.encoding else { panic!("a photograph is lossy") };
        let trial = encode(first.format, Effort::Fast, setting, weights);
        let mut improver =
            Improver::new((&recipe, &facts), (&request, &policy), curves, first, trial)
                .expect("it has a target");
        for encodes in 0..40 {
            let trial = match improver.next_step() {
                Step::Compare(choice) => match choice.encoding {
                    Encoding::Lossy { setting } => {
                        encode(choice.format, Effort::Fast, setting, weights)
                    }
                    other => panic!("{other} is not compared"),
                },
                Step::Refine { setting, effort } => encode(
                    improver.winner().expect("it is settled").format,
                    effort,
                    setting,
                    weights,
                ),
                Step::Done(outcome) => {
                    return (improver.winner().expect("settled").clone(), outcome, encodes);
                }
            };
            improver.report(trial);
        }
        panic!("it does not end");
    }

    #[test]
    fn the_format_that_turns_out_smallest_wins() {
        let accept = "image/avif,image/jxl,image/webp";
        assert_eq!(improved(70, &[3.0, 0.5, 2.0, 2.0], accept).0.format, Format::Jxl);
        assert_eq!(improved(70, &[0.5, 1.0, 2.0, 2.0], accept).0.format, Format::Avif);
        assert_eq!(
            improved(70, &[1.0, 0.1, 2.0, 2.0], "image/avif").0.format,
            Format::Avif,
            "it is not accepted"
        );
    }

    #[test]
    fn what_is_near_the_target_already_is_kept() {
        let recipe: Recipe = "640w".parse().expect("a recipe");
        let facts = Facts::plain(Format::Jpeg, Size::new(4000, 3000), Storage::Lossy);
        let (policy, request) = (Policy::default(), Request::accepting(Accepted::default()));
        let first =
            choose(&recipe, &facts, &Curves::default(), &request, &policy).expect("a choice");
        let target = first.target.expect("a target").as_f32();
        let trial = Trial {
            setting: Setting::MIDDLE,
            score: Score::new(target + 1.0),
            bytes: Bytes::new(9_000),
        };
        let curves = Curves::default();
        let mut improver =
            Improver::new((&recipe, &facts), (&request, &policy), curves, first, trial)
                .expect("lossy");
        // JPEG has no slow preset, so that the search with it ends at a score this near.
        while let Step::Refine { .. } = improver.next_step() {
            improver.report(trial);
        }
        assert_eq!(improver.next_step(), Step::Done(Outcome::Keep(trial)));
    }

    proptest! {
        /// However the formats lie to each other: it ends after a few encodes, near the target, in
        /// an accepted format.
        #[test]
        fn it_ends_near_the_target(target in 30u8..=90, weights in prop::array::uniform4(0.2f64..3.0), modern in any::<bool>()) {
            let accept = if modern { "image/avif,image/jxl,image/webp" } else { "*/*" };
            let (winner, outcome, encodes) = improved(target, &weights, accept);
            let (Outcome::Keep(last) | Outcome::Swap(last)) = outcome;
            prop_assert!(modern || winner.format == Format::Jpeg);
            prop_assert!(encodes <= 3 + 5, "{encodes} encodes");
            prop_assert!(last.misses(winner.target.expect("a target")) <= REFINED, "{last:?} for {target}");
        }
    }
}
