//! Start and stop of the whole: one data folder, one database, one server, one worker.

use std::fs::{File, TryLockError};
use std::io::Write;
use std::net::{Ipv4Addr, SocketAddr};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use anyhow::{Context, bail};
use dettaglio_core::limits::Limits;
use dettaglio_core::model::{Engine, Shelf};
use dettaglio_store::Store;
use dettaglio_store::files::FileStore;
use dettaglio_store::mariadb::MariaDb;
use rustix::process::{Pid, Signal, kill_process, test_kill_process};
use tokio::net::TcpListener;
use tokio::sync::broadcast;
use tokio::task::JoinHandle;
use tokio_util::sync::CancellationToken;

use crate::app::{App, calibrate, router};
use crate::worker::Worker;
use crate::{api, demo};

/// Below this many free bytes nothing is started: a database on a full disk loses more than time.
const LEAST_FREE_BYTES: u64 = 300 << 20;

/// How long open connections may take to end.
const FAREWELL: Duration = Duration::from_secs(5);

/// What the service needs to know.
#[derive(Clone, Debug)]
pub struct Settings {
    /// Port on loopback; 0 for any that is free.
    pub port: u16,
    /// Folder for database, files and everything else that is kept.
    pub data: PathBuf,
    /// Address of a MariaDB database to use; one of its own is started in the data folder when there is none.
    pub database: Option<String>,
    /// Folder of the models.
    pub models: PathBuf,
    /// The server's program, in whose process a strange model is tried.
    pub program: PathBuf,
    /// Folder of the built front end.
    pub front: PathBuf,
    /// Folder of the demo, when it is to be loaded into an empty database.
    pub demo: Option<PathBuf>,
    /// The declared limits.
    pub limits: Limits,
    /// Whether the models' speed is measured a moment after the start; without, no times are forecast.
    pub measure_speed: bool,
}

/// A running service.
pub struct Service {
    /// Where it listens.
    pub address: SocketAddr,
    /// Its parts, for tests that look inside.
    pub app: App,
    stop: CancellationToken,
    server: JoinHandle<std::io::Result<()>>,
    worker: JoinHandle<()>,
    database: Option<MariaDb>,
    _claim: Claim,
}

impl Service {
    /// Starts everything; nothing is left running when it fails.
    pub async fn start(settings: Settings) -> anyhow::Result<Self> {
        std::fs::create_dir_all(&settings.data)
            .with_context(|| format!("the data folder {} cannot be made", settings.data.display()))?;
        let claim = Claim::take(&settings.data)?;
        let listener = listen(settings.port).await?;
        let address = listener.local_addr()?;
        let files = FileStore::open(&settings.data)?;
        if let Some(free) = files.free_bytes().filter(|free| *free < LEAST_FREE_BYTES) {
            let (free, least) = (free >> 20, LEAST_FREE_BYTES >> 20);
            bail!(
                "the disk of {} has {free} MB free and {least} MB are needed to start: free some space, or choose another folder with --data",
                settings.data.display()
            );
        }
        let shelf = Shelf::open(&settings.models)?;
        Engine::load()?;
        let database = match settings.database {
            Some(_) => None,
            None => Some(MariaDb::start(&settings.data.join("database")).await?),
        };
        let url = settings.database.as_deref().or(database.as_ref().map(MariaDb::url)).unwrap_or_default();
        match Self::start_on(&settings, listener, files, shelf, url).await {
            Ok((app, server, worker)) => {
                claim.tell(address.port())?;
                let stop = app.stop.clone();
                Ok(Self { address, app, stop, server, worker, database, _claim: claim })
            }
            Err(error) => {
                if let Some(database) = database {
                    database.stop().await;
                }
                Err(error)
            }
        }
    }

    async fn start_on(
        settings: &Settings,
        listener: TcpListener,
        files: FileStore,
        shelf: Shelf,
        database: &str,
    ) -> anyhow::Result<(App, JoinHandle<std::io::Result<()>>, JoinHandle<()>)> {
        let store = Store::connect(database).await?;
        let studio = Arc::new(crate::studio::Studio::new(shelf, store.clone(), files.clone(), settings.limits));
        let worker = Arc::new(Worker::new(store.clone(), files.clone(), Arc::clone(&studio)));
        let (changes, _) = broadcast::channel(256);
        let app = App {
            store,
            files,
            studio,
            worker,
            examples: settings.models.join("examples"),
            trial_program: settings.program.clone(),
            changes,
            stop: CancellationToken::new(),
        };
        if let Some(folder) = &settings.demo {
            demo::load(&app, folder).await.context("the demo data could not be loaded")?;
        }
        if settings.measure_speed {
            tokio::spawn(calibrate(Arc::clone(&app.studio)));
        }
        tokio::spawn(api::events::tell_changes(app.store.clone(), app.changes.clone(), app.stop.clone()));
        let (at_work, stop) = (Arc::clone(&app.worker), app.stop.clone());
        let worker = tokio::spawn(async move { at_work.work(stop).await });
        let stop = app.stop.clone();
        let serve = axum::serve(listener, router(app.clone(), settings.front.clone()))
            .with_graceful_shutdown(async move { stop.cancelled().await });
        let server = tokio::spawn(async move { serve.await });
        Ok((app, server, worker))
    }

    /// Stops serving and working, gives a job in hand back to the queue, and stops the database.
    pub async fn stop(self) {
        self.stop.cancel();
        if tokio::time::timeout(FAREWELL, self.server).await.is_err() {
            tracing::info!("connections that were still open are cut");
        }
        if tokio::time::timeout(FAREWELL * 4, self.worker).await.is_err() {
            tracing::warn!("the worker did not stop in time; its job will be taken up again");
        }
        drop(self.app);
        if let Some(database) = self.database {
            database.stop().await;
        }
    }
}

async fn listen(port: u16) -> anyhow::Result<TcpListener> {
    match TcpListener::bind((Ipv4Addr::LOCALHOST, port)).await {
        Ok(listener) => Ok(listener),
        Err(e) if e.kind() == std::io::ErrorKind::AddrInUse => {
            bail!("port {port} is taken by another program: choose another with --port, or stop that program")
        }
        Err(e) => Err(e).with_context(|| format!("port {port} cannot be used")),
    }
}

/// The right to a data folder: one program at a time.
struct Claim {
    file: File,
    path: PathBuf,
}

impl Claim {
    fn path(data: &Path) -> PathBuf {
        data.join("server.pid")
    }

    fn take(data: &Path) -> anyhow::Result<Self> {
        let path = Self::path(data);
        let file = File::options().read(true).write(true).create(true).truncate(false).open(&path)?;
        match file.try_lock() {
            Ok(()) => Ok(Self { file, path }),
            Err(TryLockError::WouldBlock) => {
                let running = std::fs::read_to_string(&path).unwrap_or_default();
                let port = running.split_whitespace().nth(1).unwrap_or("?").to_owned();
                bail!(
                    "Dettaglio is running already on {} (http://127.0.0.1:{port}): use it, or stop it with ./start --stop",
                    data.display()
                )
            }
            Err(TryLockError::Error(e)) => Err(e).with_context(|| path.display().to_string()),
        }
    }

    /// Writes down who holds it and where it listens.
    fn tell(&self, port: u16) -> anyhow::Result<()> {
        self.file.set_len(0)?;
        writeln!(&self.file, "{} {port}", std::process::id())?;
        Ok(())
    }
}

impl Drop for Claim {
    fn drop(&mut self) {
        let _ = std::fs::remove_file(&self.path);
    }
}

/// Stops the service that runs on a data folder, and waits for its end; answers whether there was one.
pub async fn stop_running(data: &Path) -> anyhow::Result<bool> {
    let Ok(text) = std::fs::read_to_string(Claim::path(data)) else { return Ok(false) };
    let Ok(file) = File::open(Claim::path(data)) else { return Ok(false) };
    // A lock that can be had means that nobody holds it, whatever number stands in the file.
    if file.try_lock().is_ok() {
        return Ok(false);
    }
    let pid = text.split_whitespace().next().and_then(|pid| pid.parse().ok()).and_then(Pid::from_raw);
    let Some(pid) = pid else { bail!("Dettaglio is just starting on {}: try again", data.display()) };
    kill_process(pid, Signal::TERM)?;
    for _ in 0..600 {
        if test_kill_process(pid).is_err() {
            return Ok(true);
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    bail!("process {} did not stop in a minute", pid.as_raw_nonzero())
}
