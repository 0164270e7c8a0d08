//! The runtime that computes networks: ONNX Runtime, loaded from a shared library at start.

use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, OnceLock};

use dettaglio_domain::geometry::Size;
use dettaglio_domain::model::{Card, LevelKind};
use ort::environment::Environment;
use ort::session::Session;
use ort::session::builder::GraphOptimizationLevel;
use ort::value::TensorRef;

use super::error::ModelError;
use super::grain::grain;
use super::network::{Corner, Network, finite};
use crate::picture::{Planes, fill_up};

/// Names the runtime's shared library, for another build of it (one for a GPU, say).
pub const LIBRARY_VARIABLE: &str = crate::apart::LIBRARY_VARIABLE;

/// Where `start` and `check` put the library, relative to the project's folder.
const LIBRARY_IN_PROJECT: &str = "vendor/onnxruntime/libonnxruntime.so";

/// The loaded runtime. There is one per process.
#[derive(Clone, Debug)]
pub struct Engine {
    environment: Environment,
    library: PathBuf,
}

/// How many threads a network is computed with; 0 for as many as the machine has.
static THREADS: AtomicUsize = AtomicUsize::new(0);

impl Engine {
    /// Loads the runtime, from the file that [`LIBRARY_VARIABLE`] names or from the project's folder.
    ///
    /// Later calls return the engine of the first.
    pub fn load() -> Result<Self, ModelError> {
        static ENGINE: OnceLock<Result<Engine, String>> = OnceLock::new();
        ENGINE
            .get_or_init(|| {
                let library = find_library()?;
                let failed = |e: &dyn std::fmt::Display| format!("{}: {e}", library.display());
                let environment = ort::init_from(&library)
                    .map_err(|e| failed(&e))?
                    .with_name("dettaglio")
                    .build()
                    .map_err(|e| failed(&e))?;
                Ok(Engine { environment, library })
            })
            .clone()
            .map_err(ModelError::Engine)
    }

    /// Computes with so many threads from now on, rather than with one for each of the machine's: for several programs that
    /// share a machine. To be said before anything is computed; 0 counts as 1.
    pub fn use_threads(count: usize) {
        let count = count.max(1);
        THREADS.store(count, Ordering::Relaxed);
        // Once something was computed it is too late for this part, and the rest still holds.
        let _ = rayon::ThreadPoolBuilder::new().num_threads(count).build_global();
    }

    /// The file that was loaded.
    pub fn library(&self) -> &Path {
        &self.library
    }

    /// A shipped network out of the bytes of its ONNX file, as its card describes it.
    pub(super) fn shipped(&self, bytes: &[u8], card: &Card) -> Result<Arc<dyn Network>, ModelError> {
        let failed = |why: String| ModelError::Run { id: card.id.clone(), why };
        let session = self.session(bytes).map_err(failed)?;
        let session = Mutex::new(session);
        Ok(Arc::new(OnnxNetwork {
            id: card.id.clone(),
            factor: card.factor(),
            halo: card.halo,
            multiple: card.multiple,
            level: card.level(),
            grain: card.draws(),
            session,
        }))
    }

    /// A session for the bytes of an ONNX file, with this process's threads.
    ///
    /// A model that keeps weights in other files is refused: the runtime would read whatever file it names.
    pub fn session(&self, bytes: &[u8]) -> Result<Session, String> {
        if names_other_files(bytes) {
            return Err("it names external data".to_owned());
        }
        let threads = match THREADS.load(Ordering::Relaxed) {
            0 => std::thread::available_parallelism().map_or(1, usize::from),
            some => some,
        };
        let text = |e: &dyn std::fmt::Display| e.to_string();
        Session::builder(&self.environment)
            .map_err(|e| text(&e))?
            .with_optimization_level(GraphOptimizationLevel::All)
            .map_err(|e| text(&e))?
            .with_intra_threads(threads)
            .map_err(|e| text(&e))?
            // Tiles come in few shapes, but a plan of memory per shape would be kept for each of them.
            .with_memory_pattern(false)
            .map_err(|e| text(&e))?
            .commit_from_memory(bytes)
            .map_err(|e| text(&e))
    }
}

/// Whether a model's file says of some weights where else they lie: an entry "location" of a list of keys and values (onnx.proto,
/// TensorProto.external_data: StringStringEntryProto.key is field 1, a text of 8 bytes).
fn names_other_files(bytes: &[u8]) -> bool {
    memchr::memmem::find(bytes, b"\x0a\x08location\x12").is_some()
}

/// The library named by the variable, or the one in the nearest project folder above the program or the working folder.
fn find_library() -> Result<PathBuf, String> {
    if let Some(named) = std::env::var_os(LIBRARY_VARIABLE) {
        let path = PathBuf::from(named);
        return if path.is_file() {
            Ok(path)
        } else {
            Err(format!("{LIBRARY_VARIABLE} names {}, which is not a file", path.display()))
        };
    }
    let starts = [std::env::current_exe().ok(), std::env::current_dir().ok()];
    starts
        .iter()
        .flatten()
        .flat_map(|start| start.ancestors())
        .map(|folder| folder.join(LIBRARY_IN_PROJECT))
        .find(|path| path.is_file())
        .ok_or_else(|| {
            format!("{LIBRARY_IN_PROJECT} is not there: run ./start once, or name the library in {LIBRARY_VARIABLE}")
        })
}

/// A network in ONNX Runtime, which uses all cores for one tile: tiles are computed one after the other.
pub struct OnnxNetwork {
    id: String,
    factor: u32,
    halo: u32,
    multiple: u32,
    level: Option<LevelKind>,
    grain: bool,
    session: Mutex<Session>,
}

impl Network for OnnxNetwork {
    fn factor(&self) -> u32 {
        self.factor
    }

    fn halo(&self) -> u32 {
        self.halo
    }

    fn multiple(&self) -> u32 {
        self.multiple
    }

    fn level(&self) -> Option<LevelKind> {
        self.level
    }

    fn run_at(&self, input: &Planes, level: Option<&[f32]>, corner: Corner) -> Result<Planes, ModelError> {
        if let Some(full) = input.filled_up(self.multiple) {
            let level = level.map(|level| fill_up(level, input.size(), full.size()));
            let output = self.run_at(&full, level.as_deref(), corner)?;
            return Ok(output.into_part(input.size().times(self.factor).whole()));
        }
        let failed = |why: String| ModelError::Run { id: self.id.clone(), why };
        let Size { width, height } = input.size();
        let shape = |channels: usize| [1, channels, height as usize, width as usize];
        let tensor =
            |channels, values| TensorRef::from_array_view((shape(channels), values)).map_err(|e| failed(e.to_string()));
        let picture = tensor(3, input.values())?;
        let size = input.size().times(self.factor);
        let grain = self.grain.then(|| grain(corner.times(self.factor), size));
        let inputs = match (self.level, level, &grain) {
            (None, _, None) => ort::inputs!["input" => picture],
            (None, _, Some(grain)) => {
                let shape = [1, 1, size.height as usize, size.width as usize];
                let grain = TensorRef::from_array_view((shape, &grain[..])).map_err(|e| failed(e.to_string()))?;
                ort::inputs!["input" => picture, "grain" => grain]
            }
            (Some(_), Some(level), _) => ort::inputs!["input" => picture, "level" => tensor(1, level)?],
            (Some(kind), None, _) => return Err(failed(format!("it must be told the {kind:?} level"))),
        };
        // A panic elsewhere while the session was held leaves the session itself as it was.
        let mut session = self.session.lock().unwrap_or_else(|e| e.into_inner());
        let outputs = session.run(inputs).map_err(|e| failed(e.to_string()))?;
        let (shape, values) = outputs["output"].try_extract_tensor::<f32>().map_err(|e| failed(e.to_string()))?;
        if shape[..] != [1, 3, i64::from(size.height), i64::from(size.width)] {
            return Err(failed(format!("it answered {shape:?} where {size} was due")));
        }
        finite(values).map_err(failed)?;
        Ok(Planes::from_values(size, values.to_vec()))
    }
}
