//! `kivet markup`.

use std::process::ExitCode;

use anyhow::Result;
use kivet_page::PlaceDocument;
use kivet_service::{LadderResponse, MarkupOrder, MarkupResponse};

use crate::{client::Reach, output};

/// Write the markup for originals in a place.
#[derive(clap::Args)]
#[command(
    after_help = "Examples:\n  kivet markup photos/harbour/kites-dawn.jpg --place banner --alt 'Kites at dawn'\n  kivet markup photos/night/ --place card\n  kivet markup photos/harbour/kites-dawn.jpg --place banner --form preload"
)]
pub struct Markup {
    /// The originals, as shelf/path; one that ends in / stands for all in that folder.
    #[arg(required = true)]
    originals: Vec<String>,
    /// The place they appear in: see kivet place.
    #[arg(long, value_name = "NAME", required_unless_present = "sizes", conflicts_with = "sizes")]
    place: Option<String>,
    /// How wide they are shown, where no place was made for it: the sizes attribute.
    #[arg(long, value_name = "LENGTHS")]
    sizes: Option<String>,
    /// Their aspect ratio beside --sizes, such as 3/2.
    #[arg(long, value_name = "RATIO", requires = "sizes")]
    ratio: Option<String>,
    /// img (picture where the place needs one), picture, preload, css, jsx, social or json.
    #[arg(long, default_value = "img", value_name = "FORM")]
    form: String,
    /// What the picture shows, for those who cannot see it; the library's if left out.
    #[arg(long, value_name = "TEXT", conflicts_with = "decorative")]
    alt: Option<String>,
    /// The page loses nothing without it.
    #[arg(long)]
    decorative: bool,
    /// The language of the library's texts, as HTML's lang has it.
    #[arg(long, value_name = "TAG")]
    language: Option<String>,
    /// Instead of the place's: first (the largest paint), near (above the fold), later (below it)
    /// or hidden (such as a slide).
    #[arg(long, value_name = "WHEN")]
    loading: Option<String>,
    /// The screens on which it loads first, such as '(max-width: 700px)'; near on others.
    #[arg(long, value_name = "CONDITION")]
    media: Option<String>,
    /// Instead of the place's: none, flat, soft, or the path or URL of a picture.
    #[arg(long, value_name = "WHAT")]
    placeholder: Option<String>,
    /// Formats with sources of their own, best first, for hosts that do not choose by Accept.
    #[arg(long, value_name = "FORMATS", value_delimiter = ',')]
    typed: Vec<String>,
    /// Write placeholders as classes, with their rules, for a strict content security policy.
    #[arg(long)]
    classes: bool,
    /// What stands before /pic/, where pictures come from another host than the page.
    #[arg(long, value_name = "ORIGIN")]
    base: Option<String>,
    /// How requests treat credentials: anonymous or use-credentials.
    #[arg(long, value_name = "MODE")]
    crossorigin: Option<String>,
    /// The selector of a CSS background; the place's name as a class if left out.
    #[arg(long, value_name = "SELECTOR")]
    selector: Option<String>,
    /// Name the current version in every URL: caches keep it for ever, and the markup is written
    /// again when the picture changes.
    #[arg(long)]
    versioned: bool,
    /// Write each element on one line.
    #[arg(long)]
    compact: bool,
    /// Add the headers that ask for client hints.
    #[arg(long)]
    hints: bool,
    /// Say what the candidates are, what they cost, and what one more or fewer would.
    #[arg(long)]
    explain: bool,
    #[command(flatten)]
    reach: Reach,
}

impl Markup {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        let Self {
            originals,
            place,
            sizes,
            ratio,
            form,
            alt,
            decorative,
            language,
            loading,
            media,
            placeholder,
            typed,
            classes,
            base,
            crossorigin,
            selector,
            versioned,
            compact,
            hints,
            explain,
            reach,
        } = self;
        let order = MarkupOrder {
            originals,
            place,
            layout: sizes.map(|sizes| PlaceDocument { ratio, ..PlaceDocument::of_sizes(&sizes) }),
            form: Some(form),
            alt: if decorative { Some(String::new()) } else { alt },
            language,
            loading,
            media,
            placeholder,
            base,
            versioned,
            typed,
            classes,
            cross_origin: crossorigin,
            selector,
            compact,
            hints,
        };
        let answer: MarkupResponse = reach.post("/api/markup", &order)?;
        output::print(
            json,
            &answer,
            |answer| if explain { explained(answer) } else { text(answer) },
        )?;
        if !json {
            for note in &answer.notes {
                eprintln!("note: {note}");
            }
        }
        Ok(ExitCode::SUCCESS)
    }
}

fn text(answer: &MarkupResponse) -> String {
    let MarkupResponse { pictures, head, headers, css, notes: _ } = answer;
    let mut parts: Vec<String> = pictures.iter().map(|one| one.text.clone()).collect();
    let mut section = |title: &str, lines: &[String]| {
        if !lines.is_empty() {
            parts.push(format!("\n{title}\n{}", lines.join("\n")));
        }
    };
    section("<!-- in the page's head -->", head);
    section("/* in the page's stylesheet */", css);
    section("# with the page's response", headers);
    parts.join("\n")
}

fn explained(answer: &MarkupResponse) -> String {
    let of = |one: &kivet_service::PictureMarkup| {
        let ladders: Vec<String> = one.ladders.iter().map(ladder).collect();
        format!("{}\n{}", one.original, ladders.join("\n"))
    };
    answer.pictures.iter().map(of).collect::<Vec<_>>().join("\n\n")
}

/// The candidates as a table, and what another number of them would do.
fn ladder(ladder: &LadderResponse) -> String {
    let LadderResponse { media, steps, cost, fewer, more } = ladder;
    let mut lines = Vec::new();
    lines.extend(media.as_ref().map(|media| format!("where {media}:")));
    lines.push(format!("  {:>6} {:>8} {:>9} {:>7}", "width", "target", "expected", "views"));
    for step in steps {
        let target = step.target.map_or("-".to_owned(), |target| target.to_string());
        lines.push(format!(
            "  {:>6} {target:>8} {:>9} {:>6.1}%",
            step.width,
            output::bytes(step.bytes),
            step.share * 100.0
        ));
    }
    let trades =
        [("these", Some(cost)), ("one fewer", fewer.as_ref()), ("one more", more.as_ref())];
    for (name, trade) in trades {
        if let Some(trade) = trade {
            lines.push(format!(
                "  {name:<10} {:>2} widths: {:>5.1}% more bytes than exactly fitting ones, {:.1}% at most on one screen; {:.1}% of pixels missing where browsers round down",
                trade.widths,
                trade.surplus * 100.0,
                trade.screen_surplus * 100.0,
                trade.shortfall * 100.0
            ));
        }
    }
    lines.join("\n")
}
