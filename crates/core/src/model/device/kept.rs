//! What was found of devices, kept in a small file until a plug-in or the runtime changes.

use std::io;
use std::path::{Path, PathBuf};
use std::time::SystemTime;

use dettaglio_domain::device::Wanted;
use serde::{Deserialize, Serialize};

use super::survey::Survey;
use crate::model::whole::write_whole;

/// The file's name in the data folder.
pub const FILE: &str = "devices.json";

/// A library as it was when its devices were tried.
#[derive(Debug, PartialEq, Eq, Serialize, Deserialize)]
struct Library {
    file: PathBuf,
    bytes: u64,
    /// Seconds since 1970.
    changed: u64,
}

impl Library {
    fn at(file: &Path) -> Option<Self> {
        let facts = std::fs::metadata(file).ok()?;
        let changed = facts.modified().ok()?.duration_since(SystemTime::UNIX_EPOCH).ok()?.as_secs();
        Some(Self { file: file.to_owned(), bytes: facts.len(), changed })
    }
}

/// What is kept: what a person wants, and what was found.
#[derive(Debug, Default, Serialize, Deserialize)]
struct Kept {
    #[serde(default)]
    wanted: Option<String>,
    #[serde(default)]
    tried: Option<(Vec<Library>, Survey)>,
}

/// The file in a data folder. What cannot be read of it was never kept.
#[derive(Clone, Debug)]
pub struct KeptDevices(PathBuf);

impl KeptDevices {
    /// In the data folder.
    pub fn within(data: &Path) -> Self {
        Self(data.join(FILE))
    }

    /// What a person wants, where somebody has said so.
    pub fn wanted(&self) -> Option<Wanted> {
        self.read().wanted?.parse().ok()
    }

    /// Keeps what a person wants.
    pub fn want(&self, wanted: &Wanted) -> io::Result<()> {
        self.write(&Kept { wanted: Some(wanted.to_string()), ..self.read() })
    }

    /// What was found with these libraries, the runtime's own among them, if none has changed since.
    pub fn survey(&self, libraries: &[PathBuf]) -> Option<Survey> {
        let (tried, survey) = self.read().tried?;
        let now: Vec<Library> = libraries.iter().filter_map(|file| Library::at(file)).collect();
        (tried == now).then_some(survey)
    }

    /// Keeps what was found with them.
    pub fn found(&self, libraries: &[PathBuf], survey: &Survey) -> io::Result<()> {
        let now = libraries.iter().filter_map(|file| Library::at(file)).collect();
        self.write(&Kept { tried: Some((now, survey.clone())), ..self.read() })
    }

    fn read(&self) -> Kept {
        let text = std::fs::read_to_string(&self.0).unwrap_or_default();
        serde_json::from_str(&text).unwrap_or_default()
    }

    fn write(&self, kept: &Kept) -> io::Result<()> {
        write_whole(&self.0, &serde_json::to_vec_pretty(kept)?)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_found_holds_until_a_library_changes() {
        let folder = tempfile::tempdir().unwrap();
        let library = folder.path().join("libonnxruntime_providers_lamp.so");
        std::fs::write(&library, "one").unwrap();
        let (kept, libraries) = (KeptDevices::within(&folder.path().join("data")), [library.clone()]);
        assert_eq!((kept.survey(&libraries), kept.wanted()), (None, None));
        let survey = Survey { troubles: vec!["it is no plug-in".to_owned()], ..Survey::default() };
        kept.found(&libraries, &survey).unwrap();
        kept.want(&Wanted::Graphics).unwrap();
        assert_eq!((kept.survey(&libraries), kept.wanted()), (Some(survey), Some(Wanted::Graphics)));
        assert_eq!(kept.survey(&[]), None, "another set of libraries");
        std::fs::write(&library, "three").unwrap();
        assert_eq!(kept.survey(&libraries), None);
        assert_eq!(kept.wanted(), Some(Wanted::Graphics), "what a person wants stays");
    }

    #[test]
    fn a_damaged_file_is_as_good_as_none() {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join(FILE), "{\"wanted\": 7").unwrap();
        let kept = KeptDevices::within(folder.path());
        assert_eq!(kept.wanted(), None);
        kept.want(&Wanted::Auto).unwrap();
        assert_eq!(kept.wanted(), Some(Wanted::Auto));
    }
}
