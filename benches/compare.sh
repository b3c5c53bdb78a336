#!/usr/bin/env bash
# Carves the benchmark's ten pieces with four checks, proves that they are what the job done by hand gives, and times
# them against it: the median of five runs each, in turn, in one go, since the machine may be busy with other things.
#
# usage: benches/compare.sh [ROWS]
#   ROWS   rows of made-up data (default 3000000: 456 MB)
set -euo pipefail
cd "$(dirname "$0")/.."
rows=${1:-3000000}
list=$PWD/benches/yard.cutlist.toml
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cargo build --release --quiet
carve=$PWD/target/release/keen-notch
made=${BENCH_TARGET:-target/yard}
cargo build --release --quiet --manifest-path benches/yard/Cargo.toml --target-dir "$made"
made=$made/release

# The same ten columns, whatever stands around them. The job by hand counts faults where we have checks.
python3 - > "$work/columns.py" <<'PY'
print('''import csv, sys
names = "family serial grade team crew_no mailbox domain order person size".split()
csv.field_size_limit(1 << 30)
with open(sys.argv[1], newline="") as ours, open(sys.argv[2], newline="") as theirs:
    ours, theirs = csv.DictReader(ours), csv.DictReader(theirs)
    rows = differing = 0
    for left, right in zip(ours, theirs, strict=True):
        rows += 1
        if any(left[name] != right[name] for name in names) or any(left[name] != right[name] for name in theirs.fieldnames[:8]):
            differing += 1
            if differing <= 3:
                print("row", rows, {n: (left[n], right[n]) for n in names if left[n] != right[n]})
print(f"{rows} rows, {differing} differ in a cell")
sys.exit(differing > 0)''')
PY
for kind in tidy untidy; do
  "$made/make-yard" 200000 $kind > "$work/$kind.csv"
  "$made/by-hand" "$work/$kind.csv" > "$work/theirs.csv"
  "$carve" carve "$work/$kind.csv" -l "$list" --quiet -o "$work/ours.csv"
  printf '%-7s' "$kind:"
  python3 "$work/columns.py" "$work/ours.csv" "$work/theirs.csv"
done

"$made/make-yard" "$rows" > "$work/yard.csv"
echo "$rows rows, $(stat -c %s "$work/yard.csv") bytes, $(nproc) cores; seconds, median of five"
run() { # run NAME COMMAND…: one timed run, its time noted under the name
  local name=$1 start end
  shift
  # Every run writes new files: what it costs to do away with the old ones is no part of it.
  rm -f "$work/out.csv" "$work/hand.csv"
  start=$(date +%s.%N)
  "$@"
  end=$(date +%s.%N)
  echo "$end - $start" | bc >> "$work/times.$name"
}
to_pipe() { "$carve" carve "$work/yard.csv" -l "$list" --quiet "$@" | cat > /dev/null; }
to_file() { "$carve" carve "$work/yard.csv" -l "$list" --quiet -o "$work/out.csv" "$@"; }
one_piece() { "$carve" carve "$work/yard.csv" -c part_code -p 'family: first 3' --quiet "$@" -o "$work/out.csv"; }
by_hand() { "$made/by-hand" "$work/yard.csv" > "$work/hand.csv"; }
by_hand_to_pipe() { "$made/by-hand" "$work/yard.csv" | cat > /dev/null; }
copy() { cat "$work/yard.csv" > "$work/out.csv"; }
survey() { "$carve" survey "$work/yard.csv" -c part_code --quiet > /dev/null; }
for _ in 1 2 3 4 5; do
  run by-hand by_hand
  run by-hand-to-pipe by_hand_to_pipe
  run two-threads to_file --threads 2
  run one-thread to_file --threads 1
  run two-threads-to-pipe to_pipe --threads 2
  run one-thread-to-pipe to_pipe --threads 1
  run one-piece one_piece
  run copy copy
  run survey survey
done
median() { sort -n "$work/times.$1" | awk '{ v[NR] = $1 } END { print v[int((NR + 1) / 2)] }'; }
hand=$(median by-hand)
hand_to_pipe=$(median by-hand-to-pipe)
line() { printf '%-22s %6.2f s   %5.1f times as fast as by hand\n' "$1" "$2" "$(echo "$3 / $2" | bc -l)"; }
line by-hand "$hand" "$hand"
line one-thread "$(median one-thread)" "$hand"
line two-threads "$(median two-threads)" "$hand"
line by-hand-to-pipe "$hand_to_pipe" "$hand_to_pipe"
line one-thread-to-pipe "$(median one-thread-to-pipe)" "$hand_to_pipe"
line two-threads-to-pipe "$(median two-threads-to-pipe)" "$hand_to_pipe"
printf '%-22s %6.2f s   %5.1f times a copy of the file (%s s)\n' one-piece "$(median one-piece)" "$(echo "$(median one-piece) / $(median copy)" | bc -l)" "$(median copy)"
printf '%-22s %6.2f s   %5.1f times one piece\n' survey "$(median survey)" "$(echo "$(median survey) / $(median one-piece)" | bc -l)"
