#!/usr/bin/env bash
# Brings a backup back: tools/restore.sh FROM DATA, with JAUNTY_DATABASE_URL of an empty database in the environment.
# DATA is a new folder for --data. Cached sounds are decoded again by themselves.
set -euo pipefail
from=$1 data=$2
. "$(dirname "$0")/database-url.sh"
(cd "$from" && sha256sum --quiet --check SHA256SUMS)
client=$(command -v mariadb || echo /usr/bin/mariadb)
[ -z "$("$client" --defaults-extra-file=<(client_settings) --batch --skip-column-names "$database" --execute 'SHOW TABLES')" ] ||
  { echo "the database is not empty; nothing was changed" >&2; exit 1; }
mkdir -p "$data"
[ ! -d "$from/objects" ] || cp -a "$from/objects" "$data/objects"
zstd --quiet --decompress --stdout "$from/database.sql.zst" | "$client" --defaults-extra-file=<(client_settings) "$database"
echo "brought back; start jaunty serve with --data $data"
