#!/usr/bin/env bash
# Builds the fuzzers and runs each for some seconds, as many at once as there are cores. Usage: fuzz/run.sh [SECONDS] [TARGET...]
# FUZZ_SEED=N makes runs repeatable. What a fuzzer finds is left in build/fuzz/found, and the exit status is 1.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
seconds=${1:-60}
shift || true
targets=("${@:-}")
[ -n "${targets[0]}" ] || targets=(glb gltf bvh puppet sheet request)
cmake --preset fuzz >/dev/null
cmake --build build/fuzz --target "${targets[@]/#/fuzz_}"

# Corpora: the smallest files of the demo, and what is made up beside them.
corpus=build/fuzz/corpus
mkdir -p build/fuzz/found $corpus/{glb,gltf,bvh,puppet,sheet,request}
cp demo/harbour/{lantern-man,slipway,mooring-post}.glb fuzz/corpus/*.glb $corpus/glb
cp fuzz/corpus/*.gltf $corpus/gltf
cp fuzz/corpus/*.bvh $corpus/bvh
cp fuzz/corpus/*.puppet.json $corpus/puppet
sed 's/^{/0{/' fuzz/corpus/small.rig.json >$corpus/sheet/0
sed 's/^{/1{/' fuzz/corpus/small.pair.json >$corpus/sheet/1
sed 's/^{/2{/' fuzz/corpus/small.cast.json >$corpus/sheet/2
sed 's/^{/3{/' demo/harbour/mallet.prop.json >$corpus/sheet/3
sed '1s/^/0/' fuzz/corpus/small.pair.json >$corpus/request/0
sed '1s/^/1/' fuzz/corpus/small.pair.json >$corpus/request/1
echo '2["upper-arm", "forearm"]' >$corpus/request/2

run() {
    ASAN_OPTIONS=detect_leaks=0:allocator_may_return_null=0 build/fuzz/fuzz/fuzz_$1 -seed="${FUZZ_SEED:-0}" -max_total_time="$2" -timeout=20 -rss_limit_mb=2500 -max_len=65536 \
        -artifact_prefix=build/fuzz/found/$1- -print_final_stats=1 $3/$1 >build/fuzz/$1.log 2>&1 && status=0 || status=1
    echo "fuzz_$1, $2 s: $(grep -E "number_of_executed_units|SUMMARY|peak_rss" build/fuzz/$1.log | tr -s ' \n' ' ')"
    return $status
}
export -f run
failed=0
printf '%s\n' "${targets[@]}" | xargs -P "$(nproc)" -I{} bash -c "run {} $seconds $corpus" || failed=1
rm -rf "${TMPDIR:-/tmp}"/dendraxis-fuzz-*
exit $failed
