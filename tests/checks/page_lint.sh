#!/usr/bin/env bash
# ESLint over the page's modules: nothing undefined, unused, shadowed or loosely compared. Skipped where npm is missing.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/../.."
if ! command -v npm >/dev/null; then
    echo "skipped: the page's script is not linted, since npm is not installed"
    exit 0
fi
if [ ! -d build/lint/node_modules/eslint ]; then
    npm install --silent --no-audit --no-fund --prefix build/lint eslint@8.57.1 >/dev/null 2>&1 ||
        { echo "skipped: the page's script is not linted, since ESLint cannot be installed"; exit 0; }
fi
build/lint/node_modules/.bin/eslint --no-eslintrc --env browser,es2022 --parser-options ecmaVersion:2022,sourceType:module \
    --global THREE --rule '{"no-undef":2,"no-unused-vars":2,"no-shadow":2,"eqeqeq":2,"prefer-const":2,"no-var":2,"no-implicit-globals":2,"no-eval":2,"no-implied-eval":2,"consistent-return":2,"max-lines":[2,400]}' page
echo "the page's script is clean"
