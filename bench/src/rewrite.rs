//! Pages rewritten, against their parser alone; and the memory it takes, by the length of the page.

use std::{hint::black_box, path::Path, process::Command, time::Instant};

use anyhow::{Context, Result, ensure};
use kivet_image::{Limits, probe};
use kivet_page::{
    Offered,
    markup::{Alt, Options, Picture, Use},
    rewrite::{Decided, Fate, edits, plan, scan, splice},
    rules::{Rules, RulesDocument},
};
use kivet_recipe::Facts;
use lol_html::{HtmlRewriter, Settings, element};

use crate::clock::median;

const TURNS: usize = 9;

/// Text between two pictures, in bytes, as on a page of articles.
const BETWEEN: usize = 4_000;

/// Pages measured for their time, and for their memory, by pictures and bytes of text before each.
const PAGES: [(usize, usize); 3] = [(8, BETWEEN), (64, BETWEEN), (512, BETWEEN)];
const LONG: [(usize, usize); 2] = [(8, 128 << 10), (8, 8 << 20)];

/// Memory for the longest page may exceed that for the shortest by so much, in MiB.
const GROWTH_MIB: u64 = 4;

const RULES: &str = r#"
    [places.wide]
    sizes = "min(92vw, 1180px)"

    [[rules]]
    select = "article img"
    place  = "wide"
"#;

/// Prints both tables and fails if memory grows with the page.
pub fn run() -> Result<()> {
    println!(
        "| page, bytes | pictures | parsed, ms | rewritten, ms | ratio |\n| --: | --: | --: | --: | --: |"
    );
    let site = Site::read()?;
    for (pictures, between) in PAGES {
        let html = page(pictures, between);
        let (mut parsed, mut ours) = (Vec::new(), Vec::new());
        for _ in 0..TURNS {
            let started = Instant::now();
            black_box(parse(&html)?);
            parsed.push(started.elapsed().as_secs_f64() * 1e3);
            let started = Instant::now();
            black_box(site.rewritten(&html, true)?);
            ours.push(started.elapsed().as_secs_f64() * 1e3);
        }
        let (parsed, ours) = (median(parsed), median(ours));
        println!(
            "| {} | {pictures} | {parsed:.2} | {ours:.2} | {:.2} |",
            html.len(),
            ours / parsed
        );
    }
    println!("\n| page, bytes | pictures | memory beside the page, MiB |\n| --: | --: | --: |");
    let mut taken = Vec::new();
    for (pictures, between) in LONG {
        // A process of its own, whose highest memory is this page's.
        let said = Command::new(std::env::current_exe()?)
            .args(["rewrite-one", &pictures.to_string(), &between.to_string()])
            .output()?;
        let text = String::from_utf8_lossy(&said.stdout).trim().to_owned();
        let mib = text.parse::<u64>().with_context(|| format!("it said `{text}`"))?;
        println!("| {} | {pictures} | {mib} |", page(pictures, between).len());
        taken.push(mib);
    }
    ensure!(taken[1] <= taken[0] + GROWTH_MIB, "memory grows with the page: {taken:?} MiB");
    Ok(())
}

/// Reads one page for its changes, and says how much memory that took, in MiB.
pub fn one(pictures: usize, between: usize) -> Result<()> {
    let html = page(pictures, between);
    let site = Site::read()?;
    // From here on the peak counts anew (proc(5), `clear_refs`).
    std::fs::write("/proc/self/clear_refs", "5")?;
    let before = peak()?;
    let changes = site.rewritten(&html, false)?;
    ensure!(changes > 0, "nothing was rewritten");
    println!("{}", peak()?.saturating_sub(before));
    Ok(())
}

fn peak() -> Result<u64> {
    let status = std::fs::read_to_string("/proc/self/status")?;
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:")).context("a peak")?;
    Ok(line.trim().trim_end_matches(" kB").trim().parse::<u64>()? >> 10)
}

/// A page of articles.
fn page(pictures: usize, between: usize) -> Vec<u8> {
    const WORDS: &str = "<p>Every May the sky above <b>Port Ellery</b> fills up. Makers bring what \
        they <a href=\"makers.html\">sewed all winter</a>, and the harbour shuts its cranes.</p>\n";
    let mut html = String::from("<!doctype html><html><head><title>Kites</title></head><body>\n");
    for number in 0..pictures {
        html.push_str("<article>\n");
        let end = html.len() + between;
        while html.len() < end {
            html.push_str(WORDS);
        }
        html.push_str(&format!(
            "<img class=\"wide\" src=\"pictures/{number}.jpg\" alt=\"Kites\">\n</article>\n"
        ));
    }
    html.push_str("</body></html>\n");
    html.into_bytes()
}

/// The parser, which looks at every element's attributes for one that no element has.
fn parse(html: &[u8]) -> Result<usize> {
    let (mut found, mut length) = (0, 0);
    let settings = Settings::new().append_element_content_handler(element!("[data-none]", |_| {
        found += 1;
        Ok(())
    }));
    let mut reader = HtmlRewriter::new(settings, |bytes: &[u8]| length += bytes.len());
    reader.write(html)?;
    reader.end()?;
    Ok(found + length)
}

/// What rewriting rests on.
struct Site {
    rules: Rules,
    /// Of the picture that all stand for.
    facts: Facts,
    offered: Offered,
}

impl Site {
    fn read() -> Result<Self> {
        let file =
            Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/originals/night/lanterns.jpg");
        let facts = probe(&std::fs::read(file)?, Limits::DEFAULT)?;
        let rules: Rules = toml::from_str::<RulesDocument>(RULES)?.checked()?;
        let place = rules.places.values().next().context("a place")?;
        let offered = Offered::expected(place, &facts, false);
        Ok(Self { rules, facts, offered })
    }

    /// The whole way from a page to a page; or, where `whole` is false, to its changes.
    fn rewritten(&self, html: &[u8], whole: bool) -> Result<usize> {
        let Self { rules, facts, offered } = self;
        let found = scan(html, rules)?;
        let wanted = plan(html, &found, rules, "journal.html");
        let place = rules.places.values().next().context("a place")?;
        let picture = Picture { base: "", path: "photos/night/lanterns.jpg", facts, version: None };
        let decided: Vec<Decided<'_>> = wanted
            .iter()
            .filter_map(|wanted| {
                let Fate::Place { placed, .. } = &wanted.fate else { return None };
                let one = Use { picture, place, offered, alt: Alt::Unknown };
                Some(Decided { wanted, placed, one })
            })
            .collect();
        ensure!(!decided.is_empty(), "no picture is rewritten");
        let changes = edits(html, &found, &wanted, &decided, &Options::default());
        Ok(if whole { splice(html, &changes).len() } else { changes.len() })
    }
}
