#!/usr/bin/env bash
# Measures builds of growing sites and draws the result as docs/growth.svg.
# scripts/growth.sh [RUNS] [SIZE…]: 3 runs of 1000, 10000 and 100000 posts, which take some minutes
# and 8 GB of room in the folder of temporary files.
set -euo pipefail
cd "$(dirname "$0")/.."
runs=${1:-3}
shift || true
sizes=("$@")
[ ${#sizes[@]} -gt 0 ] || sizes=(1000 10000 100000)
lines=$(mktemp)
trap 'rm -f "$lines"' EXIT
cargo bench -p tabulae-engine --bench growth -- --lines --runs "$runs" "${sizes[@]}" | tee "$lines"
python3 scripts/growth.py "$lines" >docs/growth.svg
