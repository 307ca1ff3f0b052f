//! What the measures of the choice come to.

use kivet_recipe::{Accepted, Format};

use super::{AT_EQUAL_MEAN, BROWSERS, Chosen, Drawn, FORMATS, Outcome, Sent, TARGETS, Tally};

/// Targets met, and formats chosen.
pub(super) fn accuracy(tally: &Tally) {
    by_format(tally);
    by_browser(tally);
    println!();
}

fn by_format(tally: &Tally) {
    println!(
        "| format | target | first within 6 | final within 3 | mean first | mean final |\n| --- | --- | --- | --- | --- | --- |"
    );
    for format in FORMATS {
        for target in TARGETS.map(f32::from) {
            let of = tally.cases.iter().filter(|case| case.target == target);
            let outcomes: Vec<&Outcome> = of
                .flat_map(|case| case.formats.iter().filter(|outcome| outcome.format == format))
                .collect();
            let share = |near: &dyn Fn(&Outcome) -> bool| {
                percent(outcomes.iter().filter(|one| near(one)).count(), outcomes.len())
            };
            let mean = |value: fn(&Outcome) -> f32| {
                outcomes.iter().map(|one| value(one)).sum::<f32>() / outcomes.len() as f32
            };
            println!(
                "| {format} | {target} | {} | {} | {:.1} | {:.1} |",
                share(&|one| (one.first - target).abs() <= 6.0),
                share(&|one| (one.last - target).abs() <= 3.0),
                mean(|one| one.first),
                mean(|one| one.last)
            );
        }
    }
}

fn by_browser(tally: &Tally) {
    println!(
        "\n| browser | chosen final within 3 | better at the lowest setting | first within 6 | better at the lowest setting | fewest bytes within 3% or 200 B, with the curve | within 15%, before it |\n| --- | --- | --- | --- | --- | --- | --- |"
    );
    for (index, (name, accept)) in BROWSERS.iter().enumerate() {
        let accepted = Accepted::from_header(accept);
        let [mut near, mut lowest, mut first, mut lowest_first, mut with, mut before] = [0; 6];
        for case in &tally.cases {
            let reach =
                |one: &&Outcome| accepted.contains(one.format) && one.last >= case.target - 3.0;
            let fewest = case
                .formats
                .iter()
                .filter(reach)
                .map(|one| one.at_target)
                .fold(f64::INFINITY, f64::min);
            let of = |format: Format| case.formats.iter().find(|one| one.format == format);
            let Chosen { guessed, known, .. } = case.chosen[index];
            let bytes = |format| of(format).map_or(f64::INFINITY, |one| one.at_target);
            with += usize::from(bytes(known) <= (fewest + 200.0).max(fewest * 1.03));
            before += usize::from(bytes(guessed) <= fewest * 1.15);
            near += usize::from(of(known).is_some_and(|one| (one.last - case.target).abs() <= 3.0));
            lowest += usize::from(
                of(known).is_some_and(|one| one.lowest.1 && one.last > case.target + 3.0),
            );
            first +=
                usize::from(of(guessed).is_some_and(|one| (one.first - case.target).abs() <= 6.0));
            lowest_first += usize::from(
                of(guessed).is_some_and(|one| one.lowest.0 && one.first > case.target + 6.0),
            );
        }
        let all = tally.cases.len();
        println!(
            "| {name} | {} | {} | {} | {} | {} | {} |",
            percent(near, all),
            percent(lowest, all),
            percent(first, all),
            percent(lowest_first, all),
            percent(with, all),
            percent(before, all)
        );
    }
}

/// Bytes beside fixed settings.
pub(super) fn bytes(tally: &Tally) {
    println!(
        "| browser | sent | bytes | against WebP 75 | mean | spread |\n| --- | --- | --- | --- | --- | --- |"
    );
    let fixed = |format: Format| -> Vec<Sent> {
        let all = tally.drawn.iter().flat_map(|drawn| &drawn.fixed);
        all.filter(|kept| kept.0 == format).map(|kept| kept.1).collect()
    };
    let webp: usize = fixed(Format::Webp).iter().map(|one| one.1).sum();
    let line = |browser: &str, name: &str, sent: &[Sent]| {
        let (bytes, count) = (sent.iter().map(|one| one.1).sum::<usize>(), sent.len() as f32);
        let mean = sent.iter().map(|one| one.0).sum::<f32>() / count;
        let spread = (sent.iter().map(|one| (one.0 - mean).powi(2)).sum::<f32>() / count).sqrt();
        println!(
            "| {browser} | {name} | {bytes} | {:+.1}% | {mean:.1} | {spread:.1} |",
            bytes as f64 * 100.0 / webp as f64 - 100.0
        );
    };
    for (index, (browser, _)) in BROWSERS.iter().enumerate() {
        let choice = |of: fn(&Drawn) -> &[Sent]| -> Vec<Sent> {
            tally.drawn.iter().filter_map(|drawn| of(drawn).get(index).copied()).collect()
        };
        line(browser, "the choice at 70", &choice(|drawn| &drawn.sent));
        line(
            browser,
            &format!("the choice at {AT_EQUAL_MEAN}"),
            &choice(|drawn| &drawn.at_equal_mean),
        );
        line(browser, "the choice, each at the score of WebP 75", &choice(|drawn| &drawn.as_alike));
        let newest = [Format::Jxl, Format::Avif, Format::Webp][index];
        line(browser, &format!("{newest} at one setting"), &fixed(newest));
    }
    line("any", "WebP at 75", &fixed(Format::Webp));
    line("any", "JPEG at 75", &fixed(Format::Jpeg));
    println!();
}

/// What curves and final passes cost.
pub(super) fn costs(tally: &Tally) {
    let sorted = |mut values: Vec<f64>| {
        values.sort_by(f64::total_cmp);
        values
    };
    let at = |values: &[f64], share: f64| values[((values.len() - 1) as f64 * share) as usize];
    println!("| curve of | seconds of a core, median | most |\n| --- | --- | --- |");
    let row = |name: &str, of: &dyn Fn(&Vec<f64>) -> f64| {
        let took = sorted(tally.curves.iter().map(of).collect());
        println!("| {name} | {:.2} | {:.2} |", at(&took, 0.5), at(&took, 1.0));
    };
    for (index, format) in FORMATS.iter().enumerate() {
        row(format.name(), &|spent| spent[index + 1]);
    }
    row("(drawing the probes)", &|spent| spent[0]);
    row("all formats, with the drawing", &|spent| spent.iter().sum());
    println!(
        "\n| browser | final pass in fast encodes, median | 95th percentile |\n| --- | --- | --- |"
    );
    for (index, (name, _)) in BROWSERS.iter().enumerate() {
        let passes = sorted(tally.cases.iter().map(|case| case.chosen[index].pass).collect());
        println!("| {name} | {:.1} | {:.1} |", at(&passes, 0.5), at(&passes, 0.95));
    }
    println!(
        "\n| format | an encode with the fast preset, ms | its score, in such encodes | the search, in such encodes |\n| --- | --- | --- | --- |"
    );
    for format in FORMATS {
        let of = || {
            tally
                .cases
                .iter()
                .flat_map(|case| case.formats.iter().filter(|one| one.format == format))
        };
        let median = |value: &dyn Fn(&Outcome) -> f64| at(&sorted(of().map(value).collect()), 0.5);
        println!(
            "| {format} | {:.1} | {:.1} | {:.1} |",
            median(&|one| one.fast * 1e3),
            median(&|one| one.scored / one.fast),
            median(&|one| one.searched / one.fast)
        );
    }
}

fn percent(part: usize, whole: usize) -> String {
    format!("{:.0}%", part as f64 * 100.0 / whole.max(1) as f64)
}
