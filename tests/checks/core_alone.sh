#!/usr/bin/env bash
# The core builds with nothing but Eigen and fmt, each file compiled alone, is installed, and an animation is retargeted with it alone.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/../.."
cmake -S . -B build/core -G Ninja -DCMAKE_BUILD_TYPE=Release -DCMAKE_CXX_FLAGS_RELEASE="-O0 -DNDEBUG" -DDENDRAXIS_UNITY=OFF \
    -DDENDRAXIS_CORE_ONLY=ON >/dev/null
cmake --build build/core
cmake --install build/core --prefix build/core/installed >/dev/null
cmake -S tests/package/core -B build/core/user -G Ninja -DCMAKE_PREFIX_PATH="$PWD/build/core/installed" >/dev/null
cmake --build build/core/user
build/core/user/no_files
