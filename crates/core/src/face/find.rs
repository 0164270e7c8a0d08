//! Finding faces: frontal and three-quarter ones from 20 px.
//!
//! Three [networks](super::networks) look, each at less and more closely: at every window of a picture and of smaller and smaller
//! copies of it; at the windows that are left, each a square of 24 px; at what is left of these, of 48 px.
//!
//! A picture is looked at whole at 1.5 megapixels; where that shows a face, once more at 6 for smaller ones. Where it shows none,
//! faces may lie in the dark or in glare, or the picture on its side: it is looked at in an even light, and the other three ways up.

use std::path::Path;

use dettaglio_domain::affine::{Affine, space};
use dettaglio_domain::face::{Face, MOST_FACES};
use dettaglio_domain::frame::Frame;
use dettaglio_domain::geometry::{Place, Region, Size};
use rayon::prelude::*;

use super::canvas::seen_through;
use super::networks::{Answer, Networks, Proposal, SECOND, THIRD, WINDOW, Window};
use crate::enlarge::{Averaging, Source, area_mean_in};
use crate::frame::Framed;
use crate::model::ModelError;
use crate::picture::{Original, Planes};
use crate::plane::box_mean;
use crate::render::pace::{Cancelled, Pace, RenderError};

/// Side of the smallest face that is looked for, pixels.
const LEAST_SIDE: u32 = 20;

/// Pixels of the copy that is looked at first.
const FIRST_LOOK: f64 = 1.5e6;

/// Pixels of the copy that is looked at for small faces once there is a face.
const SECOND_LOOK: f64 = 6e6;

/// Pixels of the copies in an even light and for the other ways up.
const OTHER_LOOK: f64 = 0.5e6;

/// Side of a copy over that of the next finer one: half the pixels each time.
const NEXT: f64 = std::f64::consts::FRAC_1_SQRT_2;

/// The first network's probability from which on a window is looked at again.
const PROPOSED: f32 = 0.6;

/// The second one's.
const REFINED: f32 = 0.8;

/// Windows that are looked at again at most: the likeliest. Texture has thousands, of which none is a face.
const MOST_WINDOWS: usize = 1000;

/// Of windows of one size, and of all sizes, that share more than this of what they cover together, the likeliest stays.
const SHARED: (f64, f64) = (0.5, 0.7);

/// What the second and the third network must say of a face at least, and how far from their middle the places of its eyes and mouth may
/// lie from one look to the other, as a share of the distance of its eyes: what is none is seen somewhere else each time.
struct Demand {
    refined: f32,
    sure: f32,
    apart: f32,
}

/// Of an upright face in the light of the picture whose eyes are at least [`CLEAR_EYES`] apart.
const CLEAR: Demand = Demand { refined: 0.8, sure: 0.8, apart: 0.14 };

/// Of any other: two dots over a third are found in any texture, the more so when it is turned and lit until there are some.
const DOUBTFUL: Demand = Demand { refined: 0.95, sure: 0.93, apart: 0.12 };

/// In pixels of the picture.
const CLEAR_EYES: f32 = 20.0;

/// How far the eyes of the smallest face are apart.
const LEAST_EYES: f64 = LEAST_SIDE as f64 / HEAD;

/// A square whose mean lies in here is shown to the landmark network as it is; darker and lighter ones are brought to the light that it
/// knows faces in first.
const USUAL_LIGHT: std::ops::RangeInclusive<f32> = 0.22..=0.75;

/// Mean and standard deviation of a face in a usual light.
const EVENED: (f32, f32) = (0.45, 0.17);

/// Side of the surroundings whose light is evened out, as a share of the picture's shorter edge.
const SURROUNDINGS: f64 = 0.3;

/// Less contrast than this, two levels of 8 bits, is noise rather than a picture.
const LEAST_CONTRAST: f32 = 2.0 / 255.0;

/// The squares around a find that are looked at first, as shares of its side.
const ROUGH: [f64; 3] = [0.85, 1.0, 1.15];

/// How sure the likeliest of them must be for a closer look.
const WORTH_A_LOOK: f32 = 0.3;

/// The squares around a face that are looked at then, as shares of [`HEAD`].
const CLOSER: [f64; 2] = [1.0, 1.15];

/// Side of the square that holds a face, over the distance of its eyes.
const HEAD: f64 = 2.75;

/// Finds faces.
pub struct Finder(Networks);

impl std::fmt::Debug for Finder {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Finder")
    }
}

/// A face and how sure it is.
#[derive(Clone, Copy)]
struct Find<S = space::Original> {
    face: Face<S>,
    sure: f32,
}

/// How a picture is looked at.
#[derive(Clone, Copy, PartialEq)]
enum Light {
    AsItIs,
    /// Everywhere of the same brightness and contrast.
    Even,
}

/// A square of a picture, by its middle.
#[derive(Clone, Copy)]
struct Square {
    x: f64,
    y: f64,
    side: f64,
}

impl Square {
    /// The square that a face fills.
    fn of<S>(face: &Face<S>) -> Self {
        let mean = |a: f32, b: f32, c: f32| f64::from(a + b + c) / 3.0;
        let (l, r, m) = (face.left_eye, face.right_eye, face.mouth);
        Self { x: mean(l.x, r.x, m.x), y: mean(l.y, r.y, m.y), side: HEAD * f64::from(face.eyes()) }
    }

    fn grown(self, share: f64) -> Self {
        Self { side: self.side * share, ..self }
    }

    fn scaled(self, by: f64) -> Self {
        Self { x: self.x * by, y: self.y * by, side: self.side * by }
    }

    /// Its upper left corner.
    fn corner(&self) -> (f64, f64) {
        (self.x - self.side / 2.0, self.y - self.side / 2.0)
    }

    /// The square around the face that a window of it holds.
    fn refined(self, shift: [f32; 4]) -> Self {
        let edge = |at: f64, k: usize| at + f64::from(shift[k]) * self.side;
        let half = self.side / 2.0;
        let (left, top) = (edge(self.x - half, 0), edge(self.y - half, 1));
        let (right, bottom) = (edge(self.x + half, 2), edge(self.y + half, 3));
        Self { x: (left + right) / 2.0, y: (top + bottom) / 2.0, side: (right - left).max(bottom - top) }
    }

    /// What two squares share of what they cover together, 0 to 1.
    fn shared(&self, other: &Self) -> f64 {
        let along =
            |a: f64, b: f64| ((self.side + other.side) / 2.0 - (a - b).abs()).clamp(0.0, self.side.min(other.side));
        let both = along(self.x, other.x) * along(self.y, other.y);
        both / (self.side.powi(2) + other.side.powi(2) - both)
    }
}

/// Squares that may hold a face, and how sure that is.
type Guesses = Vec<(Square, f32)>;

/// The likeliest of those that share more than this with each other.
fn thinned(mut guesses: Guesses, share: f64) -> Guesses {
    guesses.sort_by(|a, b| b.1.total_cmp(&a.1));
    guesses.truncate(MOST_WINDOWS);
    let mut kept: Guesses = Vec::new();
    for (square, sure) in guesses {
        if kept.iter().all(|(other, _)| square.shared(other) <= share) {
            kept.push((square, sure));
        }
    }
    kept
}

/// A picture and smaller and smaller copies of it, each with its side over the picture's.
struct Copies(Vec<(f64, Planes)>);

impl Copies {
    /// The first copy is the picture itself; in the second a face of [`LEAST_SIDE`] fills a window.
    fn of(picture: Planes) -> Self {
        let size = picture.size();
        let mut copies = vec![(1.0, picture)];
        let mut scale = f64::from(WINDOW) / f64::from(LEAST_SIDE);
        while f64::from(size.short_edge()) * scale >= f64::from(WINDOW) {
            let side = |px: u32| (f64::from(px) * scale).round() as u32;
            let smaller = Size::new(side(size.width), side(size.height));
            let finer = &copies.last().expect("there is one").1;
            copies.push((scale, area_mean_in(finer, smaller, smaller.whole(), Averaging::Encoded)));
            scale *= NEXT;
        }
        Self(copies)
    }

    /// A square of the picture as one of so many pixels, out of the smallest copy that shows it in full; `None` where the picture
    /// itself shows less.
    fn square(&self, square: &Square, side: u32) -> Option<Vec<f32>> {
        let (scale, copy) = self.0.iter().rev().find(|(scale, _)| square.side * scale >= f64::from(side))?;
        Some(between(copy, square.scaled(*scale), side))
    }
}

/// A picture that is looked at, and the copies of it in which faces are looked for.
struct View<'a> {
    picture: &'a Framed<'a>,
    /// Its side over that of the first copy.
    scale: f64,
    copies: Copies,
    /// Whether it is looked at the way up and in the light that it has.
    is_usual: bool,
}

impl View<'_> {
    /// A square of the picture for the third network; `None` where it leaves the picture altogether.
    fn square(&self, square: &Square) -> Option<Vec<f32>> {
        self.copies.square(&square.scaled(1.0 / self.scale), THIRD).or_else(|| seen(self.picture, *square, THIRD))
    }
}

/// A square of a picture as one of so many pixels, each mixed from the four around its middle; beyond the picture's edge the edge is
/// repeated. For squares that have few pixels more than that.
fn between(picture: &Planes, square: Square, side: u32) -> Vec<f32> {
    let Size { width, height } = picture.size();
    let (left, top) = square.corner();
    let step = square.side / f64::from(side);
    let along = |start: f64, count: u32| {
        (0..side).map(move |k| {
            let at = (start + (f64::from(k) + 0.5) * step - 0.5).clamp(0.0, f64::from(count - 1));
            let first = (at as u32).min(count.saturating_sub(2));
            (first as usize, (first + 1).min(count - 1) as usize, (at - f64::from(first)) as f32)
        })
    };
    let columns: Vec<_> = along(left, width).collect();
    let mut values = Vec::with_capacity(3 * side as usize * side as usize);
    for channel in 0..3 {
        for (upper, lower, down) in along(top, height) {
            let (upper, lower) = (picture.row(channel, upper as u32), picture.row(channel, lower as u32));
            values.extend(columns.iter().map(|&(a, b, across)| {
                let mix = |row: &[f32]| row[a] + (row[b] - row[a]) * across;
                mix(upper) + (mix(lower) - mix(upper)) * down
            }));
        }
    }
    in_usual_light(&mut values);
    values
}

/// A square of a picture as one of so many pixels, each the mean of what it covers; `None` where it leaves the picture altogether.
fn seen<S>(picture: &(impl Source<Space = S> + ?Sized), square: Square, side: u32) -> Option<Vec<f32>> {
    let step = square.side / f64::from(side);
    let (x0, y0) = square.corner();
    let map: Affine<space::Canvas, S> = Affine { xx: step, yy: step, x0, y0, ..Affine::IDENTITY };
    let part = Region::covering(&map, f64::from(side), f64::from(side), picture.size())?;
    let mut values = seen_through(&map, &picture.pull(part), (part.x, part.y), Size::new(side, side).whole().seen_as())
        .into_values();
    in_usual_light(&mut values);
    Some(values)
}

impl Finder {
    /// The finder of a folder of face models.
    pub fn open(folder: &Path) -> Result<Self, ModelError> {
        Ok(Self(Networks::open(folder)?))
    }

    /// The faces of an original, the largest first; before each run of a network it is asked whether to go on.
    pub fn find(&self, original: &Original, pace: &dyn Pace) -> Result<Vec<Face>, RenderError> {
        let turned = |quarter_turns: u8| {
            Framed::new(original, Frame { quarter_turns, ..Frame::default() }).expect("a whole picture")
        };
        let upright = turned(0);
        let copy = brought_down(&upright, FIRST_LOOK);
        let mut finds = self.look(&upright, copy.clone(), true, pace)?;
        if finds.is_empty() {
            let smaller = brought_down(&copy, OTHER_LOOK);
            for (turns, light) in [(0, Light::Even), (1, Light::AsItIs), (3, Light::AsItIs), (2, Light::AsItIs)] {
                let framed = turned(turns);
                finds = self.look(&framed, as_seen(&smaller, turns, light), false, pace)?;
                if !finds.is_empty() {
                    finds.extend(self.look(&framed, as_seen(&copy, turns, light), false, pace)?);
                    break;
                }
            }
        } else if original.size().area() as f64 > 1.5 * FIRST_LOOK {
            finds.extend(self.look(&upright, brought_down(&upright, SECOND_LOOK), true, pace)?);
        }
        Ok(apart(finds))
    }

    /// Upright faces of a picture, looked for in a copy of it.
    fn look(
        &self,
        picture: &Framed<'_>,
        copy: Planes,
        is_usual: bool,
        pace: &dyn Pace,
    ) -> Result<Vec<Find>, RenderError> {
        let (whole, size) = (picture.size(), copy.size());
        if size.short_edge() < LEAST_SIDE {
            return Ok(Vec::new());
        }
        let scale = f64::from(whole.width) / f64::from(size.width);
        let view = View { picture, scale, copies: Copies::of(copy), is_usual };
        let back = picture.map().inverse();
        let mut finds = Vec::new();
        for (square, sure) in self.guesses(&view.copies, pace)? {
            go_on(pace)?;
            if let Some(Find { face, sure }) = self.face(&view, square.scaled(scale), sure)? {
                finds.push(Find { face: face.mapped(&back), sure });
            }
        }
        Ok(finds)
    }

    /// Where the first two networks see faces, in pixels of the first copy.
    fn guesses(&self, copies: &Copies, pace: &dyn Pace) -> Result<Guesses, RenderError> {
        let mut proposed = Guesses::new();
        for (scale, copy) in &copies.0[1..] {
            let side = f64::from(WINDOW);
            let guess = |Proposal { x, y, window }: Proposal| {
                let square = Square { x: f64::from(x) + side / 2.0, y: f64::from(y) + side / 2.0, side };
                (square.scaled(1.0 / scale).refined(window.shift), window.sure)
            };
            go_on(pace)?;
            let of_this_size = thinned(self.0.propose(copy, PROPOSED)?.into_iter().map(guess).collect(), SHARED.0);
            proposed.extend(of_this_size);
        }
        let shown = thinned(proposed, SHARED.1);
        let whole = &copies.0[0].1;
        let squares: Vec<Vec<f32>> = shown
            .par_iter()
            .map(|(square, _)| copies.square(square, SECOND).unwrap_or_else(|| between(whole, *square, SECOND)))
            .collect();
        go_on(pace)?;
        let refined = self.0.refine(&squares.concat(), shown.len())?.into_iter().zip(shown);
        let faces = refined.filter(|(window, _)| window.sure >= REFINED);
        Ok(thinned(
            faces.map(|(Window { sure, shift }, (square, _))| (square.refined(shift), sure)).collect(),
            SHARED.1,
        ))
    }

    /// The face near a square of a picture, if there is one.
    ///
    /// Squares are off by up to a fifth: the places found in the likeliest of a few lead to a better one.
    fn face(&self, view: &View<'_>, rough: Square, refined: f32) -> Result<Option<Find<space::Kept>>, ModelError> {
        let first = self.look_closely(view, &ROUGH.map(|share| rough.grown(share)), false)?;
        let Some((sure, face)) = first.into_iter().max_by(|a, b| a.0.total_cmp(&b.0)) else { return Ok(None) };
        if sure < WORTH_A_LOOK {
            return Ok(None);
        }
        let closer = self.look_closely(view, &CLOSER.map(|share| Square::of(&face).grown(share)), true)?;
        if closer.is_empty() {
            return Ok(None);
        }
        let count = closer.len() as f32;
        let sure = closer.iter().map(|(sure, _)| sure).sum::<f32>() / count;
        // The mean over the looks steadies the places.
        let mut apart = 0.0_f32;
        let mut mean = |of: fn(&Face<space::Kept>) -> Place<space::Kept>| {
            let (x, y) = closer.iter().fold((0.0, 0.0), |(x, y), (_, f)| (x + of(f).x / count, y + of(f).y / count));
            apart = closer.iter().map(|(_, f)| (of(f).x - x).hypot(of(f).y - y)).fold(apart, f32::max);
            Place::new(x, y)
        };
        let face = Face { left_eye: mean(|f| f.left_eye), right_eye: mean(|f| f.right_eye), mouth: mean(|f| f.mouth) };
        let least = if view.is_usual && face.eyes() >= CLEAR_EYES { CLEAR } else { DOUBTFUL };
        let is_one = refined >= least.refined
            && sure >= least.sure
            && apart <= least.apart * face.eyes()
            && f64::from(face.eyes()) >= LEAST_EYES;
        Ok(Some(Find { face, sure }).filter(|find| is_one && find.face.is_usable()))
    }

    /// How sure it is that each square holds a face, and where that has its eyes and mouth; if asked for, once more as its mirror shows
    /// it. Squares that leave the picture altogether are left out.
    fn look_closely(
        &self,
        view: &View<'_>,
        squares: &[Square],
        mirrored_too: bool,
    ) -> Result<Vec<(f32, Face<space::Kept>)>, ModelError> {
        let mut values = Vec::new();
        let mut inside = Vec::new();
        for square in squares {
            if let Some(seen) = view.square(square) {
                values.extend(seen);
                inside.push(square);
            }
        }
        if mirrored_too {
            let rows = values.chunks_exact(THIRD as usize);
            let mirrored: Vec<f32> = rows.flat_map(|row| row.iter().rev().copied()).collect();
            values.extend(mirrored);
        }
        let looks = if mirrored_too { 2 } else { 1 };
        let mut answers = self.0.landmarks(&values, looks * inside.len())?;
        answers[inside.len()..].iter_mut().for_each(Answer::mirror);
        let face = |(Answer { sure, places }, square): (Answer, &&Square)| {
            let (x0, y0) = square.corner();
            let at = |k: usize| {
                let place = |from: f64, share: f32| (from + f64::from(share) * square.side) as f32;
                Place::new(place(x0, places[k].0), place(y0, places[k].1))
            };
            let (a, b) = (at(3), at(4));
            let mouth = Place::new((a.x + b.x) / 2.0, (a.y + b.y) / 2.0);
            (sure, Face { left_eye: at(0), right_eye: at(1), mouth })
        };
        Ok(answers.into_iter().zip(inside.iter().cycle()).map(face).collect())
    }
}

/// Lets more urgent work pass, and ends where the pace says so.
fn go_on(pace: &dyn Pace) -> Result<(), Cancelled> {
    if pace.before_block() { Ok(()) } else { Err(Cancelled) }
}

/// Brings what lies in the dark or in glare to a usual light, with the contrast of one.
fn in_usual_light(values: &mut [f32]) {
    let count = values.len() as f32;
    let mean = values.iter().sum::<f32>() / count;
    if USUAL_LIGHT.contains(&mean) {
        return;
    }
    let spread = (values.iter().map(|v| (v - mean).powi(2)).sum::<f32>() / count).sqrt();
    values.iter_mut().for_each(|v| *v = evened(*v, mean, spread).clamp(0.0, 1.0));
}

/// A value among others of this mean and standard deviation, as it would be in a usual light.
fn evened(value: f32, mean: f32, spread: f32) -> f32 {
    EVENED.0 + (value - mean) * EVENED.1 / spread.max(LEAST_CONTRAST)
}

/// Gives every place of a picture the brightness and the contrast of a face in a usual light.
fn even_out(grey: &mut [f32], size: Size) {
    let width = size.width as usize;
    let reach = (f64::from(size.short_edge()) * SURROUNDINGS / 2.0) as usize;
    let squares: Vec<f32> = grey.iter().map(|v| v * v).collect();
    let (means, mean_squares) = (box_mean(grey, width, reach), box_mean(&squares, width, reach));
    for ((value, mean), mean_square) in grey.iter_mut().zip(means).zip(mean_squares) {
        *value = evened(*value, mean, (mean_square - mean * mean).max(0.0).sqrt());
    }
}

/// A picture brought down to this many pixels, if it has more; in strips, so that little of it is held as numbers at once.
fn brought_down(picture: &(impl Source + Sync), most: f64) -> Planes {
    const ROWS: u32 = 32;
    let whole = picture.size();
    let scale = (most / whole.area() as f64).sqrt().min(1.0);
    let side = |px: u32| ((f64::from(px) * scale).round() as u32).max(1);
    let size = Size::new(side(whole.width), side(whole.height));
    let tops: Vec<u32> = (0..size.height).step_by(ROWS as usize).collect();
    let strip = |top: &u32| {
        let rows = Region::new(0, *top, size.width, ROWS.min(size.height - top));
        area_mean_in(picture, size, rows, Averaging::Encoded)
    };
    let strips: Vec<Planes> = tops.par_iter().map(strip).collect();
    let mut copy = Planes::black(size);
    for (strip, top) in strips.iter().zip(tops) {
        copy.paste(strip, 0, top);
    }
    copy
}

/// A picture turned by so many quarters, in this light.
fn as_seen(picture: &Planes, quarter_turns: u8, light: Light) -> Planes {
    let turned = match quarter_turns {
        0 => picture.clone(),
        _ => {
            let original = Original::from_planes(picture);
            let framed = Framed::new(&original, Frame { quarter_turns, ..Frame::default() }).expect("a whole picture");
            framed.planes()
        }
    };
    if light == Light::AsItIs {
        return turned;
    }
    let mut grey = turned.luminance();
    even_out(&mut grey, turned.size());
    Planes::from_values(turned.size(), [&grey[..]; 3].concat())
}

/// One find for each face: of those that lie over each other the surest; the largest face first.
fn apart(mut finds: Vec<Find>) -> Vec<Face> {
    finds.sort_by(|a, b| b.sure.total_cmp(&a.sure));
    let mut faces: Vec<Face> = Vec::new();
    for Find { face, .. } in finds {
        let middle = |f: &Face| {
            ((f.left_eye.x + f.right_eye.x + f.mouth.x) / 3.0, (f.left_eye.y + f.right_eye.y + f.mouth.y) / 3.0)
        };
        let (x, y) = middle(&face);
        let free = |other: &Face| {
            let (ox, oy) = middle(other);
            (x - ox).hypot(y - oy) > face.eyes().max(other.eyes())
        };
        if faces.iter().all(free) {
            faces.push(face);
        }
    }
    faces.sort_by(|a, b| b.eyes().total_cmp(&a.eyes()));
    faces.truncate(MOST_FACES);
    faces
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn of_finds_over_each_other_the_surest_stays() {
        let face = |x: f32, eyes: f32| Face::of_eyes(Place::new(x, 50.0), Place::new(x + eyes, 50.0));
        let find = |face, sure| Find { face, sure };
        let kept =
            apart(vec![find(face(100.0, 30.0), 0.95), find(face(104.0, 32.0), 0.99), find(face(300.0, 60.0), 0.9)]);
        assert_eq!(kept, [face(300.0, 60.0), face(104.0, 32.0)]);
    }

    #[test]
    fn in_an_even_light_shade_and_glare_look_alike() {
        let size = Size::new(120, 60);
        let pattern = |x: u32| if (x / 4).is_multiple_of(2) { 1.0 } else { 0.0 };
        // The left half in the dark, the right half in glare.
        let value = |i: u32| if i % 120 < 60 { 0.02 + 0.03 * pattern(i % 120) } else { 0.8 + 0.2 * pattern(i % 120) };
        let mut grey: Vec<f32> = (0..120 * 60).map(value).collect();
        even_out(&mut grey, size);
        let apart = |x: usize| grey[30 * 120 + x + 4] - grey[30 * 120 + x];
        let (dark, light) = (apart(20), apart(92));
        assert!(dark.abs() > 0.25 && light.abs() > 0.25, "{dark} {light}");
        assert!((dark.abs() - light.abs()).abs() < 0.05, "{dark} {light}");
    }

    fn square(x: f64, y: f64, side: f64) -> Square {
        Square { x, y, side }
    }

    #[test]
    fn squares_share_what_they_both_cover() {
        let one = square(10.0, 10.0, 4.0);
        assert_eq!(one.shared(&one), 1.0);
        assert_eq!(one.shared(&square(14.0, 10.0, 4.0)), 0.0);
        assert!((one.shared(&square(12.0, 10.0, 4.0)) - 1.0 / 3.0).abs() < 1e-9, "half of each of two");
        assert!((one.shared(&square(10.5, 10.0, 2.0)) - 0.25).abs() < 1e-9, "one within the other");
    }

    #[test]
    fn of_squares_over_each_other_the_likeliest_stays() {
        let guesses =
            vec![(square(10.0, 10.0, 8.0), 0.7), (square(11.0, 10.0, 8.0), 0.9), (square(30.0, 10.0, 8.0), 0.8)];
        let kept: Vec<f64> = thinned(guesses, 0.5).into_iter().map(|(square, _)| square.x).collect();
        assert_eq!(kept, [11.0, 30.0]);
    }

    #[test]
    fn a_square_out_of_copies_is_what_the_picture_shows_there() {
        let size = Size::new(90, 70);
        let ramp = |i: u32| f32::from(u16::try_from(i % 90).unwrap()) / 90.0;
        let picture = Planes::from_values(size, (0..3 * 90 * 70).map(ramp).collect());
        let copies = Copies::of(picture);
        for side in [24.0, 30.0, 60.0] {
            let shown = copies.square(&square(45.0, 35.0, side), SECOND).unwrap();
            let step = side / f64::from(SECOND);
            for (k, value) in shown[..SECOND as usize].iter().enumerate() {
                let due = (45.0 - side / 2.0 + (k as f64 + 0.5) * step - 0.5) / 90.0;
                assert!((f64::from(*value) - due).abs() < 0.02, "{side}: {k} is {value}, not {due}");
            }
        }
        assert!(copies.square(&square(45.0, 35.0, 20.0), SECOND).is_none(), "the picture has fewer pixels there");
    }

    #[test]
    fn a_window_leads_to_the_square_around_its_face() {
        let found = square(50.0, 50.0, 16.0).refined([0.125, 0.0, 0.125, 0.25]);
        assert_eq!((found.x, found.y, found.side), (52.0, 52.0, 20.0));
    }

    #[test]
    fn a_folder_without_the_files_is_named() {
        let folder = tempfile::tempdir().unwrap();
        let error = Finder::open(folder.path()).unwrap_err().to_string();
        assert!(error.contains("propose.onnx"), "{error}");
        std::fs::write(folder.path().join("propose.onnx"), b"no network").unwrap();
        assert!(Finder::open(folder.path()).is_err(), "a file of something else");
    }
}
