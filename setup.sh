#!/usr/bin/env bash
# Installs what packages.txt lists and is not there yet, then builds: everything, or only the target that is given.
# Sourced by demo.sh and test.sh.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")"

missing=()
for package in $(grep -v '^#' packages.txt); do
    dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing+=("$package")
done
if [ "${#missing[@]}" -gt 0 ]; then
    echo "installing: ${missing[*]}"
    as_root=()
    [ "$(id -u)" -eq 0 ] || as_root=(sudo)
    "${as_root[@]}" apt-get update -qq
    "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
fi

cmake --preset release >build-setup.log 2>&1 || { cat build-setup.log; exit 1; }
rm -f build-setup.log
cmake --build --preset release ${1:+--target "$1"}
