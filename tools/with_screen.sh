#!/usr/bin/env bash
# Runs a command on the screen there is, or on a virtual one of its own.
set -euo pipefail
if [ -n "${DISPLAY:-}" ]; then exec "$@"; fi
exec xvfb-run -a -s "-screen 0 1400x900x24" "$@"
