//! A picture as shapes: what is found of it, put together.

use dettaglio_domain::geometry::Size;
use dettaglio_domain::trace::{LEAST_COLOURS, MOST_COLOURS};

use super::error::TraceError;
use super::fit::Outline;
use super::palette::Colour;
use super::{contour, fit, palette, regions};
use crate::picture::Planes;

/// How far a curve may lie from the edge that it stands for, in pixels of the picture that was small.
const TOLERANCE: f64 = 0.25;

/// Shapes of less area are dirt, in square pixels of the picture that was small.
const LEAST_AREA: f64 = 2.0;

/// A shape of one colour; its first outlines are its rims, those inside them its holes.
#[derive(Clone, Debug, PartialEq)]
pub struct Shape {
    /// Its colour, sRGB.
    pub colour: Colour,
    /// Its rims and holes, in pixels of the picture that was small.
    pub outlines: Vec<Outline>,
}

/// A picture as shapes.
#[derive(Clone, Debug, PartialEq)]
pub struct Traced {
    /// Of the picture that was small, in its pixels: the space of the shapes.
    pub size: Size,
    /// The shapes, the lowest first.
    pub shapes: Vec<Shape>,
}

impl Traced {
    /// How many rims and holes its shapes have.
    pub fn outlines(&self) -> usize {
        self.shapes.iter().map(|shape| shape.outlines.len()).sum()
    }

    /// How many places its lines and curves meet at.
    pub fn nodes(&self) -> usize {
        self.shapes.iter().flat_map(|shape| &shape.outlines).map(|outline| outline.segments.len()).sum()
    }

    /// The colours that it is drawn in, each once.
    pub fn colours(&self) -> Vec<Colour> {
        let mut colours: Vec<Colour> = Vec::new();
        for shape in &self.shapes {
            if !colours.contains(&shape.colour) {
                colours.push(shape.colour);
            }
        }
        colours
    }
}

/// Traces an enlarged picture, sRGB, of which `small` is the size before it was enlarged; in `most` colours at most.
///
/// The finer the picture was enlarged, the closer the shapes: four times is enough for a tenth of a small pixel.
pub fn trace(enlarged: &Planes, small: Size, most: usize) -> Result<Traced, TraceError> {
    const LEAST_SIDE: u32 = 8;
    if small.short_edge() < LEAST_SIDE || enlarged.size().short_edge() < LEAST_SIDE {
        return Err(TraceError::TooSmall { size: small });
    }
    let scale = f64::from(enlarged.size().width) / f64::from(small.width);
    let palette = palette::find(enlarged, scale, most.clamp(LEAST_COLOURS, MOST_COLOURS))?;
    let labels = regions::label(enlarged, &palette, scale);
    let order = labels.by_area(palette.colours.len());
    let mut shapes = Vec::new();
    for (place, &label) in order.iter().enumerate() {
        let field = labels.field(enlarged, &palette.colours, &order[place + 1..], label, scale);
        let loops = contour::loops(&field, labels.size);
        let outlines: Vec<Outline> = loops
            .into_iter()
            .filter(|points| contour::area(points).abs() >= LEAST_AREA * scale * scale)
            .map(|points| fit::outline(&points, TOLERANCE * scale, scale).scaled(1.0 / scale))
            .collect();
        if !outlines.is_empty() {
            shapes.push(Shape { colour: palette.colours[usize::from(label)], outlines });
        }
    }
    Ok(Traced { size: small, shapes })
}
