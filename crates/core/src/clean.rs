//! What a cleaner is told about each pixel of what it cleans.

use dettaglio_domain::clean::{BRIGHTNESS_REACH, Conditioning};

use crate::picture::Planes;
use crate::plane::box_mean;

/// The conditioning map of a level: its value at every pixel of some planes, shape (height, width).
pub fn conditioning_map(level: Conditioning, planes: &Planes) -> Vec<f32> {
    match level {
        Conditioning::Constant(level) => vec![level; planes.size().area() as usize],
        Conditioning::Noise(curve) => {
            let around = box_mean(&planes.luminance(), planes.size().width as usize, BRIGHTNESS_REACH as usize);
            around.into_iter().map(|v| curve.at(v) / 255.0).collect()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use dettaglio_domain::clean::NoiseCurve;
    use dettaglio_domain::geometry::Size;

    #[test]
    fn the_level_follows_the_brightness_around() {
        let size = Size::new(12, 6);
        let values = (0..3 * size.area()).map(|i| if i % 12 < 6 { 0.0625 } else { 0.9375 }).collect();
        let curve = NoiseCurve([20.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 2.0]);
        let map = conditioning_map(Conditioning::Noise(curve), &Planes::from_values(size, values));
        assert!((map[0] * 255.0 - 20.0).abs() < 0.1, "{}", map[0] * 255.0);
        assert!((map[11] * 255.0 - 2.0).abs() < 0.1);
    }
}
