#!/usr/bin/env bash
# Faults while files are written: tests/faults.sh TOOL [KILLS]
# Kills the tool at random moments while it writes single files, sets, casts and sheets over existing ones; runs two at
# once in one folder; fills a small disk; makes a folder read-only; closes outputs early. Nothing may be half-written or
# lost, and after the next whole run nothing left over. Prints a line for each part; exits with 1 at the first fault.
set -euo pipefail
tool=$(realpath "$1")
kills=${2:-300}
here=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
demo=$here/demo/harbour
work=$(mktemp -d)
mounted=""
cleanup() {
    [ -z "$mounted" ] || umount "$mounted" 2>/dev/null || true
    chmod -R u+w "$work"
    rm -rf "$work"
}
trap cleanup EXIT
fail() { echo "FAULT: $*"; exit 1; }

# A GLB is whole if it is as long as its header says.
is_whole() { python3 - "$1" <<'PY'
import struct, sys
data = open(sys.argv[1], "rb").read()
sys.exit(0 if data[:4] == b"glTF" and struct.unpack("<I", data[8:12])[0] == len(data) else 1)
PY
}
check_folder() {
    local file
    for file in "$1"/*.glb; do [ ! -e "$file" ] || is_whole "$file" || fail "$file is half-written"; done
    for file in "$1"/*.json; do
        [ ! -e "$file" ] || python3 -c "import json,sys; json.load(open(sys.argv[1]))" "$file" || fail "$file is half-written"
    done
}
left_over() { find "$1" -name '*.unfinished-*' "${@:2}" | wc -l; }

# COMMAND is killed at a random moment of the time that it takes, again and again, and then runs to its end. @rate in it is another one
# each time, so that nothing is up to date.
kill_while() {
    local name=$1 count=$2 folder=$3
    shift 3
    local i started span killed=0
    started=$(date +%s%N)
    "$tool" "${@/@rate/23}" >/dev/null 2>&1 || fail "$name: the first run failed"
    span=$((($(date +%s%N) - started) / 900000))
    for ((i = 0; i < count; ++i)); do
        touch "$work/marker"
        "$tool" "${@/@rate/$((24 + i % 90))}" >/dev/null 2>&1 &
        local pid=$!
        sleep "$(awk -v r=$RANDOM -v s="$span" 'BEGIN { print r / 32768 * s / 1000 }')"
        kill -9 "$pid" 2>/dev/null || true
        wait "$pid" 2>/dev/null || true
        check_folder "$folder"
        killed=$((killed + $(left_over "$folder" -newer "$work/marker")))
    done
    echo half >"$folder/a.glb.unfinished-0123456789abcdef"
    sleep 1.1
    "$tool" "${@/@rate/30}" >/dev/null 2>&1 || fail "$name: the run after the kills failed"
    check_folder "$folder"
    [ "$(left_over "$folder")" -eq 0 ] || fail "$name: something is left over"
    echo "$name: $count kills, $killed files left unfinished and removed by later runs"
}

mkdir "$work/one" "$work/set" "$work/cast" "$work/sheet"
kill_while "one file" $((kills / 4)) "$work/one" retarget --fps @rate --source "$demo/diver.glb" --target "$demo/bosun.glb" -o "$work/one/a.glb"
kill_while "a set" $((kills / 4)) "$work/set" retarget --fps @rate --source "$demo/diver.glb" --target "$demo/bosun.glb" --out-dir "$work/set"
[ "$(find "$work/set" -name '*.glb' | wc -l)" -eq 8 ] || fail "a set: not all clips are there"
kill_while "a cast" $((kills / 4)) "$work/cast" retarget --cast "$demo/crew.cast.json" --out-dir "$work/cast"
cp "$demo/bosun.glb" "$work/sheet/"
"$tool" chart "$work/sheet/bosun.glb" -o "$work/sheet/bosun.rig.json" >/dev/null
kill_while "a sheet over an old one" $((kills / 4)) "$work/sheet" ragdoll build "$work/sheet/bosun.rig.json" -o "$work/sheet/bosun.rig.json"

mkdir "$work/two"
for _ in 1 2 3 4 5 6; do
    "$tool" retarget --source "$demo/diver.glb" --target "$demo/bosun.glb" --out-dir "$work/two" >/dev/null 2>&1 &
    "$tool" retarget --source "$demo/diver.glb" --target "$demo/deckhand.glb" --suffix -d --out-dir "$work/two" >/dev/null 2>&1 &
    wait
    check_folder "$work/two"
    [ "$(find "$work/two" -name '*.glb' | wc -l)" -eq 16 ] || fail "two at once: a file is missing"
    [ "$(left_over "$work/two")" -eq 0 ] || fail "two at once: something is left over"
    rm -f "$work/two"/*
done
echo "two at once in one folder: 6 times, all 16 files whole"

mkdir "$work/full"
if mount -t tmpfs -o size=600k tmpfs "$work/full" 2>/dev/null; then
    mounted=$work/full
    status=0
    "$tool" retarget --source "$demo/diver.glb" --target "$demo/bosun.glb" -o "$work/full/a.glb" >/dev/null 2>"$work/said" || status=$?
    [ "$status" -eq 3 ] || fail "a full disk: exit status $status"
    [ "$(wc -l <"$work/said")" -eq 1 ] || fail "a full disk: not one line"
    [ -z "$(ls -A "$work/full")" ] || fail "a full disk: something is left"
    umount "$mounted"
    mounted=""
    echo "a full disk: $(sed "s|$work|…|" "$work/said")"
else
    echo "a full disk: skipped, since nothing can be mounted here"
fi

status=0
"$tool" survey "$work/nothing.glb" >/dev/null 2>&- || status=$?
[ "$status" -eq 3 ] || fail "an error that nobody hears: exit status $status"
status=0
"$tool" pair "$demo/diver.glb" "$demo/bosun.glb" >/dev/full 2>/dev/null || status=$?
[ "$status" -ne 0 ] || fail "an output that is full: exit status 0"
"$tool" survey "$demo/diver.glb" 2>/dev/null | head -1 >/dev/null || true
echo "outputs that are full or closed early: the exit status says so"
