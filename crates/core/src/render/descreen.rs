//! The framed original without the dots that it was printed in.

use dettaglio_domain::affine::space::Kept;
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::halftone::{Halftone, Wave};
use dettaglio_domain::hash::ContentHash;

use super::level::Step;
use super::pace::{Pace, RenderError};
use crate::enlarge::Source;
use crate::frame::Framed;
use crate::halftone::Remover;
use crate::picture::Planes;

/// A framed original with the screen of a halftone taken out.
pub struct Descreened<'a> {
    framed: &'a Framed<'a>,
    halftone: &'a Halftone,
    remover: Remover,
}

impl<'a> Descreened<'a> {
    /// The halftone's waves are those of the original.
    pub fn new(framed: &'a Framed<'a>, halftone: &'a Halftone) -> Self {
        let map = framed.map();
        let (x0, y0) = map.at(0.0, 0.0);
        // A frame turns and mirrors, and stretches nothing: waves turn as places do.
        let turned = |wave: &Wave| {
            let (x, y) = map.at(wave.across.into(), wave.down.into());
            Wave { across: (x - x0) as f32, down: (y - y0) as f32 }
        };
        let waves: Vec<Wave> = halftone.waves.iter().map(turned).collect();
        Self { framed, halftone, remover: Remover::new(halftone, &waves) }
    }
}

impl Step for Descreened<'_> {
    fn size(&self) -> Size {
        self.framed.size()
    }

    fn hash(&self) -> ContentHash {
        ContentHash::of_step(&self.framed.hash(), self.halftone)
    }

    fn region(&self, region: Region<Kept>, _pace: &dyn Pace) -> Result<Planes, RenderError> {
        let padded = region.grown(self.remover.halo(), self.size());
        Ok(self.remover.region(&self.framed.region(padded), padded, region, self.size()))
    }
}

#[cfg(test)]
mod tests {
    use dettaglio_domain::frame::Frame;
    use dettaglio_domain::kernel::Kernel;
    use dettaglio_domain::repair::Repair;
    use dettaglio_domain::treatment::Treatment;
    use rstest::rstest;

    use super::super::pace::Unhurried;
    use super::super::renderer::Renderer;
    use super::*;
    use crate::halftone;
    use crate::model::Shelf;
    use crate::picture::Original;

    const SIZE: Size = Size::new(420, 330);

    /// A slope of tone with a bar across it, printed in dots of `period` pixels at 30 degrees by one ink.
    fn printed(period: f32, turned: bool) -> Original {
        let (sin, cos) = 30_f32.to_radians().sin_cos();
        let size = if turned { Size::new(SIZE.height, SIZE.width) } else { SIZE };
        let at = |i: u64| {
            let (x, y) =
                ((i % u64::from(size.width)) as f32, (i / u64::from(size.width) % u64::from(size.height)) as f32);
            let (u, v) = ((x * cos + y * sin) / period, (y * cos - x * sin) / period);
            let dots = 0.25 * ((u * std::f32::consts::TAU).cos() + (v * std::f32::consts::TAU).cos());
            tone(x, y) + 0.8 * dots * tone(x, y)
        };
        Original::from_planes(&Planes::from_values(size, (0..3 * size.area()).map(at).collect()))
    }

    fn tone(x: f32, y: f32) -> f32 {
        if (150.0..210.0).contains(&x) { 0.7 } else { 0.3 + 0.2 * y / 420.0 }
    }

    fn treatment(original: &Original, frame: Frame) -> Treatment {
        let halftone = halftone::find(original).map(Halftone::found);
        let plain = Treatment::plain(Kernel::Nearest, frame.size(original.size()).unwrap());
        Treatment { frame, repair: Repair { halftone, ..Repair::default() }, ..plain }
    }

    fn rendered(original: &Original, treatment: &Treatment, region: Region) -> Planes {
        let renderer = Renderer::new(Shelf::of(vec![]), 64 << 20);
        renderer.render(original, treatment, region.seen_as(), &Unhurried).unwrap()
    }

    /// Levels that luminance strays from `tone` within places away from the bar's edges, root mean square.
    fn strays(planes: &Planes, tone: impl Fn(f32, f32) -> f32) -> f64 {
        let mut squares = (0.0, 0);
        for y in 40..planes.size().height - 40 {
            for x in (40..110).chain(260..planes.size().width - 40) {
                let due = tone(x as f32, y as f32);
                squares.0 += f64::from((planes.row(0, y)[x as usize] - due) * 255.0).powi(2);
                squares.1 += 1;
            }
        }
        (squares.0 / f64::from(squares.1)).sqrt()
    }

    #[rstest]
    #[case::fine(2.7)]
    #[case::usual(4.4)]
    #[case::coarse(7.5)]
    fn dots_are_found_and_go_and_a_border_stays(#[case] period: f32) {
        let original = printed(period, false);
        let treatment = treatment(&original, Frame::default());
        let found = treatment.repair.halftone.as_ref().expect("a halftone");
        assert!((found.period() - period).abs() < 0.1, "{}", found.period());
        let after = rendered(&original, &treatment, SIZE.whole());
        let before = strays(&original.planes(), tone);
        // Light is averaged, which is a little brighter than the mean of what it is encoded as: by a share, as dots are.
        let mean = |of: &dyn Fn(u32, u32) -> f32| {
            (60..100).flat_map(|y| (50..100).map(move |x| (x, y))).map(|(x, y)| of(x, y)).sum::<f32>()
        };
        let share = mean(&|x, y| after.row(0, y)[x as usize]) / mean(&|x, y| tone(x as f32, y as f32));
        let left = strays(&after, |x, y| share * tone(x, y));
        assert!(before > 15.0 && left < 1.5, "{before} before, {left} after");
        let (bar, beside) = (after.row(0, 160)[158], after.row(0, 160)[140]);
        assert!(bar - beside > 0.25, "the border is there: {bar} {beside}");
    }

    #[rstest]
    #[case(Region::new(0, 0, 70, 330))]
    #[case(Region::new(133, 77, 64, 64))]
    #[case(Region::new(419, 329, 1, 1))]
    fn a_region_is_that_part_of_the_whole(#[case] region: Region) {
        let original = printed(4.4, false);
        let treatment = treatment(&original, Frame::default());
        let whole = rendered(&original, &treatment, SIZE.whole());
        assert_eq!(rendered(&original, &treatment, region), whole.cut(region));
    }

    #[rstest]
    #[case(Frame { quarter_turns: 1, ..Frame::default() }, true)]
    #[case(Frame { mirrored: true, ..Frame::default() }, false)]
    #[case(Frame { degrees: 7.0, ..Frame::default() }, false)]
    fn the_waves_turn_with_the_frame(#[case] frame: Frame, #[case] turned: bool) {
        let original = printed(4.4, turned);
        let with = treatment(&original, frame);
        let without = Treatment { repair: Repair::default(), ..with.clone() };
        let size = with.size;
        let rough = |planes: &Planes| {
            let (mut sum, mut count) = (0.0, 0);
            for y in 100..size.height - 100 {
                for pair in planes.row(0, y)[100..size.width as usize - 100].windows(2) {
                    sum += f64::from((pair[1] - pair[0]).abs());
                    count += 1;
                }
            }
            sum / f64::from(count)
        };
        let (before, after) =
            (rough(&rendered(&original, &without, size.whole())), rough(&rendered(&original, &with, size.whole())));
        assert!(after < 0.2 * before, "{before} before, {after} after");
    }

    #[test]
    fn at_strength_nothing_nothing_changes() {
        let original = printed(4.4, false);
        let mut treatment = treatment(&original, Frame::default());
        treatment.repair.halftone.as_mut().unwrap().strength = 0.0;
        assert!(rendered(&original, &treatment, SIZE.whole()) == original.planes());
    }
}
