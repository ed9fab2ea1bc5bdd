#!/usr/bin/env bash
# No two types or functions of one name differ: the linker compares them with -Wodr over the whole tool.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/../.."
cmake -S . -B build/odr -G Ninja -DCMAKE_BUILD_TYPE=Release -DDENDRAXIS_UNITY=ON -DDENDRAXIS_TESTS=OFF \
    -DCMAKE_CXX_FLAGS_RELEASE="-O0 -flto=2 -Wodr -Wlto-type-mismatch" -DCMAKE_CXX_COMPILER_AR="$(command -v gcc-ar)" \
    -DCMAKE_AR="$(command -v gcc-ar)" -DCMAKE_RANLIB="$(command -v gcc-ranlib)" \
    -DCMAKE_EXE_LINKER_FLAGS="-flto=2 -Werror=odr -Werror=lto-type-mismatch" >/dev/null
cmake --build build/odr --target dendraxis
