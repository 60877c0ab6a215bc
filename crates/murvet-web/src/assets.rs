//! Assets packed into the binary.

use axum::extract::Path;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};

struct Asset {
    name: &'static str,
    hashed: &'static str,
    media: &'static str,
    gzip: &'static [u8],
}

const ASSETS: &[Asset] = include!(concat!(env!("OUT_DIR"), "/assets.rs"));

/// The address of an asset by its plain name.
pub(crate) fn address(name: &str) -> String {
    ASSETS
        .iter()
        .find(|a| a.name == name)
        .map_or_else(|| format!("/assets/{name}"), |a| format!("/assets/{}", a.hashed))
}

/// Serves an asset by its hashed name; its content never changes under that name.
pub(crate) async fn serve(Path(file): Path<String>) -> Response {
    match ASSETS.iter().find(|a| a.hashed == file) {
        Some(asset) => (
            [
                (header::CONTENT_TYPE, asset.media),
                (header::CONTENT_ENCODING, "gzip"),
                (header::CACHE_CONTROL, "public, max-age=31536000, immutable"),
            ],
            asset.gzip,
        )
            .into_response(),
        None => StatusCode::NOT_FOUND.into_response(),
    }
}

/// The script that keeps visited pages: at the root, for it answers for every page.
pub(crate) async fn worker() -> Response {
    ([(header::CONTENT_TYPE, "text/javascript")], include_str!("../../../assets/worker.js")).into_response()
}
