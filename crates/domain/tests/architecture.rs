//! Data flows one way: no crate of the workspace knows one above it, and no crate has a circle among its modules.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

use rstest::rstest;

/// Modules by their path below the crate's root ("suggest::trial"; "" is the root), with the modules that each one names.
type Graph = BTreeMap<String, BTreeSet<String>>;

fn crates() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().expect("the folder of crates").to_owned()
}

/// All modules of a crate, with their files.
fn modules(root: &Path, folder: &Path, found: &mut BTreeMap<String, PathBuf>) {
    for entry in fs::read_dir(folder).expect("a folder of sources").map(|entry| entry.unwrap().path()) {
        if entry.is_dir() {
            modules(root, &entry, found);
        } else if entry.extension().is_some_and(|e| e == "rs") && !entry.ends_with("tests.rs") {
            let below = entry.strip_prefix(root).unwrap().with_extension("");
            let mut path: Vec<String> = below.iter().map(|part| part.to_string_lossy().into_owned()).collect();
            if path.last().is_some_and(|last| matches!(last.as_str(), "mod" | "lib" | "main")) {
                path.pop();
            }
            found.insert(path.join("::"), entry);
        }
    }
}

/// The source without comments and without its tests, which may look anywhere.
fn without_tests(source: &str) -> String {
    let tests = |line: &str| line.starts_with("#[cfg(test)]") || line.starts_with("#[cfg(all(test");
    let code = source.lines().take_while(|line| !tests(line));
    code.map(|line| line.split("//").next().unwrap_or_default()).collect::<Vec<_>>().join("\n")
}

/// Every path that a tree of `use` names: "a::{b, c::d}" is a::b and a::c::d.
fn leaves(tree: &str, before: &str, found: &mut Vec<String>) {
    let (mut depth, mut start) = (0, 0);
    let mut parts = Vec::new();
    for (i, c) in tree.char_indices() {
        match c {
            '{' => depth += 1,
            '}' => depth -= 1,
            ',' if depth == 0 => {
                parts.push(&tree[start..i]);
                start = i + 1;
            }
            _ => {}
        }
    }
    parts.push(&tree[start..]);
    for part in parts.into_iter().map(str::trim).filter(|part| !part.is_empty()) {
        match part.split_once('{') {
            Some((head, rest)) => {
                let rest = rest.rsplit_once('}').expect("a closed brace").0;
                leaves(rest, &format!("{before}{}", head.trim()), found);
            }
            None => found.push(format!("{before}{}", part.split(" as ").next().unwrap_or_default().trim())),
        }
    }
}

/// All paths that a module names: those of its `use` lines, and those in its code that begin at the crate or one module up.
fn named(code: &str) -> BTreeSet<String> {
    let mut found = Vec::new();
    let mut lines = code.lines().map(str::trim);
    while let Some(line) = lines.next() {
        let begins = ["use ", "pub use ", "pub(crate) use ", "pub(super) use "];
        if let Some(tree) = begins.iter().find_map(|begin| line.strip_prefix(begin)) {
            let mut tree = tree.to_owned();
            while !tree.ends_with(';') {
                tree += lines.next().expect("the end of a use");
            }
            leaves(tree.trim_end_matches(';'), "", &mut found);
        }
    }
    let words = code.split(|c: char| !(c.is_alphanumeric() || c == '_' || c == ':'));
    found.extend(
        words
            .filter(|w| (w.starts_with("crate::") || w.starts_with("super::")) && !w.ends_with(':'))
            .map(str::to_owned),
    );
    found.into_iter().collect()
}

fn graph(krate: &str) -> Graph {
    let root = crates().join(krate).join("src");
    let mut files = BTreeMap::new();
    modules(&root, &root, &mut files);
    files.retain(|module, _| !module.starts_with("bin"));
    let edges = |module: &String, file: &PathBuf| {
        let code = without_tests(&fs::read_to_string(file).expect("a source"));
        let here: Vec<&str> = module.split("::").filter(|part| !part.is_empty()).collect();
        let mut named_modules = BTreeSet::new();
        for path in named(&code) {
            let mut parts: Vec<&str> = path.split("::").collect();
            let mut from = here.clone();
            match parts.first() {
                Some(&"crate") => {
                    from.clear();
                    parts.remove(0);
                }
                Some(&("super" | "self")) => {
                    while let Some(&("super" | "self")) = parts.first() {
                        if parts.remove(0) == "super" {
                            from.pop();
                        }
                    }
                }
                // A path without a beginning is a child's, or another crate's.
                _ if parts.first().is_some_and(|first| {
                    let child = [&here[..], &[*first]].concat().join("::");
                    !files.contains_key(&child)
                }) =>
                {
                    continue;
                }
                _ => {}
            }
            let full = [from, parts].concat();
            let module_named =
                (0..=full.len()).rev().map(|n| full[..n].join("::")).find(|name| files.contains_key(name));
            named_modules.extend(module_named.filter(|name| name != module));
        }
        named_modules
    };
    files.iter().map(|(module, file)| (module.clone(), edges(module, file))).collect()
}

/// A circle through a module, if there is one.
fn circle<'g>(
    graph: &'g Graph,
    at: &'g str,
    way: &mut Vec<&'g str>,
    done: &mut BTreeSet<&'g str>,
) -> Option<Vec<String>> {
    if let Some(start) = way.iter().position(|passed| *passed == at) {
        return Some(way[start..].iter().map(|&passed| passed.to_owned()).collect());
    }
    if !done.insert(at) {
        return None;
    }
    way.push(at);
    let found = graph[at].iter().find_map(|next| circle(graph, next, way, done));
    way.pop();
    found
}

#[rstest]
#[case("domain", 30)]
#[case("core", 60)]
#[case("store", 12)]
#[case("server", 50)]
#[case("cli", 5)]
fn no_module_needs_itself(#[case] krate: &str, #[case] at_least: usize) {
    let graph = graph(krate);
    assert!(graph.len() >= at_least, "{} modules were read", graph.len());
    let edges: usize = graph.values().map(BTreeSet::len).sum();
    assert!(edges >= graph.len() / 2, "{edges} uses were read");
    let mut done = BTreeSet::new();
    let found = graph.keys().find_map(|module| circle(&graph, module, &mut Vec::new(), &mut done));
    assert_eq!(found, None, "a circle among the modules of {krate}");
}

#[test]
fn a_circle_is_found() {
    let edge = |to: &str| BTreeSet::from([to.to_owned()]);
    let graph = Graph::from([("a".to_owned(), edge("b")), ("b".to_owned(), edge("c")), ("c".to_owned(), edge("b"))]);
    let found = circle(&graph, "a", &mut Vec::new(), &mut BTreeSet::new());
    assert_eq!(found, Some(vec!["b".to_owned(), "c".to_owned()]));
    assert_eq!(named("pub use a::{b, c::{d, self}};\nuse super::x;\nfn f() { crate::y::z(); }").len(), 5);
}

/// In the order in which they stand on each other: none names one that comes after it.
const ORDER: [&str; 6] = ["domain", "fourier", "core", "store", "server", "cli"];

#[rstest]
#[case("domain", &[])]
#[case("fourier", &[])]
#[case("core", &["domain", "fourier"])]
#[case("store", &["domain"])]
#[case("server", &["domain", "core", "store"])]
#[case("cli", &["domain", "core"])]
fn crates_know_those_below_alone(#[case] krate: &str, #[case] below: &[&str]) {
    let manifest = fs::read_to_string(crates().join(krate).join("Cargo.toml")).expect("a manifest");
    let used = manifest.split("[dev-dependencies]").next().unwrap_or_default();
    let used = used.split("[dependencies]").nth(1).expect("dependencies");
    let known = ORDER.into_iter().filter(|other| used.contains(&format!("\ndettaglio-{other}")));
    assert_eq!(known.collect::<Vec<_>>(), below);
}

/// The layers of the server, the lowest first.
const LAYERS: [&str; 4] = ["compute", "app", "adapters", "http"];

#[test]
fn layers_of_the_server_know_those_below_alone() {
    let layer = |module: &str| LAYERS.iter().position(|layer| module.split("::").next() == Some(*layer));
    for (module, named) in graph("server") {
        for other in named {
            if let (Some(above), Some(below)) = (layer(&module), layer(&other)) {
                assert!(above >= below, "{module} names {other}, which lies above it");
            }
        }
    }
}
