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
# The page is tried in a headless browser where node and npm are there.
if command -v npm >/dev/null; then
    if [ ! -d build/browser/node_modules/playwright-core ]; then
        npm install --silent --no-audit --no-fund --prefix build/browser playwright-core@1.64.1 >/dev/null 2>&1 || true
    fi
    if [ ! -x /usr/bin/chromium ]; then
        as_root=()
        [ "$(id -u)" -eq 0 ] || as_root=(sudo)
        "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends chromium >/dev/null 2>&1 || true
    fi
fi
if [ ! -d build/browser/node_modules/playwright-core ] || [ ! -x /usr/bin/chromium ]; then
    echo "skipped: the page in a browser, since playwright-core (npm) or chromium is not installed"
fi
ctest --preset release --parallel "$(nproc)"
