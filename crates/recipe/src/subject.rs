//! Where attention lies in a picture, coarsely, and the window that keeps most of it.

use serde::{Deserialize, Serialize};

/// A grid of weights over the upright picture: how much each cell draws the eye. Found by looking
/// at pixels, used by geometry alone.
///
/// Guaranteed: as many weights as cells, at least one of each.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "Written", try_from = "Written")]
pub struct Subject {
    columns: usize,
    rows: usize,
    weights: Vec<u8>,
}

/// As kept in records: two hexadecimal digits a cell.
#[derive(Serialize, Deserialize)]
struct Written {
    columns: usize,
    weights: String,
}

/// Positions tried along the free axis.
const STOPS: u32 = 256;

/// A window that keeps so little less than the best may be better balanced.
const NEARLY: f64 = 0.01;

impl Subject {
    /// A grid `columns` wide; `None` unless the weights fill at least one row, and rows exactly.
    pub fn new(columns: usize, weights: Vec<u8>) -> Option<Self> {
        let whole = columns > 0 && !weights.is_empty() && weights.len().is_multiple_of(columns);
        whole.then(|| Self { columns, rows: weights.len() / columns, weights })
    }

    /// This grid turned with the picture it is of.
    pub fn turned(&self, orientation: crate::Orientation) -> Self {
        let (columns, rows) = if orientation.transpose {
            (self.rows, self.columns)
        } else {
            (self.columns, self.rows)
        };
        let from = |at: usize| {
            let (mut x, mut y) = (at % columns, at / columns);
            if orientation.flip_x {
                x = columns - 1 - x;
            }
            if orientation.flip_y {
                y = rows - 1 - y;
            }
            if orientation.transpose { x * self.columns + y } else { y * self.columns + x }
        };
        let weights = (0..columns * rows).map(|at| self.weights[from(at)]).collect();
        Self { columns, rows, weights }
    }

    /// Share of the free space within `stretch` of the width left of a window that spans `share` of
    /// the width, for the most weight inside.
    pub(crate) fn across(&self, stretch: Stretch, share: f64) -> f64 {
        let sums: Vec<f64> = (0..self.columns)
            .map(|x| (0..self.rows).map(|y| f64::from(self.weights[y * self.columns + x])).sum())
            .collect();
        best_place(&sums, stretch, share)
    }

    /// The same from top to bottom.
    pub(crate) fn down(&self, stretch: Stretch, share: f64) -> f64 {
        let sums: Vec<f64> = self
            .weights
            .chunks_exact(self.columns)
            .map(|row| row.iter().copied().map(f64::from).sum())
            .collect();
        best_place(&sums, stretch, share)
    }
}

/// A part of an axis, both ends as shares of it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Stretch {
    pub(crate) from: f64,
    pub(crate) to: f64,
}

/// Slides a window of `share` of the axis over `sums` and returns where in its free space it holds
/// the most; of those that hold nearly as much, the one whose middle is nearest to the middle of
/// all the weight.
fn best_place(sums: &[f64], stretch: Stretch, share: f64) -> f64 {
    let total: f64 = sums.iter().sum();
    let free = stretch.to - stretch.from - share;
    if total <= 0.0 || free <= 1e-9 {
        return 0.5;
    }
    let mut below = vec![0.0];
    below.extend(sums.iter().scan(0.0, |sum, value| {
        *sum += value;
        Some(*sum)
    }));
    // Weight left of a point, cells being even inside.
    let left_of = |at: f64| {
        let cells = at.clamp(0.0, 1.0) * sums.len() as f64;
        let cell = (cells as usize).min(sums.len() - 1);
        below[cell] + sums[cell] * (cells - cell as f64)
    };
    let start = |place: f64| stretch.from + place * free;
    let held = |place: f64| left_of(start(place) + share) - left_of(start(place));
    let places = || (0..=STOPS).map(|stop| f64::from(stop) / f64::from(STOPS));
    let most = places().map(held).fold(0.0, f64::max);
    let middle = sums.iter().enumerate().map(|(i, sum)| (i as f64 + 0.5) * sum).sum::<f64>()
        / (total * sums.len() as f64);
    let off = |place: &f64| (start(*place) + share / 2.0 - middle).abs();
    places()
        .filter(|place| held(*place) >= most - NEARLY * total)
        .min_by(|a, b| off(a).total_cmp(&off(b)))
        .unwrap_or(0.5)
}

impl From<Subject> for Written {
    fn from(subject: Subject) -> Self {
        let weights = subject.weights.iter().map(|weight| format!("{weight:02x}")).collect();
        Self { columns: subject.columns, weights }
    }
}

impl TryFrom<Written> for Subject {
    type Error = String;

    fn try_from(written: Written) -> Result<Self, Self::Error> {
        let digits = written.weights.as_bytes().chunks(2);
        let weights: Option<Vec<u8>> = digits
            .map(|pair| u8::from_str_radix(std::str::from_utf8(pair).ok()?, 16).ok())
            .collect();
        weights
            .and_then(|weights| Self::new(written.columns, weights))
            .ok_or_else(|| "no grid of weights".to_owned())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Orientation;

    fn one_cell(columns: usize, rows: usize, at: (usize, usize)) -> Subject {
        let weights = (0..columns * rows)
            .map(|i| if (i % columns, i / columns) == at { 200 } else { 0 })
            .collect();
        Subject::new(columns, weights).expect("a grid")
    }

    #[test]
    fn the_window_goes_where_the_weight_is() {
        const ALL: Stretch = Stretch { from: 0.0, to: 1.0 };
        let right = one_cell(10, 5, (9, 1));
        assert_eq!(right.across(ALL, 0.5), 1.0);
        let place = right.down(ALL, 0.5);
        assert!(place * 0.5 <= 0.2 && place * 0.5 + 0.5 >= 0.4, "{place}");
        let even = Subject::new(4, vec![9; 16]).expect("a grid");
        assert!((even.across(ALL, 0.5) - 0.5).abs() < 0.01, "nothing in particular: the middle");
        assert_eq!(one_cell(3, 3, (0, 0)).across(ALL, 1.0), 0.5);
    }

    #[test]
    fn it_turns_with_its_picture_and_survives_records() {
        let subject = one_cell(4, 2, (3, 0));
        let quarter = Orientation::from_exif(6).expect("6");
        assert_eq!(subject.turned(quarter), one_cell(2, 4, (1, 3)));
        assert_eq!(subject.turned(quarter).turned(quarter.inverse()), subject);
        let text = serde_json::to_string(&subject).expect("written");
        assert_eq!(serde_json::from_str::<Subject>(&text).expect("read"), subject);
        assert!(serde_json::from_str::<Subject>(r#"{"columns":3,"weights":"0011"}"#).is_err());
    }
}
