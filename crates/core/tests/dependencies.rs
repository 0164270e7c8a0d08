//! The core stays free of everything that is not computation.

use std::collections::{HashMap, HashSet};

use cargo_metadata::{DependencyKind, MetadataCommand, PackageId};

/// HTTP, SQL, interface and async: none of these may be reachable from the core.
const KEPT_OUT: [&str; 12] = [
    "tokio",
    "async-std",
    "smol",
    "hyper",
    "axum",
    "reqwest",
    "tower",
    "sqlx",
    "mysql_async",
    "utoipa",
    "clap",
    "egui",
];

#[test]
fn no_http_sql_interface_or_async_below_the_core() {
    let metadata = MetadataCommand::new().exec().expect("cargo metadata runs in the workspace");
    let resolve = metadata.resolve.as_ref().expect("a resolved graph");
    let names: HashMap<&PackageId, &str> = metadata.packages.iter().map(|p| (&p.id, p.name.as_str())).collect();
    let root = metadata.packages.iter().find(|p| p.name.as_str() == "dettaglio-core").expect("the core");
    // What the domain offers the server behind features (documents of its types, their columns) is off unless asked for.
    let domain = metadata.packages.iter().find(|p| p.name.as_str() == "dettaglio-domain").expect("the domain");
    let behind_features: HashSet<&str> =
        domain.dependencies.iter().filter(|d| d.optional).map(|d| d.name.as_str()).collect();
    assert!(domain.features.get("default").is_none_or(Vec::is_empty), "no feature of the domain is on by default");
    for user in metadata.packages.iter().filter(|p| ["dettaglio-core", "dettaglio-cli"].contains(&p.name.as_str())) {
        let asked =
            user.dependencies.iter().filter(|d| d.kind == DependencyKind::Normal && d.name == "dettaglio-domain");
        assert!(asked.into_iter().all(|d| d.features.is_empty()), "{} asks for no feature of the domain", user.name);
    }

    let mut reached = HashSet::new();
    let mut waiting = vec![&root.id];
    while let Some(id) = waiting.pop() {
        if !reached.insert(id) {
            continue;
        }
        let node = resolve.nodes.iter().find(|n| n.id == *id).expect("a node for each package");
        for dependency in &node.deps {
            let at_run_time = dependency.dep_kinds.iter().any(|kind| kind.kind == DependencyKind::Normal);
            let behind_feature = *id == domain.id && behind_features.contains(names[&dependency.pkg]);
            if at_run_time && !behind_feature {
                waiting.push(&dependency.pkg);
            }
        }
    }
    let found: Vec<&str> = reached.iter().map(|id| names[id]).filter(|name| KEPT_OUT.contains(name)).collect();
    assert!(found.is_empty(), "the core depends on {found:?}");
    assert!(reached.len() > 20, "the graph was walked");
}
