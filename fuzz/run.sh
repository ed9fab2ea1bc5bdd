#!/usr/bin/env bash
# Builds the fuzzers and runs each for some seconds. Usage: fuzz/run.sh [SECONDS] [TARGET...]
# What a fuzzer finds is left in build/fuzz/found, and the exit status is 1.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
seconds=${1:-60}
shift || true
targets=("${@:-}")
[ -n "${targets[0]}" ] || targets=(glb bvh puppet sheet)
cmake --preset fuzz >/dev/null
cmake --build build/fuzz --target "${targets[@]/#/fuzz_}"

# Corpora: the smallest files of the demo, and what is made up beside them.
corpus=build/fuzz/corpus
mkdir -p build/fuzz/found $corpus/{glb,bvh,puppet,sheet}
cp demo/harbour/{lantern-man,slipway,mooring-post}.glb $corpus/glb
cp fuzz/corpus/*.bvh $corpus/bvh
cp fuzz/corpus/*.puppet.json $corpus/puppet
sed 's/^{/0{/' fuzz/corpus/small.rig.json >$corpus/sheet/0
sed 's/^{/1{/' fuzz/corpus/small.pair.json >$corpus/sheet/1
sed 's/^{/2{/' fuzz/corpus/small.cast.json >$corpus/sheet/2
sed 's/^{/3{/' demo/harbour/mallet.prop.json >$corpus/sheet/3

failed=0
for target in "${targets[@]}"; do
    echo "fuzz_$target, $seconds s"
    ASAN_OPTIONS=detect_leaks=0:allocator_may_return_null=0 build/fuzz/fuzz/fuzz_$target -max_total_time="$seconds" -timeout=20 -rss_limit_mb=2500 -max_len=65536 \
        -artifact_prefix=build/fuzz/found/$target- -print_final_stats=1 $corpus/$target >build/fuzz/$target.log 2>&1 || failed=1
    grep -E "number_of_executed_units|SUMMARY|peak_rss" build/fuzz/$target.log || tail -3 build/fuzz/$target.log
done
rm -rf "${TMPDIR:-/tmp}"/dendraxis-fuzz-*
exit $failed
