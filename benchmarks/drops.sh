#!/usr/bin/env bash
# Lets the four demo characters fall, 200 times each (or as many as the first argument says), and prints how well
# they held together.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
count=${1:-200}
for who in diver bosun deckhand hound; do
    echo "== $who"
    build/release/tool/dendraxis ragdoll drop "demo/harbour/$who.glb" --height 1.5 --seconds 15 --seed $(seq 1 "$count") --json
done
