//! How services outside are asked: with time limits, without following redirects, and never for more than they may send.

use std::time::Duration;

use anyhow::{Context, bail};
use futures::StreamExt;
use reqwest::redirect::Policy;
use reqwest::{Client, Response};

/// How long a service may take to be reached, and how long it may pause.
const PATIENCE: Duration = Duration::from_secs(20);

/// The largest answer that is no file, in bytes.
const LARGEST_ANSWER: usize = 8 << 20;

/// A client of services outside. A redirect is an answer like any other, and no success: it could lead to places that only this
/// machine reaches.
pub(super) fn client() -> Client {
    let client = Client::builder().redirect(Policy::none()).connect_timeout(PATIENCE).read_timeout(PATIENCE).no_proxy();
    client.build().unwrap_or_default()
}

/// An answer that says that all is well; a redirect does not.
pub(super) fn good(response: Response) -> anyhow::Result<Response> {
    let status = response.status();
    if status.is_redirection() {
        bail!("it answers with a redirect ({status}), which is not followed");
    }
    Ok(response.error_for_status()?)
}

/// The whole of a short answer.
pub(super) async fn short(response: Response) -> anyhow::Result<Vec<u8>> {
    let (mut pieces, mut whole) = (response.bytes_stream(), Vec::new());
    while let Some(piece) = pieces.next().await {
        whole.extend_from_slice(&piece.context("the answer broke off")?);
        if whole.len() > LARGEST_ANSWER {
            bail!("the answer is larger than {} MB", LARGEST_ANSWER >> 20);
        }
    }
    Ok(whole)
}
