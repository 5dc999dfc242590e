# Sourced by ./test: named stages with their times, beside one another where they do not need each other.

stages=$(mktemp -d)
# Nothing goes on when a stage fails.
trap 'for one in "${beside[@]}"; do pkill -P "${one%%:*}" 2>/dev/null; kill "${one%%:*}" 2>/dev/null; done; rm -rf "$stages"' EXIT
beside=()

# stage NAME COMMAND...: says what it does and how long it took; stops where it fails.
stage() {
  local name=$1 begun=$SECONDS
  shift
  say "— $name …"
  "$@" >&2 || stop "$name: not as it must be; the message is above."
  say "— $name: $((SECONDS - begun)) s"
}

# beside NAME COMMAND...: the same, while what follows goes on. Its messages come when it is waited for.
start_beside() {
  local name=$1
  (stage "$@") >"$stages/${#beside[@]}" 2>&1 &
  beside+=("$!:$name")
}

# Waits for all that was started beside.
wait_beside() {
  local k failed=
  for k in "${!beside[@]}"; do
    wait "${beside[k]%%:*}" || failed="$failed ${beside[k]#*:},"
    cat "$stages/$k" >&2
  done
  beside=()
  [ -z "$failed" ] || stop "these stages failed:${failed%,}. Their messages are above."
}

# Whether cargo has a command; what is left out without it is said at the end.
left_out=()
has_cargo() {
  cargo "$1" --version >/dev/null 2>&1 || { left_out+=("$2 ($3)"); return 1; }
}
