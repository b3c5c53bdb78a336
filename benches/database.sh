#!/usr/bin/env bash
# The benchmark's ten pieces and four checks from a table of PostgreSQL to another, against the server's own COPY out and COPY in of the same
# rows, one after the other: seconds by the clock, the median of five runs each, in turn, and their ratio. Starts a server of its own and
# ends it; the same on a table of SQLite, against the same list on the rows as delimited text.
#
# usage: benches/database.sh [ROWS]
#   ROWS   rows of made-up data (default 1000000)
# needs: PostgreSQL (on Debian: apt-get install postgresql); as root it runs as the user postgres
set -euo pipefail
cd "$(dirname "$0")/.."
rows=${1:-1000000}
list=$PWD/benches/yard.cutlist.toml
programs=$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | tail -n 1)
as() { if [ "$(id -u)" = 0 ]; then runuser -u postgres -- "$@"; else "$@"; fi; }
work=$(mktemp -d)
[ "$(id -u)" != 0 ] || chown postgres "$work"
trap 'as "$programs/pg_ctl" -D "$work/data" -m immediate stop > /dev/null 2>&1 || true; rm -rf "$work"' EXIT
cargo build --release --quiet -p keen-notch --features postgres
carve=$PWD/target/release/keen-notch
made=${BENCH_TARGET:-target/yard}
cargo build --release --quiet --manifest-path benches/yard/Cargo.toml --target-dir "$made"
"$made/release/make-yard" "$rows" > "$work/yard.csv"
as "$programs/initdb" -D "$work/data" -A trust -U keeper -E UTF8 --locale=C > /dev/null
as "$programs/pg_ctl" -D "$work/data" -o "-c listen_addresses= -k $work" -l "$work/log" -w start > /dev/null
export PGHOST=$work PGUSER=keeper PGDATABASE=postgres
address=postgresql:///postgres
whole=(-c depot -p 'x: first 1' --quiet)
"$carve" carve "$work/yard.csv" "${whole[@]}" --to "$address" --table yard
"$carve" carve "$work/yard.csv" "${whole[@]}" --to "sqlite:$work/yard.db" --table yard
"$carve" carve --from "$address" --table yard -l "$list" --quiet --to "$address" --table cut
# What is copied in are the rows that the run writes.
"$programs/psql" -qc "\\copy cut to $work/cut"
cat > "$work/ratios.py" <<'PY'
import sys
from timed import measure
cpu, wall = measure(sys.argv[1])
own = wall["COPY out and COPY in"]
print(f"COPY out and in / table to table: {own / wall['table to table']:.2f} (0.5 or more is wanted)")
PY
echo "$rows rows, $(nproc) cores, $("$programs/postgres" --version)"
printf '%s\t%s\n' \
  "COPY out and COPY in" "'$programs/psql' -qc '\\copy yard to $work/rows' && '$programs/psql' -qc 'drop table if exists again' -c 'create table again (like cut)' -c '\\copy again from $work/cut'" \
  "table to table" "'$carve' carve --from $address --table yard -l '$list' --quiet --to $address --table cut2 --replace" \
  "SQLite, table to table" "'$carve' carve --from 'sqlite:$work/yard.db' --table yard -l '$list' --quiet --to 'sqlite:$work/yard.db' --table cut --replace" \
  "delimited text" "'$carve' carve '$work/yard.csv' -l '$list' --quiet -o '$work/out.csv'" \
  > "$work/commands"
PYTHONPATH=benches python3 "$work/ratios.py" "$work/commands"
