//! The layers of each crate: modules import from those below them only, and files not in circles.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use rstest::rstest;

use crate::site::repository;

/// The modules of the engine, from the top down.
const ENGINE: [&str; 14] = [
    "workspace",
    "pipeline",
    "publish",
    "render",
    "template",
    "plan",
    "incremental",
    "site",
    "source",
    "error",
    "options",
    "report",
    "threads",
    "fingerprint",
];

/// The modules of the command, from the top down.
const CLI: [&str; 8] = [
    "commands",
    "preview",
    "objects",
    "snippets",
    "options",
    "ui",
    "args",
    "completion",
];

fn sources(package: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("..")
        .join(package)
        .join("src")
}

/// The text of each file below a folder but for its tests, by the path of its module: `plan::feeds`. The root
/// of the crate has the empty path.
fn modules(folder: &Path) -> BTreeMap<String, String> {
    let mut modules = BTreeMap::new();
    for entry in walkdir::WalkDir::new(folder) {
        let entry = entry.expect("a readable folder");
        let below = entry.path().strip_prefix(folder).expect("a path below");
        let Some(name) = below.to_str().and_then(|path| path.strip_suffix(".rs")) else {
            continue;
        };
        let mut steps: Vec<&str> = name.split(std::path::MAIN_SEPARATOR).collect();
        if steps
            .iter()
            .any(|step| ["tests", "testing", "steps"].contains(step))
        {
            continue;
        }
        if ["mod", "lib", "main"].contains(&steps[steps.len() - 1]) {
            steps.pop();
        }
        let text = std::fs::read_to_string(entry.path()).expect("a text");
        let text = text
            .split("#[cfg(test)]\nmod tests {")
            .next()
            .unwrap_or_default();
        modules.insert(steps.join("::"), text.to_owned());
    }
    assert!(modules.len() > 2, "no sources below {}", folder.display());
    modules
}

/// The paths that the text of a module names by `crate::`, `super::` or `self::`, from the crate's root:
/// `crate::plan::{Plan, plan}` is `plan::Plan` and `plan::plan`.
fn imports(module: &str, text: &str) -> BTreeSet<String> {
    let mut found = BTreeSet::new();
    let code: Vec<&str> = text
        .lines()
        .map(|line| line.split("//").next().unwrap_or_default())
        .collect();
    let code = code.join("\n");
    for start in ["crate::", "super::", "self::"] {
        for (at, _) in code.match_indices(start) {
            let before = code[..at].chars().next_back();
            if before.is_some_and(|c| c.is_alphanumeric() || c == '_' || c == ':') {
                continue;
            }
            let mut base: Vec<&str> = module.split("::").filter(|step| !step.is_empty()).collect();
            let mut rest = &code[at..];
            if let Some(below) = rest.strip_prefix("crate::") {
                base.clear();
                rest = below;
            }
            rest = rest.strip_prefix("self::").unwrap_or(rest);
            while let Some(below) = rest.strip_prefix("super::") {
                base.pop();
                rest = below;
            }
            paths(&base.join("::"), rest, &mut found);
        }
    }
    found
}

/// Adds the paths of the rest of a `use`: `a::{b, c::d}`.
fn paths(base: &str, rest: &str, found: &mut BTreeSet<String>) {
    let join = |name: &str| match base {
        "" => name.to_owned(),
        base => format!("{base}::{name}"),
    };
    let Some(list) = rest.strip_prefix('{') else {
        let end = rest.find(|c: char| !c.is_alphanumeric() && c != '_');
        let (name, rest) = rest.split_at(end.unwrap_or(rest.len()));
        match rest.strip_prefix("::") {
            Some(below) => paths(&join(name), below, found),
            None => drop(found.insert(join(name))),
        }
        return;
    };
    let mut depth = 0;
    let mut start = 0;
    for (at, c) in list.char_indices() {
        match c {
            '{' => depth += 1,
            '}' if depth > 0 => depth -= 1,
            ',' | '}' if depth == 0 => {
                let item = list[start..at].trim();
                if !item.is_empty() {
                    paths(base, item, found);
                }
                start = at + 1;
                if c == '}' {
                    return;
                }
            }
            _ => {}
        }
    }
}

#[rstest]
#[case::crate_path("a", "use crate::plan::Plan;", &["plan::Plan"])]
#[case::list("a", "use crate::{plan::{Plan, plan}, site::Site};", &["plan::Plan", "plan::plan", "site::Site"])]
#[case::above("plan::feeds", "use super::output::Output;", &["plan::output::Output"])]
#[case::far_above("a::b::c", "use super::super::d;", &["a::d"])]
#[case::own("a", "pub use self::b::C;", &["a::b::C"])]
#[case::in_code("a", "let x = crate::b::c(1);", &["b::c"])]
#[case::comment("a", "// use crate::b;\n", &[])]
#[case::another_crate("a", "use other::crate_::b; use std::fmt;", &[])]
fn imports_are_read(#[case] module: &str, #[case] text: &str, #[case] expected: &[&str]) {
    let found = imports(module, text);
    let found: Vec<&str> = found.iter().map(String::as_str).collect();
    assert_eq!(found, expected);
}

fn top(path: &str) -> &str {
    path.split("::").next().unwrap_or_default()
}

#[rstest]
#[case::engine("engine", &ENGINE)]
#[case::command("cli", &CLI)]
fn modules_import_from_below(#[case] package: &str, #[case] layers: &[&str]) {
    let modules = modules(&sources(package));
    let floor = |module: &str| layers.iter().position(|layer| *layer == module);
    let mut upward = Vec::new();
    for (module, text) in modules.iter().filter(|(module, _)| !module.is_empty()) {
        let own = floor(top(module));
        assert!(
            own.is_some(),
            "`{module}` is in no layer: add it to the list above"
        );
        for path in imports(module, text) {
            if floor(top(&path)).is_some_and(|other| Some(other) < own) {
                upward.push(format!("{module} imports {path}"));
            }
        }
    }
    assert_eq!(upward, Vec::<String>::new());
}

#[rstest]
#[case::similarity("similarity")]
#[case::core("core")]
#[case::engine("engine")]
#[case::serve("serve")]
#[case::lsp("lsp")]
#[case::command("cli")]
fn no_files_import_each_other_in_a_circle(#[case] package: &str) {
    let modules = modules(&sources(package));
    let mut edges: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
    for (module, text) in &modules {
        for path in imports(module, text) {
            // The longest part of the path that is a file. Files above are left out: they hand on what
            // files below them have.
            let mut target = path.as_str();
            let target = loop {
                match modules.get_key_value(target) {
                    Some((known, _)) => break known.as_str(),
                    None => target = target.rsplit_once("::").map_or("", |(above, _)| above),
                }
            };
            if !is_within(module, target) && !is_within(target, module) {
                edges.entry(module).or_default().insert(target);
            }
        }
    }
    let mut done = BTreeSet::new();
    for module in modules.keys() {
        let mut path = Vec::new();
        assert_eq!(circle(module, &edges, &mut path, &mut done), None);
    }
}

/// Returns true if a module is another one or within it.
fn is_within(module: &str, outer: &str) -> bool {
    let below = module.strip_prefix(outer);
    outer.is_empty() || below.is_some_and(|below| below.is_empty() || below.starts_with("::"))
}

/// Returns the first circle that is reached from a module.
fn circle<'a>(
    module: &'a str,
    edges: &BTreeMap<&'a str, BTreeSet<&'a str>>,
    path: &mut Vec<&'a str>,
    done: &mut BTreeSet<&'a str>,
) -> Option<String> {
    if let Some(at) = path.iter().position(|known| *known == module) {
        return Some(format!("{} -> {module}", path[at..].join(" -> ")));
    }
    if !done.insert(module) {
        return None;
    }
    path.push(module);
    let next = edges.get(module).into_iter().flatten();
    let found = next
        .copied()
        .find_map(|next| circle(next, edges, path, done));
    path.pop();
    found
}

/// The files and folders that the documents for contributors name.
#[rstest]
#[case::architecture("ARCHITECTURE.md", 40)]
#[case::contributing("CONTRIBUTING.md", 3)]
fn what_documents_name_exists(#[case] document: &str, #[case] least: usize) {
    let root = repository();
    let text = std::fs::read_to_string(root.join(document)).expect("a document");
    let named = text.split('`').skip(1).step_by(2);
    let folders = ["crates/", "docs/", "scripts/", "checks/", "fuzz/"];
    let named = named.filter(|name| folders.iter().any(|folder| name.starts_with(folder)));
    let named: Vec<&str> = named.filter_map(|name| name.split(' ').next()).collect();
    assert!(named.len() >= least, "{named:?}");
    // Made by a fuzz target that fails.
    let named = named.iter().filter(|name| **name != "fuzz/artifacts/");
    let missing = named.filter(|name| !root.join(name).exists());
    assert_eq!(missing.collect::<Vec<_>>(), Vec::<&&str>::new());
}

/// Each module of the engine and of the core has its row.
#[rstest]
#[case::engine("engine")]
#[case::core("core")]
fn the_architecture_names_each_module(#[case] package: &str) {
    let root = repository();
    let text = std::fs::read_to_string(root.join("ARCHITECTURE.md")).expect("a document");
    let named: BTreeSet<&str> = text.split('`').skip(1).step_by(2).collect();
    let modules = modules(&sources(package));
    let tops: BTreeSet<&str> = modules.keys().map(|module| top(module)).collect();
    let is_named = |module: &str| {
        let names = [
            module.to_owned(),
            format!("{module}/"),
            format!("{module}.rs"),
        ];
        module.is_empty() || names.iter().any(|name| named.contains(name.as_str()))
    };
    let missing = tops.into_iter().filter(|module| !is_named(module));
    assert_eq!(missing.collect::<Vec<_>>(), Vec::<&str>::new());
}

#[test]
fn a_circle_is_found() {
    let edges = [
        ("a", ["b"].into()),
        ("b", ["c"].into()),
        ("c", ["b"].into()),
    ];
    let found = circle("a", &edges.into(), &mut Vec::new(), &mut BTreeSet::new());
    assert_eq!(found.as_deref(), Some("b -> c -> b"));
}

#[rstest]
#[case::similarity("similarity")]
#[case::core("core")]
#[case::engine("engine")]
#[case::serve("serve")]
#[case::lsp("lsp")]
#[case::command("cli")]
fn nothing_is_kept_in_a_thread(#[case] package: &str) {
    let modules = modules(&sources(package)).into_iter();
    let with = modules.filter(|(_, text)| text.contains(concat!("thread_", "local!")));
    let with: Vec<String> = with.map(|(module, _)| module).collect();
    assert_eq!(with, Vec::<String>::new());
}
