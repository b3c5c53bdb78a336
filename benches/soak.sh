#!/usr/bin/env bash
# Runs the properties for a given time, with other random inputs each time: lists and phrases against the plain interpreter, tables
# on any number of threads, the files of a run as other packages read them, drafts, decoding, temporary files; and the targets of
# the fuzzer, with other mutations each time; completions, reports and the commands that read twice. Ends at the first that does not
# hold, and says how many inputs there were.
#
# usage: benches/soak.sh [MINUTES] [CASES]
#   MINUTES  how long (default 30)
#   CASES    random inputs of each property in a round, where it does not say how many itself (default 1000)
set -euo pipefail
cd "$(dirname "$0")/.."
minutes=${1:-30}
export PROPTEST_CASES=${2:-1000} INSTA_UPDATE=no
tests=(
  "keen-notch-core --test reference"
  "keen-notch-core --test language"
  "keen-notch-io --test threads"
  "keen-notch-io --test originals"
  "keen-notch-io --test files_of_a_run"
  "keen-notch-io --test drafts"
  "keen-notch-io --lib"
  "keen-notch-fuzz"
  "keen-notch-io --test reading"
  "keen-notch --test program -- shells report draft survey against parts"
)
for test in "${tests[@]}"; do
  # shellcheck disable=SC2086
  cargo test --release --quiet --no-run -p $test
done
# What it takes to build does not count.
end=$(($(date +%s) + minutes * 60))
rounds=0 properties=0
log=$(mktemp)
trap 'rm -f "$log"' EXIT
while [ "$(date +%s)" -lt "$end" ]; do
  for test in "${tests[@]}"; do
    # shellcheck disable=SC2086
    if ! MUTATIONS=$((PROPTEST_CASES * 5)) MUTATIONS_SEED=$((RANDOM * RANDOM)) cargo test --release -p $test >"$log" 2>&1; then
      cat "$log"
      echo "does not hold: $test, in round $((rounds + 1))" >&2
      exit 1
    fi
    properties=$((properties + $(grep -c '^test .* ok$' "$log")))
    [ "$(date +%s)" -lt "$end" ] || break
  done
  rounds=$((rounds + 1))
done
echo "$properties tests passed in $rounds rounds; in each, properties have $PROPTEST_CASES random inputs, or as many as they say" \
  "themselves, and targets of the fuzzer $((PROPTEST_CASES * 5))"
