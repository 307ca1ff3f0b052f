//! A service started for one test.

use std::{
    collections::BTreeMap,
    path::{Path, PathBuf},
};

use kivet_recipe::{Access, Policy};
use kivet_service::{Config, Limits, Service, ShelfRules, ShelfSettings, ShelfSource};
use reqwest::{Client, Method, RequestBuilder, Response};
use tempfile::TempDir;
use tokio::{
    sync::{Mutex, MutexGuard, oneshot},
    task::JoinHandle,
};

/// What Chromium sends for pictures, JPEG XL left out.
pub const MODERN: &str = "image/avif,image/webp,image/apng,image/svg+xml,image/*,*/*;q=0.8";

/// A running service with two shelves: the demo's `photos`, and `odd`, a folder the test may fill.
pub struct Running {
    pub root: String,
    admin_root: Option<String>,
    pub sign_in_link: String,
    pub odd: PathBuf,
    folder: TempDir,
    stop: Option<oneshot::Sender<()>>,
    pub serving: JoinHandle<()>,
    pub client: Client,
}

/// Held by tests that visit many heavy pages on all devices: on a small machine, two at a time leave
/// pages too little processor to open in time.
pub async fn alone() -> MutexGuard<'static, ()> {
    static ALONE: Mutex<()> = Mutex::const_new(());
    ALONE.lock().await
}

pub fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo")
}

impl Running {
    pub async fn start() -> Self {
        let folder = tempfile::tempdir().unwrap();
        std::fs::create_dir(folder.path().join("odd")).unwrap();
        Self::start_in(folder, |_| ()).await
    }

    /// A service whose configuration the test changes first.
    pub async fn start_with(change: impl FnOnce(&mut Config)) -> Self {
        let folder = tempfile::tempdir().unwrap();
        std::fs::create_dir(folder.path().join("odd")).unwrap();
        Self::start_in(folder, change).await
    }

    async fn start_in(folder: TempDir, change: impl FnOnce(&mut Config)) -> Self {
        let odd = folder.path().join("odd");
        let shelf = |source| ShelfSettings { source, rules: ShelfRules::default() };
        let shelves = BTreeMap::from([
            ("photos".to_owned(), shelf(ShelfSource::Folder(demo().join("originals")))),
            ("odd".to_owned(), shelf(ShelfSource::Folder(odd.clone()))),
            (
                "press".to_owned(),
                shelf(ShelfSource::Web("https://press.example/uploads/".to_owned())),
            ),
        ]);
        let mut config = Config {
            listen: ([127, 0, 0, 1], 0).into(),
            admin: None,
            data: folder.path().join("data"),
            shelves,
            overlays: BTreeMap::new(),
            policy: Policy::default(),
            access: Some(Access::Open),
            plain: false,
            limits: Limits::default(),
            demo: Some(demo()),
        };
        change(&mut config);
        let service = Service::bind(&config).await.unwrap();
        let root = format!("http://{}", service.address());
        let admin_root = service.admin_address().map(|address| format!("http://{address}"));
        let sign_in_link = service.sign_in_link().unwrap();
        let (stop, stopped) = oneshot::channel();
        let serving = tokio::spawn(async move {
            service.run(Box::pin(async { stopped.await.unwrap_or(()) })).await;
        });
        Self {
            root,
            admin_root,
            sign_in_link,
            odd,
            folder,
            stop: Some(stop),
            serving,
            client: Client::new(),
        }
    }

    /// Stops the service, lets it finish, and starts another over the same data.
    pub async fn restart(self) -> Self {
        self.restart_after(|| ()).await
    }

    /// The same, with something done to the data in between.
    pub async fn restart_after(mut self, change: impl FnOnce()) -> Self {
        self.tell_to_stop();
        self.serving.await.unwrap();
        change();
        Self::start_in(self.folder, |_| ()).await
    }

    /// Tells the service to stop, without waiting for it.
    pub fn tell_to_stop(&mut self) {
        self.stop.take().unwrap().send(()).unwrap();
    }

    /// The root of the admin listener, which the test's configuration must name.
    pub fn admin_root(&self) -> &str {
        self.admin_root.as_deref().expect("an admin listener")
    }

    pub fn request(&self, path: &str) -> RequestBuilder {
        self.client.get(format!("{}{path}", self.root))
    }

    pub async fn get(&self, path: &str) -> Response {
        self.request(path).send().await.unwrap()
    }

    /// Administers with a JSON body.
    pub async fn order(&self, method: Method, path: &str, body: impl Into<String>) -> Response {
        let request = self.client.request(method, format!("{}{path}", self.root));
        let request = request.bearer_auth(self.token()).header("content-type", "application/json");
        request.body(body.into()).send().await.unwrap()
    }

    /// A picture, asked for as a current browser asks.
    pub async fn picture(&self, path: &str) -> Response {
        self.request(path).header("accept", MODERN).send().await.unwrap()
    }

    /// A picture once it is final.
    pub async fn finished(&self, path: &str) -> Response {
        let asking = async {
            loop {
                let answer = self.picture(path).await;
                if header(&answer, "cache-status").ends_with("detail=final") {
                    return answer;
                }
                tokio::time::sleep(std::time::Duration::from_millis(50)).await;
            }
        };
        tokio::time::timeout(std::time::Duration::from_secs(400), asking)
            .await
            .expect("it becomes final")
    }

    /// What `/why` says of a picture's address, asked with the same headers.
    pub async fn why(&self, path: &str, headers: &[(&str, &str)]) -> kivet_service::WhyResponse {
        let request = self.request(&path.replacen("/pic/", "/why/", 1)).bearer_auth(self.token());
        let request =
            headers.iter().fold(request, |request, (name, value)| request.header(*name, *value));
        let answer = request.send().await.unwrap();
        assert_eq!(answer.status(), 200, "{path}");
        answer.json().await.unwrap()
    }

    pub fn data(&self) -> PathBuf {
        self.folder.path().join("data")
    }

    pub fn token(&self) -> String {
        std::fs::read_to_string(self.folder.path().join("data/admin-token"))
            .unwrap()
            .trim()
            .to_owned()
    }

    /// The text of `/metrics`.
    pub async fn metrics(&self) -> String {
        let answer = self.request("/metrics").bearer_auth(self.token()).send().await.unwrap();
        answer.error_for_status().unwrap().text().await.unwrap()
    }

    /// The value of a counter or gauge in `/metrics`, summed over its labels.
    pub async fn counter(&self, name: &str) -> u64 {
        let text = self.metrics().await;
        let lines = text.lines().filter(|line| line.split(['{', ' ']).next() == Some(name));
        lines.map(|line| line.rsplit(' ').next().unwrap().parse::<u64>().unwrap()).sum()
    }
}

/// A header of an answer as text; empty if it is absent.
pub fn header<'a>(response: &'a Response, name: &str) -> &'a str {
    response.headers().get(name).map_or("", |value| value.to_str().unwrap())
}
