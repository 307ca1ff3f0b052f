//! `kivet try` in front of a site that sends everything a site may send.
#![allow(clippy::unwrap_used)]

use std::{
    io::{BufRead, BufReader, Read, Write},
    net::{TcpListener, TcpStream},
    path::Path,
    process::{Child, Command, Stdio},
};

const PAGE: &str = "<!doctype html><head><title>Kites</title></head><body><p>One</p><img src=\"pics/night/lanterns.jpg\" alt=\"Lit\"></body>";

/// Bytes of a page that is larger than what is rewritten, and of which no length is known.
const LARGE: usize = 17 << 20;

/// A process that ends with the test, and the address it printed under a key.
struct Started(Child, String);

impl Drop for Started {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

fn started(arguments: &[&str], key: &str) -> Started {
    let mut child = Command::new(env!("CARGO_BIN_EXE_kivet"))
        .args(arguments)
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines().map_while(Result::ok);
    let line = lines.find(|line| line.contains(&format!("\"{key}\""))).unwrap();
    let address = line.split('"').nth(3).unwrap().trim_end_matches("/pic/").to_owned();
    std::thread::spawn(move || lines.for_each(drop));
    Started(child, address)
}

/// A body that is no text, of a length that no buffer has.
fn binary() -> Vec<u8> {
    (0..70_001_u32).map(|at| (at.wrapping_mul(2_654_435_761) >> 24) as u8).collect()
}

/// A site on its own thread. It speaks HTTP/1.1, one request a connection.
fn site() -> String {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = listener.local_addr().unwrap();
    std::thread::spawn(move || {
        for stream in listener.incoming().map_while(Result::ok) {
            std::thread::spawn(move || answer(stream, &format!("http://{address}")));
        }
    });
    format!("http://{address}")
}

fn answer(mut stream: TcpStream, own: &str) {
    let mut reader = BufReader::new(stream.try_clone().unwrap());
    let (mut head, mut length, mut chunked) = (Vec::new(), 0, false);
    loop {
        let mut line = String::new();
        if reader.read_line(&mut line).unwrap_or(0) == 0 || line == "\r\n" {
            break;
        }
        let lower = line.to_ascii_lowercase();
        if let Some(value) = lower.strip_prefix("content-length:") {
            length = value.trim().parse().unwrap();
        }
        chunked |= lower.starts_with("transfer-encoding: chunked");
        head.push(line);
    }
    let mut body = vec![0; length];
    reader.read_exact(&mut body).unwrap();
    while chunked {
        let mut size = String::new();
        reader.read_line(&mut size).unwrap();
        let size = usize::from_str_radix(size.trim(), 16).unwrap();
        let mut chunk = vec![0; size + 2];
        reader.read_exact(&mut chunk).unwrap();
        body.extend_from_slice(&chunk[..size]);
        chunked = size > 0;
    }
    let path = head.first().and_then(|line| line.split(' ').nth(1)).unwrap_or_default().to_owned();
    let cookies = head.iter().find(|line| line.to_ascii_lowercase().starts_with("cookie:"));
    let (status, headers, body): (&str, String, Vec<u8>) = match path.as_str() {
        "/page" => (
            "200 OK",
            "content-type: text/html\r\ncontent-security-policy: default-src 'self'\r\n".to_owned(),
            PAGE.into(),
        ),
        "/binary" => (
            "200 OK",
            "content-type: application/octet-stream\r\netag: \"7\"\r\n".to_owned(),
            binary(),
        ),
        "/compressed" => {
            ("200 OK", "content-type: text/html\r\ncontent-encoding: gzip\r\n".to_owned(), binary())
        }
        "/large" => {
            let _ = stream.write_all(b"HTTP/1.1 200 OK\r\ncontent-type: text/html\r\n\r\n");
            let _ = stream.write_all(&vec![b'k'; LARGE]);
            return;
        }
        "/echo" => ("200 OK", "content-type: text/plain\r\n".to_owned(), body),
        "/cookies" => (
            "200 OK",
            "content-type: text/plain\r\n".to_owned(),
            cookies.cloned().unwrap_or_default().into(),
        ),
        "/go" => (
            "302 Found",
            format!(
                "location: {own}/page?from=go\r\nset-cookie: a=1; Domain=site.example; Secure; HttpOnly\r\n"
            ),
            Vec::new(),
        ),
        "/broken" => {
            let _ = stream.write_all(
                b"HTTP/1.1 200 OK\r\ncontent-length: 100\r\ncontent-type: text/html\r\n\r\nhalf",
            );
            return;
        }
        "/torn" => {
            let _ = stream.write_all(b"HTTP/1.1 200 OK\r\ncontent-length: 70001\r\ncontent-type: application/octet-stream\r\n\r\n");
            let _ = stream.write_all(&binary()[..30_000]);
            return;
        }
        "/slow" => {
            std::thread::sleep(std::time::Duration::from_millis(300));
            ("200 OK", "content-type: text/plain\r\n".to_owned(), b"late".to_vec())
        }
        "/socket" => {
            let _ = stream.write_all(b"HTTP/1.1 101 Switching Protocols\r\nupgrade: websocket\r\nconnection: upgrade\r\n\r\n");
            let mut frame = [0; 5];
            reader.read_exact(&mut frame).unwrap();
            frame.reverse();
            let _ = stream.write_all(&frame);
            return;
        }
        _ => ("404 Not Found", "content-type: text/html\r\n".to_owned(), PAGE.into()),
    };
    let head = format!(
        "HTTP/1.1 {status}\r\nconnection: close\r\ncontent-length: {}\r\n{headers}\r\n",
        body.len()
    );
    let _ = stream.write_all(head.as_bytes()).and_then(|()| stream.write_all(&body));
}

/// What comes back: the head as text, and the body.
fn ask(address: &str, request: &str, body: &[u8]) -> (String, Vec<u8>) {
    let host = address.strip_prefix("http://").unwrap().split('/').next().unwrap();
    let mut stream = TcpStream::connect(host).unwrap();
    let length =
        if body.is_empty() { String::new() } else { format!("content-length: {}\r\n", body.len()) };
    let (line, headers) = request.split_once('\n').unwrap_or((request, ""));
    let text =
        format!("{line} HTTP/1.1\r\nhost: {host}\r\nconnection: close\r\n{length}{headers}\r\n");
    stream.write_all(text.as_bytes()).unwrap();
    stream.write_all(body).unwrap();
    let mut all = Vec::new();
    let _ = stream.read_to_end(&mut all);
    let end = all.windows(4).position(|part| part == b"\r\n\r\n").map_or(all.len(), |at| at + 4);
    let head = String::from_utf8_lossy(&all[..end]).to_ascii_lowercase();
    let body = all[end..].to_vec();
    let body = if head.contains("transfer-encoding: chunked") { unchunked(&body) } else { body };
    (head, body)
}

fn unchunked(mut body: &[u8]) -> Vec<u8> {
    let mut out = Vec::new();
    while let Some(end) = body.windows(2).position(|part| part == b"\r\n") {
        let size = usize::from_str_radix(&String::from_utf8_lossy(&body[..end]), 16).unwrap_or(0);
        if size == 0 || body.len() < end + 2 + size {
            break;
        }
        out.extend_from_slice(&body[end + 2..end + 2 + size]);
        body = &body[(end + 4 + size).min(body.len())..];
    }
    out
}

/// The site, tried: the processes, and the address of the proxy.
struct Tried {
    _folder: tempfile::TempDir,
    _service: Started,
    proxy: Started,
}

impl Tried {
    fn get(&self, path: &str) -> (String, Vec<u8>) {
        ask(&self.proxy.1, &format!("GET {path}"), b"")
    }
}

fn tried() -> Tried {
    let folder = tempfile::tempdir().unwrap();
    let originals =
        Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/originals").canonicalize().unwrap();
    let config = folder.path().join("kivet.toml");
    std::fs::write(&config, format!("data = \"data\"\n[shelves.photos]\nfolder = {originals:?}\n"))
        .unwrap();
    let rules = folder.path().join("pages.toml");
    std::fs::write(&rules, "[addresses]\n'pics/' = 'photos'\n[places.plate]\nsizes = '60px'\n[[rules]]\nplace = 'plate'\n").unwrap();
    std::fs::create_dir(folder.path().join("edited")).unwrap();
    std::fs::write(folder.path().join("edited/mine.html"), "<p>Mine</p>").unwrap();
    let service = started(
        &["serve", "--json", "--listen", "127.0.0.1:0", "--config", config.to_str().unwrap()],
        "pictures",
    );
    let (data, edited, site) = (folder.path().join("data"), folder.path().join("edited"), site());
    let arguments = [
        "try",
        &site,
        "--json",
        "--port",
        "0",
        "--rules",
        rules.to_str().unwrap(),
        "--edited",
        edited.to_str().unwrap(),
        "--service",
        &service.1,
        "--data",
        data.to_str().unwrap(),
    ];
    let proxy = started(&arguments, "address");
    Tried { _folder: folder, _service: service, proxy }
}

#[test]
fn a_site_is_tried_and_all_but_its_documents_stays_as_it_is() {
    let tried = tried();
    let get = |path: &str| tried.get(path);
    let address = &tried.proxy.1;

    let (head, page) = get("/page");
    let page = String::from_utf8(page).unwrap();
    assert!(head.contains("content-security-policy: default-src 'self'"), "{head}");
    assert!(
        page.contains("/photos/night/lanterns.jpg") && page.contains("/.kivet/overlay.js"),
        "{page}"
    );
    let picture = page.split(" src=\"").nth(1).unwrap().split('"').next().unwrap();
    assert!(get(picture).0.contains("content-type: image/"), "{picture}");
    let without = ask(address, "GET /page\ncookie: kivet-try=without\r\n", b"");
    assert!(String::from_utf8(without.1).unwrap().contains("src=\"pics/night/lanterns.jpg\""));
    let changes = String::from_utf8(get("/.kivet/changes").1).unwrap();
    assert!(
        changes.contains("1 of 1 pictures rewritten") && changes.contains("must allow"),
        "{changes}"
    );
    assert!(String::from_utf8(get("/mine.html").1).unwrap().starts_with("<p>Mine</p>"));

    let (head, _) = get("/go");
    assert!(
        head.contains("location: /page?from=go") && head.contains("set-cookie: a=1; httponly"),
        "{head}"
    );
    let cookies = ask(address, "GET /cookies\ncookie: kivet-try=with; theirs=2\r\n", b"");
    assert_eq!(String::from_utf8_lossy(&cookies.1).trim().to_ascii_lowercase(), "cookie: theirs=2");
    let (head, body) = get("/missing");
    assert!(head.starts_with("http/1.1 404") && body == PAGE.as_bytes(), "{head}");
    assert!(get("/broken").0.starts_with("http/1.1 502"));

    assert_eq!(get("/slow").1, b"late");

    let host = address.strip_prefix("http://").unwrap().trim_end_matches('/');
    let mut socket = TcpStream::connect(host).unwrap();
    write!(
        socket,
        "GET /socket HTTP/1.1\r\nhost: {host}\r\nconnection: upgrade\r\nupgrade: websocket\r\n\r\n"
    )
    .unwrap();
    let mut reader = BufReader::new(socket.try_clone().unwrap());
    let head: Vec<String> =
        reader.by_ref().lines().map_while(Result::ok).take_while(|line| !line.is_empty()).collect();
    assert!(head[0].contains("101"), "{head:?}");
    socket.write_all(b"kites").unwrap();
    let mut back = [0; 5];
    reader.read_exact(&mut back).unwrap();
    assert_eq!(&back, b"setik");
}

#[test]
fn nothing_but_the_site_and_its_pictures_is_reached_through_the_proxy() {
    let tried = tried();
    let address = &tried.proxy.1;
    for path in
        ["/pic/../metrics", "/pic/%2e%2e/why/60w/photos/night/lanterns.jpg", "/pic/../console/"]
    {
        assert!(tried.get(path).0.starts_with("http/1.1 404"), "{path}");
    }
    assert!(ask(address, "POST /pic/60w/photos/night/lanterns.jpg", b"x").0.contains(" 404"));
    let session = "cookie: kivet-session=secret; kivet-code=1; theirs=2\r\n";
    let cookies = ask(address, &format!("GET /cookies\n{session}"), b"");
    assert_eq!(String::from_utf8_lossy(&cookies.1).trim().to_ascii_lowercase(), "cookie: theirs=2");

    let mut stream =
        TcpStream::connect(address.strip_prefix("http://").unwrap().trim_end_matches('/')).unwrap();
    stream.write_all(b"GET /page HTTP/1.1\r\nhost: kites.example\r\n\r\n").unwrap();
    let mut status = String::new();
    BufReader::new(stream).read_line(&mut status).unwrap();
    assert!(status.contains(" 421 "), "a name that resolves to this machine: {status}");

    let back = "GET /.kivet/with\nreferer: http://127.0.0.1//kites.example/\r\n";
    assert!(ask(address, back, b"").0.contains("location: /kites.example/"));
    let upgraded = ask(address, "GET /page\nupgrade: h2c\r\n", b"");
    assert!(String::from_utf8(upgraded.1).unwrap().contains("overlay.js"));
    assert_eq!(tried.get("/compressed").1, binary());
    assert_eq!(tried.get("/large").1.len(), LARGE);
}

/// Page views, shared out among as many viewers.
const VIEWS: usize = 2_000;
const VIEWERS: usize = 8;

#[test]
fn over_two_thousand_views_whatever_is_no_document_is_the_sites_byte_for_byte() {
    let tried = tried();
    let page = tried.get("/page").1;
    let binary = binary();
    let view = |number: usize| {
        assert_eq!(tried.get("/page").1, page, "view {number}");
        match number % 8 {
            0 => assert_eq!(tried.get("/binary").1, binary),
            1 => {
                let upload = &binary[..number * 29 % binary.len()];
                assert_eq!(ask(&tried.proxy.1, "POST /echo", upload).1, upload);
            }
            2 => assert!(tried.get("/go").0.contains("location: /page?from=go")),
            3 => assert_eq!(tried.get("/missing").1, PAGE.as_bytes()),
            4 => assert!(tried.get("/broken").0.starts_with("http/1.1 502")),
            // What the site breaks off half way ends half way, and is not padded.
            5 => {
                let (head, body) = tried.get("/torn");
                assert!(binary.starts_with(&body) && body.len() <= 30_000, "{head}");
            }
            6 if number % 80 == 6 => assert_eq!(tried.get("/slow").1, b"late"),
            _ => {}
        }
    };
    std::thread::scope(|scope| {
        for viewer in 0..VIEWERS {
            let view = &view;
            scope.spawn(move || (viewer..VIEWS).step_by(VIEWERS).for_each(view));
        }
    });
}
