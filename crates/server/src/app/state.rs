//! What use cases share: the store, the files, and where pictures are computed.

use std::path::PathBuf;
use std::sync::Arc;

use dettaglio_store::Store;
use dettaglio_store::files::FileStore;
use dettaglio_store::jobs::Job;
use tokio::sync::{Mutex, Notify, Semaphore, broadcast};
use tokio_util::sync::CancellationToken;

use super::troubles::Troubles;
use crate::compute::ahead::Ahead;
use crate::compute::computing::Computing;
use crate::compute::rehearsals::Rehearsals;
use crate::compute::studio::Studio;
use crate::compute::worker::Worker;
use crate::config::Devices;

/// What use cases share.
#[derive(Clone)]
pub struct App {
    /// The database.
    pub store: Store,
    /// The files.
    pub files: FileStore,
    /// Where pictures are computed.
    pub studio: Arc<Studio>,
    /// What computes the models.
    pub computing: Arc<Computing>,
    /// This process's workers.
    pub workers: Arc<[Arc<Worker>]>,
    /// Told when there is something to do.
    pub queued: Arc<Notify>,
    /// Small pictures, one a subject, on which models show what they do.
    pub examples: PathBuf,
    /// The program in whose process a strange model is tried.
    pub trial_program: PathBuf,
    /// Devices and services outside.
    pub devices: Arc<Devices>,
    /// Orders of the shop that could not be taken.
    pub troubles: Arc<Troubles>,
    /// The folder into which devices drop files for orders.
    pub inbox: PathBuf,
    /// Faces of new originals are looked for one picture at a time.
    pub finding: Arc<Semaphore>,
    /// Strange models are tried one at a time: each may take gigabytes.
    pub trying: Arc<Semaphore>,
    /// Runs are looked over a few at a time.
    pub looking_over: Arc<Semaphore>,
    /// Views that are computed before anybody asks.
    pub ahead: Ahead,
    /// Rehearsals that go on.
    pub rehearsals: Arc<Rehearsals>,
    /// Orders are changed one at a time, so that none is changed between a look and a change.
    pub changing: Arc<Mutex<()>>,
    /// Jobs that changed.
    pub changes: broadcast::Sender<Job>,
    /// Set when the program is to end.
    pub stop: CancellationToken,
}
