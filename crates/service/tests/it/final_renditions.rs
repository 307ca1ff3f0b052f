//! First answers and the final ones that follow them: what they promise, and that they keep it.

use kivet_image::{Ideal, Limits, probe};
use kivet_recipe::{Facts, Gamut, Policy};

use crate::running::{MODERN, Running, demo, header};

/// The likeness of a rendition to the exact one of the same recipe.
async fn likeness(kivet: &Running, recipe: &str, original: &str, bytes: &[u8]) -> f32 {
    let exact = kivet.picture(&format!("/pic/{recipe}_lossless_as-png/{original}")).await.bytes().await.unwrap();
    let facts: Facts = probe(&exact, Limits::default()).unwrap();
    let plan = kivet_recipe::plan_for(&"as-png".parse().unwrap(), &facts);
    let raster = kivet_image::draw(&exact, &facts, &plan, None).unwrap();
    Ideal::new(&raster, Gamut::Srgb).likeness(bytes).unwrap()
}

#[tokio::test]
async fn first_answers_are_near_the_target_and_final_ones_nearer() {
    let kivet = Running::start().await;
    let (mut firsts, mut finals, mut spent) = (Vec::new(), Vec::new(), (0, 0));
    for original in ["photos/harbour/kites-dawn.jpg", "photos/beach/dunes-noon.jpg", "photos/workshop/sailcloth.jpg"] {
        for (width, target) in [(320, 50u8), (640, 70), (480, 85)] {
            let path = format!("/pic/{width}w_fidelity-{target}/{original}");
            let first = kivet.picture(&path).await;
            assert_eq!(header(&first, "cache-control"), "public, max-age=120");
            let (etag, detail) = (header(&first, "etag").to_owned(), header(&first, "cache-status").to_owned());
            let sent_as = header(&first, "content-type").to_owned();
            let first = first.bytes().await.unwrap();
            let last = kivet.finished(&path).await;
            assert!(
                detail.ends_with("detail=first") && header(&last, "cache-control").contains("stale-while-revalidate")
            );
            let swapped = header(&last, "etag") != etag;
            let same_format = header(&last, "content-type") == sent_as;
            let last = last.bytes().await.unwrap();
            let recipe = format!("{width}w");
            let (a, b) =
                (likeness(&kivet, &recipe, original, &first).await, likeness(&kivet, &recipe, original, &last).await);
            let target = f32::from(target);
            assert!(swapped == (first != last));
            // Where the curve tells of a smaller format, that one follows; within a format, only what is worth it.
            let nearer = (b - target).abs() < (a - target).abs();
            let smaller = last.len() * 10 <= first.len() * 9;
            assert!(!(swapped && same_format) || nearer || smaller, "{path}: {a} and {b}");
            firsts.push((a - target).abs());
            finals.push((b - target).abs());
            spent = (spent.0 + first.len() + last.len(), spent.1 + 2 * first.len());
        }
    }
    let within = |misses: &[f32], points: f32| misses.iter().filter(|miss| **miss <= points).count();
    assert!(within(&firsts, 6.0) * 10 >= firsts.len() * 8, "{firsts:?}");
    // Nine of ten, of nine.
    assert!(within(&finals, 3.0) + 1 >= finals.len(), "{finals:?}");
    assert!(spent.0 <= spent.1, "two visits took {} bytes; without the swap {}", spent.0, spent.1);
}

#[tokio::test]
async fn without_improvement_the_first_answer_is_final() {
    let kivet = Running::start_with(|config| config.policy = Policy::LEAST_WORK).await;
    let answer = kivet.picture("/pic/320w/photos/harbour/roofs.jpg").await;
    assert_eq!(header(&answer, "cache-status"), "Kivet; fwd=miss; stored; detail=final");
    assert_eq!(kivet.counter("kivet_background_tasks").await, 0);
}

#[tokio::test]
async fn the_format_follows_the_curve_and_a_first_answer_found_on_disk_is_still_improved() {
    let kivet = Running::start().await;
    let path = "/pic/640w/photos/night/lanterns.jpg";
    assert!(header(&kivet.picture(path).await, "cache-status").ends_with("detail=first"));
    let kivet = kivet.restart().await;
    let answer = kivet.finished(path).await;
    let why = kivet.why(path, &[("accept", MODERN)]).await;
    assert!(header(&answer, "kivet-rendition").starts_with(&format!("{};", why.format)));
    let fewest = why.candidates.iter().map(|candidate| candidate.predicted_bytes).min();
    assert_eq!(fewest, why.candidates.iter().find(|one| one.format == why.format).map(|one| one.predicted_bytes));
}

/// A final rendition that keeps credit reads its original once more; here that is gone by then.
#[tokio::test]
async fn an_improvement_that_fails_leaves_the_first_answer_as_the_final_one() {
    let kivet = Running::start().await;
    let (source, file) = (demo().join("originals/harbour/roofs.jpg"), kivet.odd.join("roofs.jpg"));
    std::fs::copy(&source, &file).unwrap();
    // One format, and always pressed anew: nothing else can follow.
    let path = "/pic/480w_lossless_as-webp_keep-credit/odd/roofs.jpg";
    let first = kivet.picture(path).await;
    // Curves come first and take a second; the improvement waits for them.
    std::fs::remove_file(&file).unwrap();
    assert!(header(&first, "cache-status").ends_with("detail=first"));
    let etag = header(&first, "etag").to_owned();
    tokio::time::timeout(std::time::Duration::from_secs(120), async {
        while kivet.counter("kivet_background_tasks").await > 0 {
            tokio::time::sleep(std::time::Duration::from_millis(50)).await;
        }
    })
    .await
    .expect("it gives up");
    std::fs::copy(&source, &file).unwrap();
    let again = kivet.picture(path).await;
    assert_eq!(header(&again, "cache-status").split(';').next_back(), Some(" detail=final"));
    assert_eq!(header(&again, "etag"), etag, "the same bytes");
}
