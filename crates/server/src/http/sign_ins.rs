//! Who tries to sign in, from where, and how often.

use std::net::IpAddr;
use std::num::NonZeroU32;
use std::time::Duration;

use axum::http::HeaderMap;
use governor::clock::{Clock, DefaultClock};
use governor::{DefaultKeyedRateLimiter, Quota, RateLimiter};
use tokio::sync::Semaphore;

use crate::problem::{Kind, Problem};

/// Passwords that are checked at once: each check takes 19 MB and a core.
const CHECKS: usize = 2;

/// Tries that an account has at once from an address; afterwards one every other second.
const TRIES: NonZeroU32 = NonZeroU32::new(5).expect("above 0");

const TRY_EVERY: Duration = Duration::from_secs(2);

/// Who tries to sign in, and how often.
pub struct SignIns {
    pace: DefaultKeyedRateLimiter<(String, IpAddr)>,
    pub(super) checks: Semaphore,
    trusted_proxy: Option<IpAddr>,
}

impl SignIns {
    /// The address of a proxy whose word is taken for where a request comes from.
    pub fn new(trusted_proxy: Option<IpAddr>) -> Self {
        let quota = Quota::with_period(TRY_EVERY).expect("above 0").allow_burst(TRIES);
        Self { pace: RateLimiter::keyed(quota), checks: Semaphore::new(CHECKS), trusted_proxy }
    }

    /// Where a request comes from: what a trusted proxy says, or the other end of the connection.
    pub fn origin(&self, peer: IpAddr, headers: &HeaderMap) -> IpAddr {
        if self.trusted_proxy != Some(peer) {
            return peer;
        }
        // The last entry is the one that the proxy itself added.
        let forwarded = headers.get_all("x-forwarded-for").iter().next_back().and_then(|value| value.to_str().ok());
        forwarded.and_then(|list| list.rsplit(',').next()?.trim().parse().ok()).unwrap_or(peer)
    }

    /// Whether an account may be tried once more from an address.
    pub(super) fn may_try(&self, name: &str, from: IpAddr) -> Result<(), Problem> {
        // Keys of long ago are forgotten before they fill the memory.
        if self.pace.len() > 10_000 {
            self.pace.retain_recent();
        }
        let name = name.chars().take(200).collect::<String>().to_lowercase();
        self.pace.check_key(&(name, from)).map_err(|until| {
            let seconds = until.wait_time_from(DefaultClock::default().now()).as_secs() + 1;
            let detail = format!("too many tries for this name: wait {seconds} s");
            Problem::new(Kind::TooOften, "access.pace", detail).retry_after(seconds)
        })
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[test]
    fn tries_are_counted_by_name_and_address() {
        let sign_ins = SignIns::new(None);
        let (here, there) = ([127, 0, 0, 1].into(), [192, 0, 2, 7].into());
        for _ in 0..TRIES.get() {
            sign_ins.may_try("Nives", there).unwrap();
        }
        let refused = sign_ins.may_try("nives", there).unwrap_err();
        assert!(
            refused.kind == Kind::TooOften && refused.retry_after.is_some_and(|seconds| (1..=3).contains(&seconds))
        );
        sign_ins.may_try("Nives", here).unwrap();
        sign_ins.may_try("Ugo", there).unwrap();
    }

    #[rstest]
    #[case(None, "203.0.113.9", "192.0.2.1")]
    #[case(Some("192.0.2.1"), "198.51.100.3, 203.0.113.9", "203.0.113.9")]
    #[case(Some("192.0.2.1"), "nonsense", "192.0.2.1")]
    #[case(Some("192.0.2.2"), "203.0.113.9", "192.0.2.1")]
    fn only_a_trusted_proxy_says_where_a_request_comes_from(
        #[case] trusted: Option<&str>,
        #[case] forwarded: &str,
        #[case] from: &str,
    ) {
        let sign_ins = SignIns::new(trusted.map(|address| address.parse().unwrap()));
        let mut headers = HeaderMap::new();
        headers.insert("x-forwarded-for", forwarded.parse().unwrap());
        assert_eq!(sign_ins.origin("192.0.2.1".parse().unwrap(), &headers), from.parse::<IpAddr>().unwrap());
    }
}
