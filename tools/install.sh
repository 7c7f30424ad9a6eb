#!/usr/bin/env bash
# Puts the command, a desktop entry and an icon where the desktop finds them (PREFIX, ~/.local by default); "remove" takes them away.
set -euo pipefail
here="$(cd "$(dirname "$0")/.." && pwd)"
prefix="${PREFIX:-$HOME/.local}"
command="$prefix/bin/stithy"
entry="$prefix/share/applications/stithy.desktop"
icon="$prefix/share/icons/hicolor/scalable/apps/stithy.svg"
if [ "${1:-}" = remove ]; then
  rm -f "$command" "$entry" "$icon"
  echo "Taken away: $command, $entry, $icon"
  exit 0
fi
mkdir -p "$(dirname "$command")" "$(dirname "$entry")" "$(dirname "$icon")"
printf '#!/bin/sh\nexec "%s/.venv/bin/stithy" "$@"\n' "$here" > "$command"
chmod 755 "$command"
cp "$here/src/stithy/data/stithy.svg" "$icon"
cat > "$entry" <<END
[Desktop Entry]
Type=Application
Name=Stithy
Comment=Heat and flow in electronics enclosures
Exec="$command" open %f
Icon=stithy
Terminal=false
Categories=Engineering;Science;
END
echo "Installed: $command, $entry, $icon"
case ":$PATH:" in *":$prefix/bin:"*) ;; *) echo "Add $prefix/bin to your PATH to start it by name." ;; esac
