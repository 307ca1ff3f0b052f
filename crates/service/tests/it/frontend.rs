//! The npm package beside the service: what it writes from a manifest is what the service writes.

use std::{path::Path, process::Command};

use crate::running::Running;

#[tokio::test(flavor = "multi_thread")]
async fn the_package_writes_what_the_service_writes() {
    let kivet = Running::start().await;
    let set = r#"{"original":"photos/night/lanterns.jpg","language":"en","text":"Lit kites above Ellery's field"}"#;
    assert_eq!(kivet.order(reqwest::Method::PUT, "/api/library/alt", set).await.status(), 200);
    let (root, token) = (kivet.root.clone(), kivet.token());
    let run = move || {
        Command::new("npm")
            .args(["test", "--silent"])
            .current_dir(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web/frontend"))
            .env("KIVET_SERVICE", root)
            .env("KIVET_TOKEN", token)
            .env("NO_COLOR", "1")
            .output()
            .unwrap()
    };
    let output = tokio::task::spawn_blocking(run).await.unwrap();
    let said = String::from_utf8_lossy(&output.stdout);
    assert!(output.status.success() && said.contains("16 passed"), "{said}");
}
