//! Our networks computed one product at a time from the numbers in their ONNX files: slow, and plain to read.
//!
//! Only the weights are taken from the file; how they are joined is written here a second time, as the foundry
//! documents it. So a runtime that computes something else shows, and so does a file that holds another network.

use std::collections::HashMap;
use std::path::Path;

use dettaglio_core::picture::{Planes, Size};
use rayon::prelude::*;

/// The weights of a model file, by name.
pub struct Weights(HashMap<String, Vec<f32>>);

/// Feature planes: `planes` of `height` x `width`.
struct Features {
    planes: usize,
    width: usize,
    height: usize,
    values: Vec<f32>,
}

/// The block after which a restorer looks around.
const AFTER: usize = 3;

impl Features {
    fn plus(&self, other: &Features) -> Self {
        let values = self.values.iter().zip(&other.values).map(|(a, b)| a + b).collect();
        Self { values, ..*self }
    }

    fn into_planes(self) -> Planes {
        assert_eq!(self.planes, 3);
        Planes::from_values(Size::new(self.width as u32, self.height as u32), self.values)
    }
}

impl Weights {
    pub fn read(file: &Path) -> Self {
        let bytes = std::fs::read(file).expect("a model file");
        let graph = fields(&bytes).into_iter().find(|(n, _)| *n == 7).expect("a graph").1;
        let tensors = fields(graph).into_iter().filter(|(n, _)| *n == 5).map(|(_, tensor)| {
            let parts = fields(tensor);
            let part = |wanted| parts.iter().find(|(n, _)| *n == wanted).expect("a part of a tensor").1;
            let values = part(9).chunks_exact(4).map(|b| f32::from_le_bytes(b.try_into().expect("four bytes")));
            let name = String::from_utf8(part(8).to_vec()).expect("a name");
            // A restorer is a network inside the one that knows the canvas.
            (name.strip_prefix("net.").map(str::to_owned).unwrap_or(name), values.collect())
        });
        Self(tensors.collect())
    }

    fn get(&self, name: &str) -> &[f32] {
        self.0.get(name).unwrap_or_else(|| panic!("no {name}; there are {:?}", self.0.keys()))
    }

    /// A convolution of 3 x 3 or 1 x 1 over zeros outside the picture, at every `stride`-th place across and down.
    fn convolve(&self, name: &str, stride: usize, input: &Features) -> Features {
        let (weights, bias) = (self.get(&format!("{name}.weight")), self.get(&format!("{name}.bias")));
        let Features { planes, width, height, .. } = *input;
        let taps = weights.len() / (bias.len() * planes);
        let side = taps.isqrt();
        let (across, down) = (width.div_ceil(stride), height.div_ceil(stride));
        let plane = |(to, bias): (usize, &f32)| {
            let mut values = Vec::with_capacity(across * down);
            for i in 0..across * down {
                let (x, y) = (i % across * stride, i / across * stride);
                let mut sum = f64::from(*bias);
                for from in 0..planes {
                    for tap in 0..taps {
                        let (px, py) = (x + tap % side, y + tap / side);
                        let (Some(px), Some(py)) = (px.checked_sub(side / 2), py.checked_sub(side / 2)) else {
                            continue;
                        };
                        if px < width && py < height {
                            let weight = weights[(to * planes + from) * taps + tap];
                            let value = input.values[(from * height + py) * width + px];
                            sum += f64::from(weight) * f64::from(value);
                        }
                    }
                }
                values.push(sum as f32);
            }
            values
        };
        let values = bias.par_iter().enumerate().flat_map_iter(plane).collect();
        Features { planes: bias.len(), width: across, height: down, values }
    }

    /// Values below zero times a learned slope, one for each plane; `bends` counts those that came before.
    fn bend(&self, bends: &mut usize, mut features: Features) -> Features {
        // The export numbers them in the order in which they are used.
        let mut names: Vec<&String> = self.0.keys().filter(|name| name.contains("PRelu")).collect();
        names.sort_by_key(|name| (name.len(), name.as_str()));
        let slopes = self.get(names[*bends]);
        *bends += 1;
        let area = features.width * features.height;
        for (plane, slope) in features.values.chunks_exact_mut(area).zip(slopes) {
            plane.iter_mut().filter(|v| **v < 0.0).for_each(|v| *v *= slope);
        }
        features
    }

    /// Head, pairs of convolutions of which the second is added to what came in, tail.
    fn through(&self, input: &Features) -> Features {
        let mut bends = 0;
        let mut features = self.bend(&mut bends, self.convolve("head", 1, input));
        let blocks = (0..).take_while(|i| self.0.contains_key(&format!("body.{i}.weight"))).count();
        for i in 0..blocks {
            let next = self.convolve(&format!("body.{i}"), 1, &features);
            if i % 2 == 0 {
                features = self.bend(&mut bends, next);
            } else {
                features = features.plus(&next);
            }
            if i == AFTER && self.0.contains_key("surroundings.to_half.weight") {
                features = features.plus(&self.surroundings(&features, &mut bends));
            }
        }
        self.convolve("tail", 1, &features)
    }

    /// What a restorer sees at half and at a quarter of the resolution.
    fn surroundings(&self, features: &Features, bends: &mut usize) -> Features {
        let part = |name: &str| format!("surroundings.{name}");
        let half = self.bend(bends, self.convolve(&part("to_half"), 2, features));
        let half = self.pair(&part("half_before"), half, bends);
        let mut quarter = self.bend(bends, self.convolve(&part("to_quarter"), 2, &half));
        for i in 0..2 {
            quarter = self.pair(&part(&format!("quarter.{i}")), quarter, bends);
        }
        let half = half.plus(&unfold(&self.convolve(&part("from_quarter"), 1, &quarter), 2));
        let half = self.pair(&part("half_after"), half, bends);
        unfold(&self.convolve(&part("from_half"), 1, &half), 2)
    }

    /// Two convolutions whose answer is added to what came in.
    fn pair(&self, name: &str, input: Features, bends: &mut usize) -> Features {
        let first = self.bend(bends, self.convolve(&format!("{name}.first"), 1, &input));
        input.plus(&self.convolve(&format!("{name}.second"), 1, &first))
    }

    /// An enlarger: what the network gives is unfolded and added to the repeated picture.
    pub fn enlarge(&self, picture: &Planes, factor: usize) -> Planes {
        let Size { width, height } = picture.size();
        let input =
            Features { planes: 3, width: width as usize, height: height as usize, values: picture.values().to_vec() };
        let mut out = unfold(&self.through(&input), factor).into_planes();
        for channel in 0..3 {
            for y in 0..out.size().height {
                let row = picture.row(channel, y / factor as u32).to_vec();
                let line = out.row_mut(channel, y);
                line.iter_mut().enumerate().for_each(|(x, v)| *v += row[x / factor]);
            }
        }
        out
    }

    /// A restorer of faces: a cleaner that is told of each pixel where it lies across and down, from -1 to 1, and the scale.
    pub fn restore(&self, canvas: &Planes, scale: f32) -> Planes {
        let Size { width, height } = canvas.size();
        let place = |at: u32, side: u32| (at as f32 + 0.5) / side as f32 * 2.0 - 1.0;
        let each = || (0..height).flat_map(move |y| (0..width).map(move |x| (x, y)));
        let across = each().map(|(x, _)| place(x, width));
        let told = across.chain(each().map(|(_, y)| place(y, height))).chain(each().map(|_| scale));
        self.clean(canvas, &told.collect::<Vec<f32>>())
    }

    /// A cleaner: picture and what it is told, plane by plane, folded 2 x 2; what the network gives is unfolded and added to
    /// the picture.
    pub fn clean(&self, picture: &Planes, told: &[f32]) -> Planes {
        let (width, height) = (picture.size().width as usize, picture.size().height as usize);
        let all: Vec<f32> = picture.values().iter().chain(told).copied().collect();
        let mut values = Vec::with_capacity(all.len());
        for plane in all.chunks_exact(width * height) {
            for (dy, dx) in [(0, 0), (0, 1), (1, 0), (1, 1)] {
                values.extend(
                    (0..width * height / 4)
                        .map(|i| plane[(i / (width / 2) * 2 + dy) * width + i % (width / 2) * 2 + dx]),
                );
            }
        }
        let planes = 4 * all.len() / (width * height);
        let input = Features { planes, width: width / 2, height: height / 2, values };
        let change = unfold(&self.through(&input), 2).into_planes();
        let values = picture.values().iter().zip(change.values()).map(|(p, c)| p + c).collect();
        Planes::from_values(picture.size(), values)
    }
}

/// Of planes in groups of `factor` x `factor` each group becomes one so many times as large.
fn unfold(features: &Features, factor: usize) -> Features {
    let (width, height) = (features.width * factor, features.height * factor);
    let planes = features.planes / (factor * factor);
    let mut values = Vec::with_capacity(planes * width * height);
    for to in 0..planes {
        for y in 0..height {
            for x in 0..width {
                let plane = to * factor * factor + y % factor * factor + x % factor;
                values.push(features.values[(plane * features.height + y / factor) * features.width + x / factor]);
            }
        }
    }
    Features { planes, width, height, values }
}

/// The fields of a Protocol Buffers message that have a length: number and content.
fn fields(mut bytes: &[u8]) -> Vec<(u64, &[u8])> {
    fn varint(bytes: &mut &[u8]) -> u64 {
        let (mut value, mut shift) = (0, 0);
        loop {
            let (first, rest) = bytes.split_first().expect("a whole number");
            *bytes = rest;
            value |= u64::from(first & 0x7F) << shift;
            if first & 0x80 == 0 {
                return value;
            }
            shift += 7;
        }
    }
    let mut found = Vec::new();
    while !bytes.is_empty() {
        let key = varint(&mut bytes);
        match key & 7 {
            0 => drop(varint(&mut bytes)),
            1 => bytes = &bytes[8..],
            2 => {
                let length = varint(&mut bytes) as usize;
                found.push((key >> 3, &bytes[..length]));
                bytes = &bytes[length..];
            }
            _ => bytes = &bytes[4..],
        }
    }
    found
}
