#!/bin/sh
# Compiles one crate with the coverage that libFuzzer reads. Cargo calls it, as RUSTC_WORKSPACE_WRAPPER, with the
# compiler and its arguments for the packages of the workspace only: their dependencies stay as other builds made them.
case " $* " in
  *" build_script_build "*) exec "$@" ;;
esac
exec "$@" --cfg fuzzing -C debug-assertions -C overflow-checks -C passes=sancov-module \
  -C llvm-args=-sanitizer-coverage-level=4 -C llvm-args=-sanitizer-coverage-inline-8bit-counters \
  -C llvm-args=-sanitizer-coverage-pc-table -C llvm-args=-simplifycfg-branch-fold-threshold=0
