//! One learned pass over a whole picture, computed tile by tile on demand.
//!
//! A tile is a cell of a fixed grid over the pass's input. The network runs on blocks of missing tiles
//! together with their halo, cut off at the picture's edges, where the network pads as it would for the
//! whole picture. Small tiles keep a view quick to fill; large blocks keep the halo cheap: with a halo of
//! 10, a lone 128 px tile computes 34 % more than it keeps, a block of 2048 x 256 px 9 %.

use std::sync::Arc;

use dettaglio_domain::affine::space::Kept;
use dettaglio_domain::clean::Conditioning;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::model::ModelRef;
use rayon::prelude::*;

use super::cache::{Tile, TileCache, TileKey};
use super::disk::DiskTiles;
use super::pace::{Cancelled, Pace, RenderError};
use crate::clean::conditioning_map;
use crate::enlarge::Source;
use crate::frame::Framed;
use crate::model::{Corner, Network};
use crate::picture::Planes;

/// Side of a tile in pixels of the pass's input.
pub const TILE: u32 = 128;

/// Tiles from top to bottom in the largest block that is computed at once.
pub const BLOCK_ROWS: u32 = 2;

/// Pixels around a block from which on it is cut more like a square: with a halo of 112, 2048 x 256 px compute 2.1 times what they keep,
/// 1024 x 768 px 1.6 times, in the same memory.
const WIDE_HALO: u32 = 64;

/// Tiles from top to bottom in such a block, and at most from left to right.
pub const WIDE_BLOCK: (u32, u32) = (6, 8);

/// Rows and columns of tiles in the largest block that a network is given at once, with `halo` pixels around it.
pub fn largest_block(network: &dyn Network, halo: u32) -> (u32, u32) {
    let columns = network.block_columns();
    if halo < WIDE_HALO { (BLOCK_ROWS, columns) } else { (WIDE_BLOCK.0, columns.min(WIDE_BLOCK.1)) }
}

/// Where a pass takes its pixels from.
pub enum Below<'a> {
    /// The first pass: the original in its frame.
    Framed(&'a Framed<'a>),
    /// A later pass: the one before.
    Level(Box<Level<'a>>),
    /// Something that is no pass itself.
    Step(Box<dyn Step + 'a>),
}

/// A step between the framed original and the learned passes.
pub trait Step: Send + Sync {
    /// Width and height.
    fn size(&self) -> Size;
    /// Names the pixels.
    fn hash(&self) -> ContentHash;
    /// A region of it; the same whatever region is asked for.
    fn region(&self, region: Region<Kept>, pace: &dyn Pace) -> Result<Planes, RenderError>;
}

/// Which pixels of a picture are marked.
pub trait Marking: Send + Sync {
    /// Names the marks.
    fn hash(&self) -> ContentHash;
    /// 1 where a pixel of a region is marked and 0 elsewhere, row by row; the same whatever region is asked for.
    fn marks(&self, region: Region<Kept>, pace: &dyn Pace) -> Result<Vec<f32>, RenderError>;
}

/// What a network is given for each pixel beside the picture: its second input.
#[derive(Clone)]
pub enum SideInput<'a> {
    /// How much damage there is.
    Conditioning(Conditioning),
    /// Whether it is marked.
    Marks(Arc<dyn Marking + 'a>),
}

impl SideInput<'_> {
    /// Pixels around a pixel that its value of the second input is computed from.
    fn reach(&self) -> u32 {
        match self {
            SideInput::Conditioning(conditioning) => conditioning.reach(),
            SideInput::Marks(_) => 0,
        }
    }
}

impl Below<'_> {
    /// Width and height.
    pub fn size(&self) -> Size {
        match self {
            Below::Framed(framed) => framed.size(),
            Below::Level(level) => level.size(),
            Below::Step(step) => step.size(),
        }
    }

    /// Names the pixels.
    pub fn hash(&self) -> ContentHash {
        match self {
            Below::Framed(framed) => framed.hash(),
            Below::Level(level) => level.content,
            Below::Step(step) => step.hash(),
        }
    }

    /// A region of it.
    pub fn region(&self, region: Region, pace: &dyn Pace) -> Result<Planes, RenderError> {
        match self {
            Below::Framed(framed) => Ok(framed.region(region.seen_as())),
            Below::Level(level) => level.region(region, pace),
            Below::Step(step) => step.region(region.seen_as(), pace),
        }
    }
}

/// The picture as it is after a learned pass.
pub struct Level<'a> {
    below: Below<'a>,
    network: Arc<dyn Network>,
    /// The second input of the network, where it has one.
    side_input: Option<SideInput<'a>>,
    content: ContentHash,
    /// Where tiles are kept, and where they may be found besides.
    caches: Caches<'a>,
}

/// The caches that a rendering uses.
#[derive(Clone, Copy)]
pub struct Caches<'a> {
    /// Shared by all renderings.
    pub shared: &'a TileCache,
    /// A run's own; new tiles go there instead, so that a run does not push out what is on screen.
    pub own: Option<&'a TileCache>,
    /// What outlasts the program.
    pub disk: Option<&'a DiskTiles>,
}

impl Caches<'_> {
    /// The tile, from wherever it is.
    pub fn get(&self, key: &TileKey) -> Option<Arc<Tile>> {
        let at_hand = self.own.and_then(|own| own.get(key)).or_else(|| self.shared.get(key));
        at_hand.or_else(|| {
            let tile = Arc::new(self.disk?.get(key)?);
            self.remember(*key, Arc::clone(&tile));
            Some(tile)
        })
    }

    /// Keeps a tile.
    pub fn put(&self, key: TileKey, tile: Arc<Tile>) {
        if let Some(disk) = self.disk {
            disk.put(&key, &tile);
        }
        self.remember(key, tile);
    }

    fn remember(&self, key: TileKey, tile: Arc<Tile>) {
        self.own.unwrap_or(self.shared).put(key, tile);
    }
}

impl<'a> Level<'a> {
    /// A pass of `network`, the file that `model` names, over `below`; a cleaner is told the level, a filler what is marked.
    pub fn new(
        below: Below<'a>,
        network: Arc<dyn Network>,
        model: &ModelRef,
        side_input: Option<SideInput<'a>>,
        caches: Caches<'a>,
    ) -> Self {
        let content = match &side_input {
            None => ContentHash::of_step(&below.hash(), &model.sha256),
            Some(SideInput::Conditioning(level)) => ContentHash::of_step(&below.hash(), &(&model.sha256, level)),
            Some(SideInput::Marks(marks)) => ContentHash::of_step(&below.hash(), &(&model.sha256, marks.hash())),
        };
        Self { below, network, side_input, content, caches }
    }

    /// What the pass was made over.
    pub fn below(&self) -> &Below<'a> {
        &self.below
    }

    /// Width and height after the pass.
    pub fn size(&self) -> Size {
        self.below.size().times(self.network.factor())
    }

    /// A region of the result.
    pub fn region(&self, region: Region, pace: &dyn Pace) -> Result<Planes, RenderError> {
        let side = TILE * self.network.factor();
        let columns = region.x / side..region.right().div_ceil(side);
        let (block_rows, block_columns) = self.block();
        let mut rows = region.y / side..region.bottom().div_ceil(side);
        if self.caches.own.is_some() {
            // A run asks for everything sooner or later: whole blocks cost less than their rows one by one.
            let last = self.below.size().height.div_ceil(TILE);
            rows = rows.start / block_rows * block_rows..rows.end.next_multiple_of(block_rows).min(last);
        }
        let mut out = Planes::black(region.size());
        // Blocks lie at fixed places, so that neighbouring regions share them rather than cut them anew.
        for block_row in (rows.start / block_rows)..rows.end.div_ceil(block_rows) {
            for block_column in (columns.start / block_columns)..columns.end.div_ceil(block_columns) {
                let within = |at: u32, count: u32, range: &std::ops::Range<u32>| {
                    (at * count).max(range.start)..((at + 1) * count).min(range.end)
                };
                let cells = Cells {
                    rows: within(block_row, block_rows, &rows),
                    columns: within(block_column, block_columns, &columns),
                };
                paste_tiles(&self.tiles(cells, pace)?, side, region, &mut out);
            }
        }
        Ok(out)
    }

    /// Computes what is missing of a region that will be looked at tile by tile, where tiles that are computed one by one would cost much
    /// more than all at once.
    pub fn ahead(&self, region: Region, pace: &dyn Pace) -> Result<(), RenderError> {
        if self.halo() < WIDE_HALO {
            return Ok(());
        }
        let side = TILE * self.network.factor();
        let (block_rows, block_columns) = self.block();
        let (rows, columns) =
            (region.y / side..region.bottom().div_ceil(side), region.x / side..region.right().div_ceil(side));
        for row in rows.clone().step_by(block_rows as usize) {
            for column in columns.clone().step_by(block_columns as usize) {
                let cells = Cells {
                    rows: row..(row + block_rows).min(rows.end),
                    columns: column..(column + block_columns).min(columns.end),
                };
                self.tiles(cells, pace)?;
            }
        }
        Ok(())
    }

    /// Pixels around a block that it depends on, so many that folded pixels stay together.
    fn halo(&self) -> u32 {
        let halo = self.network.halo() + self.side_input.as_ref().map_or(0, SideInput::reach);
        halo.next_multiple_of(self.network.multiple())
    }

    /// Rows and columns of the largest block.
    fn block(&self) -> (u32, u32) {
        largest_block(&*self.network, self.halo())
    }

    /// All tiles of a block; those that are missing are computed in one go.
    fn tiles(&self, cells: Cells, pace: &dyn Pace) -> Result<Vec<(TileKey, Arc<Tile>)>, RenderError> {
        let mut found = Vec::new();
        let mut missing = Vec::new();
        for (column, row) in cells.each() {
            let key = TileKey { content: self.content, column, row };
            match self.caches.get(&key) {
                Some(tile) => found.push((key, tile)),
                None => missing.push(key),
            }
        }
        let Some(hull) = Cells::around(&missing) else {
            return Ok(found);
        };
        let size = self.below.size();
        let core = hull.pixels().within(size).expect("tiles lie in the picture");
        let padded = core.grown(self.halo(), size);
        let input = self.below.region(padded, pace)?;
        if !pace.before_block() {
            return Err(Cancelled.into());
        }
        let level = match &self.side_input {
            None => None,
            Some(SideInput::Conditioning(told)) => Some(conditioning_map(*told, &input)),
            Some(SideInput::Marks(marks)) => Some(marks.marks(padded.seen_as(), pace)?),
        };
        let corner = Corner { x: padded.x, y: padded.y };
        let output = self.network.run_at(&input, level.as_deref(), corner)?;
        pace.after_block(core.size().area());
        let factor = self.network.factor();
        let cut = |key: TileKey| {
            let cell = Region::new(key.column * TILE, key.row * TILE, TILE, TILE).within(size).expect("in the picture");
            let tile = Arc::new(Tile::cut(&output, cell.inside(padded).times(factor)));
            self.caches.put(key, Arc::clone(&tile));
            (key, tile)
        };
        found.par_extend(missing.into_par_iter().map(cut));
        Ok(found)
    }
}

/// Copies what tiles of `side` pixels share with a region into the region's planes, row by row on all cores.
fn paste_tiles(tiles: &[(TileKey, Arc<Tile>)], side: u32, region: Region, out: &mut Planes) {
    let height = region.height as usize;
    out.values_mut().par_chunks_mut(region.width as usize).enumerate().for_each(|(index, line)| {
        let (channel, y) = (index / height, region.y + (index % height) as u32);
        for (key, tile) in tiles {
            let cell = Region::new(key.column * side, key.row * side, side, side);
            let row = Region::new(region.x, y, region.width, 1);
            let Some(shared) = cell.intersection(row) else { continue };
            let from = Region::new(shared.x - cell.x, shared.y - cell.y, shared.width, 1);
            let start = (shared.x - region.x) as usize;
            tile.copy_row(channel, from, 0, &mut line[start..start + shared.width as usize]);
        }
    });
}

/// A rectangle of the grid.
struct Cells {
    rows: std::ops::Range<u32>,
    columns: std::ops::Range<u32>,
}

impl Cells {
    fn each(&self) -> impl Iterator<Item = (u32, u32)> + '_ {
        self.rows.clone().flat_map(|row| self.columns.clone().map(move |column| (column, row)))
    }

    fn around(keys: &[TileKey]) -> Option<Self> {
        let range = |of: fn(&TileKey) -> u32| Some(keys.iter().map(of).min()?..keys.iter().map(of).max()? + 1);
        Some(Self { rows: range(|k| k.row)?, columns: range(|k| k.column)? })
    }

    fn pixels(&self) -> Region {
        let (columns, rows) = (self.columns.len() as u32, self.rows.len() as u32);
        Region::new(self.columns.start * TILE, self.rows.start * TILE, columns * TILE, rows * TILE)
    }
}
