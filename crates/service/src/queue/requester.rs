//! Who asks for work, and how urgently.

use std::net::{IpAddr, SocketAddr};

use axum::extract::ConnectInfo;
use axum::http::{Extensions, HeaderMap};

/// Who asks for a piece of work. The default is the service itself.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Requester {
    pub(super) urgency: Option<u8>,
    /// Where the request comes from.
    pub client: Option<IpAddr>,
}

/// What a request without `Priority` is (RFC 9218, section 4.1).
const USUAL: u8 = 3;

impl Requester {
    /// By a request's `Priority` and where it comes from: through a proxy on this machine, from where
    /// that says.
    pub fn of(headers: &HeaderMap, extensions: &Extensions) -> Self {
        let urgency = headers.get("priority").and_then(|value| value.to_str().ok());
        let peer = extensions.get::<ConnectInfo<SocketAddr>>().map(|peer| peer.0.ip());
        let client = match peer {
            Some(peer) if peer.is_loopback() => Some(passed_on(headers).unwrap_or(peer)),
            peer => peer,
        };
        Self { urgency: urgency.and_then(urgency_of), client }
    }

    /// The same, with an urgency where the request itself says none.
    #[must_use]
    pub fn usually(self, urgency: Option<u8>) -> Self {
        Self { urgency: self.urgency.or(urgency), ..self }
    }

    /// From 0, the most urgent, to 7 (RFC 9218, section 4.1).
    pub fn urgency(self) -> u8 {
        self.urgency.unwrap_or(USUAL)
    }
}

/// The `u` of a dictionary such as `u=1, i` (RFC 9651, section 3.2).
fn urgency_of(priority: &str) -> Option<u8> {
    let mut values = priority.split(',').filter_map(|entry| entry.trim().strip_prefix("u="));
    // Of two entries with one key the last one counts.
    let last = values.next_back()?.split(';').next()?.trim();
    last.parse().ok().filter(|urgency| *urgency <= 7)
}

/// The last address that a proxy added: those before it are the client's own words.
fn passed_on(headers: &HeaderMap) -> Option<IpAddr> {
    let line = headers.get_all("x-forwarded-for").iter().next_back()?.to_str().ok()?;
    line.rsplit(',').next()?.trim().parse().ok()
}

#[cfg(test)]
mod tests {
    use axum::http::HeaderValue;

    use super::*;

    #[test]
    fn urgency_and_client_are_read_as_the_standards_say() {
        for (text, urgency) in [
            ("u=1, i", 1),
            ("i, u=0", 0),
            ("u=5;x=1", 5),
            ("u=2,u=6", 6),
            ("u=8", 3),
            ("u=-1", 3),
            ("i", 3),
            ("", 3),
        ] {
            let headers = HeaderMap::from_iter([(
                axum::http::HeaderName::from_static("priority"),
                HeaderValue::from_static(text),
            )]);
            assert_eq!(Requester::of(&headers, &Extensions::new()).urgency(), urgency, "{text}");
        }
        assert_eq!(Requester::default().usually(Some(1)).urgency(), 1);
        assert_eq!(Requester::default().usually(Some(6)).usually(Some(1)).urgency(), 6);
        let mut headers = HeaderMap::new();
        headers.insert("x-forwarded-for", HeaderValue::from_static("203.0.113.9, 192.0.2.7"));
        let from = |peer: [u8; 4]| {
            let mut extensions = Extensions::new();
            extensions.insert(ConnectInfo(SocketAddr::from((peer, 1))));
            Requester::of(&headers, &extensions).client
        };
        assert_eq!(from([127, 0, 0, 1]), Some(IpAddr::from([192, 0, 2, 7])));
        assert_eq!(from([198, 51, 100, 2]), Some(IpAddr::from([198, 51, 100, 2])));
    }
}
