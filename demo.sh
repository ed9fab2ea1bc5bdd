#!/usr/bin/env bash
# Installs what is missing, builds the tool, and runs the whole example on the demo characters into demo-out/.
source "$(dirname "${BASH_SOURCE[0]}")/setup.sh" dendraxis
build/release/tool/dendraxis demo --out demo-out
