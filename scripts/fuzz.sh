#!/usr/bin/env bash
# Builds the fuzz targets and runs each for SECONDS (10), two at a time, beginning with the inputs in fuzz/corpus/,
# the templates of the theme and the posts of the example site.
# scripts/fuzz.sh [SECONDS] [TARGET…]: what makes a target fail is written to fuzz/artifacts/. With 0 each of these inputs is
# run once, and nothing is instrumented.
#
# The targets are built without optimisation; for a long run set CARGO_PROFILE_DEV_OPT_LEVEL=1.
# Needs a C++ compiler for libFuzzer, and no other toolchain.
set -euo pipefail
cd "$(dirname "$0")/.."
seconds=${1:-10}
shift || true
targets=("$@")
[ ${#targets[@]} -gt 0 ] || for file in fuzz/fuzz_targets/*.rs; do targets+=("$(basename "$file" .rs)"); done

packages=(--package tabulae-fuzz)
if [ "$seconds" -gt 0 ]; then
  export RUSTC_WORKSPACE_WRAPPER=$PWD/fuzz/rustc-with-coverage.sh
else
  # With those of `checks`, as CI has compiled them: of other packages Cargo would compile most dependencies once more.
  packages+=(--package tabulae-checks --bins --tests)
fi
cargo build --locked --quiet "${packages[@]}"
mkdir -p fuzz/artifacts

# run TARGET: prints one line, or the end of the log of a failure
run() {
  local found log corpus=("fuzz/corpus/$1") inputs
  case "$1" in
    template) corpus+=(crates/engine/src/theme) ;;
    front_matter | html) corpus+=(crates/cli/demo/posts) ;;
  esac
  found=$(mktemp -d)
  log=$found.log
  inputs=(-max_total_time="$seconds" "$found" "${corpus[@]}")
  if [ "$seconds" -eq 0 ]; then
    readarray -t inputs < <(find "${corpus[@]}" -type f)
  fi
  if "${CARGO_TARGET_DIR:-target}/debug/$1" -timeout=10 -rss_limit_mb=4096 -max_len=65536 \
    -artifact_prefix="fuzz/artifacts/$1-" "${inputs[@]}" >"$log" 2>&1; then
    printf '%-14s %s\n' "$1" "$(grep -E '^Done' "$log" || echo "${#inputs[@]} inputs")"
    rm -rf "$found" "$log"
  else
    tail -n 40 "$log"
    echo "$1 failed: its input is in fuzz/artifacts/"
    return 255
  fi
}
export -f run
export seconds
# A return of 255 stops xargs.
printf '%s\n' "${targets[@]}" | xargs -P 2 -I TARGET bash -c 'run TARGET'
