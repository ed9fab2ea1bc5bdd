#!/usr/bin/env bash
# Under the address and undefined-behavior sanitizers: each fuzzer for some seconds (default: 60), a quick subset of
# the tests, and the demo's files once through reading, charting, carrying and writing.
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
FUZZ_SEED=1 fuzz/run.sh "${1:-60}"
cmake --build build/fuzz --target quick_tests
export ASAN_OPTIONS=detect_leaks=0
clean() {
    "$@" >build/fuzz/clean.log 2>&1 || { tail -30 build/fuzz/clean.log; exit 1; }
}
clean build/fuzz/fuzz/quick_tests
clean build/fuzz/fuzz/fuzz_glb demo/harbour/*.glb
clean build/fuzz/fuzz/fuzz_bvh demo/harbour/*.bvh
clean build/fuzz/fuzz/fuzz_puppet demo/harbour/puppets/*.puppet.json
echo "the fuzzers, a quick subset of the tests and the demo's files run clean under the sanitizers"
