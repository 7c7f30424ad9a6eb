"""A notice on the desktop when something long is done, where the desktop can show one."""

from __future__ import annotations

import shutil
import subprocess


def notice(title: str, text: str) -> bool:
    """Show it through the desktop's own service; whether that could be asked. Never waits, never raises."""
    tool = shutil.which("notify-send")
    if tool is None:
        return False
    try:
        subprocess.Popen([tool, "--app-name=Stithy", title, text], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    except OSError:
        return False
    return True
