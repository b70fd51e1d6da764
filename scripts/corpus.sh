#!/usr/bin/env bash
# Writes the made-up blog of engineers on which the benches measure, the same for the same seed.
# scripts/corpus.sh FOLDER [POSTS [SEED]]: 1000 posts with seed 7.
set -euo pipefail
folder=$(realpath -m "${1:?scripts/corpus.sh FOLDER [POSTS [SEED]]}")
shift
cd "$(dirname "$0")/.."
cargo run --quiet --locked -p tabulae-engine --example write_blog -- "$folder" "$@"
