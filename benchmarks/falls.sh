#!/usr/bin/env bash
# How falls of many characters go: benchmarks/falls.sh TOOL FOLDER [SEEDS]
# Lets every .glb and .gltf of a folder fall from half a metre, taken to be 1.75 m tall, and get up again into the clip
# that is named for idling or standing, else the first one. Prints the worst of all falls: how many came to rest, and each
# measure of the written clips. The last line counts characters over a gate.
set -euo pipefail
tool=$1
folder=$2
seeds=$(seq 1 "${3:-8}")
printf '%-20s %8s %9s %9s %9s %9s %9s %8s %8s  %s\n' character settled gap_pct skin_pct below_pct range_deg jitter_pct up_turn \
    up_below over
all=0
over=0
for file in "$folder"/*.glb "$folder"/*.gltf; do
    [ -e "$file" ] || continue
    name=$(basename "${file%.*}")
    clips=$("$tool" survey "$file" --json 2>/dev/null | sed -n '/"clips": \[/,/^  \]/p' | grep -o '"name": "[^"]*"' | cut -d'"' -f4 || true)
    clip=$(grep -i -m1 -E 'idle|stand' <<<"$clips" || head -1 <<<"$clips")
    # shellcheck disable=SC2086
    if ! told=$("$tool" ragdoll drop "$file" --seconds 12 --height 0.5 --height-metres 1.75 --seed $seeds ${clip:+--get-up "$clip"} --json 2>&1); then
        printf '%-20s %s\n' "$name" "$(head -1 <<<"$told" | cut -c1-90)"
        continue
    fi
    value() { grep -A1 "\"$1\": {" <<<"$told" | sed -n 's/.*"value": \([0-9.e+-]*\).*/\1/p'; }
    figure() { sed -n "s/.*\"$1\": \([0-9]*\).*/\1/p" <<<"$told" | head -1; }
    codes=$(grep -o '"fall\.[a-z-]*"' <<<"$told" | tr -d '"' | tr '\n' ' ' || true)
    printf '%-20s %8s %9.3g %9.3g %9.3g %9.3g %9.3g %8.3g %8.3g  %s\n' "$name" "$(figure settled)/$(figure drops)" \
        "$(value joint_gap_pct)" "$(value skin_stretch_pct)" "$(value below_ground_pct)" "$(value beyond_range_deg)" \
        "$(value jitter_pct)" "$(value get_up_turn_pct)" "$(value get_up_below_pct)" "$codes"
    all=$((all + 1))
    [ -z "$codes" ] || over=$((over + 1))
done
echo "$over of $all characters over a gate"
