//! Where the runtime's plug-ins are.

use std::path::{Path, PathBuf};

/// Names plug-ins, or folders of them, in place of the project's.
pub const PLUGINS_VARIABLE: &str = "DETTAGLIO_PLUGINS";

/// Where they are otherwise, relative to the project's folder: each in a folder of its own.
const PLUGINS_IN_PROJECT: &str = "vendor/plugins";

/// The plug-ins that the variable names, or those of the nearest project folder above the program or the working folder.
pub fn plugins() -> Vec<PathBuf> {
    if let Some(named) = std::env::var_os(PLUGINS_VARIABLE) {
        return std::env::split_paths(&named).filter(|path| !path.as_os_str().is_empty()).flat_map(of).collect();
    }
    let starts = [std::env::current_exe().ok(), std::env::current_dir().ok()];
    let folders = starts.iter().flatten().flat_map(|start| start.ancestors());
    folders.map(|folder| folder.join(PLUGINS_IN_PROJECT)).find(|folder| folder.is_dir()).map_or(Vec::new(), of)
}

/// A file is one, whatever it is called: that it is none is found out when it is tried. Of a folder, those in it and in its folders.
fn of(path: PathBuf) -> Vec<PathBuf> {
    if path.is_dir() { libraries(&path) } else { vec![path] }
}

/// Libraries that are called as plug-ins are, in a folder and in those in it, by name.
fn libraries(folder: &Path) -> Vec<PathBuf> {
    let mut found: Vec<PathBuf> = entries(folder)
        .flat_map(|path| if path.is_dir() { entries(&path).collect() } else { vec![path] })
        .filter(|path| is_plugin(path))
        .collect();
    found.sort();
    found
}

fn entries(folder: &Path) -> impl Iterator<Item = PathBuf> + use<> {
    std::fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path())
}

fn is_plugin(path: &Path) -> bool {
    let name = path.file_name().and_then(|name| name.to_str());
    name.is_some_and(|name| name.starts_with("libonnxruntime_providers_") && name.ends_with(".so"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn plugins_lie_in_folders_of_their_own_beside_what_they_need() {
        let folder = tempfile::tempdir().unwrap();
        let within = folder.path().join("lamp");
        std::fs::create_dir(&within).unwrap();
        for name in ["libonnxruntime_providers_lamp.so", "libonnxruntime_providers_lamp.so.1", "liblamp.so"] {
            std::fs::write(within.join(name), "").unwrap();
        }
        assert_eq!(of(folder.path().to_owned()), [within.join("libonnxruntime_providers_lamp.so")]);
        let named = within.join("liblamp.so");
        assert_eq!(of(named.clone()), [named], "one that is named is taken at its word");
        assert!(of(folder.path().join("lamp/liblamp.so.9")).len() == 1, "and missed when it is tried");
    }
}
