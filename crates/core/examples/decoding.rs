//! What it costs to read a file in a process apart: `decoding PROGRAM FILE...`, where PROGRAM is `target/release/dettaglio`.
//!
//! Both ways in turn, seven times each; the middle one counts. The first reading apart, which starts the process, stands by itself.

use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use dettaglio_core::codec::{self, Decoders, DecodingMemory};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;

const TIMES: usize = 7;

const MEMORY: DecodingMemory = DecodingMemory { decoding: 16 << 30, open: 16 << 30 };

type Result<T> = std::result::Result<T, Box<dyn std::error::Error>>;

fn timed<T>(work: impl FnOnce() -> Result<T>) -> Result<Duration> {
    let began = Instant::now();
    work()?;
    Ok(began.elapsed())
}

fn middle(mut times: Vec<Duration>) -> f64 {
    times.sort();
    times[times.len() / 2].as_secs_f64() * 1000.0
}

fn main() -> Result<()> {
    let mut arguments = std::env::args_os().skip(1).map(PathBuf::from);
    let program = arguments.next().ok_or("which program? target/release/dettaglio")?;
    println!(
        "| file | size | here, ms | apart, ms | more, ms | ratio | the first apart, ms |\n|---|---|--:|--:|--:|--:|--:|"
    );
    for file in arguments {
        let hash = ContentHash::of_file(&file)?;
        let decoders = Decoders::new(&program, MEMORY, Limits::default());
        let here = |path: &Path| timed(|| Ok(codec::read(path, hash, &Limits::default())?));
        let apart = |path: &Path| timed(|| Ok(decoders.read(path, hash, &|_| {})?));
        let first = middle(vec![apart(&file)?]);
        let (mut times_here, mut times_apart) = (Vec::new(), Vec::new());
        for _ in 0..TIMES {
            times_here.push(here(&file)?);
            times_apart.push(apart(&file)?);
        }
        let size = codec::read(&file, hash, &Limits::default())?.original.size();
        let (here, apart) = (middle(times_here), middle(times_apart));
        let name = file.file_name().unwrap_or_default().display();
        println!(
            "| {name} | {size} | {here:.1} | {apart:.1} | {:.1} | {:.2} | {first:.1} |",
            apart - here,
            apart / here
        );
    }
    Ok(())
}
