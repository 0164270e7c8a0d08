//! The pictures that models are scored on.

use std::path::Path;

use dettaglio_core::picture::Planes;
use dettaglio_domain::model::PHOTOGRAPHS;

use super::damage::{Outcome, Photo, load};
use super::sheets::NATIVE;

/// One picture of a set, and where the damage belongs to the subject, the small damaged ones to start from, each for another factor.
pub struct Subject {
    pub name: String,
    pub truth: Planes,
    pub given: Vec<Planes>,
}

/// All sets by name, the photographs first.
pub struct Sets {
    sets: Vec<(String, Vec<Subject>)>,
    photographs: Vec<Photo>,
    night: Vec<Photo>,
}

/// The folder of dark pictures, on which only cleaners of noise are scored.
const NIGHT: &str = "night";

impl Sets {
    /// The photographs of a folder, and a subject's set for every folder in it.
    pub fn load(folder: &Path) -> Outcome<Self> {
        let photographs = load(folder)?;
        let plain =
            |photo: &Photo| Subject { name: photo.name.clone(), truth: photo.planes.clone(), given: Vec::new() };
        let mut sets = vec![(PHOTOGRAPHS.to_owned(), photographs.iter().map(plain).collect())];
        let mut folders: Vec<_> = std::fs::read_dir(folder)?.map(|e| e.map(|e| e.path())).collect::<Result<_, _>>()?;
        let night = load(&folder.join(NIGHT))?;
        let hidden = |path: &Path| path.file_name().is_none_or(|name| name.to_string_lossy().starts_with('.'));
        folders.retain(|path| path.is_dir() && !hidden(path) && !path.ends_with(NIGHT) && !path.ends_with(NATIVE));
        folders.sort();
        for path in folders {
            let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
            let mut given = Vec::new();
            for folder in ["given", "given/x2"].map(|folder| path.join(folder)).iter().filter(|folder| folder.is_dir())
            {
                given.extend(load(folder)?);
            }
            let subject = |photo: Photo| {
                let given = given.iter().filter(|g| g.name == photo.name).map(|g| g.planes.clone()).collect();
                Subject { name: photo.name, truth: photo.planes, given }
            };
            sets.push((name, load(&path)?.into_iter().map(subject).collect()));
        }
        Ok(Self { sets, photographs, night })
    }

    /// Every set with its name.
    pub fn each(&self) -> impl Iterator<Item = (&str, &[Subject])> {
        self.sets.iter().map(|(name, subjects)| (name.as_str(), &subjects[..]))
    }

    /// Dark pictures with points of light and wires.
    pub fn night(&self) -> &[Photo] {
        &self.night
    }

    /// All pictures in which nobody is to be seen, each once.
    pub fn without_people(&self) -> Vec<&Planes> {
        let sets = self.sets.iter().filter(|(name, _)| name != "portrait" && name != "prints");
        sets.flat_map(|(_, subjects)| subjects).map(|s| &s.truth).chain(self.night.iter().map(|p| &p.planes)).collect()
    }

    /// The photographs of all kinds.
    pub fn photographs(&self) -> &[Photo] {
        &self.photographs
    }
}

pub const CREDITS: &str = "
## The pictures

Fetched and rendered by `python -m dettaglio_foundry.scoring held-out`; they are not part of this repository.

- Aqua, Garden, LadyBird, YellowFlower: Charles Barbin; Blinds: Lennart Poettering and Andrea Cimitan; Dune: Marco
  Cogoni and Hylke Bons; RainDrops, TwoWings: MATE Backgrounds contributors. Debian package mate-backgrounds,
  GPL-2+, used at half size.
- chelsea, coffee (CC0), motorcycle_left (Middlebury stereo data, for research): from the PyPI package scikit-image.
- china, flower (CC-BY 2.0): from the PyPI package scikit-learn.
- foliage: EveningGlow, FallenLeaf, OneStandsOut, Path from the Debian package plasma-workspace-wallpapers (GPL-2+), at
  half size, a part of each; grass and gravel (CC0) from the PyPI package scikit-image; Road from gnome-backgrounds (CC-BY-SA-3.0).
- fur: eight animals of the Debian package gcompris-qt-data (CC-BY-SA, CC-BY, public domain and GPL-3+), held back from training.
- native: parts of these as they left their cameras, and of photographs held back from budgie-backgrounds (CC0),
  forensics-samples-files (CC-BY-SA-4.0) and the PyPI package mvtb-data (MIT).
- lettering: rendered from seeds, in fonts that no model was trained on. prints: some of the photographs
  above, faded, and scanned by a simulation of paper grain, halftone, dust and scratches. night: some of them, darkened,
  with rendered points of light and wires. portrait: twelve of the made-up people of foundry/heads/kept.
";
