#!/usr/bin/env bash
# Installs what is missing, builds, and runs the whole example on the demo characters into demo-out/.
source "$(dirname "${BASH_SOURCE[0]}")/setup.sh"
build/release/tool/dendraxis demo --out demo-out
