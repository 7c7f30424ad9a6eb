"""Names of imported bodies: printable, of bounded length, unlike each other."""

from __future__ import annotations

import unicodedata


def unlike(name: str, taken: set[str]) -> str:
    """``name``, or with a number behind it, unlike all that are ``taken``; it is taken from then on."""
    plain = "".join(" " if unicodedata.category(c) in ("Cc", "Cs") else c for c in name)
    plain = " ".join(plain.replace("=", "-").split())[:50].strip() or "Solid"
    found, number = plain, 2
    while found in taken:
        found, number = f"{plain} {number}", number + 1
    taken.add(found)
    return found
