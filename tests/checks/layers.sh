#!/usr/bin/env bash
# A layer includes only itself and the layers listed for it; the core includes no third party but Eigen and fmt.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/../.."

declare -A may=(
    [base]=""
    [geometry]="base"
    [skeleton]="base geometry"
    [chart]="base geometry skeleton"
    [ik]="base geometry skeleton chart"
    [retarget]="base geometry skeleton chart ik"
    [ragdoll]="base geometry skeleton chart"
    [equip]="base geometry skeleton chart ik ragdoll"
    [review]="base geometry skeleton chart ik retarget"
    [io]="base geometry skeleton chart ik retarget ragdoll equip review"
    [pipeline]="base geometry skeleton chart ik retarget ragdoll equip review io"
    [sim]="base geometry skeleton chart ik retarget ragdoll equip review"
    [draw]="base geometry skeleton chart ik retarget ragdoll equip review io"
    [page]="base geometry skeleton chart ik retarget ragdoll equip review io pipeline draw"
)
core="base geometry skeleton chart ik retarget ragdoll equip review"
wrong=0

report() {
    echo "$1: $2 may not include $3"
    wrong=1
}

for layer in "${!may[@]}"; do
    allowed=" $layer ${may[$layer]} "
    while IFS= read -r file; do
        while IFS= read -r included; do
            [[ "$allowed" == *" $included "* ]] || report "$file" "$layer" "$included"
        done < <(sed -nE 's|^#include [<"](dendraxis/\|(\.\./)+)([a-z]+)/.*|\3|p' "$file" |
                 { if [ "$layer" = io ]; then grep -vE '^(gltf|bvh|json|sheet|props|physics|puppet)$' || true; else cat; fi; })
        if [[ " $core " == *" $layer "* ]]; then
            while IFS= read -r included; do
                report "$file" "the core" "$included"
            done < <(sed -nE 's|^#include <([a-z_A-Z0-9]+)/.*|\1|p' "$file" | grep -vE '^(dendraxis|Eigen|fmt)$' || true)
        fi
    done < <(find "src/$layer" "include/dendraxis/$layer" -name '*.?pp' 2>/dev/null)
done
for folder in src/*/; do
    [ -n "${may[$(basename "$folder")]+known}" ] || report "$folder" "src" "a folder that is no layer"
done
[ "$wrong" -eq 0 ] && echo "the layers hold"
exit "$wrong"
