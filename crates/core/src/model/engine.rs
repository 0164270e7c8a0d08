//! The runtime that computes networks: ONNX Runtime, loaded from a shared library at start.

use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, OnceLock, RwLock};

use dettaglio_domain::device::{self, Device, DeviceKind, REFERENCE};
use dettaglio_domain::geometry::Size;
use dettaglio_domain::model::{Card, LevelKind};
use ort::environment::Environment;
use ort::memory::DeviceType;
use ort::session::builder::{GraphOptimizationLevel, SessionBuilder};
use ort::session::{Session, SessionInputValue};
use ort::value::TensorRef;
use rayon::prelude::*;

use super::answers::{Answers, Chosen, InReserve, Input, Take};
use super::error::ModelError;
use super::grain::grain;
use super::network::{Corner, Network, finite};
use crate::picture::{Planes, fill_up};
use crate::priority::give_way;

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

/// The runtime's own provider, by its name for it.
const OWN_PROVIDER: &str = "CPUExecutionProvider";

/// The device that networks are opened on; none for the runtime's own code.
static CHOSEN: RwLock<Option<Arc<Chosen>>> = RwLock::new(None);

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

    /// Computes with threads that [give way](give_way) from now on, and with so many of them rather than with one for each of the machine's:
    /// for several programs that share a machine. To be said before anything is computed; 0 counts as 1.
    pub fn give_way(threads: Option<usize>) {
        let count = threads.map_or(0, |count| count.max(1));
        THREADS.store(count, Ordering::Relaxed);
        // Once something was computed it is too late for this part, and the rest still holds.
        let _ = rayon::ThreadPoolBuilder::new().num_threads(count).start_handler(|_| give_way()).build_global();
    }

    /// The file that was loaded.
    pub fn library(&self) -> &Path {
        &self.library
    }

    /// Loads a plug-in of the runtime, which may bring devices with it.
    pub(super) fn register(&self, plugin: &Path) -> Result<(), String> {
        let name = plugin.file_stem().unwrap_or_default().to_string_lossy();
        let whole = plugin.canonicalize().map_err(|e| e.to_string())?;
        self.environment.register_ep_library(name, whole).map_err(|e| e.to_string())
    }

    /// The devices that plug-ins have brought, in the runtime's order.
    pub(super) fn devices(&self) -> Vec<Device> {
        self.reached().into_iter().map(|(device, _)| device).collect()
    }

    /// Devices with the runtime's own word for each.
    fn reached(&self) -> Vec<(Device, ort::device::Device<'_>)> {
        let mut named: Vec<(Device, ort::device::Device<'_>)> = Vec::new();
        for reached in self.environment.devices() {
            let Some(provider) = reached.ep().ok().filter(|provider| *provider != OWN_PROVIDER) else { continue };
            let hardware = reached.hardware_device();
            let kind = match hardware.ty() {
                DeviceType::GPU => DeviceKind::Graphics,
                DeviceType::NPU => DeviceKind::Neural,
                _ => DeviceKind::Processor,
            };
            let maker = hardware.vendor().unwrap_or_default().to_owned();
            let is_named = |name: &str| named.iter().any(|(device, _)| device.name == name);
            let name = (0..).map(|nth| device::name_of(provider, kind, nth)).find(|name| !is_named(name));
            named.extend(name.map(|name| (Device { name, kind, maker }, reached)));
        }
        named
    }

    /// Has networks that are opened from now on computed on a device, with the reference in reserve.
    ///
    /// # Errors
    ///
    /// In words, where its plug-in does not load any more, or does not bring it.
    pub(super) fn compute_on(&self, plugin: &Path, device: &Device) -> Result<(), String> {
        if !self.devices().contains(device) {
            self.register(plugin)?;
            if !self.devices().contains(device) {
                return Err(format!("{} does not bring {} any more", plugin.display(), device.name));
            }
        }
        Self::choose(Some(device));
        Ok(())
    }

    /// Has networks that are opened from now on computed by the runtime's own code.
    pub(super) fn compute_by_reference() {
        Self::choose(None);
    }

    fn choose(device: Option<&Device>) {
        let chosen = device.map(|device| Arc::new(Chosen::new(device.clone())));
        *CHOSEN.write().unwrap_or_else(|e| e.into_inner()) = chosen;
    }

    /// The device that was chosen; none for the runtime's own code.
    pub fn chosen() -> Option<Arc<Chosen>> {
        CHOSEN.read().unwrap_or_else(|e| e.into_inner()).clone()
    }

    /// The name of what computes networks now.
    pub fn device_name() -> String {
        Self::chosen().map_or(REFERENCE.to_owned(), |chosen| chosen.name().to_owned())
    }

    /// A session on the device that was chosen, which has one by the runtime's own code in reserve.
    fn answers(&self, bytes: &[u8]) -> Result<Box<dyn Answers>, String> {
        let Some(chosen) = Self::chosen().filter(|chosen| chosen.failure().is_none()) else {
            return Ok(Box::new(self.session(bytes)?));
        };
        // A network that the device cannot take is no failure of the device: the next may well run.
        let Ok(first) = self.session_on(bytes, chosen.device()) else { return Ok(Box::new(self.session(bytes)?)) };
        let (engine, bytes) = (self.clone(), bytes.to_vec());
        let open = move || engine.session(&bytes).map(|session| Box::new(session) as Box<dyn Answers>);
        Ok(Box::new(InReserve::new(chosen, Box::new(first), Box::new(open))))
    }

    /// A shipped network out of the bytes of its ONNX file, as its card describes it.
    pub(super) fn shipped(&self, bytes: &[u8], card: &Card) -> Result<Arc<dyn Network>, ModelError> {
        let failed = |why: String| ModelError::Run { id: card.id.clone(), why };
        let session = self.answers(bytes).map_err(failed)?;
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
        self.builder(threads())?.commit_from_memory(bytes).map_err(|e| e.to_string())
    }

    /// A session on a device; what the device cannot do of the network is done by the runtime's own code.
    pub(super) fn session_on(&self, bytes: &[u8], device: &Device) -> Result<Session, String> {
        let reached = self.reached().into_iter().filter(|(reached, _)| reached == device).map(|(_, reached)| reached);
        let on = self.builder(threads())?.with_devices(reached, None).map_err(|e| e.to_string())?;
        { on }.commit_from_memory(bytes).map_err(|e| e.to_string())
    }

    fn builder(&self, threads: usize) -> Result<SessionBuilder, String> {
        let text = |e: &dyn std::fmt::Display| e.to_string();
        Session::builder(&self.environment)
            .map_err(|e| text(&e))?
            .with_optimization_level(GraphOptimizationLevel::All)
            .map_err(|e| text(&e))?
            .with_intra_threads(threads)
            .map_err(|e| text(&e))?
            // Tiles come in few shapes, but a plan of memory per shape would be kept for each of them.
            .with_memory_pattern(false)
            .map_err(|e| text(&e))
    }
}

/// How many threads a network is computed with.
fn threads() -> usize {
    match THREADS.load(Ordering::Relaxed) {
        0 => std::thread::available_parallelism().map_or(1, usize::from),
        some => some,
    }
}

impl Answers for Session {
    fn answer(&mut self, inputs: &[Input<'_>], take: &mut Take<'_>) -> Result<(), String> {
        let text = |e: ort::Error| e.to_string();
        let mut tensors: Vec<(&str, SessionInputValue<'_>)> = Vec::with_capacity(inputs.len());
        for (name, shape, values) in inputs {
            tensors.push((name, TensorRef::from_array_view((*shape, *values)).map_err(text)?.into()));
        }
        let outputs = self.run(tensors).map_err(text)?;
        let (shape, values) = outputs["output"].try_extract_tensor::<f32>().map_err(text)?;
        take(shape, values)
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
    session: Mutex<Box<dyn Answers>>,
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
        let size = input.size().times(self.factor);
        let grain = self.grain.then(|| grain(corner.times(self.factor), size));
        let mut inputs: Vec<Input<'_>> = vec![("input", shape(3), input.values())];
        match (self.level, level, &grain) {
            (None, _, None) => {}
            (None, _, Some(grain)) => inputs.push(("grain", [1, 1, size.height as usize, size.width as usize], grain)),
            (Some(_), Some(level), _) => inputs.push(("level", shape(1), level)),
            (Some(kind), None, _) => return Err(failed(format!("it must be told the {kind:?} level"))),
        }
        let is = |shape: &[i64], planes: u32, of: Size| {
            *shape == [1, i64::from(planes), i64::from(of.height), i64::from(of.width)]
        };
        let mut answer = Vec::new();
        // A panic elsewhere while the session was held leaves the session itself as it was.
        let mut session = self.session.lock().unwrap_or_else(|e| e.into_inner());
        let taken = session.answer(&inputs, &mut |shape, values| {
            let direct = is(shape, 3, size);
            if !direct && !is(shape, 3 * self.factor * self.factor, input.size()) {
                return Err(format!("it answered {shape:?} where {size} was due"));
            }
            finite(values)?;
            answer = if direct { values.to_vec() } else { spread(values, input.size(), self.factor) };
            Ok(())
        });
        taken.map_err(failed)?;
        Ok(Planes::from_values(size, answer))
    }
}

/// Planes of which every `factor` * `factor` hold the pixels of a cell of one colour, from left to right and from above, as planes of the colours; `cells`
/// is how many cells there are.
///
/// It is what a network's last step would do, on the way out of the runtime, where its numbers are copied anyway.
fn spread(values: &[f32], cells: Size, factor: u32) -> Vec<f32> {
    let (width, height, factor) = (cells.width as usize, cells.height as usize, factor as usize);
    let mut out = vec![0.0; values.len()];
    out.par_chunks_mut(width * factor).enumerate().for_each(|(row, out)| {
        // Rows of all colours follow each other.
        let (colour, row) = (row / (height * factor), row % (height * factor));
        let (cell, down) = (row / factor, row % factor);
        for across in 0..factor {
            let plane = (colour * factor + down) * factor + across;
            let from = &values[(plane * height + cell) * width..][..width];
            out[across..].iter_mut().step_by(factor).zip(from).for_each(|(out, value)| *out = *value);
        }
    });
    out
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case(Size::new(3, 2), 2)]
    #[case(Size::new(1, 5), 4)]
    #[case(Size::new(7, 1), 3)]
    fn the_pixels_of_a_cell_are_laid_side_by_side(#[case] cells: Size, #[case] factor: u32) {
        // Every number says where it is to go: colour, row and column of the result.
        let place = |plane: u32, x: u32, y: u32| {
            let (colour, phase) = (plane / (factor * factor), plane % (factor * factor));
            (colour * 10_000 + (y * factor + phase / factor) * 100 + x * factor + phase % factor) as f32
        };
        let planes = 0..3 * factor * factor;
        let row = |plane, y| (0..cells.width).map(move |x| place(plane, x, y));
        let given: Vec<f32> = planes.flat_map(|plane| (0..cells.height).flat_map(move |y| row(plane, y))).collect();
        let size = cells.times(factor);
        let due = (0..3).flat_map(|colour| {
            (0..size.height).flat_map(move |y| (0..size.width).map(move |x| (colour * 10_000 + y * 100 + x) as f32))
        });
        assert_eq!(spread(&given, cells, factor), due.collect::<Vec<f32>>());
    }
}
