//! Each duty of `/kivet.js` in Chromium.

use kivet_browser::{Chromium, Device, Tab};

use crate::{
    console::until,
    running::header,
    site::{Site, asked, laptop},
};

const SCRIPT: &str = "<script src=/kivet.js defer></script>";
const FAR: &str = "<div style='height:4000px'></div>";

/// Scrolls so that an element is at the top, and waits for what that asks for.
async fn scroll_to(tab: &Tab, selector: &str) {
    let scroll = format!("(document.querySelector('{selector}').scrollIntoView(), true)");
    assert!(tab.evaluate::<bool>(&scroll).await.unwrap());
    show_frames(tab).await;
}

/// Shows frames, in which the browser looks where things are, and waits for what that asks for.
async fn show_frames(tab: &Tab) {
    for _ in 0..3 {
        tab.screenshot().await.unwrap();
    }
    tab.rest().await;
}

async fn open(chromium: &Chromium, device: Device, url: &str) -> Tab {
    let tab = chromium.tab(device).await.unwrap();
    tab.open(url).await.unwrap();
    show_frames(&tab).await;
    tab
}

#[tokio::test]
async fn the_script_is_cached_and_asked_about_again() {
    let site = Site::start().await;
    let first = site.kivet.get("/kivet.js").await;
    assert_eq!(header(&first, "content-type"), "text/javascript; charset=utf-8");
    let etag = header(&first, "etag").to_owned();
    for known in [etag.as_str(), "*", etag.trim_start_matches("W/"), &format!("\"x\", {etag}")] {
        let again = site.kivet.request("/kivet.js").header("if-none-match", known);
        assert_eq!(again.send().await.unwrap().status(), 304, "{known}");
    }
    let other = site.kivet.request("/kivet.js").header("if-none-match", "\"x\"");
    assert_eq!(other.send().await.unwrap().status(), 200);
}

#[tokio::test(flavor = "multi_thread")]
async fn backgrounds_wait_until_they_are_near_and_show_without_script() {
    let site = Site::start().await;
    let order = r#"{"originals":["photos/harbour/roofs.jpg"],"layout":{"sizes":"300px"},"form":"css","selector":".tile"}"#;
    let answer = site.kivet.order(reqwest::Method::POST, "/api/markup", order).await;
    let answer: kivet_service::MarkupResponse = answer.json().await.unwrap();
    let style = format!(
        "<style>.tile {{ width:300px; height:200px }} {}</style>{SCRIPT}",
        answer.pictures[0].text
    );
    let body = format!("{FAR}<div class=tile data-kivet=background></div>{FAR}");
    let url = site.page("background.html", &style, &body);
    let chromium = Chromium::launch().await.unwrap();
    let tab = open(&chromium, laptop(), &url).await;
    assert_eq!(asked(&tab), Vec::<String>::new(), "nobody is near");
    scroll_to(&tab, ".tile").await;
    assert_eq!(asked(&tab).len(), 1);

    let without = chromium.tab(laptop()).await.unwrap();
    without.scripts(false).await.unwrap();
    without.open(&url).await.unwrap();
    show_frames(&without).await;
    assert_eq!(asked(&without).len(), 1, "without script everything shows");
    chromium.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn embeds_open_on_a_click_or_near_and_nothing_moves() {
    let site = Site::start().await;
    site.page("film.html", "", "<p>The film");
    let embed = |when: &str| {
        format!(
            "<div id={when} data-kivet=embed data-kivet-src=film.html data-kivet-when={when} \
             style='width:400px;aspect-ratio:16/9'><button>Play the film</button>\
             <noscript><iframe src=film.html></iframe></noscript></div><p id=below-{when}>below</p>"
        )
    };
    let body = format!("{}{FAR}{}", embed("click"), embed("near"));
    let url = site.page("embeds.html", SCRIPT, &body);
    let chromium = Chromium::launch().await.unwrap();
    let tab = open(&chromium, laptop(), &url).await;
    let frames = "[...document.querySelectorAll('iframe')].map(one => one.parentElement.id).join()";
    assert_eq!(tab.evaluate::<String>(frames).await.unwrap(), "");
    let below = "document.querySelector('#below-click').offsetTop";
    let before: f64 = tab.evaluate(below).await.unwrap();
    let click = "(document.querySelector('#click button').click(), document.querySelector('#click').hasAttribute('data-kivet-waiting'))";
    assert!(tab.evaluate::<bool>(click).await.unwrap(), "it waits, and says so");
    until(&tab, "!document.querySelector('[data-kivet-waiting]')").await;
    assert_eq!(tab.evaluate::<String>(frames).await.unwrap(), "click");
    let title = "document.querySelector('iframe').title";
    assert_eq!(tab.evaluate::<String>(title).await.unwrap(), "Play the film");
    scroll_to(&tab, "#near").await;
    until(&tab, "document.querySelectorAll('iframe').length === 2").await;
    assert_eq!(tab.evaluate::<f64>(below).await.unwrap(), before);
    assert!(tab.shift().await.unwrap() < 0.001);
    chromium.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn pictures_by_name_are_fitted_in_one_request_and_never_shrink() {
    let site = Site::start().await;
    let picture = "<img id=one data-kivet-picture=photos/harbour/roofs.jpg data-kivet-recipe=ratio-3-2 alt='' style='width:200px;aspect-ratio:3/2;display:block'>";
    let left = picture.replace("id=one", "id=left");
    let body = format!(
        "<div id=box>{picture}</div><div data-kivet=leave><span>{left}</span></div>\
         <noscript><img src=/pic/320w/photos/harbour/roofs.jpg alt=''></noscript>{FAR}"
    );
    let url = site.page("picture.html", SCRIPT, &body);
    let chromium = Chromium::launch().await.unwrap();
    // A processor four times slower.
    let slow = Device::named("small phone").unwrap();
    let tab = chromium.tab(slow).await.unwrap();
    tab.throttle(true).await.unwrap();
    tab.open(&url).await.unwrap();
    until(&tab, "document.querySelector('#one').complete && document.querySelector('#one').naturalWidth > 0").await;
    assert_eq!(asked(&tab), ["400w_ratio-3-2_fidelity-72/photos/harbour/roofs.jpg"]);
    let width = async |pixels: u32| {
        let set = format!("(document.querySelector('#one').style.width = '{pixels}px', true)");
        assert!(tab.evaluate::<bool>(&set).await.unwrap());
        show_frames(&tab).await;
    };
    width(100).await;
    width(200).await;
    assert_eq!(asked(&tab).len(), 1, "smaller, and back: nothing is asked for");
    width(320).await;
    assert_eq!(asked(&tab)[1..], ["640w_ratio-3-2_fidelity-72/photos/harbour/roofs.jpg"]);

    let without = chromium.tab(slow).await.unwrap();
    without.scripts(false).await.unwrap();
    without.open(&url).await.unwrap();
    show_frames(&without).await;
    assert_eq!(asked(&without), ["320w/photos/harbour/roofs.jpg"]);
    chromium.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_added_later_and_what_lies_sideways_is_found() {
    let site = Site::start().await;
    let tile = |name: &str| {
        format!(
            "<img data-kivet-picture=photos/makers/{name}.jpg alt='' style='flex:none;width:300px;height:200px'>"
        )
    };
    let gap = "<div style='flex:none;width:6000px'></div>";
    let body = format!(
        "<div id=strip style='display:flex;overflow-x:auto'>{}{gap}{}</div><div id=later></div>",
        tile("ilse-varga"),
        tile("tomas-reed")
    );
    let url = site.page("strip.html", SCRIPT, &body);
    let chromium = Chromium::launch().await.unwrap();
    let tab = open(&chromium, laptop(), &url).await;
    let names = |tab: &Tab| -> Vec<String> {
        asked(tab).iter().map(|path| path.rsplit('/').next().unwrap().to_owned()).collect()
    };
    assert_eq!(names(&tab), ["ilse-varga.jpg"]);
    // 300 pixels before it is seen, which is within the margin.
    let scroll = "(document.querySelector('#strip').scrollLeft = 6300 - innerWidth - 300, true)";
    assert!(tab.evaluate::<bool>(scroll).await.unwrap());
    show_frames(&tab).await;
    assert_eq!(names(&tab), ["ilse-varga.jpg", "tomas-reed.jpg"]);
    let add =
        format!("(document.querySelector('#later').innerHTML = \"{}\", true)", tile("noor-hale"));
    assert!(tab.evaluate::<bool>(&add).await.unwrap());
    show_frames(&tab).await;
    assert_eq!(names(&tab)[2..], ["noor-hale.jpg"]);
    chromium.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn lazy_pictures_fade_in_unless_less_motion_is_wanted() {
    let site = Site::start().await;
    let head = "<script src=/kivet.js defer data-fade data-margin=100></script>";
    let body = format!(
        "{FAR}{FAR}<img loading=lazy src=/pic/320w/photos/harbour/roofs.jpg alt='' width=320 height=213>"
    );
    let url = site.page("fade.html", head, &body);
    let chromium = Chromium::launch().await.unwrap();
    let opacity = "document.images[0].style.opacity";
    let calm = chromium.tab(laptop()).await.unwrap();
    calm.reduce_motion().await.unwrap();
    calm.open(&url).await.unwrap();
    assert_eq!(calm.evaluate::<String>(opacity).await.unwrap(), "");
    let tab = open(&chromium, laptop(), &url).await;
    assert_eq!(tab.evaluate::<String>(opacity).await.unwrap(), "0");
    scroll_to(&tab, "img").await;
    until(&tab, "document.images[0].complete && document.images[0].style.opacity === ''").await;
    chromium.close().await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_strict_content_security_policy_lets_it_work() {
    let site = Site::start().await;
    let head = format!(
        "<meta http-equiv=content-security-policy content=\"default-src 'self'; style-src 'self'\">{SCRIPT}"
    );
    let body = "<img width=300 height=200 data-kivet-picture=photos/harbour/roofs.jpg alt=''>\
        <div data-kivet=embed data-kivet-src=film.html data-kivet-when=near>The film</div>";
    site.page("film.html", "", "<p>The film");
    let url = site.page("strict.html", &head, body);
    let chromium = Chromium::launch().await.unwrap();
    let tab = open(&chromium, laptop(), &url).await;
    until(&tab, "document.querySelector('iframe')?.style.width === '100%'").await;
    assert_eq!(asked(&tab).len(), 1);
    let global = "'kivet' in window || 'Kivet' in window";
    assert!(!tab.evaluate::<bool>(global).await.unwrap());
    chromium.close().await.unwrap();
}
