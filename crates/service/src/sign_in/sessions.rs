//! The admin token, open sign-in links, and signed-in browsers.

use std::{
    collections::HashMap,
    fs,
    io::{ErrorKind, Write},
    os::unix::fs::OpenOptionsExt,
    path::Path,
    sync::Mutex,
    time::{Duration, Instant},
};

use blake3::Hash;

/// How long a sign-in link works.
pub const LINK_LASTS: Duration = Duration::from_secs(15 * 60);

/// How long a browser stays signed in.
pub const SESSION_LASTS: Duration = Duration::from_secs(12 * 3600);

/// The cookie of a signed-in browser.
pub const COOKIE: &str = "kivet-session";

/// No admin token may be shorter, in characters.
const SHORTEST: usize = 32;

/// The file in the data folder that holds the admin token.
pub const TOKEN_FILE: &str = "admin-token";

/// What opens the administration. Secrets are kept as hashes, whose comparison takes the same time
/// for any guess.
pub struct SignIn {
    token: Hash,
    links: Mutex<HashMap<Hash, Instant>>,
    sessions: Mutex<HashMap<Hash, Instant>>,
}

impl SignIn {
    /// Reads the token from the data folder, or makes one there that only its owner can read.
    ///
    /// # Errors
    /// If the file cannot be read or made.
    pub fn open(data: &Path) -> std::io::Result<Self> {
        let file = data.join(TOKEN_FILE);
        let token = match fs::read_to_string(&file) {
            Ok(token) => token,
            Err(error) if error.kind() != ErrorKind::NotFound => {
                // A new token in place of one that is there would lock out its holders.
                let problem = format!("the admin token {} cannot be read: {error}", file.display());
                return Err(std::io::Error::new(error.kind(), problem));
            }
            Err(_) => new_token(data, &file)?,
        };
        let length = token.trim().chars().count();
        if length < SHORTEST {
            let problem = format!(
                "the admin token {} has {length} characters, and one that can be guessed would open the administration: write {SHORTEST} or more, or remove the file for a new one",
                file.display()
            );
            return Err(std::io::Error::new(ErrorKind::InvalidData, problem));
        }
        Ok(Self { token: hash(token.trim()), links: Mutex::default(), sessions: Mutex::default() })
    }

    /// Ends the session of this secret.
    pub fn end(&self, session: &str) {
        if let Ok(mut sessions) = self.sessions.lock() {
            sessions.remove(&hash(session));
        }
    }

    /// True if `token` is the admin token.
    pub fn is_token(&self, token: &str) -> bool {
        hash(token) == self.token
    }

    /// A new code for a single-use link.
    ///
    /// # Errors
    /// If the system has no randomness to give.
    pub fn new_link(&self) -> std::io::Result<String> {
        let code = secret()?;
        keep(&self.links, &code, LINK_LASTS);
        Ok(code)
    }

    /// Redeems a link's code for a session's secret; `None` if the code is wrong, used or too old.
    pub fn redeem(&self, code: &str) -> Option<String> {
        let until = self.links.lock().ok()?.remove(&hash(code))?;
        if until < Instant::now() {
            return None;
        }
        let session = secret().ok()?;
        keep(&self.sessions, &session, SESSION_LASTS);
        Some(session)
    }

    /// True if `session` is the secret of a signed-in browser.
    pub fn is_session(&self, session: &str) -> bool {
        let sessions = self.sessions.lock();
        sessions.is_ok_and(|sessions| {
            sessions.get(&hash(session)).is_some_and(|until| *until > Instant::now())
        })
    }
}

/// Writes a new token, whole or not at all: half a token could be guessed.
fn new_token(data: &Path, file: &Path) -> std::io::Result<String> {
    let token = secret()?;
    let beside = data.join(format!("{TOKEN_FILE}.new"));
    let mut out =
        fs::OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(&beside)?;
    writeln!(out, "{token}")?;
    out.sync_all()?;
    fs::rename(&beside, file)?;
    Ok(token)
}

fn keep(secrets: &Mutex<HashMap<Hash, Instant>>, secret: &str, lasts: Duration) {
    if let Ok(mut secrets) = secrets.lock() {
        let now = Instant::now();
        secrets.retain(|_, until| *until > now);
        secrets.insert(hash(secret), now + lasts);
    }
}

fn hash(secret: &str) -> Hash {
    blake3::hash(secret.as_bytes())
}

/// 192 random bits in hexadecimal.
fn secret() -> std::io::Result<String> {
    let mut bytes = [0u8; 24];
    getrandom::fill(&mut bytes).map_err(std::io::Error::other)?;
    Ok(bytes.iter().map(|byte| format!("{byte:02x}")).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_token_that_is_there_but_cannot_be_read_is_not_replaced() {
        let folder = tempfile::tempdir().expect("a folder");
        let made = SignIn::open(folder.path()).expect("a token is made");
        let token = fs::read_to_string(folder.path().join(TOKEN_FILE)).expect("there");
        assert!(made.is_token(token.trim()));
        let unreadable = [0xff, 0xfe];
        fs::write(folder.path().join(TOKEN_FILE), unreadable).expect("written");
        let Err(error) = SignIn::open(folder.path()) else { panic!("it was replaced") };
        assert!(error.to_string().contains(TOKEN_FILE), "{error}");
        assert_eq!(fs::read(folder.path().join(TOKEN_FILE)).expect("there"), unreadable);
    }

    #[test]
    fn a_token_that_could_be_guessed_is_refused_by_name() {
        let folder = tempfile::tempdir().expect("a folder");
        for short in ["", "  \n", "k", "0123456789abcdef0123456789abcde"] {
            fs::write(folder.path().join(TOKEN_FILE), short).expect("written");
            let Err(error) = SignIn::open(folder.path()) else { panic!("{short:?} was taken") };
            assert!(error.to_string().contains(TOKEN_FILE), "{error}");
        }
    }

    #[test]
    fn a_link_works_once() {
        let folder = tempfile::tempdir().expect("a folder");
        let sign_in = SignIn::open(folder.path()).expect("a token is made");
        let code = sign_in.new_link().expect("a link");
        let session = sign_in.redeem(&code).expect("it works");
        assert!(sign_in.is_session(&session) && !sign_in.is_session(&code));
        assert_eq!(sign_in.redeem(&code), None);
        sign_in.end(&session);
        assert!(!sign_in.is_session(&session));
    }
}
