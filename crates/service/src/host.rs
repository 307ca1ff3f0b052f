//! The name by which a request calls the service.

use axum::{
    extract::Request,
    http::{HeaderMap, Uri, Version, header, uri::Authority},
    middleware::Next,
    response::{IntoResponse, Response},
};

use crate::problem::{Problem, ProblemKind};

/// That name, with its port; `None` where HTTP/1.0 leaves it out. HTTP/2 has it in `:authority`,
/// which stands in the address.
///
/// # Errors
/// If it is missing, given twice, or none that a host can have (RFC 9112, section 3.2).
pub fn named(
    uri: &Uri,
    version: Version,
    headers: &HeaderMap,
) -> Result<Option<Authority>, Problem> {
    let mut given = headers.get_all(header::HOST).iter();
    let (host, second) = (given.next(), given.next());
    let problem = |detail: &str| Problem::new(ProblemKind::BadHost, detail);
    if second.is_some() {
        return Err(problem("`Host` is given twice"));
    }
    let host = match host {
        Some(host) => Authority::try_from(host.as_bytes()).map(Some).ok(),
        None if version == Version::HTTP_11 => return Err(problem("`Host` is missing")),
        None => Some(None),
    };
    let host = host.filter(|host| host.as_ref().is_none_or(is_host));
    let host =
        host.ok_or_else(|| problem("`Host` is not a name or address with a port or without"))?;
    Ok(uri.authority().cloned().or(host))
}

/// True if it is a host with a port or without: before an `@` would stand who asks.
fn is_host(named: &Authority) -> bool {
    let port = &named.as_str()[named.host().len()..];
    !named.as_str().contains('@') && (matches!(port, "" | ":") || named.port_u16().is_some())
}

/// Refuses requests that name no host properly.
pub(crate) async fn checked(request: Request, next: Next) -> Response {
    match named(request.uri(), request.version(), request.headers()) {
        Ok(_) => next.run(request).await,
        Err(problem) => problem.into_response(),
    }
}
