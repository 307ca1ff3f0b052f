//! The administration interface: who is let in, and what it answers.

use kivet_recipe::{Format, Kind};
use kivet_service::{LibraryPage, Problem, RecipeResponse, SignInLink};
use reqwest::{Client, redirect::Policy};

use crate::running::{Running, header};

#[tokio::test]
async fn only_the_token_or_a_signed_in_browser_is_let_in() {
    let kivet = Running::start().await;
    let refused = kivet.get("/api/library").await;
    assert_eq!(refused.status(), 401);
    assert!(refused.json::<Problem>().await.unwrap().detail.contains("kivet console"));
    assert_eq!(
        kivet.request("/api/library").bearer_auth("guess").send().await.unwrap().status(),
        401
    );
    assert_eq!(
        kivet.request("/api/library").bearer_auth(kivet.token()).send().await.unwrap().status(),
        200
    );

    let plain = Client::builder().redirect(Policy::none()).build().unwrap();
    let link = plain
        .post(format!("{}/api/sign-in-links", kivet.root))
        .bearer_auth(kivet.token())
        .send()
        .await
        .unwrap();
    let link: SignInLink = link.json().await.unwrap();
    let spend =
        || async { plain.get(format!("{}{}", kivet.root, link.path)).send().await.unwrap() };
    let first = spend().await;
    let cookie = header(&first, "set-cookie").to_owned();
    assert!(cookie.contains("HttpOnly") && cookie.contains("SameSite=Strict"), "{cookie}");
    let pair = cookie.split(';').next().unwrap();
    assert_eq!(
        kivet.request("/api/library").header("cookie", pair).send().await.unwrap().status(),
        200
    );
    let second = spend().await;
    assert_eq!(
        (header(&second, "set-cookie"), header(&second, "location")),
        ("", "/console/?link=spent")
    );
}

#[tokio::test]
async fn only_the_admin_listener_trusts_this_machine() {
    let kivet = Running::start_with(|config| config.admin = Some(([127, 0, 0, 1], 0).into())).await;
    for path in ["/metrics", "/why/640w/photos/night/lanterns.jpg"] {
        // A proxy on this machine that names it and adds no header looks exactly like this.
        assert_eq!(kivet.get(path).await.status(), 401, "{path}");
        let with_token = kivet.request(path).bearer_auth(kivet.token());
        assert_eq!(with_token.send().await.unwrap().status(), 200, "{path}");

        let admin = || kivet.client.get(format!("{}{path}", kivet.admin_root()));
        assert_eq!(admin().send().await.unwrap().status(), 200, "{path}");
        for (name, value) in [
            ("host", "kites.example"),
            ("x-forwarded-host", "kites.example"),
            ("forwarded", "for=_x"),
        ] {
            let asked = admin().header(name, value).send().await.unwrap();
            assert_eq!(asked.status(), 401, "{path} with {name}: {value}");
        }
    }
}

#[tokio::test]
async fn doors_that_others_could_use_are_shut() {
    let mut data = std::path::PathBuf::new();
    let kivet = Running::start_with(|config| data.clone_from(&config.data)).await;
    let plain = Client::builder().redirect(Policy::none()).build().unwrap();
    // A link that is only looked at, or fetched ahead, still works.
    assert_eq!(plain.head(&kivet.sign_in_link).send().await.unwrap().status(), 204);
    let ahead = plain.get(&kivet.sign_in_link).header("sec-purpose", "prefetch;prerender");
    assert_eq!(ahead.send().await.unwrap().status(), 204);
    let opened = plain.get(&kivet.sign_in_link).send().await.unwrap();
    assert_eq!(header(&opened, "cache-control"), "no-store");
    let cookie = header(&opened, "set-cookie").split(';').next().unwrap().to_owned();

    // What other sites make the browser send is refused, though its cookie comes along.
    let call = |name: &'static str, value: &str| {
        let call =
            plain.post(format!("{}/api/sign-in-links", kivet.root)).header("cookie", &cookie);
        call.header(name, value.to_owned()).send()
    };
    for (name, value) in [
        ("sec-fetch-site", "cross-site"),
        ("sec-fetch-site", "same-site"),
        ("origin", "http://127.0.0.1:1"),
        ("origin", "null"),
    ] {
        assert_eq!(call(name, value).await.unwrap().status(), 403, "{name}: {value}");
    }
    let own = call("origin", &kivet.root).await.unwrap();
    assert_eq!((own.status().as_u16(), header(&own, "cache-control")), (200, "no-store"));

    let out = plain.post(format!("{}/api/sign-out", kivet.root)).header("cookie", &cookie);
    assert_eq!(out.send().await.unwrap().status(), 204);
    let after = kivet.request("/api/library").header("cookie", &cookie).send().await.unwrap();
    assert_eq!(after.status(), 401, "the session has ended");

    let console = kivet.get("/console/").await;
    assert!(header(&console, "content-security-policy").contains("frame-ancestors 'none'"));
    for (name, value) in [("x-frame-options", "DENY"), ("x-content-type-options", "nosniff")] {
        assert_eq!(header(&console, name), value);
    }
    let mode =
        std::os::unix::fs::PermissionsExt::mode(&std::fs::metadata(&data).unwrap().permissions());
    assert_eq!(mode & 0o777, 0o700);
}

#[tokio::test]
async fn a_data_folder_is_one_service_s_alone() {
    let mut config = None;
    let _kivet = Running::start_with(|given| config = Some(given.clone())).await;
    let Err(error) = kivet_service::Service::bind(&config.unwrap()).await else {
        panic!("two services share a data folder")
    };
    assert!(error.to_string().contains("in use by another Kivet"), "{error}");
}

#[tokio::test]
async fn the_library_pages_through_a_shelf_with_facts() {
    let kivet = Running::start().await;
    let page = async |query: &str| -> LibraryPage {
        let request = kivet
            .request(&format!("/api/library?shelf=photos&limit=8{query}"))
            .bearer_auth(kivet.token());
        request.send().await.unwrap().json().await.unwrap()
    };
    let mut all = Vec::new();
    let mut next = Some(String::new());
    while let Some(after) = next {
        let more = page(&format!("&after={after}")).await;
        assert_eq!(more.shelves, ["odd", "photos"]);
        all.extend(more.originals);
        next = more.next;
    }
    assert!(all.len() >= 16 && all.is_sorted_by(|a, b| a.id < b.id), "{}", all.len());
    let facts = |id: &str| all.iter().find(|one| one.id == id).unwrap().facts.as_ref().unwrap();
    assert_eq!(facts("photos/makers/tomas-reed.jpg").orientation, 6);
    assert_eq!(
        (facts("photos/makers/tomas-reed.jpg").width, facts("photos/makers/tomas-reed.jpg").height),
        (3072, 4096)
    );
    assert!(facts("photos/field/storm-front.jpg").profile.as_deref().unwrap().contains("P3"));
    assert!(facts("photos/motion/windsock.gif").animated);
    assert!(
        facts("photos/kites/six-panel.png").alpha
            && facts("photos/kites/six-panel.png").kind == Kind::Photo
    );
    assert_eq!(facts("photos/brand/windmark-logo.png").kind, Kind::Flat);
    assert_eq!(facts("photos/brand/mark.svg").format, Format::Svg);
}

#[tokio::test]
async fn a_recipe_is_taken_apart_and_its_outcome_told() {
    let kivet = Running::start().await;
    let request = kivet
        .request("/api/recipe?text=2x_ratio-16-9_640w_at-30-40&original=photos/workshop/bench.jpg")
        .bearer_auth(kivet.token());
    let answer: RecipeResponse = request.send().await.unwrap().json().await.unwrap();
    assert_eq!(answer.canonical, "640w_2x_ratio-16-9_at-30-40");
    assert_eq!(
        (answer.clauses.width, answer.clauses.position.as_deref()),
        (Some(640), Some("30-40"))
    );
    let outcome = answer.outcome.unwrap();
    assert_eq!((outcome.width, outcome.height), (1280, 720));
    assert_eq!(outcome.crop, [0.0, (3456.0 - 2592.0) * 0.4, 4608.0, 2592.0]);
    assert!(outcome.candidates.is_sorted_by_key(|candidate| candidate.predicted_bytes));
}
