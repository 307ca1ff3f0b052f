//! `/healthz`, `/readyz`, `/metrics`: for whoever runs the service.

mod handlers;

pub use handlers::routes;
