#!/usr/bin/env bash
# Builds the fuzz targets and runs each for SECONDS (10), beginning with the inputs in fuzz/corpus/.
# scripts/fuzz.sh [SECONDS] [TARGET…]: what makes a target fail is written to fuzz/artifacts/.
#
# The targets are built without optimisation; for a long run set CARGO_PROFILE_RELEASE_OPT_LEVEL=1.
# Needs a C++ compiler for libFuzzer. The flags are those of its coverage; no other toolchain is needed.
set -euo pipefail
cd "$(dirname "$0")/../fuzz"
seconds=${1:-10}
shift || true
targets=("$@")
[ ${#targets[@]} -gt 0 ] || for file in fuzz_targets/*.rs; do targets+=("$(basename "$file" .rs)"); done

host=$(rustc -vV | sed -n 's/^host: //p')
export RUSTFLAGS="--cfg fuzzing -C debug-assertions -C overflow-checks -C passes=sancov-module -C llvm-args=-sanitizer-coverage-level=4 -C llvm-args=-sanitizer-coverage-inline-8bit-counters -C llvm-args=-sanitizer-coverage-pc-table -C llvm-args=-simplifycfg-branch-fold-threshold=0"
cargo build --locked --release --quiet --target "$host"
mkdir -p artifacts
for target in "${targets[@]}"; do
  found=$(mktemp -d)
  mkdir -p "corpus/$target"
  log=$found/log
  if "target/$host/release/$target" -max_total_time="$seconds" -timeout=10 -rss_limit_mb=4096 -max_len=65536 \
    -artifact_prefix="artifacts/$target-" "$found" "corpus/$target" >"$log" 2>&1; then
    printf '%-14s %s\n' "$target" "$(grep -E '^Done' "$log")"
  else
    tail -n 40 "$log"
    echo "$target failed: its input is in fuzz/artifacts/"
    exit 1
  fi
  rm -rf "$found"
done
