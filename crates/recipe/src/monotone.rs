//! A monotone curve through a few points: cubic Hermite pieces with slopes limited so that it never
//! turns back (F. N. Fritsch, R. E. Carlson: Monotone Piecewise Cubic Interpolation, SIAM J. Numer.
//! Anal. 17, 1980).

/// A curve y(x) that rises wherever its points do.
#[derive(Clone, Debug)]
pub(crate) struct Monotone {
    points: Vec<(f32, f32)>,
    slopes: Vec<f32>,
}

impl Monotone {
    /// Through `points`, whose x must rise strictly and whose y must not fall; `None` for fewer
    /// than two.
    pub(crate) fn through(points: Vec<(f32, f32)>) -> Option<Self> {
        let secants: Vec<f32> = points
            .windows(2)
            .map(|pair| (pair[1].1 - pair[0].1) / (pair[1].0 - pair[0].0))
            .collect();
        let (first, last) = (*secants.first()?, *secants.last()?);
        let inner = secants.windows(2).map(|pair| {
            let (a, b) = (pair[0], pair[1]);
            // The harmonic mean is at most twice the smaller secant, which keeps every piece
            // monotone.
            if a <= 0.0 || b <= 0.0 { 0.0 } else { 2.0 * a * b / (a + b) }
        });
        let slopes = std::iter::once(first).chain(inner).chain([last]).collect();
        Some(Self { points, slopes })
    }

    /// The value at `x`; beyond the ends on a straight line with the slope of the end.
    pub(crate) fn at(&self, x: f32) -> f32 {
        let last = self.points.len() - 1;
        let upper = self.points.iter().position(|point| point.0 >= x);
        let upper = match upper {
            Some(0) => return self.points[0].1 + (x - self.points[0].0) * self.slopes[0],
            None => return self.points[last].1 + (x - self.points[last].0) * self.slopes[last],
            Some(upper) => upper,
        };
        let ((x0, y0), (x1, y1)) = (self.points[upper - 1], self.points[upper]);
        let (width, t) = (x1 - x0, (x - x0) / (x1 - x0));
        let (m0, m1) = (self.slopes[upper - 1] * width, self.slopes[upper] * width);
        let (t2, t3) = (t * t, t * t * t);
        y0 * (2.0 * t3 - 3.0 * t2 + 1.0)
            + m0 * (t3 - 2.0 * t2 + t)
            + y1 * (3.0 * t2 - 2.0 * t3)
            + m1 * (t3 - t2)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn it_meets_its_points_and_never_turns_back(steps in prop::collection::vec((0.1f32..20.0, 0.0f32..9.0), 2..8)) {
            let mut at = (0.0, 0.0);
            let points: Vec<(f32, f32)> = steps.iter().map(|(x, y)| { at = (at.0 + x, at.1 + y); at }).collect();
            let curve = Monotone::through(points.clone()).expect("two points or more");
            for (x, y) in &points {
                prop_assert!((curve.at(*x) - y).abs() < 1e-3 * y.max(1.0));
            }
            let end = at.0 + 5.0;
            let values: Vec<f32> = (0..=400).map(|i| curve.at(end * i as f32 / 400.0)).collect();
            prop_assert!(values.windows(2).all(|pair| pair[1] >= pair[0] - 1e-3));
        }
    }
}
