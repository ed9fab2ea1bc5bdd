#!/usr/bin/env bash
# Under the address and undefined-behavior sanitizers: the demo's files once through reading, charting, carrying
# and writing, then each fuzzer for some seconds (default: 60).
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/../.."
if ! command -v clang++ >/dev/null || ! ls /usr/lib/llvm-*/lib/clang/*/lib/linux/libclang_rt.fuzzer-* >/dev/null 2>&1; then
    as_root=()
    [ "$(id -u)" -eq 0 ] || as_root=(sudo)
    if ! "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends \
        clang libclang-rt-14-dev >/dev/null 2>&1; then
        echo "skipped: the fuzzers, which need clang and its runtime"
        exit 0
    fi
fi
fuzz/run.sh "${1:-60}"
export ASAN_OPTIONS=detect_leaks=0
build/fuzz/fuzz/fuzz_glb demo/harbour/*.glb >/dev/null 2>build/fuzz/files.log || { tail -30 build/fuzz/files.log; exit 1; }
build/fuzz/fuzz/fuzz_bvh demo/harbour/*.bvh >/dev/null 2>build/fuzz/files.log || { tail -30 build/fuzz/files.log; exit 1; }
build/fuzz/fuzz/fuzz_puppet demo/harbour/puppets/*.puppet.json >/dev/null 2>build/fuzz/files.log || { tail -30 build/fuzz/files.log; exit 1; }
echo "the fuzzers and the demo's files run clean under the sanitizers"
