//! Connections: how many there may be, and how long one may keep quiet.
//!
//! A client that opens connections and says nothing, or that sends a head or a body a byte a minute, holds one of them and no more:
//! it is cut off when its time is up, and the others are answered meanwhile.

use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;

use axum::Router;
use axum::extract::ConnectInfo;
use axum::http::Request;
use hyper::body::Incoming;
use hyper::server::conn::http1::Builder;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::server::graceful::GracefulShutdown;
use hyper_util::service::TowerToHyperService;
use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};
use tokio::net::TcpListener;
use tokio::sync::Semaphore;
use tokio_util::sync::CancellationToken;
use tower::ServiceExt;

/// The most connections at once. A browser holds six; those beyond wait to be accepted.
const MOST: usize = 800;

/// Pause after a connection could not be accepted, as when too many files are open.
const PAUSE: Duration = Duration::from_millis(200);

/// Answers connections until `stop`, and then until those that are open have ended. A connection may be without a request's whole
/// head for as long as `patience`.
pub async fn serve(
    listener: TcpListener,
    routes: Router,
    patience: Duration,
    stop: CancellationToken,
) -> std::io::Result<()> {
    allow_open_files();
    let room = Arc::new(Semaphore::new(MOST));
    let farewell = GracefulShutdown::new();
    loop {
        let accepted = tokio::select! {
            () = stop.cancelled() => break,
            accepted = accept(&listener, &room) => accepted,
        };
        let (stream, from, permit) = match accepted {
            Ok(accepted) => accepted,
            Err(error) => {
                tracing::warn!(%error, "a connection could not be accepted");
                tokio::time::sleep(PAUSE).await;
                continue;
            }
        };
        let _ = stream.set_nodelay(true);
        let service = routes.clone().map_request(move |mut request: Request<Incoming>| {
            request.extensions_mut().insert(ConnectInfo(from));
            request
        });
        let mut builder = Builder::new();
        builder.timer(TokioTimer::new()).header_read_timeout(patience);
        let connection = builder.serve_connection(TokioIo::new(stream), TowerToHyperService::new(service));
        let connection = farewell.watch(connection);
        tokio::spawn(async move {
            let _permit = permit;
            if let Err(error) = connection.await {
                tracing::debug!("a connection ended: {error}");
            }
        });
    }
    drop(listener);
    farewell.shutdown().await;
    Ok(())
}

type Accepted = (tokio::net::TcpStream, SocketAddr, tokio::sync::OwnedSemaphorePermit);

async fn accept(listener: &TcpListener, room: &Arc<Semaphore>) -> std::io::Result<Accepted> {
    let permit = Arc::clone(room).acquire_owned().await.map_err(std::io::Error::other)?;
    let (stream, from) = listener.accept().await?;
    Ok((stream, from, permit))
}

/// As many open files as the system lets this process have: each connection is one.
fn allow_open_files() {
    let most = getrlimit(Resource::Nofile).maximum;
    let _ = setrlimit(Resource::Nofile, Rlimit { current: most, maximum: most });
}
