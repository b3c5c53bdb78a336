#!/usr/bin/env bash
# Whether the speed holds for every kind of data and every kind of list: processor seconds of one thread, the output thrown
# away, the least of several runs in turn; and how much faster two threads are. What each figure must reach is beside it.
#
# usage: benches/cliffs.sh [ROWS] [RUNS]
#   ROWS  rows of made-up data (default 300000: 46 MB)
#   RUNS  runs of each command, in turn, of which the least counts (default 9)
set -euo pipefail
cd "$(dirname "$0")/.."
rows=${1:-300000}
runs=${2:-9}
cargo build --release --quiet
cargo build --release --quiet --manifest-path benches/yard/Cargo.toml --target-dir "${BENCH_TARGET:-target/yard}"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
export PROGRAM=$PWD/target/release/keen-notch YARD=${BENCH_TARGET:-target/yard}/release LIST=$PWD/benches/yard.cutlist.toml
for kind in tidy crlf quoted doubled untidy accents accented codes; do
  "$YARD/make-yard" "$rows" $kind > "$work/$kind.csv"
done
python3 - "$work" "$runs" <<'PY'
import os, resource, statistics, subprocess, sys, time

work, runs = sys.argv[1], int(sys.argv[2])
program, yard, base = os.environ["PROGRAM"], os.environ["YARD"], open(os.environ["LIST"]).read()

def run(command):
    """Processor seconds and wall seconds of a command."""
    before, start = resource.getrusage(resource.RUSAGE_CHILDREN), time.monotonic()
    subprocess.run(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=False)
    wall, after = time.monotonic() - start, resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime, wall

def least(commands):
    """The least of several runs of each, in turn, since the machine may be busy with other things."""
    best = {name: (9e9, 9e9) for name in commands}
    for _ in range(runs):
        for name, command in commands.items():
            best[name] = tuple(map(min, best[name], run(command)))
    return best

def carve(data, list_file, threads, times=1):
    """A run on the rows, or on several times the same."""
    files = [f"{work}/{data}.csv"] * times
    return [program, "carve", *files, "-l", list_file, "--threads", str(threads), "--quiet"]

def of_two_threads(data, list_file):
    """How much faster two threads are by the clock, on six times the rows: a tenth of a second is too short to tell. The median of pairs,
    since the speed of the machine changes between them. And how many of the two were busy."""
    pairs = [[run(carve(data, list_file, threads, times=6)) for threads in (1, 2)] for _ in range(runs)]
    faster = statistics.median(one[1] / two[1] for one, two in pairs)
    busy = statistics.median(two[0] / two[1] for _, two in pairs)
    return f"{faster:18.2f} ({busy:.2f} busy)"

print("data       by hand   one thread   times as fast (wanted)   two threads against one   times as fast with hints")
for data, wanted in dict(tidy=6, crlf=5.5, quoted=5, doubled=5, untidy=5, accents=5, accented=4, codes=4).items():
    found = least({
        "hand": [f"{yard}/by-hand", f"{work}/{data}.csv"],
        "one": carve(data, os.environ["LIST"], 1),
        # A run that is not quiet looks for what hints tell.
        "hinted": [word for word in carve(data, os.environ["LIST"], 1) if word != "--quiet"],
    })
    hand, one = found["hand"][0], found["one"][0]
    two = of_two_threads(data, os.environ["LIST"])
    hinted = hand / found["hinted"][0]
    print(f"{data:9} {hand:8.3f} s {one:10.3f} s {hand / one:10.1f} ({wanted}) {two} {hinted:14.1f}", flush=True)

# Each is added to the ten pieces and four checks.
added = {
    "ten pieces": (1, ""),
    "build": (1.4, '[piece.added]\nbuild = "{family} / {crew_no}"'),
    "or": (1.3, "[piece.added]\ntake = 'section 4 by \"-\" or section 3 by \"-\"'"),
    "or, text": (1.3, "[piece.added]\nof = 'reference'\ntake = 'match /No:([0-9]+)/ group 1 or \"none\"'"),
    "if, else": (1.3, "[piece.added]\ntake = 'if starts with \"GRP\" then last 4 else first 3'"),
    "if column": (1.3, "[piece.added]\ntake = 'if crew_id: contains \"RIG\" then last 4 else first 3'"),
    "lookup, 1000": (1.3, "[piece.added]\ntake = 'section 2 by \"-\" then last 3 then lookup in \"keys.csv\"'"),
    "three names": (1.4, "[piece.added]\ntake = 'sections by \"-\"'\ncolumns = ['kind', 'no', 'mark']"),
    "three groups": (1.8, "[piece.added]\ntake = 'groups of /(?<kind>[A-Z]+)-(?<no>[0-9]+)-(?<mark>.+)/'"),
    "date as": (1.4, "[piece.added]\nof = 'crew_id'\ntake = 'first 4 then suffix \"-11-03\" then date \"%Y-%m-%d\" as \"%d.%m.%Y\"'"),
    "row number": (1.1, "[piece.added]\ntake = 'row number'"),
    "check or check": (1.3, "[piece.added]\ntake = 'last 4'\ncheck = ['length 4 or blank and not contains \" \"']"),
    "when": (1.4, "[piece.added]\nwhen = 'part_code: starts with \"G\"'\ntake = 'last 4'"),
    "proof": (1.4, '[proof]\npart_code = "{family}-{serial}-{grade}"'),
    "keep": (1.2, "[rows]\nkeep = ['part_code: not starts with \"GRP\"']"),
    "layout": (1.5, '[layout.part_code]\nform = ["<kind 3 uppercase>-<no 8 digits>-<mark 4>"]'),
    "three results": (1.5, "[piece.added]\ntake = 'sections by \"-\"'\ncolumns = 3"),
    "numbers joined": (1.6, "[piece.added]\nof = 'reference'\ntake = 'numbers joined with \"; \"'"),
    "keep digits": (1.4, "[piece.added]\nof = 'reference'\ntake = 'keep digits'"),
    "replace /re/": (1.8, "[piece.added]\nof = 'reference'\ntake = 'replace /[0-9]+/ with \"#\"'"),
    "email": (1.6, "[piece.added]\nof = 'email'\ntake = 'whole'\ncheck = ['email']"),
    "unique": (2.5, "[piece.added]\ntake = 'whole'\ncheck = ['unique']"),
    "two faults a row": (2.0, "[piece.added]\ntake = 'first 3'\ncheck = ['digits', 'length 4']"),
}
with open(f"{work}/keys.csv", "w") as keys:
    keys.write("key,result\n" + "".join(f"{key:03},result {key}\n" for key in range(1000)))
lists, commands = {}, {}
for name, (_, text) in added.items():
    lists[name] = f"{work}/{name.replace('/', '').replace(' ', '-')}.cutlist.toml"
    open(lists[name], "w").write(base + "\n" + text + "\n")
    commands[name] = carve("tidy", lists[name], 1)
    if subprocess.run(commands[name], stdout=subprocess.DEVNULL).returncode:
        sys.exit(f"the list for {name} does not run")
found = least(commands)
ten = found["ten pieces"][0]
print("\nlist              one thread   times the ten pieces (wanted)   two threads against one")
for name, (wanted, _) in added.items():
    one = found[name][0]
    print(f"{name:17} {one:8.3f} s {one / ten:15.2f} ({wanted}) {of_two_threads('tidy', lists[name])}", flush=True)
PY
