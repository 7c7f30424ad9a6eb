#!/usr/bin/env bash
# Sets up everything from a bare clone: system libraries, virtual environment, pinned packages, compiled kernels.
set -euo pipefail
cd "$(dirname "$0")/.."

need=(libgl1 libegl1 libglib2.0-0 libfontconfig1 libdbus-1-3 libxkbcommon0 libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4
      libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xfixes0
      libpango-1.0-0 libpangoft2-1.0-0 libxrender1 libsm6 libgl1-mesa-dri xvfb xauth)
python=python3
if ! command -v python3 >/dev/null || ! python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
  echo "Stithy needs Python 3.11 or newer. On Debian: apt-get install python3 python3-venv" >&2
  exit 1
fi
python3 -c 'import ensurepip' 2>/dev/null || need+=(python3-venv)

missing=()
if command -v dpkg-query >/dev/null; then
  for p in "${need[@]}"; do
    dpkg-query -W -f='${Status}' "$p" 2>/dev/null | grep -q 'ok installed' || missing+=("$p")
  done
fi
if [ ${#missing[@]} -gt 0 ]; then
  if [ "$(id -u)" = 0 ]; then
    echo "Installing system libraries: ${missing[*]}"
    apt-get update -qq
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
  elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then
    echo "Installing system libraries with sudo: ${missing[*]}"
    sudo apt-get update -qq
    sudo DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
  else
    echo "System libraries are missing and this needs root. Run this once, then the same command again:" >&2
    echo "  sudo apt-get install ${missing[*]}" >&2
    exit 1
  fi
fi

[ -x .venv/bin/python ] || { echo "Making the virtual environment .venv"; $python -m venv .venv; }
echo "Installing pinned Python packages (about 500 MB the first time)"
.venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps -r requirements.lock
.venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
.venv/bin/stithy compile
touch .venv/.ready
