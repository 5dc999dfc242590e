#!/usr/bin/env bash
# Prints how well sets with truth are read: tools/eval.sh SETFOLDER... [--per-file] [--library] [--sets a,b]
# With --steady before a list of sound files: how steady the reading is. Needs what ./test installs.
set -euo pipefail
cd "$(dirname "$0")/.."
cargo build --quiet -p jaunty-media --example reads
exec .venv/bin/python tools/eval/score.py "$@"
