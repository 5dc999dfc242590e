#!/usr/bin/env bash
# Makes the page's types anew from the server's OpenAPI document.
set -euo pipefail
cd "$(dirname "$0")/.."
cargo build --quiet --workspace --bins --features jaunty-server/full
mkdir -p web/src/gen
target/debug/jaunty openapi >web/src/gen/openapi.json
(cd web && npm run --silent types)
