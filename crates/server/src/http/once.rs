//! Requests that are to have their effect once, however often they arrive: a double click, or a retry after an answer was lost.

use std::time::Duration;

use axum::http::HeaderMap;
use dettaglio_domain::id::JobId;
use moka::future::Cache;

use crate::problem::Problem;

/// The header that carries a request's key (as drafted by the IETF's HTTP API group).
const KEY: &str = "idempotency-key";

/// The longest key.
const LONGEST: usize = 100;

/// How long an answer is remembered.
const REMEMBERED: Duration = Duration::from_secs(24 * 3600);

/// Answers by the key of their request.
#[derive(Clone)]
pub struct Once(Cache<String, Vec<JobId>>);

impl Default for Once {
    fn default() -> Self {
        Self(Cache::builder().max_capacity(10_000).time_to_live(REMEMBERED).build())
    }
}

impl Once {
    /// What `work` makes, or made for an earlier request of the same key at the same `address`. Two at a time wait for one work; one
    /// that fails is not remembered. Without a key the work is done.
    pub async fn answer(
        &self,
        headers: &HeaderMap,
        address: &str,
        work: impl Future<Output = Result<Vec<JobId>, Problem>>,
    ) -> Result<Vec<JobId>, Problem> {
        let Some(key) = headers.get(KEY) else { return work.await };
        let key = key.to_str().ok().filter(|key| (1..=LONGEST).contains(&key.len()));
        let key = key.ok_or_else(|| {
            Problem::bad_request("request.key", format!("an Idempotency-Key has 1 to {LONGEST} plain characters"))
        })?;
        self.0.try_get_with(format!("{address} {key}"), work).await.map_err(|problem| (*problem).clone())
    }
}

#[cfg(test)]
mod tests {
    use std::sync::atomic::{AtomicU64, Ordering};

    use super::*;

    #[tokio::test]
    async fn a_request_that_comes_twice_has_its_effect_once() {
        let (once, count) = (Once::default(), AtomicU64::new(0));
        let job = JobId::from;
        let work = || async { Ok(vec![job(count.fetch_add(1, Ordering::Relaxed))]) };
        let mut headers = HeaderMap::new();
        headers.insert(KEY, "a".parse().unwrap());
        let twice = tokio::join!(once.answer(&headers, "x", work()), once.answer(&headers, "x", work()));
        assert_eq!((twice.0.unwrap(), twice.1.unwrap()), (vec![job(0)], vec![job(0)]));
        assert_eq!(once.answer(&headers, "y", work()).await.unwrap(), [job(1)], "another address");
        assert_eq!(once.answer(&HeaderMap::new(), "x", work()).await.unwrap(), [job(2)], "without a key");
        let failed = async { Err(Problem::bad_request("x", "y")) };
        headers.insert(KEY, "b".parse().unwrap());
        assert!(once.answer(&headers, "x", failed).await.is_err());
        assert_eq!(once.answer(&headers, "x", work()).await.unwrap(), [job(3)], "what failed is tried again");
        headers.insert(KEY, "c".repeat(101).parse().unwrap());
        assert_eq!(once.answer(&headers, "x", work()).await.unwrap_err().code, "request.key");
    }
}
