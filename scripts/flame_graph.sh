#!/usr/bin/env bash
# Draws where a cold build of the blog of engineers spends its time, as docs/flame-graph.svg.
# scripts/flame_graph.sh [POSTS]: 10000 posts. Needs `perf`, and the crate `inferno` (`cargo install inferno`).
set -euo pipefail
cd "$(dirname "$0")/.."
posts=${1:-10000}
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
scripts/corpus.sh "$scratch/site" "$posts"
printf '\n[code]\nhighlight = false\n' >>"$scratch/site/tabulae.toml"
CARGO_PROFILE_RELEASE_OPT_LEVEL=3 cargo build --release --locked --target-dir target/flame-graph
program=$PWD/target/flame-graph/release/tabulae
(cd "$scratch/site" && perf record --quiet -F 149 --call-graph dwarf,40000 -o "$scratch/perf.data" \
  "$program" build --jobs 1)
# Threads, iterators and the steps of the template engine would hide the stages of the build.
unnamed='rayon|core::ops|std::|__rust|\[unknown\]|clone3|start_thread|alloc::vec|core::iter::adapters'
perf script -i "$scratch/perf.data" | inferno-collapse-perf |
  sed -E "s/[^; ]*($unnamed)[^;]*;//g
    s/^.*;tabulae_engine::pipeline::build::Build::run;/build;/; s/^tabulae;/build;/
    s/minijinja::(vm|template)::[^;]*;(minijinja::(vm|template)::[^;]*;)*/minijinja;/g" |
  grep '^build;' |
  inferno-flamegraph --title "A cold build of $posts posts" --minwidth 0.5 |
  perl -0pe 's/<!--.*?-->//gs; s/<script.*?<\/script>//gs; s/ onload="[^"]*"//; s/xmlns:fg="[^"]*"/xmlns:fg="urn:tabulae:flame-graph"/' \
    >docs/flame-graph.svg
