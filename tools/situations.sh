#!/usr/bin/env bash
# Makes situations of practitioners through the page alone, from raw files to the measured export, and prints what each took.
# Needs what ./test installs.
set -euo pipefail
cd "$(dirname "$0")/.."
(cd web && npm run --silent build >/dev/null)
cargo build --quiet --workspace --bins
cargo test --quiet -p jaunty-e2e --test e2e -- --include-ignored --nocapture --test-threads 2 situations:: scenes:: 2>&1 |
  grep -E " acts, |from raw files|test result|panicked|FAILED"
