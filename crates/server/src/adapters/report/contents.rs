//! The report of an order: what was done to each picture, what was measured on it, and what it looks like at its spots.

use std::collections::HashMap;
use std::sync::Arc;

use chrono::{DateTime, Utc};
use dettaglio_core::picture::Planes;
use dettaglio_core::render::Unhurried;
use dettaglio_core::spots;
use dettaglio_domain::affine::space::Sheet;
use dettaglio_domain::frame::FrameError;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::id::OriginalId;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::size::{Target, sharp_from_m};
use dettaglio_domain::spot::Spot;
use dettaglio_domain::treatment::{Treatment, TreatmentError};
use dettaglio_store::enlargements::{Approval, Enlargement};
use dettaglio_store::orders::{Order, OriginalRow};

use crate::app::App;
use crate::app::faces::faces_of;
use crate::compute::rehearsals::Kept;
use crate::compute::studio::Lane;
use crate::problem::Problem;

/// How many spots of a picture are shown.
const SPOTS: usize = 3;

/// Pixels of a result that are shown at a spot.
const CUT: Size = Size::new(300, 200);

/// All that a report tells.
pub struct Report {
    /// The order.
    pub order: Order,
    /// Result by result.
    pub entries: Vec<Entry>,
    /// When it was made.
    pub made_at: DateTime<Utc>,
}

/// One result.
pub struct Entry {
    /// Name of the original's file.
    pub original: String,
    /// Its pixels.
    pub original_size: Size,
    /// Name of the result's file.
    pub file_name: String,
    /// Its pixels.
    pub size: Size,
    /// Its bytes.
    pub bytes: u64,
    /// Its format and resolution, in words.
    pub format: String,
    /// What was done, in words.
    pub treatment: String,
    /// The treatment's hash.
    pub treatment_hash: String,
    /// What was measured on the original, and what a rehearsal came to, in words.
    pub reading: Vec<String>,
    /// What the print is worth, in words.
    pub verdict: String,
    /// What the person who looked it through said.
    pub opinion: String,
    /// Seconds that it took.
    pub seconds: f64,
    /// Before and after, at each spot.
    pub cuts: Vec<Cut>,
}

/// A spot before and after, at the print's scale.
pub struct Cut {
    /// What the person calls the spot.
    pub name: String,
    /// The original by plain bicubic resampling.
    pub before: Planes,
    /// The result's own pixels.
    pub after: Planes,
}

impl Report {
    /// The report on some results of an order.
    pub async fn of(app: &App, order: Order, results: &[Enlargement]) -> Result<Self, Problem> {
        let rows: HashMap<OriginalId, OriginalRow> =
            app.store.originals(order.id).await?.into_iter().map(|row| (row.id, row)).collect();
        let mut entries = Vec::with_capacity(results.len());
        for result in results {
            let Some(row) = rows.get(&result.original_id) else { continue };
            entries.push(entry(app, row, result).await?);
        }
        Ok(Self { order, entries, made_at: Utc::now() })
    }
}

async fn entry(app: &App, row: &OriginalRow, result: &Enlargement) -> Result<Entry, Problem> {
    let record = &result.record;
    let settings = record.settings;
    let ppi = settings.ppi.map_or_else(|| "no resolution stated".to_owned(), |ppi| format!("{ppi:.0} ppi"));
    let treatment = app.studio.treatment(record.treatment_hash).await?;
    let rehearsed = app.store.rehearsal::<Kept>(row.id).await?.and_then(|kept| kept.standing.in_words());
    let reading = row.reading.as_ref().map(|reading| reading.conclusion()).unwrap_or_default();
    Ok(Entry {
        original: record.original.clone(),
        original_size: record.original_size,
        file_name: result.file_name.clone(),
        size: record.size,
        bytes: result.bytes,
        format: format!("{} {}-bit, {ppi}", settings.format, settings.depth.bits()),
        treatment: record.treatment.clone(),
        treatment_hash: record.treatment_hash.to_string(),
        reading: reading.into_iter().chain(rehearsed).collect(),
        verdict: verdict(row, &treatment, settings.ppi),
        opinion: match result.verdict {
            None => "not looked through yet".to_owned(),
            Some(Approval::Accepted) => "accepted".to_owned(),
            Some(Approval::SentBack) => format!("sent back: {}", result.note),
        },
        seconds: record.seconds,
        cuts: cuts(app, row, result, &treatment).await?,
    })
}

/// What the print is worth, by the detail that was measured in the original.
fn verdict(row: &OriginalRow, treatment: &Treatment, ppi: Option<f64>) -> String {
    let (Some(ppi), Some(reading)) = (ppi, &row.reading) else {
        return "No print size was stated.".to_owned();
    };
    let Ok(kept) = treatment.frame.size(row.facts.size) else { return String::new() };
    let own = ppi * f64::from(kept.width) / f64::from(treatment.size.width);
    let detail = reading.detail_ppi(own);
    let from = sharp_from_m(detail);
    format!("Its real detail gives {detail:.0} ppi on the print, which is crisp from {from:.1} m on.")
}

/// Where a spot of the original lies on a result's sheet, in its pixels; nothing when the crop left it out.
pub fn on_sheet(spot: &Spot, original: Size, treatment: &Treatment) -> Result<Option<(u32, u32)>, FrameError> {
    let kept = treatment.frame.size(original)?;
    let (x, y) = treatment.frame.to_kept(original)?.at(f64::from(spot.x), f64::from(spot.y));
    let scale = f64::from(treatment.size.width) / f64::from(kept.width);
    let inside = (0.0..f64::from(kept.width)).contains(&x) && (0.0..f64::from(kept.height)).contains(&y);
    let place = treatment.place();
    Ok(inside.then(|| (place.x + (x * scale) as u32, place.y + (y * scale) as u32)))
}

/// The spots of an original: those that were set, or else those that its pixels suggest.
pub async fn spots_of(app: &App, row: &OriginalRow) -> Result<Vec<Spot>, Problem> {
    match app.store.spots(row.id).await? {
        Some(spots) => Ok(spots),
        None => {
            let original = app.studio.original(row.hash).await?;
            let faces = faces_of(app, row).await?;
            app.studio.view(Lane::Plain, move |_, _| spots::suggest(&original, &faces)).await
        }
    }
}

/// A part of the sheet around a point, as large as asked for where the sheet is.
fn around((x, y): (u32, u32), cut: Size, sheet: Size) -> Region<Sheet> {
    let (width, height) = (cut.width.min(sheet.width), cut.height.min(sheet.height));
    let corner = |at: u32, side: u32, whole: u32| at.saturating_sub(side / 2).min(whole - side);
    Region::of(corner(x, width, sheet.width), corner(y, height, sheet.height), width, height)
}

async fn cuts(
    app: &App,
    row: &OriginalRow,
    result: &Enlargement,
    treatment: &Arc<Treatment>,
) -> Result<Vec<Cut>, Problem> {
    let original = app.studio.original(row.hash).await?;
    let file = app.studio.enlargement(&result.file_key).await?;
    let mut cuts = Vec::new();
    for spot in spots_of(app, row).await?.into_iter() {
        let at = on_sheet(&spot, row.facts.size, treatment).map_err(TreatmentError::from)?;
        let Some(at) = at.filter(|_| cuts.len() < SPOTS) else { continue };
        let part = around(at, CUT, treatment.sheet());
        let (original, file, plain) = (Arc::clone(&original), Arc::clone(&file), treatment.untreated(Kernel::Bicubic));
        let cut = app
            .studio
            .view(Lane::Plain, move |studio, _| {
                let before = studio.renderer().render(&original, &plain, part, &Unhurried)?;
                let as_it_is = Treatment::plain(Kernel::Nearest, file.size());
                let after = studio.renderer().render(&file, &as_it_is, part, &Unhurried)?;
                Ok::<_, dettaglio_core::render::RenderError>((original.to_srgb(before), file.to_srgb(after)))
            })
            .await??;
        cuts.push(Cut { name: spot.name, before: cut.0, after: cut.1 });
    }
    Ok(cuts)
}

/// A print in words.
pub fn print_words(target: &Target) -> String {
    match target {
        Target::Print { paper, ppi } => format!("{paper} at {ppi:.0} ppi"),
        Target::Factor { factor } => format!("{factor} times"),
        Target::Percent { percent } => format!("{percent} %"),
        Target::Width { px } => format!("{px} px wide"),
        Target::Height { px } => format!("{px} px high"),
        Target::LongEdge { px } => format!("long edge {px} px"),
        Target::ShortEdge { px } => format!("short edge {px} px"),
    }
}

/// "1 result", "12 results".
pub fn results(count: usize) -> String {
    if count == 1 { "1 result".to_owned() } else { format!("{count} results") }
}

/// A number of bytes for people.
pub fn bytes(count: u64) -> String {
    match count {
        0..1_000_000 => format!("{:.0} kB", count as f64 / 1e3),
        1_000_000..1_000_000_000 => format!("{:.1} MB", count as f64 / 1e6),
        _ => format!("{:.2} GB", count as f64 / 1e9),
    }
}
