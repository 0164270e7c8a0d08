//! Who may do what: everyone on this machine, or, where the server can be reached from elsewhere, those with an account.

use std::net::IpAddr;
use std::sync::Arc;

use anyhow::bail;
use argon2::Argon2;
use argon2::password_hash::phc::PasswordHash;
use argon2::password_hash::{PasswordHasher, PasswordVerifier};
use axum::extract::{FromRequestParts, Request, State};
use axum::http::request::Parts;
use axum::http::{HeaderMap, Method, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use dettaglio_domain::hash::ContentHash;
use dettaglio_store::Store;
use dettaglio_store::access::{Account, Role};
use serde::{Deserialize, Serialize};
use tower_sessions::cookie::SameSite;
use tower_sessions::{Expiry, Session, SessionManagerLayer};
use tower_sessions_sqlx_store::MySqlStore;
use utoipa::ToSchema;

use super::sign_ins::SignIns;
use super::terms::Needs;
use crate::problem::{Kind, Problem};

/// How long a session lasts without a request.
const IDLE_DAYS: i64 = 7;

/// Under which name a session holds who it is.
const WHO: &str = "account";

/// The cookie that holds a session's key.
pub const COOKIE: &str = "dettaglio";

/// The shortest password, in characters.
const SHORTEST_PASSWORD: usize = 10;

/// How this server is reached, and so who may use it.
#[derive(Clone)]
pub struct Access {
    /// Only from this machine: no account is asked for.
    only_here: bool,
    /// Whether the cookie is for encrypted connections alone.
    secure: bool,
    store: Store,
    sessions: MySqlStore,
}

/// Who makes a request.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct Who {
    /// What the person is called; empty on this machine.
    pub name: String,
    /// What may be done.
    pub role: Role,
}

/// What a session holds: whose it is, and what the password was. What the account may do is looked up at each request, so that
/// an account that is closed, demoted or given another password is so at once.
#[derive(Debug, Serialize, Deserialize)]
struct SignedIn {
    account: u64,
    /// Hash of the password's hash.
    password: ContentHash,
}

impl SignedIn {
    fn of(account: &Account) -> Self {
        Self { account: account.id, password: ContentHash::of(account.password.as_bytes()) }
    }

    /// Who it is by now; nobody when the account is gone or its password is another.
    async fn who(&self, store: &Store) -> Result<Option<Who>, Problem> {
        let account = store.accounts().await?.into_iter().find(|account| account.id == self.account);
        let same = account.filter(|account| ContentHash::of(account.password.as_bytes()) == self.password);
        Ok(same.map(|account| Who { name: account.name, role: account.role }))
    }
}

impl Access {
    /// Loopback needs nothing; any other address needs an account that may do everything.
    pub async fn open(bind: IpAddr, plain_http: bool, store: &Store) -> anyhow::Result<Self> {
        let only_here = bind.is_loopback();
        if !only_here && !store.accounts().await?.iter().any(|account| account.role == Role::Technician) {
            bail!(
                "{} can be reached from elsewhere and there is no account yet: add one with \"dettaglio-server account add NAME\", or leave --bind out",
                bind
            );
        }
        let database = store.database_name().await?;
        let sessions = MySqlStore::new(store.pool().clone()).with_schema_name(database).map_err(anyhow::Error::msg)?;
        sessions.migrate().await?;
        Ok(Self { only_here, secure: !plain_http, store: store.clone(), sessions })
    }

    /// Keeps who has signed in, in the database, behind a cookie that scripts cannot read.
    pub fn layer(&self) -> SessionManagerLayer<MySqlStore> {
        SessionManagerLayer::new(self.sessions.clone())
            .with_name(COOKIE)
            .with_same_site(SameSite::Strict)
            .with_http_only(true)
            .with_secure(self.secure && !self.only_here)
            .with_expiry(Expiry::OnInactivity(tower_sessions::cookie::time::Duration::days(IDLE_DAYS)))
    }
}

/// Refuses what comes from a page of somebody else, or, where the server is for this machine alone, from elsewhere.
pub async fn keep_strangers_out(State(access): State<Arc<Access>>, request: Request, next: Next) -> Response {
    let changes = !matches!(*request.method(), Method::GET | Method::HEAD | Method::OPTIONS);
    let headers = request.headers();
    let detail = if access.only_here && (!is_from_here(headers) || (changes && !is_own_origin(headers))) {
        "this server answers only to pages of its own, opened on 127.0.0.1 or localhost"
    } else if changes && !is_own_origin(headers) {
        // A page from elsewhere could make a browser send the cookie along; it cannot change where it says that it comes from.
        "this request did not come from a page of this server"
    } else {
        return next.run(request).await;
    };
    Problem::new(Kind::Forbidden, "access.foreign", detail).into_response()
}

/// Lets a request through to a route when whoever makes it may use the route; says to the handler who it is.
pub async fn guard(
    State((access, needs)): State<(Arc<Access>, Needs)>,
    session: Session,
    mut request: Request,
    next: Next,
) -> Response {
    match may(&access, needs, &session).await {
        Ok(who) => {
            request.extensions_mut().insert(who);
            next.run(request).await
        }
        Err(problem) => problem.into_response(),
    }
}

async fn may(access: &Access, needs: Needs, session: &Session) -> Result<Option<Who>, Problem> {
    if access.only_here {
        return Ok(Some(Who { name: String::new(), role: Role::Technician }));
    }
    let signed_in: Option<SignedIn> = session.get(WHO).await.map_err(Problem::internal)?;
    let who = match &signed_in {
        Some(signed_in) => signed_in.who(&access.store).await?,
        None => None,
    };
    if signed_in.is_some() && who.is_none() {
        session.flush().await.map_err(Problem::internal)?;
    }
    match (needs, who) {
        (Needs::Nothing, who) => Ok(who),
        (_, None) => Err(Problem::new(Kind::SignIn, "access.sign-in", "sign in first")),
        (Needs::Technician, Some(Who { name, role: Role::Viewer })) => {
            let detail = format!("{name} may look at everything and change nothing: ask a technician");
            Err(Problem::new(Kind::Forbidden, "access.viewer", detail))
        }
        (_, who) => Ok(who),
    }
}

fn header_text(headers: &HeaderMap, name: header::HeaderName) -> Option<&str> {
    headers.get(name).map(|value| value.to_str().unwrap_or("?"))
}

fn without_scheme(origin: &str) -> Option<&str> {
    origin.strip_prefix("http://").or_else(|| origin.strip_prefix("https://"))
}

/// Whether the host is a loopback name, and the origin, where given, as well.
fn is_from_here(headers: &HeaderMap) -> bool {
    let host = header_text(headers, header::HOST).is_some_and(is_loopback);
    let origin = header_text(headers, header::ORIGIN);
    host && origin.is_none_or(|origin| without_scheme(origin).is_some_and(is_loopback))
}

fn is_loopback(authority: &str) -> bool {
    let host = match authority.rsplit_once(':') {
        Some((host, port)) if port.chars().all(|c| c.is_ascii_digit()) => host,
        _ => authority,
    };
    matches!(host, "127.0.0.1" | "localhost" | "[::1]")
}

/// Whether a browser says that the request comes from a page of the host that it is sent to. A program that is no browser
/// says nothing of an origin, and has no cookies of others.
fn is_own_origin(headers: &HeaderMap) -> bool {
    // What a browser says of where a request comes from, also where it gives no origin (Fetch Metadata).
    let site = headers.get("sec-fetch-site").map(|value| value.to_str().unwrap_or("?"));
    if site.is_some_and(|site| !matches!(site, "same-origin" | "none")) {
        return false;
    }
    match (header_text(headers, header::ORIGIN), header_text(headers, header::HOST)) {
        (None, _) => true,
        (Some(origin), Some(host)) => without_scheme(origin) == Some(host),
        (Some(_), None) => false,
    }
}

/// A password's hash, in the PHC string format; a password that is too short is refused.
pub fn hashed(password: &str) -> anyhow::Result<String> {
    if password.chars().count() < SHORTEST_PASSWORD {
        bail!("a password has at least {SHORTEST_PASSWORD} characters");
    }
    Ok(Argon2::default().hash_password(password.as_bytes()).map_err(anyhow::Error::msg)?.to_string())
}

/// Signs a person in: a new session, whatever there was before.
pub async fn sign_in(
    store: &Store,
    sign_ins: &SignIns,
    session: &Session,
    from: IpAddr,
    name: &str,
    password: &str,
) -> Result<Who, Problem> {
    sign_ins.may_try(name, from)?;
    let account = store.accounts().await?.into_iter().find(|account| account.name == name);
    // An unknown name takes as long as a wrong password, so that names cannot be found out.
    let hash = account.as_ref().map_or(NOBODY, |account| &account.password).to_owned();
    let password = password.to_owned();
    let _turn = sign_ins.checks.acquire().await.map_err(Problem::internal)?;
    let fits = crate::compute::studio::blocking(move || {
        PasswordHash::new(&hash).is_ok_and(|hash| Argon2::default().verify_password(password.as_bytes(), &hash).is_ok())
    })
    .await?;
    let Some(account) = account.filter(|_| fits) else {
        return Err(Problem::new(Kind::SignIn, "access.wrong", "name or password is wrong"));
    };
    session.cycle_id().await.map_err(Problem::internal)?;
    session.insert(WHO, SignedIn::of(&account)).await.map_err(Problem::internal)?;
    Ok(Who { name: account.name, role: account.role })
}

/// The hash of a password that nobody has.
const NOBODY: &str =
    "$argon2id$v=19$m=19456,t=2,p=1$c29tZSBzYWx0IGZvciBub2JvZHk$3YJr5nJ2f5cXk1bGk0m9yqVZJ0lYt3m1b0v8mJ1x9bE";

/// Who makes the request, for handlers; set by [`guard`].
impl<S: Send + Sync> FromRequestParts<S> for Who {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, _: &S) -> Result<Self, Problem> {
        let who = parts.extensions.get::<Option<Who>>().cloned().flatten();
        who.ok_or_else(|| Problem::new(Kind::SignIn, "access.sign-in", "sign in first"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    use rstest::rstest;

    fn headers(host: Option<&str>, origin: Option<&str>) -> HeaderMap {
        let mut headers = HeaderMap::new();
        host.map(|h| headers.insert(header::HOST, h.parse().unwrap()));
        origin.map(|o| headers.insert(header::ORIGIN, o.parse().unwrap()));
        headers
    }

    #[rstest]
    #[case(Some("127.0.0.1:4390"), None, true)]
    #[case(Some("localhost:4390"), Some("http://localhost:4390"), true)]
    #[case(Some("[::1]:4390"), None, true)]
    #[case(None, None, false)]
    #[case(Some("prints.example"), None, false)]
    #[case(Some("127.0.0.1:4390"), Some("http://prints.example"), false)]
    #[case(Some("127.0.0.1:4390"), Some("null"), false)]
    #[case(Some("127.0.0.1.example:80"), None, false)]
    fn pages_from_elsewhere_are_kept_out(
        #[case] host: Option<&str>,
        #[case] origin: Option<&str>,
        #[case] let_in: bool,
    ) {
        assert_eq!(is_from_here(&headers(host, origin)), let_in);
    }

    #[rstest]
    #[case(Some("prints.example"), Some("https://prints.example"), true)]
    #[case(Some("prints.example:4390"), Some("http://prints.example:4390"), true)]
    #[case(Some("prints.example"), None, true)]
    #[case(Some("prints.example"), Some("https://prints.example.evil"), false)]
    #[case(Some("prints.example"), Some("null"), false)]
    #[case(None, Some("https://prints.example"), false)]
    fn changes_come_from_pages_of_ones_own(
        #[case] host: Option<&str>,
        #[case] origin: Option<&str>,
        #[case] let_in: bool,
    ) {
        assert_eq!(is_own_origin(&headers(host, origin)), let_in);
    }

    #[rstest]
    #[case("same-origin", true)]
    #[case("none", true)]
    #[case("same-site", false)]
    #[case("cross-site", false)]
    fn a_page_on_another_port_changes_nothing(#[case] site: &str, #[case] let_in: bool) {
        let mut headers = headers(Some("127.0.0.1:4390"), None);
        headers.insert("sec-fetch-site", site.parse().unwrap());
        assert_eq!(is_own_origin(&headers), let_in);
    }

    #[test]
    fn another_port_of_this_machine_is_another_origin() {
        assert!(!is_own_origin(&headers(Some("127.0.0.1:4390"), Some("http://127.0.0.1:8000"))));
    }

    #[test]
    fn passwords_are_kept_as_hashes_of_argon2() {
        assert!(hashed("short").is_err());
        let hash = hashed("murrine e soffi").unwrap();
        assert!(hash.starts_with("$argon2id$") && !hash.contains("murrine"));
        let parsed = PasswordHash::new(&hash).unwrap();
        assert!(Argon2::default().verify_password(b"murrine e soffi", &parsed).is_ok());
        assert!(Argon2::default().verify_password(b"murrine e sofFi", &parsed).is_err());
        assert!(PasswordHash::new(NOBODY).is_ok(), "so that an unknown name takes its time");
    }
}
