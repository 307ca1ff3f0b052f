use super::*;
use crate::Element;

fn report(sent: u64, findings: &[(Code, &str)], runs: u32) -> Report {
    let device = DeviceReport {
        device: "phone".to_owned(),
        sent,
        needed: 90_000,
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
        pictures: Vec::new(),
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
        }],
    };
    Report {
        version: VERSION,
        kivet: "0".to_owned(),
        at: 0,
        mode: Mode::Browser,
        runs,
        devices: Vec::new(),
        pages: vec![PageReport {
            page: "index.html".to_owned(),
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
    let change = compare(&before, &after);
    let page = &change.pages[0];
    assert_eq!(page.fixed.iter().map(|one| one.code).collect::<Vec<_>>(), [Code::MorePixels]);
    assert_eq!(page.new.iter().map(|one| one.code).collect::<Vec<_>>(), [Code::LazyAbove]);
    assert_eq!((page.kept, page.devices[0].sent), (1, [900_000, 870_000]));
    assert!(!page.devices[0].largest_ms.expect("measured").beyond_spread);
    let clearly = compare(&before, &report(90_000, &[], 3));
    assert!(clearly.pages[0].devices[0].largest_ms.expect("measured").beyond_spread);
    let once = compare(&report(900_000, &[], 1), &report(90_000, &[], 1));
    assert!(
        !once.pages[0].devices[0].largest_ms.expect("measured").beyond_spread,
        "one run says nothing of its spread"
    );
}

#[test]
fn budgets_name_what_breaks_them() {
    let report = report(900_000, &[(Code::MorePixels, "a")], 1);
    let broken = |text: &str| text.parse::<Budget>().expect(text).broken_by(&report).len();
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
    let sarif: serde_json::Value = serde_json::from_str(&report.to_sarif()).expect("JSON");
    let result = &sarif["runs"][0]["results"][0];
    assert_eq!(result["ruleId"], "more-pixels-than-shown");
    let rules = &sarif["runs"][0]["tool"]["driver"]["rules"];
    assert_eq!(
        rules[result["ruleIndex"].as_u64().expect("an index") as usize]["id"],
        "more-pixels-than-shown"
    );
    assert_eq!(result["locations"][0]["physicalLocation"]["region"]["startLine"], 7);
    let junit = report.to_junit();
    assert!(junit.contains(&format!("tests=\"{}\" failures=\"2\"", Code::ALL.len())), "{junit}");
    assert!(junit.contains("seen &lt;here&gt; &amp; &quot;there&quot;"));
    assert_eq!(junit.matches("<testcase").count(), Code::ALL.len());
    assert!(
        report.to_markdown().contains("| phone | 900 kB | 90.0 kB | 2 |"),
        "{}",
        report.to_markdown()
    );
    let html = report.to_html();
    assert!(html.contains("seen &lt;here&gt;") && html.contains("back from memory"));
    let json = serde_json::to_string(&report).expect("JSON");
    assert_eq!(serde_json::from_str::<Report>(&json).expect("read back"), report);
}
