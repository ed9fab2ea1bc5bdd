#!/usr/bin/env bash
# Installs what is missing, builds, and runs all tests.
source "$(dirname "${BASH_SOURCE[0]}")/setup.sh"

# The Khronos glTF validator, a format checker, is used by the tests where node and npm are there.
if command -v npm >/dev/null && [ ! -d build/validator/node_modules/gltf-validator ]; then
    npm install --silent --no-audit --no-fund --prefix build/validator gltf-validator@2.0.0-dev.3.10 >/dev/null 2>&1 || true
fi
if [ ! -d build/validator/node_modules/gltf-validator ]; then
    echo "skipped: the checks by the Khronos glTF validator, which is not installed (it needs npm and its registry)"
fi
ctest --preset release --parallel "$(nproc)"
