#!/usr/bin/env bash
# Holds the server against its own description with schemathesis (PyPI): tools/schemathesis.sh [EXAMPLES per operation, 20]
# Builds nothing but what is missing; the database and the sounds are thrown away afterwards.
set -euo pipefail
cd "$(dirname "$0")/.."
. tools/setup.sh
. tools/database.sh
wanted="schemathesis==4.32.5"
if [ "$(cat .venv-schemathesis/.installed 2>/dev/null)" != "$wanted" ]; then
  say "Installing $wanted from PyPI"
  python3 -m venv .venv-schemathesis
  .venv-schemathesis/bin/pip install --quiet --disable-pip-version-check "$wanted" >&2
  echo "$wanted" >.venv-schemathesis/.installed
fi
cargo build --quiet --workspace --bins
folder=$(mktemp -d)
DATABASE_PID= SERVER_PID=
finish() {
  [ -z "$SERVER_PID" ] || { kill "$SERVER_PID" 2>/dev/null && wait "$SERVER_PID" 2>/dev/null; } || true
  [ -z "$DATABASE_PID" ] || { kill "$DATABASE_PID" 2>/dev/null && wait "$DATABASE_PID" 2>/dev/null; } || true
  rm -rf "$folder"
}
trap finish EXIT
start_database "$folder/database"
port=$(free_port 8770)
JAUNTY_DATABASE_URL=$DATABASE_URL JAUNTY_DATA=$folder/sounds target/debug/jaunty serve --listen "127.0.0.1:$port" --most-requests-per-second 5000 >"$folder/link" &
SERVER_PID=$!
until (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null; do sleep 0.1; done
key=$(until grep -o '#.*' "$folder/link"; do sleep 0.1; done)
cookie=$(curl -s -i -X POST "http://127.0.0.1:$port/api/keys/enter" -H 'content-type: application/json' -d "{\"key\":\"${key#\#}\"}" |
  sed -n 's/^set-cookie: \([^;]*\).*/\1/Ip')
# Events never end, so they are left out, and so is what would end the session.
.venv-schemathesis/bin/schemathesis --config-file tools/schemathesis.toml run "http://127.0.0.1:$port/api/openapi.json" \
  --checks all --max-examples "${1:-20}" --exclude-path-regex 'events|session' --header "Cookie: $cookie" --seed 1
