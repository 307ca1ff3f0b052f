//! Places through the interface: kept, named in recipes, offered as markup.

use kivet_page::{Loading, PlaceDocument};
use kivet_recipe::Access;
use kivet_service::{MarkupOrder, MarkupResponse, PlaceResponse, Problem};
use reqwest::Method;

use crate::running::{Running, header};

const SIX_PANEL: &str = "photos/kites/six-panel.png";
const BENCH: &str = "photos/workshop/bench.jpg";

async fn keep(kivet: &Running, name: &str, place: &PlaceDocument) -> reqwest::Response {
    let body = serde_json::to_string(place).unwrap();
    kivet.order(Method::PUT, &format!("/api/places/{name}"), body).await
}

async fn markup(kivet: &Running, order: &MarkupOrder) -> Result<MarkupResponse, Problem> {
    let body = serde_json::to_string(order).unwrap();
    let answer = kivet.order(Method::POST, "/api/markup", body).await;
    if answer.status().is_success() {
        Ok(answer.json().await.unwrap())
    } else {
        Err(answer.json().await.unwrap())
    }
}

fn order(original: &str, place: &str) -> MarkupOrder {
    MarkupOrder {
        originals: vec![original.to_owned()],
        place: Some(place.to_owned()),
        ..MarkupOrder::default()
    }
}

fn square() -> PlaceDocument {
    PlaceDocument {
        ratio: Some("1 / 1".to_owned()),
        ..PlaceDocument::of_sizes("(min-width: 60em) 220px, 60vw")
    }
}

#[tokio::test]
async fn markup_offers_what_the_service_then_serves() {
    let kivet = Running::start().await;
    let answer = markup(&kivet, &order(BENCH, "preview")).await.unwrap();
    let one = &answer.pictures[0];
    for step in one.ladders[0].steps.iter().filter(|step| step.width < 500) {
        let path = format!("/pic/{}/{BENCH}", step.recipe);
        assert!(one.text.contains(&format!("{path} {}w", step.width)), "{}", one.text);
        let made = kivet.picture(&path).await;
        let size = format!("width={}; height={}", step.width, step.height);
        assert!(header(&made, "kivet-rendition").contains(&size), "{path}");
        let why = kivet.why(&path, &[]).await;
        assert_eq!(why.target, step.target, "{path}: a target in the URL stays as it is");
    }
    let vector = markup(&kivet, &order("photos/brand/mark.svg", "logo")).await.unwrap();
    assert!(!vector.pictures[0].text.contains("srcset"), "one vector serves every size");
    // What is lossless in fewer bytes has no target, which would keep it from that.
    let flat = markup(&kivet, &order("photos/brand/sponsor-gale.png", "sponsor")).await.unwrap();
    let step = &flat.pictures[0].ladders[0].steps[0];
    assert_eq!((step.recipe.as_str(), step.target), (format!("{}w", step.width).as_str(), None));
    let folder = markup(&kivet, &order("photos/night/", "card")).await.unwrap();
    let names: Vec<&str> = folder.pictures.iter().map(|one| one.original.as_str()).collect();
    assert_eq!(names, ["photos/night/fire-tails.jpg", "photos/night/lanterns.jpg"]);
}

#[tokio::test]
async fn a_place_in_a_recipe_is_its_geometry_and_part_of_the_version() {
    let kivet = Running::start().await;
    assert_eq!(keep(&kivet, "tile", &square()).await.status(), 200);
    let path = format!("/pic/160w_@tile/{SIX_PANEL}");
    let made = kivet.picture(&path).await;
    assert!(header(&made, "kivet-rendition").contains("width=160; height=160"));
    let before = kivet.why(&path, &[]).await.version;
    keep(&kivet, "tile", &PlaceDocument { position: Some("top".to_owned()), ..square() }).await;
    assert_ne!(kivet.why(&path, &[]).await.version, before);

    let wrong = kivet.get(&format!("/pic/160w_@tyle/{SIX_PANEL}")).await;
    let problem: Problem = wrong.json().await.unwrap();
    assert!(problem.detail.contains("`@tyle` names an unknown place; try `@tile`"));
    assert_eq!(kivet.order(Method::DELETE, "/api/places/tile", "").await.status(), 204);
    assert_eq!(kivet.picture(&path).await.status(), 400);
}

#[tokio::test]
async fn ladders_stay_for_a_revision_and_places_outlive_a_restart() {
    let kivet = Running::start().await;
    keep(&kivet, "tile", &square()).await;
    let text = async |kivet: &Running| {
        markup(kivet, &order(SIX_PANEL, "tile")).await.unwrap().pictures.remove(0).text
    };
    let before = text(&kivet).await;
    // Once the original is measured, other widths may be better: the markup stays.
    kivet.finished(&format!("/pic/240w_ratio-1-1/{SIX_PANEL}")).await;
    assert_eq!(text(&kivet).await, before);
    let kivet = kivet.restart().await;
    assert_eq!(text(&kivet).await, before);
    let places: Vec<PlaceResponse> = kivet
        .request("/api/places")
        .bearer_auth(kivet.token())
        .send()
        .await
        .unwrap()
        .json()
        .await
        .unwrap();
    let tile = places.iter().find(|place| place.name == "tile").unwrap();
    assert_eq!((&tile.place, tile.revision), (&square(), 1));
    assert!(places.iter().any(|place| place.name == "banner"), "the demo brings its own");
}

#[tokio::test]
async fn listed_access_answers_what_places_use_and_nothing_else() {
    let kivet =
        Running::start_with(|config| config.access = Some(Access::Listed(Vec::new()))).await;
    keep(&kivet, "tile", &square()).await;
    let written = markup(&kivet, &order(SIX_PANEL, "tile")).await.unwrap();
    for step in &written.pictures[0].ladders[0].steps {
        let path = format!("/pic/{}/{SIX_PANEL}", step.recipe);
        assert_eq!(kivet.picture(&path).await.status(), 200, "{path}");
    }
    let social = MarkupOrder { form: Some("social".to_owned()), ..order(SIX_PANEL, "tile") };
    let social = markup(&kivet, &social).await.unwrap().pictures.remove(0).text;
    let url = social.split('"').find(|part| part.starts_with("/pic/")).unwrap();
    assert_eq!(kivet.picture(url).await.status(), 200, "{url}");
    let wrong = kivet.picture(&format!("/pic/240w_ratio-1-1_fidelity-99/{SIX_PANEL}")).await;
    assert_eq!(wrong.status(), 400);
}

#[tokio::test]
async fn alt_is_the_orders_else_the_places_else_the_languages_else_left_out() {
    let kivet = Running::start().await;
    let set = async |rest: &str| {
        let body = format!("{{\"original\":\"{SIX_PANEL}\",{rest}}}");
        kivet.order(Method::PUT, "/api/library/alt", body).await.status().as_u16()
    };
    let text = async |order: MarkupOrder| {
        let answer = markup(&kivet, &order).await.unwrap();
        (answer.pictures[0].text.clone(), answer.notes)
    };
    let (unknown, notes) = text(order(SIX_PANEL, "card")).await;
    assert!(!unknown.contains("alt=") && notes[0].contains("none is invented"));
    assert_eq!(set(r#""text":"A kite of six panels""#).await, 200);
    assert_eq!(set(r#""text":"Sechs Felder","language":"de""#).await, 200);
    assert_eq!(set(r#""text":"","place":"preview""#).await, 200);
    let german = MarkupOrder { language: Some("de-AT".to_owned()), ..order(SIX_PANEL, "card") };
    assert!(text(german).await.0.contains("alt=\"Sechs Felder\""));
    assert!(text(order(SIX_PANEL, "card")).await.0.contains("alt=\"A kite of six panels\""));
    assert!(text(order(SIX_PANEL, "preview")).await.0.contains("alt=\"\""));
    let own = MarkupOrder { alt: Some("Mine".to_owned()), ..order(SIX_PANEL, "preview") };
    assert!(text(own).await.0.contains("alt=\"Mine\""));
    assert_eq!(set(r#""text":null,"language":"fr""#).await, 404);
    assert_eq!(set(r#""text":"x","place":"nowhere""#).await, 404);
}

#[tokio::test]
async fn what_cannot_be_written_is_refused_with_the_way_out() {
    type Change = fn(&mut MarkupOrder);
    let kivet = Running::start().await;
    let with = |change: Change| {
        let mut order = order(SIX_PANEL, "card");
        change(&mut order);
        order
    };
    let cases: [(Change, &str); 9] = [
        (|order| order.place = Some("crad".to_owned()), "did you mean `card`?"),
        (|order| order.place = None, "name the place"),
        (|order| order.form = Some("pict".to_owned()), "use img, picture"),
        (|order| order.loading = Some("lazy".to_owned()), "first, near, later, hidden"),
        (|order| order.typed = vec!["avfi".to_owned()], "`avfi` is not a format"),
        (|order| order.base = Some("pics".to_owned()), "is not an origin"),
        (|order| order.originals = vec!["photos".to_owned()], "shelf/path"),
        (
            |order| order.originals = vec!["photos/nowhere/".to_owned()],
            "`photos/nowhere/` has no originals",
        ),
        (
            |order| {
                order.originals = vec!["photos/night/".to_owned()];
                order.loading = Some(Loading::First.name().to_owned());
            },
            "would both load `first`",
        ),
    ];
    for (change, says) in cases {
        let problem = markup(&kivet, &with(change)).await.expect_err(says);
        assert!(problem.detail.contains(says), "{says}: {}", problem.detail);
    }
    let bad = keep(&kivet, "tile", &PlaceDocument::of_sizes("50%")).await;
    let problem: Problem = bad.json().await.unwrap();
    assert!(problem.detail.contains("the place `tile`, sizes: `50%` cannot stand in sizes"));
    let all = r#"{"places":{"good":{"sizes":"10vw"},"Bad":{"sizes":"10vw"}}}"#;
    assert_eq!(kivet.order(Method::POST, "/api/places", all).await.status(), 400);
    let good = kivet.request("/api/places/good").bearer_auth(kivet.token());
    assert_eq!(good.send().await.unwrap().status(), 404, "all or none");
}
