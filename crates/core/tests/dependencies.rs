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
    // `schema` describes the domain's types for the server's API documents and is off by default.
    let domain = metadata.packages.iter().find(|p| p.name.as_str() == "dettaglio-domain").expect("the domain");
    assert!(domain.features.get("default").is_none_or(|list| !list.iter().any(|f| f == "schema")));

    let mut reached = HashSet::new();
    let mut waiting = vec![&root.id];
    while let Some(id) = waiting.pop() {
        if !reached.insert(id) {
            continue;
        }
        let node = resolve.nodes.iter().find(|n| n.id == *id).expect("a node for each package");
        for dependency in &node.deps {
            let at_run_time = dependency.dep_kinds.iter().any(|kind| kind.kind == DependencyKind::Normal);
            let only_for_schema = *id == domain.id && names[&dependency.pkg] == "utoipa";
            if at_run_time && !only_for_schema {
                waiting.push(&dependency.pkg);
            }
        }
    }
    let found: Vec<&str> = reached.iter().map(|id| names[id]).filter(|name| KEPT_OUT.contains(name)).collect();
    assert!(found.is_empty(), "the core depends on {found:?}");
    assert!(reached.len() > 20, "the graph was walked");
}
