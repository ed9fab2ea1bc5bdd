#!/usr/bin/env bash
# What the pages name is there: the files that they link and mention, and the code's names.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/../.."
pages=(README.md ARCHITECTURE.md CONTRIBUTING.md docs/*.md)
failed=0
complain() {
    echo "$1: $2 is not there"
    failed=1
}

files=$(git ls-files)
words=$(mktemp)
trap 'rm -f "$words"' EXIT
git grep -hoE '[A-Za-z_][A-Za-z0-9_]{3,}' -- include src tool page examples tests benchmarks fuzz schemas cmake CMakeLists.txt '*.sh' '*.json' |
    sort -u >"$words"
for page in "${pages[@]}"; do
    folder=$(dirname "$page")
    while read -r link; do
        [ -e "$folder/$link" ] || complain "$page" "the link $link"
    done < <(grep -oE '\]\([^)#:]+' "$page" | cut -c3-)
    while read -r file; do
        grep -qE "(^|/)${file//./\\.}$" <<<"$files" || complain "$page" "$file"
    done < <(grep -oE '`[a-z_/]+\.(hpp|cpp|sh)`' "$page" | tr -d '`' | sort -u)
    # Names of code: what has an underscore or a capital within, and what is called.
    while read -r name; do
        grep -qxF "$name" "$words" || complain "$page" "the name $name"
    done < <(grep -oE '`[A-Za-z_:]+(\(\))?`' "$page" | tr -d '`()' | sed 's/.*:://' | grep -E '_|[a-z][A-Z]' | grep -vE '^(SerializeGltf|k_constant|snake_case|PascalCase|add_NAME)' | sort -u)
done
exit $failed
