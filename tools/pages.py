"""Write the pages that come from the program itself: docs/project-file.md, docs/api.md, docs/examples/ (python
tools/pages.py)."""

from __future__ import annotations

import inspect
import json
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

import stithy  # noqa: E402
from stithy import reading  # noqa: E402
from stithy.model.quantities import QUANTITIES, WATCHED  # noqa: E402
from stithy.project import edits, files  # noqa: E402
from stithy.project.kind import KINDS, Cell, Kind  # noqa: E402
from stithy.read import shown  # noqa: E402
from stithy.read.band import Banded, Bands  # noqa: E402
from stithy.read.quantities import Quantities  # noqa: E402
from stithy.read.values import Values  # noqa: E402
from stithy.shaped import Shaped  # noqa: E402
from stithy.solution.solution import Solution, Walls  # noqa: E402
from stithy.solve.influence import Influence  # noqa: E402
from stithy.weigh.asked import Asked  # noqa: E402
from verification.examples import examples  # noqa: E402

API_HEAD = """# The engine from Python

Written by `tools/pages.py` from the docstrings. All values are SI, temperatures K, places m.

```python
import stithy
project = stithy.open("lamp-driver")
result = project.solve("Fan on wall, plates")                      # a Solution
print(project.bands("Fan on wall, plates").temperature("Surge stage").text(zero=273.15))
print(project.read("Fan on wall, plates").at([(0.05, 0.05, 0.01)]))  # any quantity
```

Rows are made as `stithy.kinds.Block(name="Spacer", size="10, 10, 3 mm")`, documents as
`stithy.kinds.Document(rows=...)`; [project-file.md](project-file.md) lists every kind and its cells. An edit is a
value: `edits.set_cell("Base", "Chip", "power", "3 W").apply(document)` gives the next document.
"""
#: what docs/api.md shows: heading, class or module
SHOWN = (
    ("stithy.open, a project", stithy.Project),
    ("Of a project: solids, boards, openings, grid", Shaped),
    ("Of a project: studies, tables, reports", Asked),
    ("What can be read", Quantities),
    ("Any quantity, on cells, walls and at points", Values),
    ("What powers do", Influence),
    ("A solution", Solution),
    ("Walls of a solution", Walls),
    ("Numbers with bands", Bands),
    ("One number with its band", Banded),
    ("Edits", edits),
    ("Kinds of rows", Kind),
    ("Cells", Cell),
)


def project_file_page() -> str:
    """docs/project-file.md, from its head and the descriptions of cells."""
    head = Path(__file__).with_name("project_file_head.md").read_text()
    table = "\n".join(f"| `{what}` | {text} |" for what, text in reading.WHAT.items())
    shown = []
    for folder, (document, text, commands) in examples().items():
        rows = ",\n  ".join(
            json.dumps(r.model_dump(exclude_defaults=True) | {"kind": r.kind}, ensure_ascii=False)
            for r in document.rows
        )
        calls = "\n".join(f"stithy {c.split(' ', 1)[0]} docs/examples/{folder} {c.split(' ', 1)[1]}" for c in commands)
        shown.append(
            f'### {document.name} (`{folder}`)\n\n{text}\n\n```json\n{{"format": "stithy project", "version": 1, '
            f'"name": "{document.name}", "rows": [\n  {rows}],\n "layouts": [{{"name": "Base"}}]}}\n```\n\n```\n'
            f"stithy solve docs/examples/{folder}\n{calls}\n```\n"
        )
    out = [
        head.replace("QUANTITIES\n", _quantities())
        .replace("READING\n", table + "\n\n")
        .replace("EXAMPLES\n", "\n".join(shown))
    ]
    for kind in KINDS.values():
        out.append(f"### {kind.name}\n\n{kind.what}\n\n| cell | default | meaning |\n|---|---|---|")
        for c in kind.cells.values():
            default = kind.row.model_fields[c.key].default
            out.append(f"| `{c.key}` | {default or '(empty)'} | {c.what} |")
        out.append("")
    return "\n".join(out)


def _quantities() -> str:
    """The list of quantities as tables."""
    rows = [
        f"| {q.name} | {shown.unit(q.dimension) or '-'} | {q.place} | {q.where} | {q.what} |"
        for q in QUANTITIES.values()
    ]
    more = [f"| {n} | {shown.unit(d) or '-'} | {what} |" for n, (d, what) in WATCHED.items()]
    heads = "| quantity | unit | lives in | where | what |\n|---|---|---|---|---|\n"
    of_watches = "Watches take these as well:\n\n| number | unit | what |\n|---|---|---|\n"
    return heads + "\n".join(rows) + "\n\n" + of_watches + "\n".join(more) + "\n\n"


def api_page() -> str:
    """docs/api.md, from the docstrings of what is public."""
    out = [API_HEAD]
    for heading, thing in SHOWN:
        out.append(f"## {heading}\n\n{_text(thing)}\n")
        for name, member in vars(thing).items():
            if name.startswith("_") or inspect.isclass(member) or not inspect.getdoc(member):
                continue
            if inspect.isfunction(member) and member.__module__ == getattr(thing, "__module__", thing.__name__):
                signature = (
                    str(inspect.signature(member)).replace("(self, ", "(").replace("(self)", "()").replace("'", "")
                )
                out.append(f"**`{name}{signature}`**  \n{_text(member)}\n")
            elif isinstance(member, property):
                out.append(f"**`{name}`**  \n{_text(member)}\n")
    return "\n".join(out)


def _text(thing) -> str:
    """A docstring as a paragraph or more."""
    return (
        (inspect.getdoc(thing) or "")
        .replace(":class:", "")
        .replace(":meth:", "")
        .replace(":func:", "")
        .replace(":attr:", "")
    )


def pages() -> dict[Path, str]:
    """Every page that is made, by its path."""
    made = {ROOT / "docs/project-file.md": project_file_page(), ROOT / "docs/api.md": api_page()}
    return made | {
        ROOT / "docs/examples" / folder / "project.json": files.to_text(d) for folder, (d, _, _) in examples().items()
    }


def main() -> None:
    """Write them."""
    for path, text in pages().items():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, encoding="utf-8")


if __name__ == "__main__":
    main()
