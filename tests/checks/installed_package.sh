#!/usr/bin/env bash
# The installed library is found by find_package and used by a small project; the installed tool runs its demo.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/../.."
rm -rf build/installed
cmake --install build/release --prefix build/installed >/dev/null
cmake -S tests/package/whole -B build/package -G Ninja -DCMAKE_PREFIX_PATH="$PWD/build/installed" >/dev/null
cmake --build build/package
build/package/carry_a_clip build/installed/share/dendraxis/harbour
build/installed/bin/dendraxis survey build/installed/share/dendraxis/harbour/diver.glb --json >/dev/null
