"""Forgets compiled kernels when the source of any of them has changed.

Each file of kernels is compiled anew when it changes itself, but not when one that it calls does (inlined kernels of
other files), so that an old limiter would go on in a new program, silently.
"""

from __future__ import annotations

from contextlib import suppress
from hashlib import sha256
from pathlib import Path


def forget_stale(package: Path) -> bool:
    """Delete all compiled kernels below ``package`` unless its sources of kernels are those that they were compiled
    from.

    Whether it did. What cannot be written (a read-only installation) is left as it is.
    """
    sources = [text for p in sorted(package.rglob("*.py")) if b"njit" in (text := p.read_bytes())]
    mark, note = sha256(b"\0".join(sources)).hexdigest(), package / "__pycache__" / "kernels.txt"
    with suppress(OSError):
        if note.read_text() == mark:
            return False
    with suppress(OSError):
        for old in [*package.rglob("*.nbi"), *package.rglob("*.nbc")]:
            old.unlink(missing_ok=True)
        note.parent.mkdir(exist_ok=True)
        note.write_text(mark)
    return True
