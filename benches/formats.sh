#!/usr/bin/env bash
# The benchmark's ten pieces with four checks on tables in other formats than delimited text: against the same job done by hand, or against
# the same table as delimited text. Seconds of processor time, the median of five runs each, in turn, and their ratios.
#
# usage: benches/formats.sh [ROWS]
#   ROWS   rows of made-up data (default 600000: 91 MB as delimited text)
set -euo pipefail
cd "$(dirname "$0")/.."
rows=${1:-600000}
list=$PWD/benches/yard.cutlist.toml
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cargo build --release --quiet
carve=$PWD/target/release/keen-notch
made=${BENCH_TARGET:-target/yard}
cargo build --release --quiet --manifest-path benches/yard/Cargo.toml --target-dir "$made"
made=$made/release

command -v zstd > /dev/null || { echo "install zstd first, to compare with" >&2; exit 1; }
"$made/make-yard" "$rows" > "$work/made.csv"
for format in csv jsonl csv.gz csv.zst parquet xlsx; do
  "$carve" carve "$work/made.csv" -c depot -p 'x: first 1' --quiet -o "$work/yard.$format"
done
cat > "$work/ratios.py" <<'PY'
import sys
from timed import measure
cpu, wall = measure(sys.argv[1])
print(f"JSON Lines, by hand / one thread: {cpu['JSON Lines by hand'] / cpu['JSON Lines, one thread']:.1f} (4 or more is wanted)")
print(f"delimited text / Parquet, one thread: {cpu['delimited text, one thread'] / cpu['Parquet, one thread']:.2f} (1 or more is wanted)")
for kind, most in [("delimited text to a workbook", 20), ("a workbook", 15)]:
    print(f"{kind} / delimited text: {cpu[kind] / cpu['delimited text']:.1f} ({most} or less is wanted)")
for kind in ("gz", "zst"):
    apart = wall[f".csv.{kind} unpacked"] + wall["delimited text"]
    print(f".csv.{kind}, as it is / unpacked and carved apart: {wall[f'.csv.{kind}'] / apart:.2f} (1.2 or less is wanted)")
PY
echo "$rows rows, $(stat -c %s "$work/yard.csv") bytes as delimited text, $(nproc) cores"
run="'$carve' carve -l '$list' --quiet"
printf '%s\t%s\n' \
  "delimited text" "$run '$work/yard.csv' -o '$work/out.csv'" \
  "delimited text, one thread" "$run '$work/yard.csv' --threads 1 -o '$work/out.csv'" \
  "JSON Lines by hand" "'$made/lines-by-hand' '$work/yard.jsonl' > '$work/hand.jsonl'" \
  "JSON Lines, one thread" "$run '$work/yard.jsonl' --threads 1 -o '$work/out.jsonl'" \
  "JSON Lines" "$run '$work/yard.jsonl' -o '$work/out.jsonl'" \
  "Parquet, one thread" "$run '$work/yard.parquet' --threads 1 -o '$work/out.parquet'" \
  "Parquet" "$run '$work/yard.parquet' -o '$work/out.parquet'" \
  "delimited text to a workbook" "$run '$work/yard.csv' -o '$work/out.xlsx'" \
  "a workbook" "$run '$work/yard.xlsx' -o '$work/out.csv'" \
  ".csv.gz unpacked" "gzip -dc '$work/yard.csv.gz' > '$work/apart.csv'" \
  ".csv.gz" "$run '$work/yard.csv.gz' -o '$work/out.csv'" \
  ".csv.zst unpacked" "zstd -dcq '$work/yard.csv.zst' > '$work/apart.csv'" \
  ".csv.zst" "$run '$work/yard.csv.zst' -o '$work/out.csv'" \
  > "$work/commands"
PYTHONPATH=benches python3 "$work/ratios.py" "$work/commands"
