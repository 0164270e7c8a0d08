//! Downloads, whole or in ranges.

use std::path::Path;

use axum::body::Body;
use axum::http::{HeaderMap, HeaderValue, Request, header};
use axum::response::{IntoResponse, Response};
use tower::ServiceExt;
use tower_http::services::ServeFile;

use crate::problem::Problem;

/// A file to be saved under a name.
pub async fn download(path: &Path, name: &str, media_type: &str, headers: HeaderMap) -> Result<Response, Problem> {
    let mut request = Request::new(Body::empty());
    *request.headers_mut() = headers;
    let served = ServeFile::new(path).oneshot(request).await.map_err(Problem::internal)?;
    let mut response = served.into_response();
    let set = response.headers_mut();
    set.insert(header::CONTENT_TYPE, HeaderValue::from_str(media_type).map_err(Problem::internal)?);
    set.insert(header::CONTENT_DISPOSITION, disposition(name)?);
    Ok(response)
}

/// What is made on the spot, to be saved under a name.
pub fn attachment(name: &str, media_type: &'static str, body: impl IntoResponse) -> Result<Response, Problem> {
    let headers = [
        (header::CONTENT_TYPE, HeaderValue::from_static(media_type)),
        (header::CONTENT_DISPOSITION, disposition(name)?),
    ];
    Ok((headers, body).into_response())
}

/// RFC 6266: a plain name for old clients, and the exact one in UTF-8.
fn disposition(name: &str) -> Result<HeaderValue, Problem> {
    let plain: String =
        name.chars().map(|c| if c.is_ascii_graphic() && c != '"' && c != '\\' || c == ' ' { c } else { '_' }).collect();
    let mut exact = String::new();
    for byte in name.bytes() {
        match byte {
            b'A'..=b'Z' | b'a'..=b'z' | b'0'..=b'9' | b'-' | b'.' | b'_' => exact.push(char::from(byte)),
            other => exact.push_str(&format!("%{other:02X}")),
        }
    }
    HeaderValue::from_str(&format!("attachment; filename=\"{plain}\"; filename*=UTF-8''{exact}"))
        .map_err(Problem::internal)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn any_name_is_a_header() {
        let value = disposition("Vétreria \"1871\"\r\n.tif").unwrap();
        let text = value.to_str().unwrap();
        assert!(text.starts_with("attachment; filename=\"V_treria _1871___.tif\""), "{text}");
        assert!(text.ends_with("filename*=UTF-8''V%C3%A9treria%20%221871%22%0D%0A.tif"), "{text}");
    }
}
