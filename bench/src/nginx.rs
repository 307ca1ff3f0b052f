//! nginx, as a neighbour to compare with and as a proxy in front.

use std::{
    fs,
    os::unix::fs::PermissionsExt,
    path::{Path, PathBuf},
    process::{Child, Command, Stdio},
    thread::sleep,
    time::Duration,
};

use anyhow::{Context, Result};

/// nginx with one worker and no log, stopped when dropped.
pub struct Nginx(Child);

impl Nginx {
    /// With these `server` blocks' directives. Its configuration lies in `folder`, which with the
    /// folders in it is opened to its worker: another user, where this one is root.
    pub fn start(folder: &Path, servers: &[String]) -> Result<Self> {
        let config: PathBuf = folder.join("nginx.conf");
        let servers: String =
            servers.iter().map(|directives| format!("server {{ {directives} }}\n")).collect();
        let text = format!(
            "daemon off; worker_processes 1; pid {0}/nginx.pid; error_log /dev/null;\n\
             events {{ worker_connections 4096; }}\n\
             http {{ access_log off; sendfile on; tcp_nopush on; keepalive_requests 100000000;\n\
             types {{ image/webp webp; text/html html; }}\n{servers}}}\n",
            folder.display(),
        );
        fs::write(&config, text)?;
        let within = fs::read_dir(folder)?.flatten().map(|entry| entry.path());
        for open in within.filter(|path| path.is_dir()).chain([folder.to_owned()]) {
            fs::set_permissions(open, PermissionsExt::from_mode(0o755))?;
        }
        let child = Command::new("nginx")
            .arg("-c")
            .arg(&config)
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .context("nginx does not start: apt-get install wrk nginx-light")?;
        sleep(Duration::from_secs(1));
        Ok(Self(child))
    }
}

impl Drop for Nginx {
    fn drop(&mut self) {
        // Its worker ends with it only if it is asked to end.
        let id = self.0.id().to_string();
        let asked = Command::new("kill").arg(id).status();
        asked.and_then(|_| self.0.wait()).ok();
    }
}
