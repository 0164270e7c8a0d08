//! A picture as shapes: what is found of it, put together.

use dettaglio_domain::affine::space::Result as Enlarged;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::trace::{Hex, Ink, LEAST_COLOURS, MOST_COLOURS, Tracing};

use super::error::TraceError;
use super::fit::{Outline, Segment};
use super::palette::Colour;
use super::raster::planes;
use super::{contour, fit, palette, regions};
use crate::picture::Planes;

/// How far a curve may lie from the edge that it stands for, in pixels of the picture that was small.
const TOLERANCE: f64 = 0.25;

/// Shapes of less area are dirt, in square pixels of the picture that was small.
const LEAST_AREA: f64 = 2.0;

/// The short edge of the smallest picture that is traced, in pixels.
const LEAST_SIDE: u32 = 8;

/// A shape of one colour; its first outlines are its rims, those inside them its holes.
#[derive(Clone, Debug, PartialEq)]
pub struct Shape {
    /// Its colour, sRGB.
    pub colour: Colour,
    /// The name of the spot colour that it is printed in; none where its colour is mixed.
    pub name: String,
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
    /// As it is printed: in the inks that stand for its colours, and without what lies lowest where that is to be clear and reaches the
    /// picture's edge all round.
    pub fn printed(&self, tracing: &Tracing) -> Self {
        let mut shapes = self.shapes.clone();
        if tracing.clear && shapes.first().is_some_and(|lowest| self.is_ground(lowest)) {
            shapes.remove(0);
        }
        for shape in &mut shapes {
            if let Some(ink) = tracing.ink(to_hex(shape.colour)) {
                shape.colour = of_hex(ink.printed);
                shape.name.clone_from(&ink.name);
            }
        }
        Self { size: self.size, shapes }
    }

    /// What each of its colours is printed as.
    pub fn inks(&self, tracing: &Tracing) -> Vec<Ink> {
        let as_found = |found| Ink { found, printed: found, name: String::new() };
        let ink = |found| tracing.ink(found).map_or_else(|| as_found(found), |ink| Ink { found, ..ink.clone() });
        self.colours().into_iter().map(|colour| ink(to_hex(colour))).collect()
    }

    fn is_ground(&self, shape: &Shape) -> bool {
        /// Pixels by which an outline may stay within the picture.
        const NEAR: f64 = 0.5;
        let ends = || {
            let of = |outline: &Outline| {
                [outline.start].into_iter().chain(outline.segments.iter().map(Segment::end)).collect::<Vec<_>>()
            };
            shape.outlines.iter().flat_map(of)
        };
        let (right, bottom) = (f64::from(self.size.width), f64::from(self.size.height));
        ends().any(|(x, _)| x <= NEAR)
            && ends().any(|(_, y)| y <= NEAR)
            && ends().any(|(x, _)| x >= right - NEAR)
            && ends().any(|(_, y)| y >= bottom - NEAR)
    }

    /// A region of it as pixels of a result of this size, sRGB.
    pub fn pixels(&self, size: Size, region: Region<Enlarged>) -> Planes {
        let scale = [(size.width, self.size.width), (size.height, self.size.height)];
        let shapes: Vec<(Colour, &[Outline])> =
            self.shapes.iter().map(|shape| (shape.colour, &shape.outlines[..])).collect();
        planes(&shapes, scale.map(|(large, small)| f64::from(large) / f64::from(small)), region)
    }

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

/// A colour in 8 bits a channel.
pub fn to_hex(colour: Colour) -> Hex {
    Hex(colour.map(|v| (v.clamp(0.0, 1.0) * 255.0).round() as u8))
}

fn of_hex(colour: Hex) -> Colour {
    colour.0.map(|v| f32::from(v) / 255.0)
}

/// Refuses a picture that has no pixels worth the name.
pub fn refuse_tiny(size: Size) -> Result<(), TraceError> {
    if size.short_edge() < LEAST_SIDE { Err(TraceError::TooSmall { size }) } else { Ok(()) }
}

/// Traces an enlarged picture, sRGB, of which `small` is the size before it was enlarged; in `most` colours at most.
///
/// The finer the picture was enlarged, the closer the shapes: four times is enough for a tenth of a small pixel.
pub fn trace(enlarged: &Planes, small: Size, most: usize) -> Result<Traced, TraceError> {
    refuse_tiny(small)?;
    refuse_tiny(enlarged.size())?;
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
            shapes.push(Shape { colour: palette.colours[usize::from(label)], name: String::new(), outlines });
        }
    }
    Ok(Traced { size: small, shapes })
}
