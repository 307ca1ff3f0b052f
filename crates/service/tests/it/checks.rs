//! Records of page checks: kept, listed, compared, and looked at in the console.

use kivet_browser::{Chromium, Device};
use kivet_check::{CheckOptions, Fetcher, check, targets};
use kivet_page::{
    DEVICES,
    report::{Mode, Report},
};
use kivet_service::{CheckedPage, Kept, Problem};

use crate::{
    console::{click, until},
    running::Running,
};

/// A page of the festival, read as text, under a name of its own.
async fn read(kivet: &Running, file: &str, name: &str) -> Report {
    let fetcher = Fetcher::new().unwrap();
    let targets = targets(&[format!("{}/demo/site/{file}", kivet.root)], &fetcher).await.unwrap();
    let options = CheckOptions {
        mode: Mode::Text,
        devices: DEVICES.to_vec(),
        runs: 1,
        throttled: false,
        program: None,
        thumbnails: false,
        pictures: None,
        at_once: 1,
        shelves: Vec::new(),
        sweeps: true,
        limits: kivet_page::PageLimits::DEFAULT,
    };
    let mut report = check(&targets, &options, &fetcher, &|_| {}).await.unwrap();
    report.pages[0].page = name.to_owned();
    report
}

#[tokio::test(flavor = "multi_thread")]
async fn checks_are_kept_and_compared_and_the_console_shows_them() {
    let kivet = Running::start().await;
    let ask = |path: &str| kivet.request(path).bearer_auth(kivet.token()).send();
    let send = |path: &str| {
        reqwest::Client::new().post(format!("{}{path}", kivet.root)).bearer_auth(kivet.token())
    };
    for file in ["index.html", "with-kivet.html"] {
        let answer =
            send("/api/checks").json(&read(&kivet, file, "front page").await).send().await.unwrap();
        assert_eq!(answer.status(), 201);
        assert_eq!(answer.json::<Kept>().await.unwrap().ids.len(), 1);
    }
    assert_eq!(kivet.get("/api/checks").await.status(), 401);
    let pages: Vec<CheckedPage> = ask("/api/checks").await.unwrap().json().await.unwrap();
    let [page] = pages.as_slice() else { panic!("{pages:?}") };
    let [before, after] = page.history.as_slice() else { panic!("{page:?}") };
    assert!(
        before.findings > after.findings && before.devices[0].sent > 20 * after.devices[0].sent
    );

    let compared: serde_json::Value =
        ask(&format!("/api/checks/{}/against/{}", after.id, before.id))
            .await
            .unwrap()
            .json()
            .await
            .unwrap();
    assert!(compared["pages"][0]["fixed"].as_array().unwrap().len() > 20);
    let missing = ask("/api/checks/999").await.unwrap();
    assert_eq!(missing.status(), 404);
    let foreign =
        send("/api/checks").json(&serde_json::json!({ "pages": 3 })).send().await.unwrap();
    assert_eq!(foreign.status(), 400);
    let refused = send("/api/checks/new?page=/etc/hosts").send().await.unwrap();
    assert!(refused.json::<Problem>().await.unwrap().detail.contains("kivet check FILE --keep"));

    let chromium = Chromium::launch().await.unwrap();
    let tab = chromium.tab(Device::named("laptop").unwrap()).await.unwrap();
    tab.open(&kivet.sign_in_link).await.unwrap();
    tab.open(&format!("{}/console/pages", kivet.root)).await.unwrap();
    until(&tab, "document.querySelectorAll('table.pages tbody tr').length === 1").await;
    until(&tab, "document.querySelectorAll('.trend .sent').length === 2").await;
    click(&tab, "table.pages a").await;
    until(&tab, "document.querySelectorAll('.measures').length === 1").await;
    let kinds = "new Set([...document.querySelectorAll('.findings li b')].map(one => one.textContent)).size";
    tab.open(&format!("{}/console/pages/{}", kivet.root, before.id)).await.unwrap();
    until(&tab, &format!("{kinds} > 5")).await;
    // Narrowed to one code.
    let press = "document.querySelector('[aria-label=\"Filter by code\"]').dispatchEvent(new MouseEvent('mousedown', { bubbles: true }))";
    assert!(tab.evaluate::<bool>(press).await.unwrap());
    until(&tab, "document.querySelector('.ant-select-item-option-content')?.innerText.length > 0")
        .await;
    click(&tab, ".ant-select-item-option").await;
    until(&tab, &format!("{kinds} === 1")).await;
    // Before and after.
    tab.open(&format!(
        "{}/console/pages/{}?against={}&device=phone",
        kivet.root, after.id, before.id
    ))
    .await
    .unwrap();
    until(&tab, "document.querySelectorAll('.pair').length === 2 && document.body.innerText.includes('Fixed: ')").await;
    chromium.close().await.unwrap();
}
