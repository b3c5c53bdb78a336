#!/usr/bin/env bash
# Runs that have little memory: the address space of the program is limited, so that one which takes more ends with an error.
#
# usage: benches/starved.sh [MIB]
#   MIB  the address space beyond what the program takes by itself (default 96)
set -euo pipefail
cd "$(dirname "$0")/.."
cargo build --release --quiet
cargo build --release --quiet --manifest-path benches/yard/Cargo.toml --target-dir "${BENCH_TARGET:-target/yard}"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
program=$PWD/target/release/keen-notch list=$PWD/benches/yard.cutlist.toml yard=${BENCH_TARGET:-target/yard}/release

# What the program takes by itself: the least address space in which it can say what it is.
own=8
until bash -c "ulimit -v $((own * 1024)); '$program' --version" >/dev/null 2>&1; do own=$((own + 1)); done
limit=$(((own + ${1:-96}) * 1024))
echo "the program takes $own MiB of address space by itself; the runs have ${1:-96} MiB more"

run() {
  local what=$1
  shift
  if (ulimit -v $limit; "$@") >/dev/null; then echo "done: $what"; else echo "ended with status $?: $what"; exit 1; fi
}
"$yard/make-yard" 6500000 tidy >"$work/big.csv"
run "the benchmark job on $(($(stat -c %s "$work/big.csv") >> 20)) MiB" "$program" carve "$work/big.csv" -l "$list" --quiet -o -
rm "$work/big.csv"
run "a stream of one column, 10 GiB" bash -c "(echo code; yes GRP-00041273-S7K2 | head -c 10G) | '$program' carve - -c code -p 'serial: section 2 by \"-\"' --quiet"
seq -f 'GRP-%010.0f' 8000000 | sed '1i code' >"$work/unique.csv"
run "unique on 8 million different values, --memory 16M" \
  "$program" carve "$work/unique.csv" -c code -p 'serial: after "-"' --check 'serial: unique' --memory 16M --quiet -o -
