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
export CARGO_PROFILE_RELEASE_OPT_LEVEL=3 CARGO_PROFILE_RELEASE_DEBUG=line-tables-only
export RUSTFLAGS="-C force-frame-pointers=yes"
cargo build --release --locked --target-dir target/flame-graph
(cd "$scratch/site" && perf record --quiet -F 499 --call-graph fp -o "$scratch/perf.data" \
  "$OLDPWD/target/flame-graph/release/tabulae" build)
perf script -i "$scratch/perf.data" | inferno-collapse-perf --all | inferno-flamegraph \
  --title "A cold build of $posts posts" --minwidth 0.5 >docs/flame-graph.svg
