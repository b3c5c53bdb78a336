#!/usr/bin/env bash
# How the time of a run grows with the number of pieces and of rows, and its memory with the size of the input.
# Two threads, to /dev/null, the least of three runs each.
#
# usage: benches/growth.sh [ROWS]
#   ROWS  the most rows (default 10000000: 1.5 GB)
set -euo pipefail
cd "$(dirname "$0")/.."
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cargo build --release --quiet
carve=$PWD/target/release/keen-notch
list=$PWD/benches/yard.cutlist.toml
made=${BENCH_TARGET:-target/yard}
cargo build --release --quiet --manifest-path benches/yard/Cargo.toml --target-dir "$made"
make=$made/release/make-yard
most=${1:-10000000}
least() { # least COMMAND…: the least time of three runs, and the most memory
  for _ in 1 2 3; do /usr/bin/time -f '%e %M' "$@" 2>&1 >/dev/null | tail -1; done | sort -n | head -1
}
phrases=('first 3' 'of crew_id: section 3 by "-"' 'last 4' 'of email: before "@" then lower' 'chars 5 to 12'
  'of reference: between "(" and ")"' 'of crew_id: section 2 by "-" then pad left to 6 with "0"' 'of reference: number last')
"$make" 1000000 > "$work/yard.csv"
echo "pieces  seconds  of a million rows"
for pieces in 1 2 4 8 16 32; do
  words=()
  for ((n = 0; n < pieces; n++)); do
    phrase=${phrases[$((n % 8))]}
    case $phrase in
      of*) words+=(-p "p$n $phrase") ;;
      *) words+=(-p "p$n: $phrase") ;;
    esac
  done
  read -r seconds _ < <(least "$carve" carve "$work/yard.csv" -c part_code "${words[@]}" --quiet --threads 2)
  printf '%6d  %7.2f\n' "$pieces" "$seconds"
done
echo "    rows     bytes  seconds  memory, of the ten pieces and four checks"
for ((rows = 10000; rows <= most; rows *= 10)); do
  "$make" "$rows" > "$work/yard.csv"
  read -r seconds memory < <(least "$carve" carve "$work/yard.csv" -l "$list" --quiet --threads 2)
  printf '%8d  %8d  %7.2f  %3d MB\n' "$rows" "$(stat -c %s "$work/yard.csv")" "$seconds" "$((memory / 1024))"
done
