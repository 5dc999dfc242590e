# Sourced by ./start and ./test: installs what is missing and says so. Idempotent.

say() { printf '%s\n' "$*" >&2; }
stop() { say "Jaunty Bar: $*"; exit 1; }

# need PACKAGE PROOF: PACKAGE of Debian is there when the command or file PROOF is.
missing=()
need() {
  command -v "$2" >/dev/null 2>&1 || [ -x "/usr/sbin/$2" ] || [ -e "$2" ] || missing+=("$1")
}

install_missing() {
  [ ${#missing[@]} -gt 0 ] || return 0
  say "Installing from Debian's packages: ${missing[*]}"
  local sudo=()
  if [ "$(id -u)" != 0 ]; then
    command -v sudo >/dev/null && sudo -n true 2>/dev/null || stop "these packages are missing: ${missing[*]}. Install them as root: apt-get install ${missing[*]}"
    sudo=(sudo -n)
  fi
  # Services of the packages are not started: Jaunty Bar runs its own.
  "${sudo[@]}" apt-get update -qq >/dev/null || say "apt-get update failed; trying with the lists that are there"
  "${sudo[@]}" env DEBIAN_FRONTEND=noninteractive RUNLEVEL=1 apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null ||
    stop "apt-get could not install ${missing[*]}. Look at its message above; 'apt-get update' and free disk space often help."
  missing=()
}

need_toolchain() {
  command -v cargo >/dev/null || stop "cargo is missing. Install Rust 1.90 or newer, then run this again."
  command -v node >/dev/null && command -v npm >/dev/null || stop "node and npm are missing. Install Node.js 20 or newer, then run this again."
}

need_room() {
  local free_mb
  free_mb=$(df -Pm . | awk 'NR==2 {print $4}')
  [ "$free_mb" -ge "$1" ] || stop "only $free_mb MB are free on this disk, $1 MB are needed. Make room, then run this again."
}

# The page's packages, when the lock file has changed since they were installed.
page_packages() {
  if [ ! -f web/node_modules/.installed ] || ! cmp -s web/package-lock.json web/node_modules/.installed; then
    say "Installing the page's packages from the npm registry"
    (cd web && npm ci --no-audit --no-fund --loglevel=error >&2) || stop "npm could not install the page's packages; its message is above."
    cp web/package-lock.json web/node_modules/.installed
  fi
}

# The program, with a line of progress now and then.
build_program() {
  local begun=$SECONDS total
  total=$(cargo tree --workspace --edges normal,build --prefix none --format '{p}' 2>/dev/null | sort -u | wc -l)
  cargo build --workspace --bins 2>&1 | {
    local line done=0 told=0
    while IFS= read -r line; do
      case $line in
        *Compiling*)
          done=$((done + 1))
          if [ $((SECONDS - told)) -ge 20 ]; then
            told=$SECONDS
            say "Building the program: $done of some $total parts, $((SECONDS - begun)) s"
          fi
          ;;
        *Updating* | *Locking* | *Download* | *Finished* | *Blocking*) ;;
        *) say "$line" ;;
      esac
    done
  }
}

# The page, when a source is newer than the last build.
build_page() {
  page_packages
  if [ ! -f web/dist/index.html ] || [ -n "$(find web/src web/public web/index.html web/vite.config.ts web/package-lock.json words docs/guide.md docs/screenshots -newer web/dist/index.html -print -quit 2>/dev/null)" ]; then
    say "Building the page"
    (cd web && npm run --silent build >&2) || stop "the page could not be built; the message is above."
  fi
}
