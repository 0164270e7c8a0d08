//! The runtime that computes networks: ONNX Runtime, loaded from a shared library at start.

use std::path::{Path, PathBuf};
use std::sync::{Mutex, OnceLock};

use ort::environment::Environment;
use ort::session::Session;
use ort::session::builder::GraphOptimizationLevel;
use ort::value::TensorRef;

use super::{Card, ModelError};
use crate::hash::ContentHash;
use crate::picture::{Planes, Size};

/// Names the runtime's shared library, for another build of it (one for a GPU, say).
pub const LIBRARY_VARIABLE: &str = "DETTAGLIO_ONNXRUNTIME";

/// Where `start` and `check` put the library, relative to the project's folder.
const LIBRARY_IN_PROJECT: &str = "vendor/onnxruntime/libonnxruntime.so";

/// Something that turns a small picture into a larger one: the runtime, or anything that stands in for it.
pub trait Network: Send + Sync {
    /// Output side / input side.
    fn factor(&self) -> u32;
    /// Input pixels around a pixel that its value depends on.
    fn halo(&self) -> u32;
    /// Computes the whole of `input`; the result has `factor` times its sides.
    fn run(&self, input: &Planes) -> Result<Planes, ModelError>;
}

/// The loaded runtime. There is one per process.
#[derive(Clone, Debug)]
pub struct Engine {
    environment: Environment,
    library: PathBuf,
}

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

    /// The file that was loaded.
    pub fn library(&self) -> &Path {
        &self.library
    }

    /// A network from an ONNX file, checked against its card.
    pub fn open(&self, file: &Path, card: &Card) -> Result<OnnxNetwork, ModelError> {
        let bytes =
            std::fs::read(file).map_err(|e| ModelError::Unreadable { file: file.to_owned(), why: e.to_string() })?;
        if ContentHash::of(&bytes) != card.sha256 {
            return Err(ModelError::Altered { file: file.to_owned() });
        }
        let session = self.session(&bytes).map_err(|e| ModelError::Run { id: card.id.clone(), why: e })?;
        Ok(OnnxNetwork { id: card.id.clone(), factor: card.factor, halo: card.halo, session: Mutex::new(session) })
    }

    fn session(&self, bytes: &[u8]) -> Result<Session, String> {
        let threads = std::thread::available_parallelism().map_or(1, usize::from);
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
    session: Mutex<Session>,
}

impl Network for OnnxNetwork {
    fn factor(&self) -> u32 {
        self.factor
    }

    fn halo(&self) -> u32 {
        self.halo
    }

    fn run(&self, input: &Planes) -> Result<Planes, ModelError> {
        let failed = |why: String| ModelError::Run { id: self.id.clone(), why };
        let Size { width, height } = input.size();
        let shape = [1, 3, height as usize, width as usize];
        let tensor = TensorRef::from_array_view((shape, input.values())).map_err(|e| failed(e.to_string()))?;
        // A panic elsewhere while the session was held leaves the session itself as it was.
        let mut session = self.session.lock().unwrap_or_else(|e| e.into_inner());
        let outputs = session.run(ort::inputs!["input" => tensor]).map_err(|e| failed(e.to_string()))?;
        let (shape, values) = outputs["output"].try_extract_tensor::<f32>().map_err(|e| failed(e.to_string()))?;
        let size = input.size().times(self.factor);
        if shape[..] != [1, 3, i64::from(size.height), i64::from(size.width)] {
            return Err(failed(format!("it answered {shape:?} where {size} was due")));
        }
        Ok(Planes::from_values(size, values.to_vec()))
    }
}
