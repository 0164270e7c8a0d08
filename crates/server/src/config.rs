//! What a service needs to know before it starts.

use std::net::{IpAddr, Ipv4Addr};
use std::path::{Path, PathBuf};
use std::time::Duration;

use dettaglio_core::codec::DecodingMemory;
use dettaglio_domain::device::Wanted;
use dettaglio_domain::limits::Limits;
use serde::Serialize;
use utoipa::ToSchema;

/// What the service needs to know.
#[derive(Clone, Debug)]
pub struct Settings {
    /// Where it listens; anything but loopback asks for accounts.
    pub bind: IpAddr,
    /// Port; 0 for any that is free.
    pub port: u16,
    /// Address of a proxy whose word is taken for where a request comes from (X-Forwarded-For).
    pub trusted_proxy: Option<IpAddr>,
    /// Whether sign-ins may travel unencrypted: for a network that is trusted, or with a proxy that is not on this machine.
    pub plain_http: bool,
    /// Folder for database, files and everything else that is kept.
    pub data: PathBuf,
    /// Address of a MariaDB database to use; one of its own is started in the data folder when there is none.
    pub database: Option<String>,
    /// Address of a bucket for the files ("s3://bucket/prefix"); the data folder when there is none.
    pub bucket: Option<String>,
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
    /// Whether the models' speed is measured a moment after the start; without, no times are forecast at first.
    pub measure_speed: bool,
    /// Whether views are computed that are likely to be looked at next.
    pub look_ahead: bool,
    /// How many jobs this process works on at once.
    pub workers: usize,
    /// Threads that compute; as many as the machine has when nothing is said.
    pub threads: Option<usize>,
    /// Plug-ins of the runtime, which reach devices besides the processor.
    pub plugins: Vec<PathBuf>,
    /// What is to compute the models; what a person said in the settings, else the fastest, when nothing is said.
    pub device: Option<Wanted>,
    /// Bytes of computed tiles that are kept on disk.
    pub tiles_on_disk: u64,
    /// What pictures may take together while they are read, and while they are open; the rest wait.
    pub memory: DecodingMemory,
    /// How often a worker tells of the progress of its job, and learns what is wanted of it.
    pub sign_of_life: Duration,
    /// How long a connection may be without a request.
    pub patience: Duration,
    /// Devices and services outside.
    pub devices: Devices,
}

impl Settings {
    /// The usual settings, for the project in a folder; its own program is the one that runs.
    pub fn new(project: &Path, data: PathBuf) -> Self {
        Self {
            bind: Ipv4Addr::LOCALHOST.into(),
            port: 0,
            trusted_proxy: None,
            plain_http: false,
            data,
            database: None,
            bucket: None,
            models: project.join("models"),
            program: std::env::current_exe().unwrap_or_default(),
            front: project.join("web/dist"),
            demo: None,
            limits: Limits::default(),
            measure_speed: true,
            look_ahead: true,
            workers: 1,
            threads: None,
            plugins: Vec::new(),
            device: None,
            tiles_on_disk: 4 << 30,
            memory: DecodingMemory { decoding: 2 << 30, open: 2 << 30 },
            sign_of_life: Duration::from_millis(400),
            patience: Duration::from_secs(20),
            devices: Devices::default(),
        }
    }
}

/// What this installation is connected to.
#[derive(Clone, Debug, Default, Serialize, ToSchema)]
pub struct Devices {
    /// Address of a shop's feed of orders.
    pub shop: Option<String>,
    /// Address of a printer's queue.
    pub printer: Option<String>,
}
