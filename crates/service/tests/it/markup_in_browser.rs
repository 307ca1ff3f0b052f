//! Markup in Chromium: it takes exactly what Kivet predicts, at the moment the place says.

use std::collections::BTreeSet;

use kivet_browser::{Chromium, Device, Tab};
use kivet_page::{Place, PlaceDocument};
use kivet_service::{MarkupOrder, MarkupResponse};
use reqwest::Method;

use crate::site::{Site, asked, demo_places, laptop};

const ORIGINALS: [&str; 3] =
    ["photos/harbour/kites-dawn.jpg", "photos/kites/six-panel.png", "photos/makers/noor-hale.jpg"];

/// From a small phone to a wide desktop.
const SCREENS: [(u32, u32, f64); 6] = [
    (320, 568, 2.0),
    (390, 740, 3.0),
    (412, 830, 2.625),
    (820, 1110, 2.0),
    (1366, 660, 1.0),
    (2560, 1320, 1.0),
];

async fn markup(site: &Site, order: &MarkupOrder) -> MarkupResponse {
    let body = serde_json::to_string(order).unwrap();
    let answer = site.kivet.order(Method::POST, "/api/markup", body).await;
    assert_eq!(answer.status(), 200);
    answer.json().await.unwrap()
}

fn place(name: &str, document: &PlaceDocument) -> Place {
    document.checked(&name.parse().unwrap()).unwrap()
}

fn order(originals: &[&str], place: &str) -> MarkupOrder {
    MarkupOrder {
        originals: originals.iter().map(|one| (*one).to_owned()).collect(),
        place: Some(place.to_owned()),
        alt: Some(String::new()),
        ..MarkupOrder::default()
    }
}

/// The URL of each picture that a browser shows, without the host.
async fn current(tab: &Tab) -> Vec<String> {
    let sources =
        "[...document.images].map(one => decodeURI(one.currentSrc.replace(location.origin, '')))";
    tab.evaluate(sources).await.unwrap()
}

async fn opened(chromium: &Chromium, device: Device, url: &str) -> (Tab, Vec<String>) {
    let tab = chromium.tab(device).await.unwrap();
    tab.open(url).await.unwrap();
    let taken = current(&tab).await;
    (tab, taken)
}

#[tokio::test(flavor = "multi_thread")]
async fn chromium_takes_what_is_predicted_on_every_device_in_every_place() {
    let site = Site::start().await;
    let chromium = Chromium::launch().await.unwrap();
    for (width, height, density) in SCREENS {
        let device = Device { mobile: width < 900, ..Device::screen(width, height, density) };
        let (mut body, mut expected, mut needs) = (String::new(), Vec::new(), Vec::new());
        for (name, document) in demo_places() {
            let place = place(&name, &document);
            let near = MarkupOrder { loading: Some("near".to_owned()), ..order(&ORIGINALS, &name) };
            let written = markup(&site, &near).await;
            let number = place.layout_on(&device);
            let layout = place.layouts().nth(number).unwrap().1;
            let pixels = layout.sizes.shown_on(&device) * place.density_on(density);
            for one in &written.pictures {
                let steps = &one.ladders[number].steps;
                let taken = steps.iter().find(|step| f64::from(step.width) >= pixels);
                let taken = taken.unwrap_or(&steps[steps.len() - 1]);
                expected.push(format!("/pic/{}/{}", taken.recipe, one.original));
                needs.push(format!("{name} needs {pixels} px: {}", one.text));
                body.push_str(&one.text);
            }
        }
        let url = site.page("places.html", "", &body);
        // Under load a candidate is now and then taken before the viewport is laid out.
        let (mut tab, mut taken) = opened(&chromium, device, &url).await;
        for _ in 0..2 {
            if taken != expected {
                tab.close().await.unwrap();
                (tab, taken) = opened(&chromium, device, &url).await;
            }
        }
        for (number, (taken, expected)) in taken.iter().zip(&expected).enumerate() {
            let needed = &needs[number];
            assert_eq!(taken, expected, "{needed} on {width} x {height} at {density}");
        }
        assert_eq!(taken, expected, "{width} x {height} at {density}");
        // Two places may offer the same.
        let different: BTreeSet<&String> = expected.iter().collect();
        assert_eq!(asked(&tab).len(), different.len(), "each is asked for once");
        tab.close().await.unwrap();
    }
    chromium.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_preload_and_its_picture_are_one_download_at_high_priority() {
    let site = Site::start().await;
    let chromium = Chromium::launch().await.unwrap();
    let banner = ["photos/harbour/kites-dawn.jpg"];
    let picture = markup(&site, &order(&banner, "banner")).await;
    let preload = MarkupOrder { form: Some("preload".to_owned()), ..order(&banner, "banner") };
    let preload = markup(&site, &preload).await;
    let later = markup(&site, &order(&["photos/night/"], "card")).await;
    let far: String = later
        .pictures
        .iter()
        .map(|one| {
            format!("<div style='height:3000px'></div><div style='width:380px'>{}</div>", one.text)
        })
        .collect();
    let style = "<style>img { width: 100%; height: auto; display: block }</style>";
    let head = format!("{style}{}", preload.pictures[0].text);
    let url = site.page("preload.html", &head, &format!("{}{far}", picture.pictures[0].text));
    for device in [laptop(), Device::named("phone").unwrap()] {
        let tab = chromium.tab(device).await.unwrap();
        tab.throttle(true).await.unwrap();
        tab.open(&url).await.unwrap();
        let before = tab.pictures();
        let urls: Vec<&str> = before.iter().map(|one| one.url.as_str()).collect();
        assert_eq!(
            before.len(),
            1,
            "{}: one download, and none below the fold: {urls:?}",
            device.name
        );
        assert_eq!(before[0].priority, "High", "{}", device.name);
        assert!(tab.shift().await.unwrap() < 0.001, "{}: nothing moves", device.name);
        tab.throttle(false).await.unwrap();
        tab.scroll_to_end().await.unwrap();
        assert_eq!(tab.pictures().len(), 3, "{}", device.name);
        assert!(tab.shift().await.unwrap() < 0.001, "{}: nothing moves", device.name);
        tab.close().await.unwrap();
    }
    chromium.close().await.unwrap();
}
