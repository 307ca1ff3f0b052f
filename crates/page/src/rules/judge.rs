//! Which rule wins.

use super::{Of, Outcome, Rules};

/// What rules judge: an element that names a picture or embeds something.
#[derive(Clone, Copy, Debug)]
pub struct Subject<'a> {
    /// What it is.
    pub of: Of,
    /// The page's path in its site.
    pub page: &'a str,
    /// The path of the picture's address.
    pub file: &'a str,
    /// The rules whose selector it matches, by number from 0, in any order.
    pub selected: &'a [usize],
    /// True if `data-kivet="leave"` stands on it or around it.
    pub left: bool,
}

/// What came out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Judged {
    /// The winner, by number from 0.
    pub rule: Option<usize>,
    /// The verdicts of the rules about such elements whose selector matches, in order.
    pub verdicts: Vec<(usize, Verdict)>,
}

/// What one rule says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Verdict {
    /// It decides.
    Wins,
    /// It fits, and an earlier one or one that leaves decides.
    Loses,
    /// It is for other pages.
    OtherPage,
    /// It is for other files.
    OtherFile,
}

impl Verdict {
    /// The name in JSON.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Wins => "wins",
            Self::Loses => "loses",
            Self::OtherPage => "other-page",
            Self::OtherFile => "other-file",
        }
    }

    /// As people read it.
    pub const fn said(self) -> &'static str {
        match self {
            Self::Wins => "wins",
            Self::Loses => "fits, but another decides",
            Self::OtherPage => "is for other pages",
            Self::OtherFile => "is for other files",
        }
    }
}

impl Rules {
    /// Judges an element.
    pub fn judge(&self, subject: &Subject<'_>) -> Judged {
        let mut matching: Vec<usize> =
            self.for_all.iter().chain(subject.selected).copied().collect();
        matching.sort_unstable();
        matching.dedup();
        let about = matching.into_iter().map(|at| (at, &self.rules[at]));
        let mut verdicts: Vec<(usize, Verdict)> = about
            .filter(|(_, rule)| rule.of == subject.of)
            .map(|(at, rule)| {
                let verdict = if !rule.pages.fit(subject.page) {
                    Verdict::OtherPage
                } else if !rule.files.fit(subject.file) {
                    Verdict::OtherFile
                } else {
                    Verdict::Loses
                };
                (at, verdict)
            })
            .collect();
        let fits = |(_, verdict): &&(usize, Verdict)| *verdict == Verdict::Loses;
        let leaves =
            verdicts.iter().filter(fits).find(|(at, _)| self.rules[*at].outcome == Outcome::Leave);
        let winner = leaves.or_else(|| verdicts.iter().find(fits)).map(|(at, _)| *at);
        let winner = winner.filter(|_| !subject.left);
        if let Some((_, verdict)) = verdicts.iter_mut().find(|(at, _)| Some(*at) == winner) {
            *verdict = Verdict::Wins;
        }
        Judged { rule: winner, verdicts }
    }
}
