"""Write requirements.lock from what is installed in .venv: all that pyproject.toml asks for (with extra: test), and
what that needs."""

from __future__ import annotations

import re
import tomllib
from importlib import metadata
from pathlib import Path

from packaging.requirements import Requirement
from packaging.utils import canonicalize_name

ROOT = Path(__file__).parent.parent


def wanted() -> list[Requirement]:
    """What pyproject.toml asks for."""
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    return [Requirement(x) for x in (*project["dependencies"], *project["optional-dependencies"]["test"])]


def locked() -> dict[str, str]:
    """Package -> version, as locked."""
    lines = (ROOT / "requirements.lock").read_text().splitlines()
    return {canonicalize_name(m[1]): m[2] for line in lines if (m := re.match(r"([\w.-]+)==(\S+)$", line))}


def closure() -> dict[str, str]:
    """Package -> installed version of all that is wanted, and of all that those need here."""
    found, todo = {}, [(r, frozenset(r.extras)) for r in wanted()]
    while todo:
        r, extras = todo.pop()
        name = canonicalize_name(r.name)
        new = name not in found
        found[name] = metadata.version(r.name)
        for text in metadata.requires(r.name) or () if new or extras else ():
            needed = Requirement(text)
            if needed.marker is None or any(needed.marker.evaluate({"extra": e}) for e in (extras or {""})):
                todo.append((needed, frozenset(needed.extras)))
    return found


def main() -> None:
    """Write the lock."""
    packages = closure() | {"setuptools": metadata.version("setuptools"), "wheel": metadata.version("wheel")}
    lines = [
        "# Written by tools/lock.py from pyproject.toml (extra: test).",
        *(f"{n}=={v}" for n, v in sorted(packages.items())),
    ]
    (ROOT / "requirements.lock").write_text("\n".join(lines) + "\n")


if __name__ == "__main__":
    main()
