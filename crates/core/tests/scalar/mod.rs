//! Our networks computed one product at a time from the numbers in their ONNX files: slow, and plain to read.
//!
//! Only the weights are taken from the file; how they are joined is written here a second time, as the foundry
//! documents it. So a runtime that computes something else shows, and so does a file that holds another network.

use std::collections::HashMap;
use std::path::Path;

use dettaglio_core::model::{Corner, grain};
use dettaglio_core::picture::Planes;
use dettaglio_domain::geometry::Size;
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
    fn of(picture: &Planes) -> Self {
        let Size { width, height } = picture.size();
        Self { planes: 3, width: width as usize, height: height as usize, values: picture.values().to_vec() }
    }

    fn plus(&self, other: &Features) -> Self {
        let values = self.values.iter().zip(&other.values).map(|(a, b)| a + b).collect();
        Self { values, ..*self }
    }

    fn into_planes(self) -> Planes {
        assert_eq!(self.planes, 3);
        Planes::from_values(Size::new(self.width as u32, self.height as u32), self.values)
    }
}

/// What is kept among the weights of a file that ends in its shuffle; such a file continues what its phases have in common beyond the rim, where others
/// take it for alike.
const ENDS_IN_SHUFFLE: &str = "ends in a shuffle";

/// What is kept among the weights of a cleaner whose level is no noise: the noise that a level of 1 stands for.
const NOISE: &str = "the noise of a level";

impl Weights {
    pub fn read(file: &Path) -> Self {
        let bytes = std::fs::read(file).expect("a model file");
        let graph = fields(&bytes).into_iter().find(|(n, _)| *n == 7).expect("a graph").1;
        let tensors = fields(graph).into_iter().filter(|(n, _)| *n == 5).map(|(_, tensor)| {
            let parts = fields(tensor);
            let part = |wanted| parts.iter().find(|(n, _)| *n == wanted).expect("a part of a tensor").1;
            let name = String::from_utf8(part(8).to_vec()).expect("a name");
            // Large networks are kept with 16 bits.
            let half = name.ends_with(".half");
            let values: Vec<f32> = if half {
                part(9).chunks_exact(2).map(|b| from_half(u16::from_le_bytes([b[0], b[1]]))).collect()
            } else {
                part(9).chunks_exact(4).map(|b| f32::from_le_bytes(b.try_into().expect("four bytes"))).collect()
            };
            let name = name.trim_end_matches(".half");
            // A restorer is a network inside the one that knows the canvas, an enlarger inside one that draws texture.
            let name = name.strip_prefix("net.").or(name.strip_prefix("base.")).unwrap_or(name);
            (name.to_owned(), values)
        });
        // A slope that all planes share is no tensor: it is the first attribute of the node that is named after it.
        let slopes = fields(graph).into_iter().filter(|(n, _)| *n == 1).filter_map(|(_, node)| {
            let parts = fields(node);
            let part = |wanted| parts.iter().find(|(n, _)| *n == wanted).map(|(_, part)| *part);
            let is_leaky = part(4) == Some(b"LeakyRelu");
            let name = String::from_utf8(part(3).filter(|_| is_leaky)?.to_vec()).expect("a name");
            let alpha = fields_of_4_bytes(part(5)?).into_iter().find(|(n, _)| *n == 2)?.1;
            name.starts_with("act.").then(|| (name, vec![f32::from_le_bytes(alpha)]))
        });
        // An earlier file ends in its shuffle.
        let ends = fields(graph).into_iter().filter(|(n, _)| *n == 1).filter_map(|(_, node)| {
            let parts = fields(node);
            let says = |number, text: &[u8]| parts.iter().any(|(n, part)| *n == number && *part == text);
            (says(2, b"output") && says(4, b"DepthToSpace")).then(|| (ENDS_IN_SHUFFLE.to_owned(), Vec::new()))
        });
        // What a level is multiplied by is a constant of its own.
        let nodes = || fields(graph).into_iter().filter(|(n, _)| *n == 1).map(|(_, node)| fields(node));
        let named = |parts: &[(u64, &[u8])], number: u64, at: usize| {
            let text = parts.iter().filter(|(n, _)| *n == number).nth(at)?.1;
            Some(String::from_utf8(text.to_vec()).expect("a name"))
        };
        let scaled = nodes().find(|parts| {
            named(parts, 4, 0).as_deref() == Some("Mul") && named(parts, 1, 0).as_deref() == Some("level")
        });
        let by = scaled.and_then(|parts| named(&parts, 1, 1));
        let is_constant = |parts: &[(u64, &[u8])]| named(parts, 4, 0).as_deref() == Some("Constant");
        let constant =
            by.and_then(|by| nodes().find(|parts| named(parts, 2, 0).as_deref() == Some(&by) && is_constant(parts)));
        let noise = constant.map(|parts| {
            let part = |bytes, wanted| fields(bytes).into_iter().find(|(n, _)| *n == wanted).expect("a constant").1;
            let attribute = parts.iter().find(|(n, _)| *n == 5).expect("a constant").1;
            let value = part(part(attribute, 5), 9);
            (NOISE.to_owned(), vec![f32::from_le_bytes(value.try_into().expect("four bytes"))])
        });
        Self(tensors.chain(slopes).chain(ends).chain(noise).collect())
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

    /// Values below zero times a learned slope, one for each plane or one for all; `bends` counts those without a name of their own that came
    /// before.
    fn bend(&self, name: &str, bends: &mut usize, mut features: Features) -> Features {
        let slopes = match self.0.get(&format!("{name}.weight")) {
            Some(slopes) => slopes,
            None => {
                // Earlier exports number them in the order in which they are used.
                let mut names: Vec<&String> = self.0.keys().filter(|name| name.contains("PRelu")).collect();
                names.sort_by_key(|name| (name.len(), name.as_str()));
                *bends += 1;
                self.get(names[*bends - 1])
            }
        };
        let area = features.width * features.height;
        for (plane, slope) in features.values.chunks_exact_mut(area).zip(slopes.iter().cycle()) {
            plane.iter_mut().filter(|v| **v < 0.0).for_each(|v| *v *= slope);
        }
        features
    }

    /// Head, pairs of convolutions of which the second is added to what came in, tail.
    fn through(&self, input: &Features) -> Features {
        self.convolve("tail", 1, &self.body(input))
    }

    /// All of that but the tail.
    fn body(&self, input: &Features) -> Features {
        let mut bends = 0;
        let mut features = self.bend("act.0", &mut bends, self.convolve("head", 1, input));
        let blocks = (0..).take_while(|i| self.0.contains_key(&format!("body.{i}.weight"))).count();
        for i in 0..blocks {
            let next = self.convolve(&format!("body.{i}"), 1, &features);
            if i % 2 == 0 {
                features = self.bend(&format!("act.{}", i + 1), &mut bends, next);
            } else {
                features = features.plus(&next);
            }
            if i == AFTER && self.0.contains_key("surroundings.to_half.weight") {
                features = features.plus(&self.surroundings(&features, &mut bends));
            }
        }
        features
    }

    /// What a restorer sees at half and at a quarter of the resolution.
    fn surroundings(&self, features: &Features, bends: &mut usize) -> Features {
        let part = |name: &str| format!("surroundings.{name}");
        let half = self.bend(&part("acts.0"), bends, self.convolve(&part("to_half"), 2, features));
        let half = self.pair(&part("half_before"), half, bends);
        let mut quarter = self.bend(&part("acts.1"), bends, self.convolve(&part("to_quarter"), 2, &half));
        for i in 0..2 {
            quarter = self.pair(&part(&format!("quarter.{i}")), quarter, bends);
        }
        let half = half.plus(&unfold(&self.convolve(&part("from_quarter"), 1, &quarter), 2));
        let half = self.pair(&part("half_after"), half, bends);
        unfold(&self.convolve(&part("from_half"), 1, &half), 2)
    }

    /// Two convolutions whose answer is added to what came in.
    fn pair(&self, name: &str, input: Features, bends: &mut usize) -> Features {
        let first = self.convolve(&format!("{name}.first"), 1, &input);
        let first = self.bend(&format!("{name}.act"), bends, first);
        input.plus(&self.convolve(&format!("{name}.second"), 1, &first))
    }

    /// An enlarger: what the network gives is unfolded and added to the repeated picture. One that draws texture goes on from
    /// there at full size, with planes of features and the grain.
    pub fn enlarge(&self, picture: &Planes, factor: usize) -> Planes {
        let features = self.body(&Features::of(picture));
        let answer = self.repeated(picture, &features, factor);
        let continued = self.0.contains_key(ENDS_IN_SHUFFLE);
        if !self.0.contains_key("planes.weight") {
            return balanced(&answer, picture, factor, continued);
        }
        let size = answer.size();
        let planes = unfold(&self.convolve("planes", 1, &features), factor);
        let values = [answer.values(), &planes.values, &grain(Corner::default(), size)].concat();
        let (width, height) = (size.width as usize, size.height as usize);
        let mut seen = Features { planes: values.len() / (width * height), width, height, values };
        for name in ["first", "second"] {
            seen = self.convolve(name, 1, &seen);
            seen.values.iter_mut().filter(|v| **v < 0.0).for_each(|v| *v *= 0.1);
        }
        let drawn = self.convolve("last", 1, &seen);
        let made = Planes::from_values(size, answer.values().iter().zip(&drawn.values).map(|(a, d)| a + d).collect());
        balanced(&made, picture, factor, continued)
    }

    fn repeated(&self, picture: &Planes, features: &Features, factor: usize) -> Planes {
        let mut out = unfold(&self.convolve("tail", 1, features), factor).into_planes();
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
        if self.0.contains_key("shrinkage.threshold") {
            return self.clean_far(picture, told);
        }
        let (width, height) = (picture.size().width as usize, picture.size().height as usize);
        let all: Vec<f32> = picture.values().iter().chain(told).copied().collect();
        let input = fold(&Features { planes: all.len() / (width * height), width, height, values: all });
        let change = unfold(&self.through(&input), 2).into_planes();
        let values = picture.values().iter().zip(change.values()).map(|(p, c)| p + c).collect();
        Planes::from_values(picture.size(), values)
    }
}

impl Weights {
    /// A cleaner that sees far: it begins with what shrinkage answers, and goes down to an eighth of the resolution and back.
    fn clean_far(&self, picture: &Planes, level: &[f32]) -> Planes {
        // Where the level is no noise, the file says for what noise a level of 1 stands.
        let noise = self.0.get(NOISE).map_or(1.0, |noise| noise[0]);
        let plain = self.shrunk(picture, &level.iter().map(|level| level * noise).collect::<Vec<f32>>());
        let (width, height) = (picture.size().width as usize, picture.size().height as usize);
        let taken: Vec<f32> = plain.iter().zip(picture.values()).map(|(p, v)| p - v).collect();
        let values = [picture.values(), level, &taken].concat();
        let features = self.convolve("head", 1, &fold(&Features { planes: 7, width, height, values }));
        let change = unfold(&self.convolve("tail", 1, &self.through_stacks(features)), 2);
        Planes::from_values(picture.size(), plain.iter().zip(&change.values).map(|(p, c)| p + c).collect())
    }

    /// A finder of wear: logits of three kinds.
    pub fn find(&self, picture: &Planes) -> Planes {
        let features = self.through_stacks(self.convolve("head", 1, &fold(&Features::of(picture))));
        let logits = unfold(&self.convolve("tail", 1, &features), 2);
        let values = logits.values.iter().map(|v| 1.0 / (1.0 + (-v).exp())).collect();
        Planes::from_values(picture.size(), values)
    }

    /// A filler: it sees the picture plainly filled, and adds to that where it is marked.
    pub fn fill(&self, picture: &Planes, marks: &[f32]) -> Planes {
        let (width, height) = (picture.size().width as usize, picture.size().height as usize);
        let mark = |i: usize| marks[i % marks.len()];
        let plain = plain_fill(picture, marks);
        let seen: Vec<f32> = plain.iter().map(|v| v - 0.5).collect();
        let values = [&seen, marks].concat();
        let features =
            self.through_stacks(self.convolve("head", 1, &fold(&Features { planes: 4, width, height, values })));
        let answer = unfold(&self.convolve("tail", 1, &features), 2);
        let filled = |(i, v): (usize, &f32)| v + mark(i) * answer.values[i];
        Planes::from_values(picture.size(), plain.iter().enumerate().map(filled).collect())
    }

    /// Pairs of convolutions at each resolution, down to the coarsest and back.
    fn through_stacks(&self, mut features: Features) -> Features {
        let mut bends = 0;
        let levels = (0..).take_while(|i| self.0.contains_key(&format!("down.{i}.weight"))).count();
        let mut stack = |name: &str, mut features: Features| {
            for i in (0..).take_while(|i| self.0.contains_key(&format!("{name}.{i}.first.weight"))) {
                features = self.pair(&format!("{name}.{i}"), features, &mut bends);
            }
            features
        };
        let mut passed = Vec::new();
        for i in 0..levels {
            let here = stack(&format!("before.{i}"), features);
            features = self.halved(&format!("down.{i}"), &here);
            passed.push(here);
        }
        features = stack("deepest", features);
        for (i, across) in passed.iter().enumerate().rev() {
            let up = unfold(&self.convolve(&format!("up.{i}"), 1, &features), 2);
            features = stack(&format!("after.{i}"), across.plus(&up));
        }
        features
    }

    /// A convolution of 2 x 2 at every second place.
    fn halved(&self, name: &str, input: &Features) -> Features {
        let (weights, bias) = (self.get(&format!("{name}.weight")), self.get(&format!("{name}.bias")));
        let (width, height) = (input.width / 2, input.height / 2);
        let value = |i: usize| {
            let (to, y, x) = (i / (width * height), i / width % height, i % width);
            let mut sum = f64::from(bias[to]);
            for from in 0..input.planes {
                for tap in 0..4 {
                    let seen = input.values[(from * input.height + 2 * y + tap / 2) * input.width + 2 * x + tap % 2];
                    sum += f64::from(weights[(to * input.planes + from) * 4 + tap]) * f64::from(seen);
                }
            }
            sum as f32
        };
        let values = (0..bias.len() * width * height).into_par_iter().map(value).collect();
        Features { planes: bias.len(), width, height, values }
    }

    /// Cosine coefficients of windows of 8 x 8 at every second pixel, in an opponent colour space, without those that are no
    /// larger than the noise; windows of which little is kept count most.
    fn shrunk(&self, picture: &Planes, level: &[f32]) -> Vec<f32> {
        const SIDE: usize = 8;
        const STEP: usize = 2;
        const EDGE: usize = SIDE - STEP;
        let (width, height) = (picture.size().width as usize, picture.size().height as usize);
        let (wide, tall) = (width + 2 * EDGE, height + 2 * EDGE);
        let reflected = |place: usize, end: usize| {
            let at = (place as i64 - EDGE as i64).abs();
            (if at >= end as i64 { 2 * end as i64 - 2 - at } else { at }) as usize
        };
        let source: Vec<usize> =
            (0..wide * tall).map(|i| reflected(i / wide, height) * width + reflected(i % wide, width)).collect();
        let root = |v: f64| 1.0 / v.sqrt();
        let opponent =
            [[root(3.0), root(3.0), root(3.0)], [root(2.0), 0.0, -root(2.0)], [root(6.0), -2.0 * root(6.0), root(6.0)]];
        let basis: Vec<f64> = (0..SIDE * SIDE * SIDE * SIDE)
            .map(|i| {
                let wave = |k: usize, at: usize| {
                    let scale = if k == 0 { 1.0 / SIDE as f64 } else { 2.0 / SIDE as f64 };
                    (std::f64::consts::PI * (at as f64 + 0.5) * k as f64 / SIDE as f64).cos() * scale.sqrt()
                };
                let (k, at) = (i / (SIDE * SIDE), i % (SIDE * SIDE));
                wave(k / SIDE, at / SIDE) * wave(k % SIDE, at % SIDE)
            })
            .collect();
        let (thresholds, sharpness) = (self.get("shrinkage.threshold"), f64::from(self.get("shrinkage.sharpness")[0]));
        let plane = |c: usize| -> Vec<f64> {
            let seen: Vec<f64> = source
                .iter()
                .map(|i| (0..3).map(|from| opponent[c][from] * f64::from(picture.plane(from)[*i])).sum())
                .collect();
            let (mut total, mut weights) = (vec![0.0; wide * tall], vec![0.0; wide * tall]);
            for top in (0..=tall - SIDE).step_by(STEP) {
                for left in (0..=wide - SIDE).step_by(STEP) {
                    let at = |i: usize| (top + i / SIDE) * wide + left + i % SIDE;
                    let sigma = (0..64).map(|i| f64::from(level[source[at(i)]])).sum::<f64>() / 64.0;
                    let mut kept = [0.0; 64];
                    let mut count = 0.0;
                    for (k, kept) in kept.iter_mut().enumerate() {
                        let value: f64 = (0..64).map(|i| basis[k * 64 + i] * seen[at(i)]).sum();
                        let bound = f64::from(thresholds[c * 64 + k]) * sigma + 1e-6;
                        let share =
                            if k == 0 { 1.0 } else { 1.0 / (1.0 + (-sharpness * (value.abs() / bound - 1.0)).exp()) };
                        *kept = value * share;
                        count += share;
                    }
                    let weight = 1.0 / (1.0 + count);
                    for i in 0..64 {
                        total[at(i)] += weight * (0..64).map(|k| basis[k * 64 + i] * kept[k]).sum::<f64>();
                        weights[at(i)] += weight;
                    }
                }
            }
            total.iter().zip(&weights).map(|(t, w)| t / w).collect()
        };
        let planes: Vec<Vec<f64>> = (0..3).into_par_iter().map(plane).collect();
        // The transposed matrix leads back.
        let columns: [[f64; 3]; 3] = std::array::from_fn(|channel| opponent.map(|row| row[channel]));
        let mut out = Vec::with_capacity(3 * width * height);
        for back in columns {
            for y in 0..height {
                let value = |x: usize| {
                    let at = (y + EDGE) * wide + x + EDGE;
                    (0..3).map(|c| back[c] * planes[c][at]).sum::<f64>() as f32
                };
                out.extend((0..width).map(value));
            }
        }
        out
    }
}

/// Marked pixels as the narrowest Gaussian mean of unmarked ones that reaches enough of them, then sixteen times as the mean of their
/// neighbours.
fn plain_fill(picture: &Planes, marks: &[f32]) -> Vec<f32> {
    let (width, height) = (picture.size().width as usize, picture.size().height as usize);
    let known: Vec<f64> = marks.iter().map(|mark| 1.0 - f64::from(*mark)).collect();
    let blurred = |plane: &[f64], sigma: i64| {
        let bell: Vec<f64> =
            (-3 * sigma..=3 * sigma).map(|k| (-((k * k) as f64) / (2 * sigma * sigma) as f64).exp()).collect();
        let sum: f64 = bell.iter().sum();
        let along = |plane: &[f64], dx: i64, dy: i64| -> Vec<f64> {
            let at = |i: usize, k: i64| {
                let (x, y) = ((i % width) as i64 + dx * k, (i / width) as i64 + dy * k);
                let inside = x >= 0 && y >= 0 && x < width as i64 && y < height as i64;
                if inside { plane[y as usize * width + x as usize] } else { 0.0 }
            };
            let taps = |i: usize| (-3 * sigma..=3 * sigma).zip(&bell).map(|(k, b)| b / sum * at(i, k)).sum();
            (0..plane.len()).into_par_iter().map(taps).collect()
        };
        along(&along(plane, 1, 0), 0, 1)
    };
    let mut out = Vec::with_capacity(3 * known.len());
    for channel in 0..3 {
        let own: Vec<f64> = picture.plane(channel).iter().map(|v| f64::from(*v)).collect();
        let told: Vec<f64> = own.iter().zip(&known).map(|(v, k)| v * k).collect();
        let mut filled = own.clone();
        for (step, sigma) in [8, 4, 2, 1].into_iter().enumerate() {
            let (sums, weights) = (blurred(&told, sigma), blurred(&known, sigma));
            for i in 0..filled.len() {
                let share = if step == 0 { 1.0 } else { (weights[i] / 0.1).clamp(0.0, 1.0) };
                filled[i] += share * (sums[i] / (weights[i] + 1e-6) - filled[i]);
            }
        }
        let mix = |filled: &[f64]| -> Vec<f64> {
            (0..own.len()).map(|i| own[i] * known[i] + filled[i] * (1.0 - known[i])).collect()
        };
        filled = mix(&filled);
        for _ in 0..16 {
            let at = |x: usize, y: usize| filled[y * width + x];
            let around = |i: usize| {
                let (x, y) = (i % width, i / width);
                let across = at(x.saturating_sub(1), y) + at((x + 1).min(width - 1), y);
                (across + at(x, y.saturating_sub(1)) + at(x, (y + 1).min(height - 1))) / 4.0
            };
            filled = mix(&(0..own.len()).map(around).collect::<Vec<f64>>());
        }
        out.extend(filled.into_iter().map(|v| v as f32));
    }
    out
}

/// A result without what its phases have in common: at each place in the cells of `factor` x `factor`, what it adds to cubic convolution is
/// compared with the mean over the cell, and the difference, averaged by a Gaussian of one input pixel, is taken off. Beyond the rim it is `continued`, or 0.
fn balanced(result: &Planes, picture: &Planes, factor: usize, continued: bool) -> Planes {
    let cubic = |x: f64| match x.abs() {
        x if x < 1.0 => 1.5 * x.powi(3) - 2.5 * x.powi(2) + 1.0,
        x if x < 2.0 => -0.5 * x.powi(3) + 2.5 * x.powi(2) - 4.0 * x + 2.0,
        _ => 0.0,
    };
    let (width, height) = (picture.size().width as usize, picture.size().height as usize);
    let near = |at: i64, side: usize| at.clamp(0, side as i64 - 1) as usize;
    let bell: Vec<f64> = (-3..=3).map(|k| (-f64::from(k * k) / 2.0).exp()).collect();
    let sum: f64 = bell.iter().sum();
    let mut out = result.clone();
    for channel in 0..3 {
        let own = picture.plane(channel);
        let plain = |x: usize, y: usize| -> f64 {
            let place = |at: usize| ((at % factor) as f64 + 0.5) / factor as f64 - 0.5;
            let taps = (0..25).map(|tap| {
                let (dx, dy) = (tap % 5 - 2, tap / 5 - 2);
                let value = own[near((y / factor) as i64 + dy, height) * width + near((x / factor) as i64 + dx, width)];
                cubic(place(x) - dx as f64) * cubic(place(y) - dy as f64) * f64::from(value)
            });
            taps.sum()
        };
        let row = width * factor;
        let added: Vec<f64> =
            (0..row * height * factor).map(|i| f64::from(result.plane(channel)[i]) - plain(i % row, i / row)).collect();
        let cell = |cx: usize, cy: usize, phase: usize| {
            added[(cy * factor + phase / factor) * row + cx * factor + phase % factor]
        };
        let phases = factor * factor;
        let unlike = |cx: usize, cy: usize, phase: usize| {
            cell(cx, cy, phase) - (0..phases).map(|p| cell(cx, cy, p)).sum::<f64>() / phases as f64
        };
        for y in 0..height * factor {
            for (x, value) in out.row_mut(channel, y as u32).iter_mut().enumerate() {
                let phase = y % factor * factor + x % factor;
                let mean: f64 = (0..49)
                    .map(|k| {
                        let (kx, ky) = (k % 7, k / 7);
                        let (cx, cy) = ((x / factor + kx) as i64 - 3, (y / factor + ky) as i64 - 3);
                        let at = (near(cx, width), near(cy, height));
                        let inside = at == (cx as usize, cy as usize);
                        if inside || continued { bell[kx] * bell[ky] * unlike(at.0, at.1, phase) } else { 0.0 }
                    })
                    .sum();
                *value -= (mean / (sum * sum)) as f32;
            }
        }
    }
    out
}

/// A number of 16 bits (IEEE 754 binary16).
fn from_half(bits: u16) -> f32 {
    let sign = if bits >> 15 == 1 { -1.0 } else { 1.0 };
    let (exponent, fraction) = (i32::from(bits >> 10 & 31), f32::from(bits & 1023) / 1024.0);
    sign * if exponent == 0 { fraction * 2_f32.powi(-14) } else { (1.0 + fraction) * 2_f32.powi(exponent - 15) }
}

/// Each plane as four of half its size: the pixels of each 2 x 2 one after the other.
fn fold(features: &Features) -> Features {
    let (width, height) = (features.width / 2, features.height / 2);
    let mut values = Vec::with_capacity(features.values.len());
    for plane in features.values.chunks_exact(features.width * features.height) {
        for (dy, dx) in [(0, 0), (0, 1), (1, 0), (1, 1)] {
            values
                .extend((0..width * height).map(|i| plane[(i / width * 2 + dy) * features.width + i % width * 2 + dx]));
        }
    }
    Features { planes: 4 * features.planes, width, height, values }
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
fn fields(bytes: &[u8]) -> Vec<(u64, &[u8])> {
    all_fields(bytes).0
}

/// The fields of a message that have four bytes.
fn fields_of_4_bytes(bytes: &[u8]) -> Vec<(u64, [u8; 4])> {
    all_fields(bytes).1
}

/// Fields with their numbers.
type Numbered<T> = Vec<(u64, T)>;

fn all_fields(mut bytes: &[u8]) -> (Numbered<&[u8]>, Numbered<[u8; 4]>) {
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
    let (mut found, mut short) = (Vec::new(), Vec::new());
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
            _ => {
                let (value, rest) = bytes.split_first_chunk().expect("four bytes");
                short.push((key >> 3, *value));
                bytes = rest;
            }
        }
    }
    (found, short)
}
