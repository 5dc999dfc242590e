#!/usr/bin/env bash
# Fuzzes everything that reads what strangers send: tools/fuzz.sh [SECONDS per target, 600] [TARGET...]
# Needs a nightly toolchain and cargo-fuzz (cargo install cargo-fuzz). What breaks is kept in fuzz/artifacts; a case
# that was mended belongs into crates/exchange/tests/cases or crates/media/tests/cases, where every test run reads it.
set -euo pipefail
cd "$(dirname "$0")/.."
seconds=${1:-600}
shift || true
targets=("$@")
[ ${#targets[@]} -gt 0 ] || targets=(sound list grid typed)

# Something of each kind to begin with; the first byte of each says what it is called or for.
seeds=fuzz/corpus
if [ ! -d "$seeds/sound" ]; then
  mkdir -p "$seeds"/{sound,list,grid,typed}
  made=$(mktemp -d)
  tone=(-f lavfi -i "sine=frequency=440:duration=0.2:sample_rate=44100")
  k=0
  for kind in "wav -c:a pcm_s16le" "aiff -c:a pcm_s24be" "flac" "mp3 -b:a 64k" "ogg -c:a libvorbis" "m4a -c:a aac" "mkv -c:a flac" "caf -c:a pcm_s16be"; do
    read -r ending options <<<"$kind"
    # shellcheck disable=SC2086
    ffmpeg -v error -y "${tone[@]}" $options "$made/a.$ending" </dev/null
    { printf "\\x0$k"; cat "$made/a.$ending"; } >"$seeds/sound/$ending"
    k=$((k + 1))
  done
  for ending in m4a:alac wav:adpcm_ms wav:pcm_f32le wav:pcm_alaw; do
    ffmpeg -v error -y "${tone[@]}" -c:a "${ending#*:}" "$made/b.${ending%:*}" </dev/null
    { printf '\x08'; cat "$made/b.${ending%:*}"; } >"$seeds/sound/${ending#*:}"
  done
  # CMX 3600 and captions as their descriptions print them; OpenTimelineIO as small as it can be.
  printf '\x02TITLE: A\nFCM: NON-DROP FRAME\n001  AX  V  C  01:00:00:00 01:00:02:00 01:00:00:00 01:00:02:00\n* FROM CLIP NAME: TOWER\n002  AX  V  D 025 00:00:00:00 00:00:02:00 01:00:02:00 01:00:04:00\n* LOC: 01:00:01:00 RED HIT\n' >"$seeds/list/edl"
  printf '\x02WEBVTT\n\n00:01.000 --> 00:02.500 align:start\nA <b>line</b>\n' >"$seeds/list/vtt"
  printf '\x021\n00:00:01,000 --> 00:00:02,500\nA line\n' >"$seeds/list/srt"
  printf '\x02time,name\n1.5,hit\n00:00:03:00,bell\n' >"$seeds/list/csv"
  printf '\x02{"OTIO_SCHEMA":"Timeline.1","name":"a","global_start_time":null,"tracks":{"OTIO_SCHEMA":"Stack.1","children":[{"OTIO_SCHEMA":"Track.1","kind":"Video","markers":[],"children":[{"OTIO_SCHEMA":"Clip.2","name":"c","source_range":{"OTIO_SCHEMA":"TimeRange.1","start_time":{"OTIO_SCHEMA":"RationalTime.1","rate":25.0,"value":0.0},"duration":{"OTIO_SCHEMA":"RationalTime.1","rate":25.0,"value":50.0}},"markers":[]}]}]}}' >"$seeds/list/otio"
  printf '\x10MThd\0\0\0\x06\0\0\0\x01\0\x60MTrk\0\0\0\x13\0\xff\x51\x03\x07\xa1\x20\0\xff\x58\x04\x04\x02\x18\x08\0\xff\x2f\0' >"$seeds/grid/mid"
  printf '\x10{"annotations":[{"namespace":"beat_position","data":[{"time":0.5,"duration":0,"value":{"position":1,"measure":1}},{"time":1.0,"duration":0,"value":{"position":2}}]}],"file_metadata":{"duration":9}}' >"$seeds/grid/jams"
  for text in 1:30 90.5 00:01:30:00 '00:00:10;12'; do printf '%s' "$text" >"$seeds/typed/$text"; done
  rm -rf "$made"
fi

for target in "${targets[@]}"; do
  echo "fuzzing $target for $seconds s" >&2
  # Our own code is safe Rust, so a sanitizer would only slow it down.
  (cd fuzz && cargo +nightly fuzz run -s none "$target" -- -max_total_time="$seconds" -max_len=65536 -timeout=25 -rss_limit_mb=1200 -print_final_stats=1)
done
