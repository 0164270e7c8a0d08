//! Computed tiles, kept by content until memory is short.

use std::sync::{Arc, Mutex};

use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::hash::ContentHash;
use lru::LruCache;

use crate::picture::Planes;

/// Which tile of what.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct TileKey {
    /// The original, the models so far and their order.
    pub content: ContentHash,
    /// Column of the grid.
    pub column: u32,
    /// Row of the grid.
    pub row: u32,
}

/// The pixels of a tile in 16 bits, clamped to [0, 1].
///
/// Every tile passes through this form, computed just now or an hour ago, so both are the same to the bit;
/// and it takes half the memory of floats.
#[derive(Debug)]
pub struct Tile {
    size: Size,
    values: Vec<u16>,
}

impl Tile {
    /// A part of some planes.
    pub fn cut(planes: &Planes, region: Region) -> Self {
        let mut values = Vec::with_capacity(3 * region.size().area() as usize);
        for channel in 0..3 {
            for y in region.y..region.bottom() {
                let row = &planes.row(channel, y)[region.x as usize..region.right() as usize];
                values.extend(row.iter().map(|v| (v * 65535.0 + 0.5) as u16));
            }
        }
        Self { size: region.size(), values }
    }

    /// One row of `from`, of one channel, as floats into `out`, which is as wide as `from`.
    pub fn copy_row(&self, channel: usize, from: Region, row: u32, out: &mut [f32]) {
        let (width, height) = (self.size.width as usize, self.size.height as usize);
        let start = (channel * height + (from.y + row) as usize) * width + from.x as usize;
        for (value, level) in out.iter_mut().zip(&self.values[start..start + from.width as usize]) {
            *value = f32::from(*level) / 65535.0;
        }
    }

    /// Width and height.
    pub(super) fn size(&self) -> Size {
        self.size
    }

    /// One channel after the other, 0 to 65,535.
    pub(super) fn values(&self) -> &[u16] {
        &self.values
    }

    /// The tile of such values, three for each pixel.
    pub(super) fn from_values(size: Size, values: Vec<u16>) -> Self {
        Self { size, values }
    }

    fn bytes(&self) -> usize {
        self.values.len() * 2
    }
}

/// Least recently used tiles go when the others need the room.
pub struct TileCache {
    capacity: usize,
    held: Mutex<Held>,
}

struct Held {
    tiles: LruCache<TileKey, Arc<Tile>>,
    bytes: usize,
}

impl TileCache {
    /// Room for `capacity` bytes of pixels.
    pub fn new(capacity: usize) -> Self {
        Self { capacity, held: Mutex::new(Held { tiles: LruCache::unbounded(), bytes: 0 }) }
    }

    /// The tile, if it is there.
    pub fn get(&self, key: &TileKey) -> Option<Arc<Tile>> {
        self.lock().tiles.get(key).cloned()
    }

    /// Keeps a tile.
    pub fn put(&self, key: TileKey, tile: Arc<Tile>) {
        let mut held = self.lock();
        held.bytes += tile.bytes();
        if let Some(old) = held.tiles.put(key, tile) {
            held.bytes -= old.bytes();
        }
        while held.bytes > self.capacity && held.tiles.len() > 1 {
            if let Some((_, oldest)) = held.tiles.pop_lru() {
                held.bytes -= oldest.bytes();
            }
        }
    }

    /// Bytes of pixels in it.
    pub fn bytes(&self) -> usize {
        self.lock().bytes
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, Held> {
        self.held.lock().unwrap_or_else(|e| e.into_inner())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn key(row: u32) -> TileKey {
        TileKey { content: ContentHash::of(b"x"), column: 0, row }
    }

    fn tile() -> Arc<Tile> {
        let size = Size::new(4, 4);
        Arc::new(Tile::cut(&Planes::black(size), size.whole()))
    }

    #[test]
    fn the_tile_not_used_longest_goes_first() {
        let cache = TileCache::new(2 * 96);
        cache.put(key(0), tile());
        cache.put(key(1), tile());
        assert!(cache.get(&key(0)).is_some());
        cache.put(key(2), tile());
        assert!(cache.get(&key(1)).is_none(), "1 was used before 0");
        assert!(cache.get(&key(0)).is_some() && cache.get(&key(2)).is_some());
        assert_eq!(cache.bytes(), 192);
    }

    #[test]
    fn pixels_survive_to_sixteen_bits() {
        let size = Size::new(3, 2);
        let planes = Planes::from_values(size, (0..18).map(|i| i as f32 / 17.0).collect());
        let tile = Tile::cut(&planes, Region::new(1, 0, 2, 2));
        let mut back = Planes::black(size);
        tile.copy_row(2, Region::new(0, 1, 2, 1), 0, &mut back.row_mut(2, 1)[1..]);
        assert!((back.row(2, 1)[2] - planes.row(2, 1)[2]).abs() < 1e-5);
        assert_eq!(back.row(0, 0), &[0.0; 3]);
    }
}
