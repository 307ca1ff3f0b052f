//! A service to be measured: the release binary, asked over HTTP.

use std::{
    io::{BufRead, BufReader, Read, Write},
    net::TcpStream,
    path::{Path, PathBuf},
    process::{Child, Command, Stdio},
    thread::sleep,
    time::{Duration, Instant},
};

use anyhow::{Context, Result, bail, ensure};

const ACCEPT: &str = "image/jxl,image/avif,image/webp,*/*;q=0.8";

/// A running service, stopped when dropped.
pub struct Served {
    child: Child,
    port: u16,
    token: PathBuf,
}

impl Served {
    /// Serves `originals` as the shelf `photos`; its data folder has that name in that folder.
    pub fn start(place: (&Path, &str), port: u16, improve: bool, originals: &Path) -> Result<Self> {
        Self::start_with(place, port, &format!("[policy]\nimprove = {improve}\n"), originals, &[])
    }

    /// The same, with further tables of its configuration, and variables of its environment.
    pub fn start_with(
        (folder, name): (&Path, &str),
        port: u16,
        tables: &str,
        originals: &Path,
        variables: &[(&str, &str)],
    ) -> Result<Self> {
        let config = folder.join(format!("{name}.toml"));
        let text = format!(
            "listen = \"127.0.0.1:{port}\"\ndata = \"{name}\"\n[shelves.photos]\nfolder = {originals:?}\n{tables}"
        );
        std::fs::write(&config, text)?;
        let binary = std::env::current_exe()?.with_file_name("kivet");
        let child = Command::new(&binary)
            .args(["serve", "--config"])
            .arg(&config)
            .envs(variables.iter().copied())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .with_context(|| {
                format!("cannot start {}; build it: cargo build --release", binary.display())
            })?;
        let token = folder.join(name).join("admin-token");
        let mut served = Self { child, port, token };
        for _ in 0..200 {
            // Another service on the port would answer in its place.
            if let Some(status) = served.child.try_wait()? {
                bail!("the service ended at once ({status}); is port {port} taken?");
            }
            if served.get("/healthz").is_ok() {
                return Ok(served);
            }
            sleep(Duration::from_millis(50));
        }
        bail!("the service does not answer on port {port}")
    }

    /// The time an answer took, and its header.
    pub fn get(&self, path: &str) -> Result<(Duration, String)> {
        let (took, header, _) = self.ask(path, "")?;
        Ok((took, header))
    }

    /// The header and the bytes of a picture.
    pub fn picture(&self, path: &str) -> Result<(String, Vec<u8>)> {
        let (_, header, body) = self.ask(path, "")?;
        Ok((header, body))
    }

    /// The bytes of a picture.
    pub fn body(&self, path: &str) -> Result<Vec<u8>> {
        Ok(self.ask(path, "")?.2)
    }

    /// The text of `/metrics`.
    pub fn metrics(&self) -> Result<String> {
        let token = std::fs::read_to_string(&self.token)?;
        let header = format!("authorization: Bearer {}\r\n", token.trim());
        Ok(String::from_utf8_lossy(&self.ask("/metrics", &header)?.2).into())
    }

    fn ask(&self, path: &str, header: &str) -> Result<(Duration, String, Vec<u8>)> {
        let asked = Instant::now();
        let mut stream = TcpStream::connect(("127.0.0.1", self.port))?;
        write!(
            stream,
            "GET {path} HTTP/1.1\r\nhost: 127.0.0.1:{}\r\naccept: {ACCEPT}\r\nconnection: close\r\n{header}\r\n",
            self.port
        )?;
        let mut reader = BufReader::new(stream);
        let mut header = String::new();
        while reader.read_line(&mut header)? > 2 {}
        let mut body = Vec::new();
        reader.read_to_end(&mut body)?;
        ensure!(header.starts_with("HTTP/1.1 200"), "{path}: {header}");
        Ok((asked.elapsed(), header, body))
    }

    /// Kills it, as a machine that loses its power would.
    pub fn die(&self) -> Result<()> {
        let status = Command::new("kill").args(["-9", &self.process().to_string()]).status()?;
        ensure!(status.success(), "the service cannot be killed");
        Ok(())
    }

    /// Its process.
    pub fn process(&self) -> u32 {
        self.child.id()
    }

    /// Waits until the background is idle.
    pub fn wait_until_done(&self) -> Result<()> {
        while !self.metrics()?.contains("\nkivet_background_tasks 0") {
            sleep(Duration::from_millis(200));
        }
        Ok(())
    }
}

impl Drop for Served {
    fn drop(&mut self) {
        self.child.kill().and_then(|()| self.child.wait()).ok();
    }
}
