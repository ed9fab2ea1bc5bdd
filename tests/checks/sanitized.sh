#!/usr/bin/env bash
# A quick subset of the tests under the address and undefined-behavior sanitizers.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/../.."
cmake --preset sanitize >/dev/null
cmake --build --preset sanitize --target dendraxis_tests
suppressions="print_suppressions=0:suppressions=$PWD/tests/support/leaks.supp"
LSAN_OPTIONS="$suppressions" build/sanitize/tests/dendraxis_tests \
    --source-file='*tests/base/*,*tests/skeleton/*,*tests/io/*,*tests/retarget/*,*tests/sim/world.cpp,*tests/ragdoll/shapes.cpp'
