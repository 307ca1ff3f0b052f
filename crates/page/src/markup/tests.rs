use kivet_recipe::{Analysis, Facts, Fidelity, Format, Recipe, Size, Storage, Subject};
use proptest::prelude::*;

use super::*;
use crate::{
    AlternativeDocument, Device, Loading, PlaceDocument, Population, Source, SourceSize, Targets,
    pick, read_srcset, source_for, source_size,
};

fn place(document: &PlaceDocument) -> Place {
    document.checked(&"card".parse().expect("a name")).expect("a place")
}

fn offered(place: &Place, facts: &Facts) -> Offered {
    let bytes = |recipe: &Recipe| f64::from(recipe.width.unwrap_or(300)).powf(1.6);
    let targets = Targets { fidelity: Fidelity::DEFAULT, density_step: 8, lossless: false };
    Offered::new(place, facts, Population::assumed(), targets, &bytes)
}

fn photo(width: u32, height: u32) -> Facts {
    let subject = Subject::new(2, vec![1; 4]).expect("a grid");
    let soft = Some("data:image/webp;base64,AAAA".to_owned());
    Facts {
        analysis: Some(Analysis { subject, dominant: [10, 100, 200], soft }),
        ..Facts::plain(Format::Jpeg, Size::new(width, height), Storage::Lossy)
    }
}

const PATH: &str = "photos/harbour/kites%20&%20co.jpg";

fn written(form: Form, document: &PlaceDocument, facts: &Facts, options: &Options) -> Markup {
    let place = place(document);
    let offered = offered(&place, facts);
    let picture = Picture { base: "", path: PATH, facts, version: None };
    let one =
        Use { picture, place: &place, offered: &offered, alt: Alt::Text("Kites \"at\" dawn") };
    write(form, &one, options)
}

fn fixed() -> PlaceDocument {
    PlaceDocument { ratio: Some("3-2".to_owned()), ..PlaceDocument::of_sizes("300px") }
}

#[test]
fn the_whole_element_reads_as_a_person_would_write_it() {
    let document = PlaceDocument {
        loading: Some("first".to_owned()),
        placeholder: Some("soft".to_owned()),
        ..fixed()
    };
    let markup = written(Form::Img, &document, &photo(700, 467), &Options::default());
    assert_eq!(
        markup.text,
        r#"<img
  src="/pic/712w_ratio-3-2_fidelity-68/photos/harbour/kites%20&amp;%20co.jpg"
  srcset="/pic/300w_ratio-3-2_fidelity-80/photos/harbour/kites%20&amp;%20co.jpg 300w,
    /pic/384w_ratio-3-2_fidelity-77/photos/harbour/kites%20&amp;%20co.jpg 384w,
    /pic/456w_ratio-3-2_fidelity-75/photos/harbour/kites%20&amp;%20co.jpg 456w,
    /pic/600w_ratio-3-2_fidelity-72/photos/harbour/kites%20&amp;%20co.jpg 600w,
    /pic/712w_ratio-3-2_fidelity-68/photos/harbour/kites%20&amp;%20co.jpg 700w"
  sizes="300px"
  width="700" height="467"
  alt="Kites &quot;at&quot; dawn"
  loading="eager" fetchpriority="high" decoding="async"
  style="background:url(data:image/webp;base64,AAAA) center / cover no-repeat">"#
    );
    assert!(markup.notes[0].contains("--form preload"));
}

#[test]
fn a_vector_needs_no_candidates_and_nothing_lies_under_what_is_transparent() {
    let document = PlaceDocument { placeholder: Some("flat".to_owned()), ..fixed() };
    let vector = Facts { format: Format::Svg, storage: Storage::Vector, ..photo(300, 200) };
    let text = written(Form::Img, &document, &vector, &Options::default()).text;
    assert!(text.contains("src=\"/pic/ratio-3-2/") && !text.contains("srcset"), "{text}");
    assert!(!text.contains("style="), "{text}");
    let clear = Facts { alpha: true, ..photo(3000, 2000) };
    assert!(!written(Form::Img, &document, &clear, &Options::default()).text.contains("style="));
    let opaque = written(Form::Img, &document, &photo(3000, 2000), &Options::default()).text;
    assert!(opaque.contains("style=\"background-color:#0a64c8\""), "{opaque}");
}

#[test]
fn classes_stand_for_inline_styles() {
    let document = PlaceDocument { placeholder: Some("soft".to_owned()), ..fixed() };
    let options = Options { classes: true, ..Options::default() };
    let markup = written(Form::Img, &document, &photo(3000, 2000), &options);
    let css = markup.css.expect("a rule");
    let class = css.split([' ', '.']).nth(1).expect("a class");
    assert!(markup.text.contains(&format!("class=\"{class}\"")) && !markup.text.contains("style="));
}

#[test]
fn a_missing_alt_is_left_out_and_reported() {
    let (facts, place) = (photo(700, 467), place(&fixed()));
    let offered = offered(&place, &facts);
    let picture = Picture { base: "", path: PATH, facts: &facts, version: None };
    let with = |alt| {
        let one = Use { picture, place: &place, offered: &offered, alt };
        write(Form::Img, &one, &Options::default())
    };
    let unknown = with(Alt::Unknown);
    assert!(!unknown.text.contains("alt=") && unknown.notes.len() == 1);
    let decorative = with(Alt::Decorative);
    assert!(decorative.text.contains("alt=\"\"") && decorative.notes.is_empty());
}

#[test]
fn jsx_has_reacts_names() {
    let document = PlaceDocument {
        loading: Some("hidden".to_owned()),
        placeholder: Some("flat".to_owned()),
        ..fixed()
    };
    let text = written(Form::Jsx, &document, &photo(3000, 2000), &Options::default()).text;
    for part in [
        "srcSet=\"",
        "fetchPriority=\"low\"",
        "width={912}",
        "style={{ backgroundColor: \"#0a64c8\" }}",
        " />",
    ] {
        assert!(text.contains(part), "{part}: {text}");
    }
}

#[test]
fn other_hosts_are_connected_to_early_and_hints_sent_on() {
    let (facts, place) = (photo(700, 467), place(&fixed()));
    let offered = offered(&place, &facts);
    let base = "https://pics.windmark.example";
    let picture = Picture { base, path: PATH, facts: &facts, version: Some("abc") };
    let one = Use { picture, place: &place, offered: &offered, alt: Alt::Decorative };
    let options =
        Options { cross_origin: Some(CrossOrigin::Anonymous), hints: true, ..Options::default() };
    let markup = write(Form::Img, &one, &options);
    assert!(
        markup.text.contains("?v=abc 300w") && markup.text.contains("crossorigin=\"anonymous\"")
    );
    assert_eq!(
        markup.head,
        [format!("<link rel=\"preconnect\" href=\"{base}\" crossorigin=\"anonymous\">")]
    );
    assert!(markup.headers[1].contains(&format!("ch-dpr=(self \"{base}\")")));
    let social = write(Form::Social, &one, &options).text;
    assert!(social.contains("property=\"og:image:width\" content=\"700\""), "{social}");
}

#[test]
fn a_background_has_a_rule_for_each_stretch_of_viewports() {
    let document = PlaceDocument {
        alternatives: vec![AlternativeDocument {
            media: "(max-width: 40em)".to_owned(),
            ratio: Some("1-1".to_owned()),
            ..AlternativeDocument::default()
        }],
        ..PlaceDocument::of_sizes("(min-width: 60em) 600px, 100vw")
    };
    let text = written(Form::Css, &document, &photo(3000, 2000), &Options::default()).text;
    assert!(text.starts_with(".card {\n  background-image: url(\"/pic/"), "{text}");
    assert!(text.contains("image-set(url(") && text.contains(" 2x"), "{text}");
    assert!(text.contains("@media (max-width: 40em) and (max-width: 375px)"), "{text}");
    assert!(text.contains("[data-kivet=\"background\"]:not([data-kivet-seen])"), "{text}");
}

/// What a browser takes from an `Offer`, by the rules of HTML, from its text alone.
fn taken(picture: &Picture<'_>, offer: &Offer, device: &Device) -> String {
    let sources: Vec<Source> = offer
        .sources
        .iter()
        .map(|source| Source {
            srcset: source.candidates.srcset(picture),
            sizes: source.candidates.sizes.clone(),
            media: source.media.clone().unwrap_or_default(),
            r#type: source.format.map_or(String::new(), |format| format.media_type().to_owned()),
            ..Source::default()
        })
        .collect();
    let (text, sizes) = match source_for(&sources, device) {
        Some(source) => (source.srcset.clone(), source.sizes.as_str()),
        None => (offer.main.srcset(picture), offer.main.sizes.as_str()),
    };
    let SourceSize::Pixels(size) = source_size(sizes, device) else { panic!("a width: {sizes}") };
    pick(&read_srcset(&text), size, device.density).expect("a candidate").url.clone()
}

fn any_place() -> impl Strategy<Value = PlaceDocument> {
    let sizes = prop::sample::select(vec![
        "100vw",
        "300px",
        "(min-width: 60em) 33vw, 100vw",
        "(max-width: 520px) 92vw, (max-width: 860px) calc(46vw - 13px), min(30.7vw, 376px)",
        "(min-width: 40em) and (max-width: 70em) calc((100vw - 4rem) / 3), 80vw",
    ]);
    let alternative = prop::option::of(prop::sample::select(vec![
        "(max-width: 40em)",
        "not (min-width: 500px)",
        "(orientation: portrait) or (max-width: 600px)",
    ]));
    let loading = prop::sample::select(Loading::ALL.to_vec());
    let cap = prop::option::of(prop::sample::select(vec![1.0, 1.5, 2.0, 2.63]));
    (sizes, alternative, loading, cap, any::<bool>()).prop_map(
        |(sizes, media, loading, density_cap, ratio)| PlaceDocument {
            ratio: ratio.then(|| "4-3".to_owned()),
            loading: Some(loading.name().to_owned()),
            density_cap,
            alternatives: media
                .map(|media| AlternativeDocument {
                    media: media.to_owned(),
                    ratio: Some("1-1".to_owned()),
                    ..AlternativeDocument::default()
                })
                .into_iter()
                .collect(),
            ..PlaceDocument::of_sizes(sizes)
        },
    )
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn browsers_take_what_is_predicted_on_every_screen(
        document in any_place(), width in 30u32..5000, height in 30u32..5000,
        screens in prop::collection::vec((200u32..2800, 300u32..1500, prop::sample::select(vec![1.0, 1.25, 2.0, 2.625, 3.0])), 1..20),
    ) {
        let (place, facts) = (place(&document), photo(width, height));
        let offered = offered(&place, &facts);
        let picture = Picture { base: "", path: PATH, facts: &facts, version: None };
        let one = Use { picture, place: &place, offered: &offered, alt: Alt::Decorative };
        let offer = Offer::new(&one, &Options::default());
        for (width, height, density) in screens {
            let device = Device::screen(width, height, density);
            let (_, step) = offered.taken_on(&place, &device);
            prop_assert_eq!(taken(&picture, &offer, &device), picture.url(step.recipe.as_str()));
        }
        for candidates in offer.sources.iter().map(|source| &source.candidates).chain([&offer.main]) {
            let widths: Vec<u32> = candidates.steps.iter().map(|(_, width)| *width).collect();
            prop_assert!(widths.windows(2).all(|pair| pair[0] < pair[1]));
            prop_assert!(widths.iter().all(|at| *at <= width));
            // Read back, each candidate is the one that was written.
            let read = read_srcset(&candidates.srcset(&picture));
            let same = read.iter().zip(&candidates.steps).all(|(read, written)| {
                read.url == picture.url(&written.0) && read.width == Some(f64::from(written.1))
            });
            prop_assert!(same && read.len() == candidates.steps.len());
        }
    }

    #[test]
    fn one_preload_holds_on_each_screen_and_names_what_the_picture_takes(
        document in any_place(), width in 200u32..2800, height in 300u32..1500,
        density in prop::sample::select(vec![1.0, 2.0, 3.0]),
    ) {
        let (place, facts) = (place(&document), photo(3000, 2000));
        let offered = offered(&place, &facts);
        let picture = Picture { base: "", path: PATH, facts: &facts, version: None };
        let one = Use { picture, place: &place, offered: &offered, alt: Alt::Decorative };
        let offer = Offer::new(&one, &Options::default());
        let device = Device::screen(width, height, density);
        let holding = |on: Option<&str>| {
            let holds = |link: &preload::Link<'_>| {
                link.media.as_deref().is_none_or(|media| crate::media_matches(media, &device))
            };
            preload::links(&offer, on).into_iter().filter(holds).collect::<Vec<_>>()
        };
        // A picture that loads first on some screens is preloaded on those alone.
        for on in ["(max-width: 700px)", "(max-width: 500px) or (min-width: 1000px)"] {
            let expected = usize::from(crate::media_matches(on, &device));
            prop_assert_eq!(holding(Some(on)).len(), expected);
        }
        let holding = holding(None);
        prop_assert_eq!(holding.len(), 1);
        let only = Offer { sources: Vec::new(), main: holding[0].candidates.clone() };
        prop_assert_eq!(taken(&picture, &only, &device), taken(&picture, &offer, &device));
    }
}
