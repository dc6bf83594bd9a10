#!/usr/bin/env bash
# Runs every fuzz target for a while: scripts/fuzz.sh [SECONDS each, 30].
set -euo pipefail
cd "$(dirname "$0")/.."
seconds=${1:-30}
grep -rlE '^func Fuzz' --include='*_test.go' . | while read -r file; do
  grep -oE '^func Fuzz[A-Za-z0-9]+' "$file" | sed 's/func //' | while read -r target; do
    echo "$file $target"
    go test "$(dirname "$file")" -run '^$' -fuzz "^$target\$" -fuzztime "${seconds}s" </dev/null
  done
done
