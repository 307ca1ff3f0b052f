use std::io::Write;

use base64::{Engine, engine::general_purpose::STANDARD as BASE64};
use flate2::{Compression, write::GzEncoder};
use kivet_recipe::{Recipe, Size, plan_for};

use super::*;
use crate::{Limits, probe as probe_any};

fn cut_by(text: &str, recipe: &str) -> String {
    let facts = probe_any(text.as_bytes(), Limits::default()).expect(text);
    let recipe: Recipe = recipe.parse().expect(recipe);
    cut(text.as_bytes(), facts.size, &plan_for(&recipe, &facts), recipe.canvas).expect(text)
}

#[test]
fn what_could_act_or_reach_out_is_left_out_and_the_drawing_stays() {
    let nasty = r##"<?xml version="1.0"?><!DOCTYPE svg [<!ENTITY act "<script>act()</script><path onload='act()'/>">]><?xml-stylesheet href="https://elsewhere.test/a.css"?>
        <svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 40 30" onload="act()">
        &act;<script>act()</script><style>@import url(https://elsewhere.test/b.css); .a { fill: red }</style>
        <style>.b { fill: url(<!-- -->https://elsewhere.test/f) }</style>
        <style>@im<?pi?>port "https://elsewhere.test/g.css";</style>
        <style>.c { fill: u<g/>rl(https://elsewhere.test/h) } .d { fill: src("https://elsewhere.test/i") }</style>
        <a ping="https://elsewhere.test/j" href="#mine"><path src="https://elsewhere.test/k" d="M1 1"/></a>
        <image href="data:image/svg+xml;base64,AAAA" xlink:href="#mine"/>
        <path fill="u\72l(https://elsewhere.test/l)" filter="url( 'https://elsewhere.test/m' )" d="M2 2"/>
        <style>.kept { fill: url( '#paint' ) }</style>
        <foreignObject><body xmlns="http://www.w3.org/1999/xhtml"><img src="x" onerror="act()"/></body></foreignObject>
        <a href="javascript:act()"><path d="M0 0h9v9z" fill="#c22" OnClick="act()"/></a>
        <image href="https://elsewhere.test/c.png" width="9" height="9"/><image xlink:href="data:image/png;base64,iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="/>
        <use xlink:href="other.svg#x"/><use href="#mine"/>
        <rect style="fill:url(https://elsewhere.test/d.svg#p)" width="4" height="4"/>
        <circle id="mine" r="3" style="fill: u\72l(https://elsewhere.test/e)"/>
        <animate attributeName="href" to="javascript:act()"/><set attributeName="onclick" to="act()"/>
        <text>5 &lt; 7 &amp; 8</text></svg>"##;
    let clean = cut_by(nasty, "fidelity-70");
    for gone in [
        "script",
        "act()",
        "elsewhere",
        "foreignObject",
        "onload",
        "onerror",
        "other.svg",
        "javascript",
        "xml-stylesheet",
    ] {
        assert!(!clean.contains(gone), "{gone} is still there: {clean}");
    }
    for kept in [
        "M0 0h9v9z",
        "#c22",
        "href=\"#mine\"",
        "data:image/png;base64,iVBOR",
        "5 &lt; 7 &amp; 8",
        "#paint",
    ] {
        assert!(clean.contains(kept), "{kept} is gone: {clean}");
    }
    let twice = cut_by(&clean, "fidelity-70");
    assert_eq!(cut_by(&twice, "fidelity-70"), twice, "what is clean stays as it is");
}

#[test]
fn pictures_carried_inside_obey_limits() {
    let raster = crate::Raster::filled(Size::new(4000, 4000), [200, 30, 30, 255], false);
    let png = crate::encode(&raster, Format::Png, kivet_recipe::Encoding::Lossless).expect("a PNG");
    let image = format!("<image href=\"data:image/png;base64,{}\"/>", BASE64.encode(png));
    let carried = |copies: usize| {
        let text = format!(
            r#"<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><path d="M0 0h9"/>{}</svg>"#,
            image.repeat(copies)
        );
        cut_by(&text, "fidelity-70").matches("data:image/png").count()
    };
    assert_eq!(carried(2), 2);
    assert_eq!(carried(9), 3, "48 of 50 megapixels");
}

/// A drawing of 1,000 pixels square around `content`.
fn large(content: &str) -> String {
    format!(r#"<svg xmlns="http://www.w3.org/2000/svg" width="1000" height="1000">{content}</svg>"#)
}

/// A filter over the whole of a drawing.
fn filtered(primitives: &str) -> String {
    large(&format!(
        r##"<filter id="f" x="0" y="0" width="1" height="1">{primitives}</filter><rect width="1000" height="1000" fill="#c22" filter="url(#f)"/>"##
    ))
}

/// `levels` of elements, each with two uses of the one before.
fn forest(levels: usize, use_of: impl Fn(usize) -> String) -> String {
    let trees: String = (1..=levels).map(use_of).collect();
    large(&format!(
        r##"<g id="l0"><rect width="1000" height="1000" fill="#c22"/></g>{trees}<use href="#l{levels}"/>"##
    ))
}

fn drawn(text: &str) -> Result<crate::Raster, crate::ImageError> {
    let facts = probe_any(text.as_bytes(), Limits::default())?;
    let recipe: Recipe = "1000w".parse().expect("a recipe");
    let limits = (&Fonts::default(), Limits::default());
    draw(text.as_bytes(), facts.size, &plan_for(&recipe, &facts), None, limits)
}

#[test]
fn heavy_vectors_are_refused_before_they_are_begun() {
    let masked = |level: usize| {
        let before = level - 1;
        format!(
            r##"<mask id="m{level}"><use href="#l{before}"/></mask><g id="l{level}"><g mask="url(#m{level})"><use href="#l{before}"/></g></g>"##
        )
    };
    let patterned = |level: usize| {
        let before = level - 1;
        let tile = r##"patternUnits="userSpaceOnUse" width="1000" height="1000""##;
        format!(
            r##"<pattern id="p{level}" {tile}><use href="#l{before}"/><use href="#l{before}"/></pattern><g id="l{level}"><rect width="1000" height="1000" fill="url(#p{level})"/></g>"##
        )
    };
    let used = |level: usize| {
        let before = level - 1;
        format!(r##"<g id="l{level}"><use href="#l{before}"/><use href="#l{before}"/></g>"##)
    };
    // By a style sheet, which attributes do not show.
    let styled: String = (1..=30).map(|at| format!(".m{at} {{ mask: url(#m{at}) }}")).collect();
    let styled = forest(30, masked)
        .replace("mask=\"url(#m", "class=\"m")
        .replace(")\"><use", "\"><use")
        .replacen('>', &format!("><style>{styled}</style>"), 1);
    // One that were begun would not end.
    for (name, text) in [
        ("masks by rules", styled),
        ("uses", forest(30, used)),
        ("masks", forest(30, masked)),
        ("patterns", forest(14, patterned)),
        ("turbulence", filtered(r#"<feTurbulence baseFrequency=".05" numOctaves="5000"/>"#)),
        ("a wide window", filtered(r#"<feMorphology operator="dilate" radius="400"/>"#)),
        ("many blurs", filtered(&r#"<feGaussianBlur stdDeviation="90"/>"#.repeat(500))),
        (
            "many layers",
            large(&r##"<g opacity=".5"><rect width="1000" height="1000"/></g>"##.repeat(9000)),
        ),
    ] {
        assert!(drawn(&text).is_err(), "{name}");
    }
    for (name, text) in [
        ("uses", forest(8, used)),
        ("masks", forest(3, masked)),
        ("turbulence", filtered(r#"<feTurbulence baseFrequency=".05" numOctaves="4"/>"#)),
        (
            "lighting",
            filtered(r#"<feDiffuseLighting><feDistantLight azimuth="9"/></feDiffuseLighting>"#),
        ),
        ("a window", filtered(r#"<feMorphology operator="dilate" radius="4"/>"#)),
        (
            "convolving",
            filtered(
                r#"<feConvolveMatrix order="5" kernelMatrix="1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1 1"/>"#,
            ),
        ),
        ("blurs", filtered(&r#"<feGaussianBlur stdDeviation="20"/>"#.repeat(5))),
        (
            "layers",
            large(&r##"<g opacity=".5"><rect width="1000" height="1000"/></g>"##.repeat(50)),
        ),
        ("paths", large(&r##"<path d="M0 0L1000 9L9 1000z"/>"##.repeat(200))),
    ] {
        let started = std::time::Instant::now();
        drawn(&text).expect(name);
        println!("{name}: {:.2} s", started.elapsed().as_secs_f64());
    }
}

#[test]
fn nesting_is_measured_in_one_pass() {
    // Quadratic, the first of them alone took 42 s.
    for open in ["<a", "<a>", "<a b='<", "<a/>", "</a>"] {
        let text = format!("<svg xmlns=\"http://www.w3.org/2000/svg\">{}", open.repeat(400_000));
        assert!(probe_any(text.as_bytes(), Limits::default()).is_err(), "{open}");
    }
}

#[test]
fn entities_are_expanded_and_bombs_refused() {
    let entity = r#"<!DOCTYPE svg [<!ENTITY red "c22">]><svg xmlns="http://www.w3.org/2000/svg" width="4" height="4"><path fill="&red;"/></svg>"#;
    assert!(cut_by(entity, "fidelity-70").contains("fill=\"c22\""));
    // Found by fuzzing: XML allows no such character, not even so.
    let odd = entity.replace("c22", "c\u{0}2\u{FFFF}2");
    assert!(cut_by(&odd, "fidelity-70").contains("fill=\"c\u{FFFD}2\u{FFFD}2\""));
    let levels: String = (1..12)
        .map(|i| format!("<!ENTITY e{i} \"{}\">", format!("&e{};", i - 1).repeat(10)))
        .collect();
    let bomb = format!(
        "<!DOCTYPE svg [<!ENTITY e0 \"ha\">{levels}]><svg xmlns=\"http://www.w3.org/2000/svg\"><text>&e11;</text></svg>"
    );
    assert!(probe_any(bomb.as_bytes(), Limits::default()).is_err());
    let deep = format!("<svg xmlns=\"http://www.w3.org/2000/svg\">{}", "<g>".repeat(100_000));
    assert!(probe_any(deep.as_bytes(), Limits::default()).is_err());
}

/// A drawing of four quarters: red, green / blue, white.
const QUARTERS: &str = r##"<svg xmlns="http://www.w3.org/2000/svg" width="40" height="20"><rect width="20" height="10" fill="#dc1e1e"/><rect x="20" width="20" height="10" fill="#1ec81e"/><rect y="10" width="20" height="10" fill="#1e1edc"/><rect x="20" y="10" width="20" height="10" fill="#fff"/></svg>"##;

#[test]
fn it_is_cropped_turned_and_laid_on_a_canvas_as_pixels_and_as_a_vector_alike() {
    let at = |recipe: &str, x: u32, y: u32| {
        let facts = probe_any(QUARTERS.as_bytes(), Limits::default()).expect("a drawing");
        let recipe: Recipe = recipe.parse().expect(recipe);
        let plan = plan_for(&recipe, &facts);
        let raster = draw(
            QUARTERS.as_bytes(),
            facts.size,
            &plan,
            recipe.canvas,
            (&Fonts::default(), Limits::DEFAULT),
        )
        .expect("drawn");
        // The vector, drawn as a picture of its own, is the same.
        let vector = cut(QUARTERS.as_bytes(), facts.size, &plan, recipe.canvas).expect("cut");
        let again = probe_any(vector.as_bytes(), Limits::default()).expect("a drawing");
        assert_eq!(again.size, plan.size);
        let redrawn = draw_whole(vector.as_bytes(), again.size).expect("drawn");
        assert_eq!(redrawn.bytes(), raster.bytes());
        let from = (y * raster.size().width + x) as usize * 4;
        <[u8; 4]>::try_from(&raster.bytes()[from..from + 4]).expect("a pixel")
    };
    assert_eq!(at("80w", 10, 10), [220, 30, 30, 255]);
    assert_eq!(at("80w_ratio-1-1_at-right", 10, 10), [30, 200, 30, 255]);
    assert_eq!(
        at("40w_rotate-90", 5, 5),
        [30, 30, 220, 255],
        "the bottom left comes to the top left"
    );
    assert_eq!(at("80w_flip-x", 10, 10), [30, 200, 30, 255]);
    assert_eq!(at("80w_80h_contain_on-102030", 10, 5), [16, 32, 48, 255]);
    assert_eq!(at("80w_80h_contain_on-clear", 10, 5), [0, 0, 0, 0]);
    assert_eq!(at("80w_80h_fill", 10, 60), [30, 30, 220, 255]);
}

#[test]
fn a_packed_drawing_is_read_as_any_other() {
    let mut packed = GzEncoder::new(Vec::new(), Compression::default());
    packed.write_all(QUARTERS.as_bytes()).expect("written");
    let packed = packed.finish().expect("packed");
    let facts = probe_any(&packed, Limits::default()).expect("a drawing");
    assert_eq!((facts.format, facts.size), (Format::Svg, Size::new(40, 20)));
    let bomb = {
        let mut packed = GzEncoder::new(Vec::new(), Compression::fast());
        packed.write_all(b"<svg>").expect("written");
        packed.write_all(&vec![b' '; 20 << 20]).expect("written");
        packed.finish().expect("packed")
    };
    assert!(probe_any(&bomb, Limits::default()).is_err());
}

#[test]
fn text_is_drawn_whatever_fonts_are_installed() {
    let text = |family: &str| {
        format!(
            r#"<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 60"><text x="10" y="40" font-size="32" {family}>Windmark</text></svg>"#
        )
    };
    let dark = |family: &str, fonts: &Fonts| {
        let (drawing, size) = (text(family), Size::new(200, 60));
        let plan = kivet_recipe::plan(&Recipe::default(), size);
        let raster = draw(drawing.as_bytes(), size, &plan, None, (fonts, Limits::default()));
        raster.expect("a drawing").bytes().chunks(4).filter(|pixel| pixel[3] > 128).count()
    };
    let families = [
        "",
        "font-family='sans-serif'",
        "font-family='serif'",
        "font-family='monospace'",
        "font-family='cursive, fantasy'",
        "font-family='Nowhere Gothic'",
        "font-family='Nowhere Gothic, Helvetica Neue' font-weight='700' font-style='italic'",
    ];
    for family in families {
        for fonts in [Fonts::embedded(), Fonts::of_system()] {
            assert!(dark(family, &fonts) > 300, "{family}");
        }
        assert_eq!(dark(family, &Fonts::default()), 0);
    }
    let replaced = |family: &str| {
        let all = replaced_fonts(text(family).as_bytes(), &Fonts::embedded()).expect("a drawing");
        all.into_iter().map(|one| (one.family, one.by)).collect::<Vec<_>>()
    };
    let by = |family: &str| vec![(family.to_owned(), "DejaVu Sans".to_owned())];
    assert_eq!(replaced("font-family='Nowhere Gothic, sans-serif'"), by("Nowhere Gothic"));
    assert_eq!(replaced("font-family='DejaVu Sans'"), []);
    assert_eq!(replaced("font-family='sans-serif'"), []);
}
