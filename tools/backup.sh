#!/usr/bin/env bash
# Writes a backup of a house while it runs: tools/backup.sh DATA TO, with JAUNTY_DATABASE_URL in the environment.
# DATA is the folder of --data; sounds in a bucket are backed up where the bucket is. TO is a new folder.
# The database comes first: a sound that arrives afterwards is one too many, never one too few.
set -euo pipefail
data=$1 to=$2
. "$(dirname "$0")/database-url.sh"
mkdir "$to"
dump=$(command -v mariadb-dump || echo /usr/bin/mariadb-dump)
# One transaction: what is written meanwhile is in it or not, and nobody waits.
"$dump" --defaults-extra-file=<(client_settings) --single-transaction --hex-blob --no-tablespaces "$database" | zstd --quiet -o "$to/database.sql.zst"
[ ! -d "$data/objects" ] || cp -a "$data/objects" "$to/objects"
(cd "$to" && find . -type f ! -name SHA256SUMS -print0 | sort -z | xargs -0 sha256sum >SHA256SUMS)
echo "$to: $(du -sh "$to" | cut -f1), $(find "$to" -type f | wc -l) files"
