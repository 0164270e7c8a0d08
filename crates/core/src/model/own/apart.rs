//! A person's own model, run in a process apart: one that loops, takes too much memory or aborts at a size that its trial did not
//! show costs the picture that it was asked for, and nothing else.

use std::fs::File;
use std::io::{self, Write};
use std::os::fd::AsFd;
use std::os::unix::net::UnixStream;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, Once, Weak};
use std::time::{Duration, Instant};

use dettaglio_domain::model::Element;
use serde::{Deserialize, Serialize};

use super::foreign::{OnnxRaw, Raw};
use super::trial::MEMORY;
use crate::apart::{Confined, Helper, allow_memory, wire};
use crate::model::engine::Engine;

/// The hidden command with which a program runs itself as a runner of models.
pub(crate) const RUN_COMMAND: &str = "run-apart";

/// Seconds of computing in a runner's whole life; one that outlives its parent in a loop ends by this.
const SECONDS: u64 = 24 * 3600;

/// A runner that has had nothing to do for so long is ended, and its memory is free again.
const IDLE: Duration = Duration::from_secs(120);

/// How long the file may take to be opened.
const OPENING: Duration = Duration::from_secs(120);

/// Bytes of the largest answer: a block of 2304 x 512 px at eight times its size.
const LARGEST_ANSWER: usize = 2304 * 512 * 64 * 3 * 4;

/// What is to be run; the file's descriptor goes before it.
#[derive(Debug, Serialize, Deserialize)]
struct Opening {
    element: Element,
}

/// A picture; its values follow.
#[derive(Debug, Serialize, Deserialize)]
struct Asked {
    shape: [usize; 4],
}

/// The shape of the answer, whose values follow, or the runtime's words.
type Answered = Result<Vec<i64>, String>;

/// A model that is run by a helper, which is started when it is first needed and ended when it has long not been.
pub struct RawApart(Arc<Shared>);

struct Shared {
    program: PathBuf,
    file: PathBuf,
    element: Element,
    limit: Duration,
    runner: Mutex<Option<Runner>>,
}

struct Runner {
    helper: Helper,
    used: Instant,
}

impl RawApart {
    /// The model of a file that its trial found sound; a run that takes longer than `limit` is ended.
    pub fn new(program: &Path, file: &Path, element: Element, limit: Duration) -> Self {
        let shared = Arc::new(Shared {
            program: program.to_owned(),
            file: file.to_owned(),
            element,
            limit,
            runner: Mutex::new(None),
        });
        watch(&shared);
        Self(shared)
    }
}

impl Raw for RawApart {
    fn run(&self, shape: [usize; 4], values: &[f32]) -> Result<(Vec<i64>, Vec<f32>), String> {
        let shared = &*self.0;
        let mut held = lock(&shared.runner);
        let mut runner = match held.take().filter(|runner| runner.helper.is_alive()) {
            Some(runner) => runner,
            None => shared.start().map_err(|e| format!("its process could not be started: {e}"))?,
        };
        match ask(&mut runner.helper.socket, shape, values, shared.limit) {
            Ok(answer) => {
                runner.used = Instant::now();
                *held = Some(runner);
                answer
            }
            Err(why) => Err(format!("its process was brought down: {}", runner.helper.end_of(&why))),
        }
    }
}

impl Shared {
    fn start(&self) -> io::Result<Runner> {
        let file = File::open(&self.file)?;
        let mut helper = Helper::start(&self.program, RUN_COMMAND)?;
        wire::send_file(&helper.socket, &file)?;
        wire::send(&mut helper.socket, &Opening { element: self.element })?;
        helper.socket.set_read_timeout(Some(OPENING))?;
        let opened: Result<(), String> = wire::receive(&mut helper.socket)?;
        opened.map_err(io::Error::other)?;
        Ok(Runner { helper, used: Instant::now() })
    }
}

type Run = Result<(Vec<i64>, Vec<f32>), String>;

/// The outer error is the conversation's: the runner is of no more use.
fn ask(socket: &mut UnixStream, shape: [usize; 4], values: &[f32], limit: Duration) -> io::Result<Run> {
    socket.set_read_timeout(Some(limit))?;
    wire::send(socket, &Asked { shape })?;
    wire::send_numbers(socket, values)?;
    let answered: Answered = wire::receive(socket)?;
    match answered {
        Err(why) => Ok(Err(why)),
        Ok(shape) => {
            let values = wire::receive_numbers(socket, LARGEST_ANSWER / 4)?;
            Ok(Ok((shape, values)))
        }
    }
}

fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(|e| e.into_inner())
}

/// Sees to it that an idle runner is ended.
fn watch(shared: &Arc<Shared>) {
    static WATCHED: Mutex<Vec<Weak<Shared>>> = Mutex::new(Vec::new());
    static WATCHING: Once = Once::new();
    lock(&WATCHED).push(Arc::downgrade(shared));
    WATCHING.call_once(|| {
        std::thread::spawn(|| {
            loop {
                std::thread::sleep(IDLE / 4);
                lock(&WATCHED).retain(|weak| weak.upgrade().is_some_and(|shared| end_idle(&shared)));
            }
        });
    });
}

/// Ends a runner that is idle; answers true, as its model is still there.
fn end_idle(shared: &Shared) -> bool {
    // One that is in use is not idle.
    if let Ok(mut runner) = shared.runner.try_lock() {
        runner.take_if(|runner| runner.used.elapsed() > IDLE);
    }
    true
}

/// The runner's side: answers a parent on the standard input until that ends.
pub(crate) fn serve() -> io::Result<()> {
    let mut socket = UnixStream::from(io::stdin().as_fd().try_clone_to_owned()?);
    let engine = Engine::load();
    socket.write_all(&[1])?;
    let Some(mut file) = wire::receive_file(&socket)? else { return Ok(()) };
    let Opening { element } = wire::receive(&mut socket)?;
    let mut bytes = Vec::new();
    io::Read::read_to_end(&mut file, &mut bytes)?;
    // The runtime reads what it needs of the system while it opens the file; afterwards nothing more is opened.
    let opened = engine
        .map_err(|e| e.to_string())
        .and_then(|engine| engine.session(&bytes))
        .and_then(|session| OnnxRaw::new(session, element, Duration::MAX).map_err(|e| e.to_string()));
    let raw = match opened {
        Ok(raw) => raw,
        Err(why) => return wire::send(&mut socket, &Err::<(), _>(why)),
    };
    let mut confined = Confined::new(SECONDS);
    allow_memory(confined.memory_in_use() + MEMORY + MEMORY / 3);
    wire::send(&mut socket, &Ok::<_, String>(()))?;
    loop {
        let Asked { shape } = wire::receive(&mut socket)?;
        let values = wire::receive_numbers(&mut socket, shape.iter().product())?;
        match raw.run(shape, &values) {
            Ok((shape, values)) => {
                wire::send(&mut socket, &Answered::Ok(shape))?;
                wire::send_numbers(&mut socket, &values)?;
            }
            Err(why) => wire::send(&mut socket, &Answered::Err(why))?,
        }
    }
}
