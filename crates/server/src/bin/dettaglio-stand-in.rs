//! Stand-ins for what a print room has outside: a scanner, a shop, a printer. Nothing in them is real but how they behave.
//!
//! `scanner` drops pictures into an order's folder, one by one and piece by piece, as a scanner does.
//! `shop` serves a feed of orders with their pictures.
//! `printer` takes results into its queue, checks size, profile and resolution, refuses or prints.

use std::collections::HashMap;
use std::net::Ipv4Addr;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use anyhow::Context;
use axum::extract::{DefaultBodyLimit, Multipart, Path as Address, State};
use axum::http::StatusCode;
use axum::response::IntoResponse;
use axum::routing::{get, post};
use axum::{Json, Router};
use clap::Parser;
use dettaglio_core::codec::read;
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::limits::Limits;
use serde_json::{Value, json};
use tokio::io::AsyncWriteExt;

/// Stand-ins for devices and services outside.
#[derive(Parser)]
#[command(name = "dettaglio-stand-in", version)]
enum Cli {
    /// Drop pictures into the folder of an order, one after the other.
    Scanner {
        /// The order's folder, such as .dettaglio/inbox/1.
        #[arg(long)]
        into: PathBuf,
        /// Seconds between two scans.
        #[arg(long, default_value_t = 3.0)]
        every: f64,
        /// The pictures.
        pictures: Vec<PathBuf>,
    },
    /// Serve a feed of orders.
    Shop(Served),
    /// Serve a printer's queue.
    Printer(Served),
}

#[derive(clap::Args)]
struct Served {
    /// Port on 127.0.0.1; 0 for any that is free.
    #[arg(long, default_value_t = 0)]
    port: u16,
    /// The shop's pictures.
    #[arg(long, default_value = "demo/pictures")]
    pictures: PathBuf,
    /// The longest side that the printer prints, in mm.
    #[arg(long, default_value_t = 1200.0)]
    longest_mm: f64,
    /// Seconds that a print takes.
    #[arg(long, default_value_t = 5.0)]
    seconds: f64,
}

#[tokio::main]
async fn main() -> anyhow::Result<()> {
    match Cli::parse() {
        Cli::Scanner { into, every, pictures } => scan(&into, Duration::from_secs_f64(every), &pictures).await,
        Cli::Shop(served) => {
            let routes = shop(&served.pictures)?;
            serve(served.port, "orders.json", routes).await
        }
        Cli::Printer(served) => serve(served.port, "", printer(&served)).await,
    }
}

async fn serve(port: u16, path: &str, routes: Router) -> anyhow::Result<()> {
    let listener = tokio::net::TcpListener::bind((Ipv4Addr::LOCALHOST, port)).await?;
    println!("http://{}/{path}", listener.local_addr()?);
    axum::serve(listener, routes).await?;
    Ok(())
}

/// A scanner writes a file while it scans: in pieces, with pauses.
async fn scan(into: &Path, every: Duration, pictures: &[PathBuf]) -> anyhow::Result<()> {
    const PIECES: usize = 4;
    tokio::fs::create_dir_all(into).await?;
    for picture in pictures {
        let bytes = tokio::fs::read(picture).await.with_context(|| picture.display().to_string())?;
        let name = picture.file_name().context("a picture has a name")?;
        let mut file = tokio::fs::File::create(into.join(name)).await?;
        for piece in bytes.chunks(bytes.len().div_ceil(PIECES).max(1)) {
            file.write_all(piece).await?;
            file.flush().await?;
            tokio::time::sleep(every / 8).await;
        }
        println!("{}", into.join(name).display());
        tokio::time::sleep(every).await;
    }
    Ok(())
}

/// Two orders with what is in the folder.
fn shop(pictures: &Path) -> anyhow::Result<Router> {
    let mut names: Vec<String> = std::fs::read_dir(pictures)
        .with_context(|| pictures.display().to_string())?
        .filter_map(|entry| entry.ok()?.file_name().into_string().ok())
        .filter(|name| !name.starts_with('.'))
        .collect();
    names.sort();
    let picture = |name: &String| json!({ "name": name, "address": format!("pictures/{name}") });
    let (first, second) = names.split_at(names.len().min(2));
    let order = |reference: &str, title: &str, print: &str, ppi: f64, names: &[String]| {
        json!({
            "reference": reference, "title": title, "client": "Sette Nodi, woven blankets", "print": print, "ppi": ppi,
            "notes": "from the shop's feed", "pictures": names.iter().map(picture).collect::<Vec<_>>(),
        })
    };
    let orders = json!([
        order("SN-2041", "Blanket, harbour and hall", "150x100cm", 60.0, first),
        order("SN-2042", "Wall hanging", "60x40cm", 120.0, &second[..second.len().min(1)]),
    ]);
    let folder = tower_http::services::ServeDir::new(pictures);
    Ok(Router::new().route("/orders.json", get(move || async move { Json(orders) })).nest_service("/pictures", folder))
}

/// What is in the printer's queue: until when it prints.
type Queue = Arc<Mutex<HashMap<String, Instant>>>;

#[derive(Clone)]
struct Printer {
    queue: Queue,
    longest_mm: f64,
    seconds: f64,
}

fn printer(served: &Served) -> Router {
    let printer = Printer { queue: Queue::default(), longest_mm: served.longest_mm, seconds: served.seconds };
    Router::new()
        .route("/queue", post(take))
        .route("/queue/{job}", get(state))
        .layer(DefaultBodyLimit::disable())
        .with_state(printer)
}

fn refused(reason: impl ToString) -> Json<Value> {
    Json(json!({ "state": "refused", "reason": reason.to_string() }))
}

async fn take(State(printer): State<Printer>, mut form: Multipart) -> impl IntoResponse {
    let (mut ppi, mut profile, mut file) = (String::new(), String::new(), Vec::new());
    while let Ok(Some(field)) = form.next_field().await {
        match field.name().unwrap_or_default() {
            "ppi" => ppi = field.text().await.unwrap_or_default(),
            "profile" => profile = field.text().await.unwrap_or_default(),
            "file" => file = field.bytes().await.unwrap_or_default().to_vec(),
            _ => {}
        }
    }
    let checked = tokio::task::spawn_blocking(move || check(&file, &ppi, &profile, printer.longest_mm)).await;
    match checked.unwrap_or_else(|error| Err(error.to_string())) {
        Err(reason) => refused(reason),
        Ok(words) => {
            let mut queue = printer.queue.lock().unwrap_or_else(|e| e.into_inner());
            let job = format!("P{}", queue.len() + 1);
            queue.insert(job.clone(), Instant::now() + Duration::from_secs_f64(printer.seconds));
            Json(json!({ "job": job, "state": "accepted", "reason": words }))
        }
    }
}

/// What the printer looks at before it takes a file.
fn check(file: &[u8], ppi: &str, profile: &str, longest_mm: f64) -> Result<String, String> {
    let folder = tempfile::tempdir().map_err(|e| e.to_string())?;
    let path = folder.path().join("file");
    std::fs::write(&path, file).map_err(|e| e.to_string())?;
    let facts = read(&path, ContentHash::of(file), &Limits::default())
        .map_err(|error| format!("the file cannot be read: {error}"))?
        .facts;
    let ppi: f64 = ppi.parse().map_err(|_| "the file states no resolution: how large is it to be?".to_owned())?;
    if !(50.0..=720.0).contains(&ppi) {
        return Err(format!("{ppi:.0} ppi: between 50 and 720 are printed"));
    }
    let mm = f64::from(facts.size.long_edge()) / ppi * 25.4;
    if mm > longest_mm {
        return Err(format!("{:.0} cm are longer than the roll is wide ({:.0} cm)", mm / 10.0, longest_mm / 10.0));
    }
    const KNOWN: [&str; 5] = ["", "srgb", "display p3", "oprgb", "romm"];
    let embedded = facts.profile.unwrap_or_else(|| profile.to_owned()).to_lowercase();
    if !KNOWN.iter().any(|known| if known.is_empty() { embedded.is_empty() } else { embedded.contains(known) }) {
        return Err(format!("no ink is profiled for \"{embedded}\": convert to sRGB"));
    }
    Ok(format!("{:.0} mm long", mm))
}

async fn state(State(printer): State<Printer>, Address(job): Address<String>) -> impl IntoResponse {
    let queue = printer.queue.lock().unwrap_or_else(|e| e.into_inner());
    match queue.get(&job) {
        None => StatusCode::NOT_FOUND.into_response(),
        Some(until) if Instant::now() < *until => {
            Json(json!({ "job": job, "state": "accepted", "reason": "in the queue" })).into_response()
        }
        Some(_) => Json(json!({ "job": job, "state": "printed", "reason": "on paper" })).into_response(),
    }
}
