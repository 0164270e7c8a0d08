//! Where pictures are computed: decoded originals at hand, the renderer, and who may compute when.
//!
//! A view on screen goes before everything else: trials and forecasts, which a person waits for too, let it pass between two blocks of tiles;
//! workers wait for both. Plain resampling has a lane of its own, so that the original is on screen at once even while a model
//! works. All of it happens on threads of its own, never on those that answer requests.

use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, OnceLock, RwLock};
use std::time::{Duration, Instant};

use dettaglio_core::codec::{CameraPicture, CodecError, Decoded, Decoders};
use dettaglio_core::face::Finder;
use dettaglio_core::model::{Engine, ModelError, OwnModels, Shelf};
use dettaglio_core::picture::Original;
use dettaglio_core::priority::give_way;
use dettaglio_core::render::disk::DiskTiles;
use dettaglio_core::render::{Pace, Renderer};
use dettaglio_domain::device::REFERENCE;
use dettaglio_domain::forecast::Rates;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;
use dettaglio_domain::model::ModelRef;
use dettaglio_domain::treatment::Treatment;
use dettaglio_store::files::FileStore;
use dettaglio_store::{Store, StoreError};
use lru::LruCache;
use moka::sync::Cache;
use tokio::sync::{Notify, OwnedMutexGuard, Semaphore};

use crate::problem::Problem;

/// Bytes of computed tiles that stay at hand.
const TILE_BYTES: usize = 768 << 20;

/// Bytes of treatments that stay at hand.
const TREATMENT_BYTES: u64 = 64 << 20;

/// How long work aside waits for views, in all: a person waits for it too.
const PATIENCE: Duration = Duration::from_secs(6);

/// How long that waits which nobody waits for: longer than any view takes, so that it never takes the processor from one.
const LONG_PATIENCE: Duration = Duration::from_secs(60);

/// How long after a request somebody counts as being there: half the pause between two looks of a page that waits for a forecast.
const PRESENCE: Duration = Duration::from_millis(700);

/// How often it is looked whether nobody is there.
const LOOK: Duration = Duration::from_millis(50);

/// Pictures that can be waited for while they are decoded, or something is tried on them; of more, some are so twice.
const MOST_TRYING: u64 = 1000;

/// Characters of a name that the store takes.
const LONGEST_NAME: usize = 100;

/// Under which name the rates of a machine are kept while a device computes there. The processor's are under the machine's own name.
fn rated_as(machine: &str, device: &str) -> String {
    if device == REFERENCE {
        return machine.to_owned();
    }
    // The device tells two of them apart, and is short.
    let room = LONGEST_NAME.saturating_sub(device.chars().count() + 2);
    let machine: String = machine.chars().take(room).collect();
    format!("{machine}, {device}")
}

/// Everything that computing needs.
pub struct Studio {
    renderer: Renderer,
    own: OwnModels,
    /// The folder of face models, and the finder once it is first needed.
    faces: (PathBuf, OnceLock<Result<Finder, ModelError>>),
    store: Store,
    files: FileStore,
    decoders: Decoders,
    limits: Limits,
    rates: RwLock<Rates>,
    /// Told when other rates count than before.
    other_rates: Notify,
    machine: String,
    originals: Mutex<LruCache<ContentHash, Arc<Original>>>,
    treatments: Cache<ContentHash, Arc<Known>>,
    lanes: Lanes,
    /// Pictures that are being decoded, and those that something is being tried on.
    decoding: Cache<ContentHash, Arc<tokio::sync::Mutex<()>>>,
    trying: Cache<ContentHash, Arc<tokio::sync::Mutex<()>>>,
}

/// A treatment that is at hand.
struct Known {
    treatment: Arc<Treatment>,
    /// Length of its text, which is about what it takes in memory.
    bytes: u32,
    /// Whether the database has it.
    is_kept: AtomicBool,
}

impl Known {
    fn new(treatment: Treatment, is_kept: bool) -> Arc<Self> {
        let bytes = serde_json::to_string(&treatment).map_or(0, |text| text.len());
        let bytes = u32::try_from(bytes).unwrap_or(u32::MAX);
        Arc::new(Self { treatment: Arc::new(treatment), bytes, is_kept: is_kept.into() })
    }
}

/// Who may compute when.
struct Lanes {
    plain: Semaphore,
    model: Semaphore,
    aside: Semaphore,
    later: Semaphore,
    ahead: Semaphore,
    faces: Semaphore,
    due: Mutex<Pending>,
    /// When the last view ended, of either lane.
    last_view: Mutex<Instant>,
    /// When the last request came, of any kind.
    last_request: Mutex<Instant>,
    /// Told when fewer are due.
    fewer_due: Condvar,
}

/// Work that a person waits for and that waits for a model or has it.
#[derive(Default)]
struct Pending {
    /// To be seen.
    views: usize,
    /// To be known.
    aside: usize,
}

/// How a treatment is computed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Lane {
    /// Without a model.
    Plain,
    /// With one, to be seen.
    Model,
    /// With one, to be known: it lets what is to be seen pass between two blocks.
    Aside,
    /// With one, to be known some time, as the size of a file: it lets what is to be seen pass for longer.
    Later,
    /// Before anybody asks for it: it goes on only while nobody is there.
    Ahead,
    /// Looking for faces, in the background as a rule: it lets what is to be seen pass as long, and nothing waits for it.
    Faces,
}

impl Lane {
    /// How long it waits in all while views are due.
    fn patience(self) -> Duration {
        match self {
            Self::Plain | Self::Model | Self::Ahead => Duration::ZERO,
            Self::Aside => PATIENCE,
            Self::Later | Self::Faces => LONG_PATIENCE,
        }
    }
}

impl Studio {
    /// A studio with the shipped models of a shelf and a person's own, and with those of a folder that find faces.
    ///
    /// `tiles_on_disk` is how many bytes of computed tiles are kept beyond the program's end.
    pub fn new(
        shelf: Shelf,
        faces: PathBuf,
        store: Store,
        files: FileStore,
        decoders: Decoders,
        limits: Limits,
        tiles_on_disk: u64,
    ) -> Self {
        let own = OwnModels::at(&files.models());
        let renderer = Renderer::new(shelf, TILE_BYTES);
        let renderer = match DiskTiles::open(&files.tiles(), tiles_on_disk) {
            Ok(disk) => renderer.with_disk(disk),
            Err(error) => {
                tracing::warn!(%error, "computed tiles will not outlast the program");
                renderer
            }
        };
        let studio = Self {
            renderer,
            own,
            faces: (faces, OnceLock::new()),
            store,
            files,
            decoders,
            limits,
            rates: RwLock::default(),
            other_rates: Notify::new(),
            machine: rustix::system::uname().nodename().to_string_lossy().into_owned(),
            originals: Mutex::new(LruCache::unbounded()),
            treatments: Cache::builder()
                .weigher(|_, known: &Arc<Known>| known.bytes)
                .max_capacity(TREATMENT_BYTES)
                .build(),
            lanes: Lanes {
                plain: Semaphore::new(2),
                model: Semaphore::new(1),
                aside: Semaphore::new(1),
                later: Semaphore::new(1),
                ahead: Semaphore::new(1),
                faces: Semaphore::new(1),
                due: Mutex::default(),
                last_view: Mutex::new(Instant::now()),
                // Nobody has asked for anything yet.
                last_request: Mutex::new(Instant::now().checked_sub(PRESENCE).unwrap_or_else(Instant::now)),
                fewer_due: Condvar::new(),
            },
            decoding: Cache::new(MOST_TRYING),
            trying: Cache::new(MOST_TRYING),
        };
        studio.refresh_shelf();
        studio
    }

    /// A person's own models.
    pub fn own_models(&self) -> &OwnModels {
        &self.own
    }

    /// Takes up what was added, retired or restored, by this process or another.
    pub fn refresh_shelf(&self) {
        let (shelf, troubles) = self.renderer.shelf().with_own(&self.own);
        for error in troubles {
            tracing::warn!(%error, "a model is left out");
        }
        self.renderer.set_shelf(shelf);
    }

    /// The renderer.
    pub fn renderer(&self) -> &Renderer {
        &self.renderer
    }

    /// What finds faces.
    pub fn finder(&self) -> Result<&Finder, ModelError> {
        let (folder, finder) = &self.faces;
        finder.get_or_init(|| Finder::open(folder)).as_ref().map_err(ModelError::clone)
    }

    /// The declared limits.
    pub fn limits(&self) -> &Limits {
        &self.limits
    }

    /// What this machine does in a second, as far as it was measured.
    pub fn rates(&self) -> Rates {
        self.rates.read().unwrap_or_else(|e| e.into_inner()).clone()
    }

    /// What this machine is called.
    pub fn machine(&self) -> &str {
        &self.machine
    }

    /// Under which name this machine's rates are kept: every device computes at a speed of its own.
    fn rated(&self) -> String {
        rated_as(&self.machine, &Engine::device_name())
    }

    /// Takes up what was measured before on this machine, by what computes now.
    pub async fn recall_rates(&self) -> Result<(), StoreError> {
        let kept = self.store.rates(&self.rated()).await?;
        self.update_rates(|rates| *rates = kept);
        Ok(())
    }

    /// Keeps what was measured on this machine, by what computes now.
    pub async fn keep_rates(&self) -> Result<(), StoreError> {
        self.store.set_rates(&self.rated(), &self.rates()).await
    }

    /// Goes over to a device that computes from now on: networks are opened anew, and times forecast by what it was measured to do.
    pub async fn move_over(&self) -> Result<(), StoreError> {
        self.renderer.shelf().close_all();
        self.recall_rates().await?;
        self.other_rates.notify_one();
        self.restate_forecasts().await
    }

    /// Waits until other rates count than before.
    pub async fn other_rates(&self) {
        self.other_rates.notified().await;
    }

    /// Forecasts the jobs that wait anew, by the rates as they are now.
    pub async fn restate_forecasts(&self) -> Result<(), StoreError> {
        let rates = self.rates();
        let mut forecasts = Vec::new();
        for (job, treatment, original) in self.store.waiting_treatments().await? {
            let treatment = self.treatment(treatment).await?;
            let seconds = treatment.frame.size(original).ok().and_then(|kept| rates.seconds(kept, &treatment));
            forecasts.extend(seconds.map(|seconds| (job, seconds)));
        }
        self.store.set_forecasts(&forecasts).await
    }

    /// Changes the measured rates.
    pub fn update_rates(&self, change: impl FnOnce(&mut Rates)) {
        change(&mut self.rates.write().unwrap_or_else(|e| e.into_inner()));
    }

    /// A decoded original: from memory, or from the file store.
    pub async fn original(self: &Arc<Self>, hash: ContentHash) -> Result<Arc<Original>, Problem> {
        self.decoded(hash, &FileStore::original_key(hash)).await
    }

    /// Reads a file in a process of its own, once there is memory for it.
    pub fn read(&self, path: &Path, hash: ContentHash) -> Result<Decoded, CodecError> {
        self.decoders.read(path, hash, &|bytes| self.close_some(bytes))
    }

    /// Reads a camera's raw file in the camera's own colours, as [`read`](Self::read) does.
    pub fn read_camera(&self, path: &Path, hash: ContentHash) -> Result<CameraPicture, CodecError> {
        self.decoders.read_camera(path, hash, &|bytes| self.close_some(bytes))
    }

    /// Drops originals of so many bytes that nobody uses, those first that were not used for longest.
    fn close_some(&self, bytes: u64) {
        let mut originals = lock(&self.originals);
        let mut freed = 0;
        let unused = originals.iter().rev().filter(|(_, original)| Arc::strong_count(original) == 1);
        let closed: Vec<ContentHash> = unused
            .take_while(|(_, original)| {
                let is_short = freed < bytes;
                freed += original.bytes();
                is_short
            })
            .map(|(hash, _)| *hash)
            .collect();
        for hash in closed {
            originals.pop(&hash);
        }
    }

    async fn decoded(self: &Arc<Self>, hash: ContentHash, key: &str) -> Result<Arc<Original>, Problem> {
        if let Some(original) = lock(&self.originals).get(&hash) {
            return Ok(Arc::clone(original));
        }
        // Whoever asks at the same time waits for the same pixels.
        let _turn = self.decoding.get_with(hash, Arc::default).lock_owned().await;
        if let Some(original) = lock(&self.originals).get(&hash) {
            return Ok(Arc::clone(original));
        }
        let path = self.files.local(key).await?;
        let studio = Arc::clone(self);
        let decoded = blocking(move || studio.read(&path, hash)).await?;
        let original = Arc::new(decoded?.original);
        self.keep(Arc::clone(&original));
        Ok(original)
    }

    /// A finished enlargement, decoded out of its file.
    pub async fn enlargement(self: &Arc<Self>, file_key: &str) -> Result<Arc<Original>, Problem> {
        self.decoded(ContentHash::of(file_key.as_bytes()), file_key).await
    }

    /// Keeps a decoded original at hand, until there is no more memory for another.
    pub fn keep(&self, original: Arc<Original>) {
        lock(&self.originals).put(original.hash(), original);
    }

    /// The treatment with this hash.
    pub async fn treatment(&self, hash: ContentHash) -> Result<Arc<Treatment>, StoreError> {
        Ok(Arc::clone(&self.known(hash).await?.treatment))
    }

    /// Has a treatment at hand, for whoever asks for it by its hash soon; nothing is written down.
    pub fn offer(&self, treatment: Treatment) -> ContentHash {
        let hash = treatment.hash();
        // One that is known stays, with what is known of it.
        self.treatments.get_with(hash, || Known::new(treatment, false));
        hash
    }

    /// Writes a treatment down that was offered, as it is being used: a server that is started anew knows it again.
    pub async fn keep_treatment(&self, hash: ContentHash) -> Result<Arc<Treatment>, StoreError> {
        let known = self.known(hash).await?;
        if !known.is_kept.load(Ordering::Relaxed) {
            self.store.add_treatment(&known.treatment).await?;
            known.is_kept.store(true, Ordering::Relaxed);
        }
        Ok(Arc::clone(&known.treatment))
    }

    async fn known(&self, hash: ContentHash) -> Result<Arc<Known>, StoreError> {
        if let Some(known) = self.treatments.get(&hash) {
            return Ok(known);
        }
        let known = Known::new(self.store.treatment(hash).await?, true);
        self.treatments.insert(hash, Arc::clone(&known));
        Ok(known)
    }

    /// Computes something for a view, when its lane is free.
    ///
    /// Dropping the future gives the work up: at once when it waits, at the next block of tiles when it runs.
    pub async fn view<T: Send + 'static>(
        self: &Arc<Self>,
        lane: Lane,
        work: impl FnOnce(&Studio, &dyn Pace) -> T + Send + 'static,
    ) -> Result<T, Problem> {
        let _due = matches!(lane, Lane::Model | Lane::Aside | Lane::Later).then(|| Due::new(Arc::clone(self), lane));
        let semaphore = match lane {
            Lane::Plain => &self.lanes.plain,
            Lane::Model => &self.lanes.model,
            Lane::Aside => &self.lanes.aside,
            Lane::Later => &self.lanes.later,
            Lane::Ahead => &self.lanes.ahead,
            Lane::Faces => &self.lanes.faces,
        };
        let _turn = semaphore.acquire().await.map_err(Problem::internal)?;
        let stop = StopOnDrop(Arc::new(AtomicBool::new(false)));
        let studio = Arc::clone(self);
        let pace = InLane {
            studio: Arc::clone(self),
            only_idle: lane == Lane::Ahead,
            patience: AtomicU64::new(lane.patience().as_micros() as u64),
            stop: Arc::clone(&stop.0),
        };
        let outcome = blocking(move || work(&studio, &pace)).await;
        *lock(&self.lanes.last_view) = Instant::now();
        outcome
    }

    /// Whether nothing has been looked at for this long, no view waits for a model or is being computed by one, and nobody is there.
    pub fn is_quiet(&self, at_least: Duration) -> bool {
        self.is_idle() && lock(&self.lanes.last_view).elapsed() >= at_least
    }

    /// Waits until it is quiet.
    pub async fn quiet(&self, at_least: Duration) {
        while !self.is_quiet(at_least) {
            tokio::time::sleep(LOOK).await;
        }
    }

    /// Whether nobody waits for a model, and nobody has asked for anything for a moment: a browser that loads the page, or draws, has the processor.
    fn is_idle(&self) -> bool {
        let is_due = |due: &Pending| due.views + due.aside > 0;
        !is_due(&lock(&self.lanes.due)) && lock(&self.lanes.last_request).elapsed() >= PRESENCE
    }

    /// Somebody asks for something.
    pub fn note_request(&self) {
        *lock(&self.lanes.last_request) = Instant::now();
    }

    /// Waits until nothing is being tried on a picture; nothing else is, as long as the answer lives.
    pub async fn trying(&self, picture: ContentHash) -> OwnedMutexGuard<()> {
        self.trying.get_with(picture, Arc::default).lock_owned().await
    }

    /// Waits while a person waits for a model; for workers, between two blocks.
    pub fn let_views_pass(&self) {
        // A limit, so that a view that hangs cannot stop a run for ever.
        self.wait_while(Duration::from_secs(2), |due| due.views + due.aside > 0);
    }

    fn wait_while(&self, at_most: Duration, is_due: impl Fn(&Pending) -> bool) {
        let due = lock(&self.lanes.due);
        drop(self.lanes.fewer_due.wait_timeout_while(due, at_most, |due| is_due(due)));
    }

    /// Decodes an original and opens the models that a treatment needs, for the view that will ask for them.
    pub fn make_ready(self: &Arc<Self>, hash: ContentHash, treatment: &Treatment, opening: Opening) {
        let shelf = self.renderer.shelf();
        let models: Vec<ModelRef> = treatment.models().filter(|model| !shelf.is_open(model)).cloned().collect();
        // A plan is asked for as often as a hand moves: mostly all is there.
        if models.is_empty() && lock(&self.originals).contains(&hash) {
            return;
        }
        let studio = Arc::clone(self);
        tokio::spawn(async move {
            if opening == Opening::AfterViews {
                tokio::time::sleep(UNTIL_ASKED).await;
                let waiting = Arc::clone(&studio);
                let _ = blocking(move || waiting.wait_while(VIEWS_PATIENCE, |due| due.views > 0)).await;
            }
            let decoded = studio.original(hash);
            let opened = blocking(move || models.iter().for_each(|model| drop(shelf.network(model))));
            // What does not succeed is told to whoever asks for it.
            let _ = tokio::join!(decoded, opened);
        });
    }
}

/// When models are opened.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Opening {
    /// At once: a view waits for them.
    Now,
    /// Once no view is due: others are shown before, and opening takes a core from them.
    AfterViews,
}

/// How long after a plan was answered its views are asked for, at the latest.
const UNTIL_ASKED: Duration = Duration::from_millis(300);

/// How long models are kept from being opened by views that are due.
const VIEWS_PATIENCE: Duration = Duration::from_secs(3);

/// Runs on a thread that may block, and gives way to other programs.
pub async fn blocking<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Result<T, Problem> {
    let aside = || {
        give_way();
        work()
    };
    tokio::task::spawn_blocking(aside).await.map_err(|e| Problem::internal(format!("the computation stopped: {e}")))
}

fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(|e| e.into_inner())
}

/// Work in a lane is due for as long as this lives.
struct Due(Arc<Studio>, Lane);

impl Due {
    fn new(studio: Arc<Studio>, lane: Lane) -> Self {
        *Self::count(&mut lock(&studio.lanes.due), lane) += 1;
        Self(studio, lane)
    }

    fn count(due: &mut Pending, lane: Lane) -> &mut usize {
        if lane == Lane::Model { &mut due.views } else { &mut due.aside }
    }
}

impl Drop for Due {
    fn drop(&mut self) {
        *Self::count(&mut lock(&self.0.lanes.due), self.1) -= 1;
        self.0.lanes.fewer_due.notify_all();
    }
}

struct StopOnDrop(Arc<AtomicBool>);

impl Drop for StopOnDrop {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}

/// The pace of work in a lane.
struct InLane {
    studio: Arc<Studio>,
    /// Whether it goes on only while nobody is there.
    only_idle: bool,
    /// How long it still waits, in all, while views want a model, in microseconds: a person waits for this work too.
    patience: AtomicU64,
    stop: Arc<AtomicBool>,
}

impl Pace for InLane {
    fn before_block(&self) -> bool {
        while self.only_idle && !self.stop.load(Ordering::Relaxed) && !self.studio.is_idle() {
            std::thread::sleep(LOOK);
        }
        let left = self.patience.load(Ordering::Relaxed);
        if left > 0 {
            let began = Instant::now();
            self.studio.wait_while(Duration::from_micros(left), |due| due.views > 0);
            let waited = began.elapsed().as_micros() as u64;
            self.patience.store(left.saturating_sub(waited), Ordering::Relaxed);
        }
        !self.stop.load(Ordering::Relaxed)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_device_of_a_machine_has_rates_of_its_own() {
        let long = "k".repeat(120);
        assert_eq!(rated_as("forno", REFERENCE), "forno");
        assert_eq!(rated_as("forno", "lamp-gpu"), "forno, lamp-gpu");
        let [one, other] = ["lamp-gpu", "lamp-npu"].map(|device| rated_as(&long, device));
        assert!(one.len() == LONGEST_NAME && one != other && one.ends_with("lamp-gpu"), "{one}");
    }
}
