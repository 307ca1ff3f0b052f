use super::*;
use crate::Element;

fn report(sent: u64, findings: &[(Code, &str)], runs: u32) -> Report {
    let device = DeviceReport {
        device: "phone".to_owned(),
        sent,
        needed: 90_000,
        useful: 90_000.min(sent),
        fit: None,
        requests: 3,
        requests_before_scroll: 2,
        sent_before_scroll: sent,
        largest_ms: Spread::of(&[
            sent as f64 / 1000.0,
            sent as f64 / 1000.0 + 40.0,
            sent as f64 / 1000.0 + 90.0,
        ]),
        largest: None,
        shift: Spread::of(&[0.02]),
        restored: Some(true),
        unknown: 0,
        not_final: 0,
        milestones: Milestones::default(),
        pictures: Vec::new(),
        resources: Vec::new(),
    };
    let finding = |(code, path): &(Code, &str)| ReportedFinding {
        code: *code,
        element: Element {
            path: (*path).to_owned(),
            selector: (*path).to_owned(),
            line: Some(7),
            ..Element::default()
        },
        url: String::new(),
        why: "seen <here> & \"there\"".to_owned(),
        fix: "fix".to_owned(),
        costs: vec![DeviceCost {
            device: "phone".to_owned(),
            cost: Cost { bytes: Some(50_000), ms: None },
            overlap: 0,
        }],
    };
    let device = DeviceReport { fit: fit([&device].into_iter()), ..device };
    Report {
        version: VERSION,
        kivet: "0".to_owned(),
        at: 0,
        mode: Mode::Browser,
        runs,
        throttled: true,
        devices: Vec::new(),
        pages: vec![PageReport {
            page: "index.html".to_owned(),
            under: String::new(),
            fit: device.fit,
            devices: vec![device],
            findings: findings.iter().map(finding).collect(),
        }],
        failures: Vec::new(),
        thumbnails: BTreeMap::new(),
    }
}

#[test]
fn a_difference_inside_the_spread_is_no_gain() {
    let before = report(900_000, &[(Code::MorePixels, "a"), (Code::AltMissing, "b")], 3);
    let after = report(870_000, &[(Code::AltMissing, "b"), (Code::LazyAbove, "c")], 3);
    let change = compare(&before, &after).expect("alike");
    let page = &change.pages[0];
    assert_eq!(page.fixed.iter().map(|one| one.code).collect::<Vec<_>>(), [Code::MorePixels]);
    assert_eq!(page.new.iter().map(|one| one.code).collect::<Vec<_>>(), [Code::LazyAbove]);
    assert_eq!((page.kept, page.devices[0].sent), (1, [900_000, 870_000]));
    assert!(!page.devices[0].largest_ms.expect("measured").beyond_spread);
    let clearly = compare(&before, &report(90_000, &[], 3)).expect("alike");
    assert!(clearly.pages[0].devices[0].largest_ms.expect("measured").beyond_spread);
    let once = compare(&report(900_000, &[], 1), &report(90_000, &[], 1)).expect("alike");
    assert!(
        !once.pages[0].devices[0].largest_ms.expect("measured").beyond_spread,
        "one run says nothing of its spread"
    );
}

/// A finding's code, path, picture and bytes.
type Found = (Code, &'static str, &'static str, u64);

/// A report on several pages with their findings.
fn pages(of: &[(&str, &[Found])]) -> Report {
    let mut all = report(900_000, &[], 1);
    let template = report(0, &[(Code::MorePixels, "x")], 1).pages.remove(0).findings.remove(0);
    all.pages = of
        .iter()
        .map(|(name, findings)| {
            let mut page = report(900_000, &[], 1).pages.remove(0);
            page.page = format!("/somewhere/{name}");
            page.under = (*name).to_owned();
            page.findings = findings
                .iter()
                .map(|(code, path, url, bytes)| {
                    let mut one = template.clone();
                    (one.code, one.url) = (*code, (*url).to_owned());
                    (one.element.path, one.element.selector) =
                        ((*path).to_owned(), (*path).to_owned());
                    one.costs[0].cost.bytes = Some(*bytes);
                    one
                })
                .collect();
            page
        })
        .collect();
    all
}

#[test]
fn what_has_no_counterpart_is_new() {
    use Code::{BrokenPicture, MorePixels};
    let before = pages(&[
        (
            "a.html",
            &[(MorePixels, "img1", "kite.jpg", 50_000), (MorePixels, "img2", "kite.jpg", 50_000)],
        ),
        ("b.html", &[(MorePixels, "img1", "dunes-1f3.jpg", 90_000)]),
    ]);
    let same = beyond(&before, &before).expect("alike");
    assert_eq!(same, Vec::new());
    // Moved elements and renamed files are the same waste; a second use, a heavier file, a broken
    // picture and a page nobody knew are not.
    let after = pages(&[
        (
            "a.html",
            &[
                (MorePixels, "img7", "kite.jpg", 50_000),
                (MorePixels, "img8", "kite.jpg", 50_000),
                (MorePixels, "img9", "kite.jpg", 50_000),
                (BrokenPicture, "img1", "gone.jpg", 0),
            ],
        ),
        ("b.html", &[(MorePixels, "img1", "dunes-9c2.jpg", 90_500)]),
        ("c.html", &[(MorePixels, "img1", "large.jpg", 698_000)]),
    ]);
    let new: Vec<String> = beyond(&before, &after)
        .expect("alike")
        .iter()
        .map(|(page, one)| format!("{page} {} {}", one.code, one.element.path))
        .collect();
    assert_eq!(
        new,
        [
            "/somewhere/a.html more-pixels-than-shown img9",
            "/somewhere/a.html broken-picture img1",
            "/somewhere/c.html more-pixels-than-shown img1",
        ]
    );
    let heavier = pages(&[
        (
            "a.html",
            &[(MorePixels, "img1", "kite.jpg", 80_000), (MorePixels, "img2", "kite.jpg", 50_000)],
        ),
        ("b.html", &[(MorePixels, "img1", "photograph.jpg", 698_000)]),
    ]);
    assert_eq!(beyond(&before, &heavier).expect("alike").len(), 2);
    let text = Report { mode: Mode::Text, ..before.clone() };
    assert!(matches!(compare(&text, &before), Err(IncomparableError::Modes { .. })));
}

#[test]
fn what_several_pages_share_is_said_once() {
    use Code::{AltMissing, BrokenPicture, MorePixels};
    let report = pages(&[
        ("a.html", &[(MorePixels, "header", "logo.png", 9_000), (AltMissing, "p", "kite.jpg", 0)]),
        (
            "b.html",
            &[
                (MorePixels, "header", "logo.png", 9_000),
                (MorePixels, "p", "big.jpg", 80_000),
                (BrokenPicture, "q", "gone.jpg", 0),
            ],
        ),
    ]);
    let outline = report.outline();
    assert_eq!(outline.shared.len(), 1);
    assert_eq!((outline.shared[0].0.name(), outline.shared[0].1.len()), ("logo.png", 2));
    let names: Vec<&str> = outline.pages[1].1.iter().map(|group| group.name()).collect();
    assert_eq!(names, ["gone.jpg", "big.jpg"], "broken pictures come first");
}

#[test]
fn budgets_name_what_breaks_them() {
    let report = report(900_000, &[(Code::MorePixels, "a")], 1);
    let broken = |text: &str| {
        let budget: Budget = text.parse().expect(text);
        Verdict::new(&report, Some(&budget), &[]).said(&report).len()
    };
    assert_eq!(broken("more-pixels-than-shown"), 1);
    assert_eq!(broken("alt-missing, sent>1MB, requests>2, shift>0.1, largest>2s"), 0);
    assert_eq!(broken("sent>800kB,wasted>0.8MB,requests>1,shift>0.01,largest>0.5s,any"), 6);
    let slip = "alt-mising".parse::<Budget>().expect_err("no such code");
    assert_eq!(slip.nearest, Some("alt-missing"));
}

#[test]
fn every_form_is_well_formed_and_says_it_all() {
    let report =
        report(900_000, &[(Code::MorePixels, "html>body>img"), (Code::AltMissing, "b")], 1);
    let budget: Budget = "alt-missing,sent>1kB".parse().expect("a budget");
    let verdict = Verdict::new(&report, Some(&budget), &[]);
    let sarif: serde_json::Value = serde_json::from_str(&report.to_sarif(&verdict)).expect("JSON");
    let result = &sarif["runs"][0]["results"][0];
    assert_eq!(result["ruleId"], "more-pixels-than-shown");
    let rules = &sarif["runs"][0]["tool"]["driver"]["rules"];
    assert_eq!(
        rules[result["ruleIndex"].as_u64().expect("an index") as usize]["id"],
        "more-pixels-than-shown"
    );
    assert_eq!(result["locations"][0]["physicalLocation"]["region"]["startLine"], 7);
    let levels: Vec<&str> = sarif["runs"][0]["results"]
        .as_array()
        .expect("results")
        .iter()
        .map(|one| one["level"].as_str().expect("a level"))
        .collect();
    assert_eq!(levels, ["warning", "error", "error"], "only what fails is an error");
    let junit = report.to_junit(&verdict);
    assert!(
        junit.contains(&format!("tests=\"{}\" failures=\"2\"", Code::ALL.len() + 1)),
        "{junit}"
    );
    assert!(!report.to_junit(&Verdict::default()).contains("<failure"), "nothing fails");
    assert!(junit.contains("seen &lt;here&gt; &amp; &quot;there&quot;"));
    assert_eq!(junit.matches("<testcase").count(), Code::ALL.len() + 1);
    assert!(
        report.to_markdown().contains("| phone | 10% | 900 kB | 90.0 kB | 2 |"),
        "{}",
        report.to_markdown()
    );
    let tight: Budget = "fit<20%".parse().expect("a budget");
    let broken = tight.limits_broken_by(&report);
    assert_eq!(broken[0].1, "fit<20 on the phone: it is 10%");
    assert!("fit>20".parse::<Budget>().is_err(), "a high fit is never wrong");
    let html = report.to_html();
    assert!(html.contains("seen &lt;here&gt;") && html.contains("back from memory"));
    let json = serde_json::to_string(&report).expect("JSON");
    assert_eq!(serde_json::from_str::<Report>(&json).expect("read back"), report);
}
