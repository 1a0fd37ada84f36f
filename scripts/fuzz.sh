#!/usr/bin/env bash
# Runs every fuzz target of the tree, one after the other, for the time given.
set -euo pipefail
time=${1:-30s}
grep -rlE '^func Fuzz' --include='*_test.go' . | xargs -n1 dirname | sort -u | while read -r dir; do
  grep -hoE '^func Fuzz[A-Za-z0-9_]+' "$dir"/*_test.go | sed 's/^func //' | while read -r name; do
    echo "$dir $name"
    go test "$dir" -run '^$' -fuzz "^$name\$" -fuzztime "$time" -fuzzminimizetime 100x </dev/null
  done
done
