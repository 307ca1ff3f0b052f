//! `sizes` fitted to layouts made up by the dozen, against the widths a browser then gives.

use kivet_check::{Chromium, Place, SWEPT, Target, fit_page};
use kivet_page::{Device, SourceSize, TOLERANCE, source_size};

use crate::server::Site;

/// Layouts of the kinds pages use, in many sizes: each holds one picture.
fn layouts() -> Vec<String> {
    let mut layouts = Vec::new();
    let image = "<img src=\"/img/dunes-40x30.jpg\" alt=\"\" style=\"display: block; width: 100%\">";
    for most in [640, 960, 1180, 1440] {
        layouts.push(format!(
            "<div style=\"max-width: {most}px; margin: 0 auto; padding: 0 4vw\">{image}</div>"
        ));
        layouts.push(format!("<div style=\"max-width: {most}px; padding: 0 24px\">{image}</div>"));
    }
    for columns in [2, 3, 4, 5] {
        layouts.push(format!(
            "<div style=\"display: grid; grid-template-columns: repeat({columns}, 1fr); gap: {}px\"><div>{image}</div></div>",
            columns * 6
        ));
        layouts.push(format!(
            "<div style=\"display: grid; grid-template-columns: repeat(auto-fill, minmax({}px, 1fr)); gap: 16px\"><div>{image}</div></div>",
            columns * 90
        ));
    }
    for (at, narrow) in [480, 600, 760, 900].into_iter().enumerate() {
        layouts.push(format!(
            "<style>.b{at} {{ width: 46% }} @media (max-width: {narrow}px) {{ .b{at} {{ width: 100% }} }}</style><div class=\"b{at}\">{image}</div>"
        ));
        layouts.push(format!(
            "<style>.c{at} {{ display: grid; grid-template-columns: 3fr 1fr; gap: 30px; max-width: {}px }} @media (max-width: {narrow}px) {{ .c{at} {{ display: block }} }}</style><div class=\"c{at}\"><div>{image}</div><p>Beside</p></div>",
            narrow * 2
        ));
        layouts.push(format!("<div style=\"display: flex; gap: 20px\"><div style=\"flex: 0 0 {}px\">{image}</div><p style=\"flex: 1\">Beside</p></div>", narrow / 3));
    }
    for share in [25, 40, 62] {
        layouts.push(format!(
            "<div style=\"width: clamp({}px, {share}vw, {}px)\">{image}</div>",
            share * 6,
            share * 20
        ));
    }
    layouts.push(image.to_owned());
    layouts.push(format!("<div style=\"width: calc(50vw + 40px)\">{image}</div>"));
    layouts
}

#[tokio::test(flavor = "multi_thread")]
async fn fitted_sizes_say_what_the_layout_does_at_every_width() {
    let layouts = layouts();
    assert!(layouts.len() >= 30);
    let site = Site::start_with(
        "layouts",
        format!(
            "<!doctype html><title>Layouts</title><style>body {{ margin: 0 }}</style>{}",
            layouts.join("\n")
        ),
    )
    .await;
    let url = format!("{}/page/layouts", site.root);
    let target = Target { name: url.clone(), place: Place::Web(url.parse().expect("an address")) };
    let chromium = Chromium::launch().await.expect("a browser");
    let fitted = fit_page(&chromium, &target).await.expect("fitted");
    assert_eq!(fitted.len(), layouts.len());

    // Other widths than the sweep's, and the edges.
    let tab = chromium.tab(Device::named("laptop").expect("a device")).await.expect("a tab");
    tab.open(&url).await.expect("opened");
    for width in SWEPT.step_by(23).chain([*SWEPT.end()]) {
        let device = Device { width, ..Device::named("laptop").expect("a device") };
        let shown = tab.widths_at(width).await.expect("measured");
        for ((fitted, shown), layout) in fitted.iter().zip(&shown).zip(&layouts) {
            let SourceSize::Pixels(said) = source_size(&fitted.sizes, &device) else {
                panic!("pixels")
            };
            assert!(
                (said - shown).abs() <= TOLERANCE * shown,
                "{width}: {} says {said}, it is {shown}: {layout}",
                fitted.sizes
            );
        }
    }
    for fitted in &fitted {
        println!("{}", fitted.sizes);
    }
    chromium.close().await.expect("closed");
}
