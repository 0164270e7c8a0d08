//! Start and stop of the whole: one data folder, one database, one server, its workers; or workers alone.

use std::net::{IpAddr, SocketAddr};
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use anyhow::{Context, bail};
use dettaglio_core::codec::Decoders;
use dettaglio_core::model::{Engine, Shelf, run_own_models_in};
use dettaglio_store::Store;
use dettaglio_store::backup::back_up;
use dettaglio_store::files::FileStore;
use dettaglio_store::mariadb::MariaDb;
use dettaglio_store::upgrade::Standing;
use futures::future::join_all;
use tokio::net::TcpListener;
use tokio::sync::{Notify, Semaphore, broadcast};
use tokio::task::JoinHandle;
use tokio_util::sync::CancellationToken;

use crate::adapters::{attend, demo};
use crate::app::{App, ahead, changes};
use crate::claim::Claim;
use crate::compute::ahead::Ahead;
use crate::compute::calibrate::calibrate;
use crate::compute::computing::Computing;
use crate::compute::studio::Studio;
use crate::compute::worker::Worker;
use crate::config::Settings;
use crate::http::access::Access;
use crate::http::{self, SignIns, router};

/// Folder of a data folder in which the database is saved before it is changed as a whole.
pub const BACKUPS: &str = "backups";

/// Below this many free bytes nothing is started: a database on a full disk loses more than time.
const LEAST_FREE_BYTES: u64 = 300 << 20;

/// How long open connections may take to end.
const FAREWELL: Duration = Duration::from_secs(5);

/// How long a treatment that was looked at, and that nothing came of, is kept.
const UNUSED: chrono::Days = chrono::Days::new(7);

/// How often such treatments are swept out.
const SWEEP: Duration = Duration::from_secs(6 * 3600);

/// How often it is seen to that the database runs.
const DATABASE_LOOK: Duration = Duration::from_secs(1);

/// The files of an installation: in a bucket, or in its data folder.
pub fn open_files(bucket: Option<&str>, data: &Path) -> anyhow::Result<FileStore> {
    match bucket {
        None => Ok(FileStore::open(data)?),
        Some(address) => {
            FileStore::open_bucket(address, data).with_context(|| format!("the files cannot be kept at {address}"))
        }
    }
}

/// What a server and a program that only works have in common.
struct Parts {
    store: Store,
    files: FileStore,
    studio: Arc<Studio>,
    computing: Arc<Computing>,
    queued: Arc<Notify>,
    sign_of_life: Duration,
}

impl Parts {
    async fn open(settings: &Settings, database: &str) -> anyhow::Result<Self> {
        let files = open_files(settings.bucket.as_deref(), &settings.data)?;
        if let Some(free) = files.free_bytes().filter(|free| *free < LEAST_FREE_BYTES) {
            let (free, least) = (free >> 20, LEAST_FREE_BYTES >> 20);
            bail!(
                "the disk of {} has {free} MB free and {least} MB are needed to start: free some space, or choose another folder with --data",
                settings.data.display()
            );
        }
        let shelf = Shelf::open(&settings.models)?;
        Engine::give_way(settings.threads);
        Engine::load()?;
        run_own_models_in(&settings.program);
        let computing = Arc::new(Computing::open(settings)?);
        let store = Store::connect(database).await?;
        // A quarter of what is free stays the most, so that tiles cannot fill a small disk.
        let tiles = settings.tiles_on_disk.min(files.free_bytes().unwrap_or(u64::MAX) / 4);
        let studio = Arc::new(Studio::new(
            shelf,
            settings.models.join("faces"),
            store.clone(),
            files.clone(),
            Decoders::new(&settings.program, settings.memory, settings.limits),
            settings.limits,
            tiles,
        ));
        studio.recall_rates().await?;
        Ok(Self { store, files, studio, computing, queued: Arc::default(), sign_of_life: settings.sign_of_life })
    }

    fn workers(&self, count: usize) -> Vec<Arc<Worker>> {
        let worker = || {
            let (store, files, studio) = (self.store.clone(), self.files.clone(), self.studio.clone());
            Worker::new(store, files, studio, self.queued.clone(), self.sign_of_life)
        };
        (0..count).map(|_| Arc::new(worker())).collect()
    }
}

/// Saves a database of an earlier version before it is brought up to date, and refuses one of a later version.
async fn save_before_upgrade(database: &str, data: &Path) -> anyhow::Result<()> {
    let standing = Store::standing(database).await?;
    match standing {
        Standing::New | Standing::Current => {}
        Standing::Later => bail!(
            "the database in {} was used by a later version of Dettaglio: use that version, or restore a backup from before",
            data.display()
        ),
        Standing::Earlier => {
            let folder = data.join(BACKUPS);
            std::fs::create_dir_all(&folder)?;
            let file = folder.join(format!("before-upgrade-{}.sql", chrono::Utc::now().format("%Y%m%d-%H%M%S")));
            back_up(database, &file)
                .await
                .context("the database could not be saved before it is brought up to date")?;
            tracing::warn!("the database is brought up to date; as it was, it is in {}", file.display());
        }
    }
    Ok(())
}

/// Lets workers work until `stop`.
fn at_work(workers: &[Arc<Worker>], stop: &CancellationToken) -> JoinHandle<()> {
    let all: Vec<_> = workers.iter().cloned().map(|worker| (worker, stop.clone())).collect();
    tokio::spawn(async move {
        let each = all.into_iter().map(|(worker, stop)| tokio::spawn(async move { worker.work(stop).await }));
        join_all(each).await;
    })
}

/// A running service.
pub struct Service {
    /// Where it listens.
    pub address: SocketAddr,
    /// Its parts, for tests that look inside.
    pub app: App,
    stop: CancellationToken,
    server: JoinHandle<std::io::Result<()>>,
    workers: JoinHandle<()>,
    database: Option<JoinHandle<MariaDb>>,
    _claim: Claim,
}

impl Service {
    /// Starts everything; nothing is left running when it fails.
    pub async fn start(settings: Settings) -> anyhow::Result<Self> {
        std::fs::create_dir_all(&settings.data)
            .with_context(|| format!("the data folder {} cannot be made", settings.data.display()))?;
        if rustix::process::geteuid().is_root() {
            tracing::warn!("this runs as root, which nothing in it needs: an ordinary user is safer");
        }
        let claim = Claim::take(&settings.data)?;
        let listener = listen(settings.bind, settings.port).await?;
        let address = listener.local_addr()?;
        let database = match settings.database {
            Some(_) => None,
            None => Some(MariaDb::start(&settings.data.join("database")).await?),
        };
        let url = settings.database.as_deref().or(database.as_ref().map(MariaDb::url)).unwrap_or_default();
        match Self::start_on(&settings, listener, url).await {
            Ok((app, server, workers)) => {
                claim.tell(address.port())?;
                let stop = app.stop.clone();
                let database = database.map(|database| tokio::spawn(keep_running(database, stop.clone())));
                Ok(Self { address, app, stop, server, workers, database, _claim: claim })
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
        database: &str,
    ) -> anyhow::Result<(App, JoinHandle<std::io::Result<()>>, JoinHandle<()>)> {
        save_before_upgrade(database, &settings.data).await?;
        let parts = Parts::open(settings, database).await?;
        let access = Access::open(settings.bind, settings.plain_http, &parts.store).await?;
        let workers = parts.workers(settings.workers);
        let (changes, _) = broadcast::channel(1024);
        let app = App {
            finding: Arc::new(Semaphore::new(1)),
            trying: Arc::new(Semaphore::new(1)),
            looking_over: Arc::new(Semaphore::new(2)),
            ahead: Ahead::new(settings.look_ahead),
            rehearsals: Arc::default(),
            changing: Arc::default(),
            store: parts.store,
            files: parts.files,
            studio: parts.studio,
            computing: parts.computing,
            workers: workers.clone().into(),
            queued: parts.queued,
            examples: settings.models.join("examples"),
            trial_program: settings.program.clone(),
            devices: Arc::new(settings.devices.clone()),
            troubles: Arc::default(),
            inbox: settings.data.join("inbox"),
            changes,
            stop: CancellationToken::new(),
        };
        let is_first = match &settings.demo {
            Some(folder) => demo::load(&app, folder).await.context("the demo data could not be loaded")?,
            None => false,
        };
        if settings.measure_speed {
            tokio::spawn(calibrate(Arc::clone(&app.studio), app.stop.clone()));
        }
        tokio::spawn(Arc::clone(&app.computing).find(Arc::clone(&app.studio), app.stop.clone()));
        let shown = ahead::first(&app);
        if is_first {
            shown.await;
        }
        // Whoever started it is about to open a browser, which wants the processor.
        app.studio.note_request();
        let (store, files) = (app.store.clone(), app.files.clone());
        tokio::spawn(async move {
            if let Err(error) = store.delete_leaving_files(&files).await {
                tracing::warn!("files of what was deleted earlier are still there: {error}");
            }
        });
        tokio::spawn(sweep_treatments(app.store.clone(), app.stop.clone()));
        tokio::spawn(changes::tell_changes(app.store.clone(), app.changes.clone(), app.stop.clone()));
        attend::attend(&app);
        let workers = at_work(&workers, &app.stop);
        let stop = app.stop.clone();
        let routes = router(app.clone(), access, SignIns::new(settings.trusted_proxy), settings.front.clone());
        let server = tokio::spawn(http::serve(listener, routes, settings.patience, stop));
        Ok((app, server, workers))
    }

    /// Stops serving and working, gives jobs in hand back to the queue, and stops the database.
    pub async fn stop(self) {
        self.stop.cancel();
        if tokio::time::timeout(FAREWELL, self.server).await.is_err() {
            tracing::info!("connections that were still open are cut");
        }
        if tokio::time::timeout(FAREWELL * 4, self.workers).await.is_err() {
            tracing::warn!("a worker did not stop in time; its job will be taken up again");
        }
        drop(self.app);
        if let Some(Ok(database)) = match self.database {
            Some(watched) => Some(watched.await),
            None => None,
        } {
            database.stop().await;
        }
    }
}

/// Starts the database again when it ended without being told to; hands it back at `stop`.
async fn keep_running(mut database: MariaDb, stop: CancellationToken) -> MariaDb {
    loop {
        tokio::select! {
            () = stop.cancelled() => return database,
            () = tokio::time::sleep(DATABASE_LOOK) => {}
        }
        match database.revive().await {
            Ok(false) => {}
            Ok(true) => tracing::warn!("the database had ended and was started again"),
            Err(error) => tracing::error!(%error, "the database could not be started again"),
        }
    }
}

/// Sweeps out treatments that nothing needs any more, now and then.
async fn sweep_treatments(store: Store, stop: CancellationToken) {
    loop {
        match store.sweep_treatments(chrono::Utc::now() - UNUSED).await {
            Ok(0) => {}
            Ok(swept) => tracing::info!(swept, "treatments that nothing needs were swept out"),
            Err(error) => tracing::warn!("treatments could not be swept out: {error}"),
        }
        tokio::select! {
            () = stop.cancelled() => return,
            () = tokio::time::sleep(SWEEP) => {}
        }
    }
}

/// Works on the jobs of an installation, in a program or on a machine of its own, until `stop`.
///
/// Without an address, the database is the one that the server of the data folder runs.
pub async fn work(settings: Settings, stop: CancellationToken) -> anyhow::Result<()> {
    let url = database_of(&settings)?;
    let parts = Parts::open(&settings, &url).await?;
    let workers = parts.workers(settings.workers.max(1));
    if settings.measure_speed {
        tokio::spawn(calibrate(Arc::clone(&parts.studio), stop.clone()));
    }
    tokio::spawn(Arc::clone(&parts.computing).find(Arc::clone(&parts.studio), stop.clone()));
    at_work(&workers, &stop).await?;
    Ok(())
}

/// The address of the database: the one that was given, or that of the server that runs on the data folder.
pub fn database_of(settings: &Settings) -> anyhow::Result<String> {
    settings.database.clone().or_else(|| MariaDb::url_in(&settings.data.join("database"))).with_context(|| {
        format!(
            "no server runs on {}: start it with ./start, or name a database with --database",
            settings.data.display()
        )
    })
}

async fn listen(address: IpAddr, port: u16) -> anyhow::Result<TcpListener> {
    match TcpListener::bind((address, port)).await {
        Ok(listener) => Ok(listener),
        Err(e) if e.kind() == std::io::ErrorKind::AddrInUse => {
            bail!("port {port} is taken by another program: choose another with --port, or stop that program")
        }
        Err(e) => Err(e).with_context(|| format!("{address}, port {port}, cannot be used")),
    }
}
