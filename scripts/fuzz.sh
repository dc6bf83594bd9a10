#!/usr/bin/env bash
# Runs every fuzz target for a while: scripts/fuzz.sh [SECONDS each, 30].
set -euo pipefail
cd "$(dirname "$0")/.."
seconds=${1:-30}
grep -rlE '^func Fuzz' --include='*_test.go' . | while read -r file; do
  grep -oE '^func Fuzz[A-Za-z0-9]+' "$file" | sed 's/func //' | while read -r target; do
    echo "$file $target"
    log=$(mktemp)
    # A worker that is still busy when the time is up ends the run with "context
    # deadline exceeded": that is no finding. A finding is written to testdata.
    if ! go test "$(dirname "$file")" -run '^$' -fuzz "^$target\$" -fuzztime "${seconds}s" -fuzzminimizetime 2s </dev/null >"$log" 2>&1 && ! grep -q 'context deadline exceeded' "$log"; then
      tail -30 "$log"
      exit 1
    fi
    tail -1 "$log"
    rm -f "$log"
  done
done
