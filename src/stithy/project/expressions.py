"""Expressions in cells: arithmetic over parameters and units, nothing else."""

from __future__ import annotations

import ast
import math
import operator
import re
import warnings
from collections.abc import Callable
from itertools import accumulate
from typing import Any

from ..errors import ValueProblem

_OPS = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.Pow: operator.pow,
}
#: characters, brackets within brackets, and sizes of numbers and of powers of units that an expression may come to
LONGEST, DEEPEST, LARGEST, MOST_POWER = 500, 30, 1e60, 24
#: units of temperature whose zero is not the absolute one
OFFSET = ("degC", "degF", "celsius", "fahrenheit")
_CALLS: dict[str, Callable] = {"min": min, "max": max, "sqrt": lambda x: x**0.5, "abs": abs, "round": round}
_UNIT = r"[A-Za-z_]\w*(?:\*\*\d)?"
_JUXTAPOSED = re.compile(rf"(?<![\w.])(\d+\.?\d*(?:[eE][+\-]?\d+)?)\s+({_UNIT}(?:[*/]{_UNIT})*)")
_QUOTED = re.compile('(["“][^"“”]*["”])')


def outside_quotes(text: str, work: Callable[[str], str]) -> str:
    """A text with all changed that is no name in quotes."""
    return "".join(part if m % 2 else work(part) for m, part in enumerate(_QUOTED.split(text)))


def evaluate(text: str, names: dict, registry: Any, calls: dict[str, Callable] | None = None) -> Any:
    """Value of ``text``: numbers, ``names`` (parameters, cells of rows, or whole fields), units, + - * / ** and min,
    max, sqrt, abs, round (``calls`` where fields need others).

    A number followed by a unit may stand without a sign between ("3 cfm"). A name whose value is None is one that may
    not be used yet. Cells of rows (``Board.size.x``) are asked of ``names.cell``, where it has that. Bounded in length,
    depth and size of every number on the way. Raises ValueProblem.
    """
    depth = max(accumulate((c in "([") - (c in ")]") for c in text), default=0)
    if len(text) > LONGEST or depth > DEEPEST or any(sign * 20 in text.replace(" ", "") for sign in "+-"):
        raise ValueProblem(
            text, "is too long an expression.", f"Keep it below {LONGEST} characters, or make parameters of its parts."
        )
    plain = outside_quotes(text.strip(), lambda part: _JUXTAPOSED.sub(r"(\1*\2)", part))
    try:
        with warnings.catch_warnings(action="ignore", category=SyntaxWarning):  # of figures run into words
            tree = ast.parse(plain.replace("“", '"').replace("”", '"'), mode="eval").body
    except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
        remedy = 'Write it like = 2*airflow, or = "Main board".size.x - 10 mm.'
        raise ValueProblem(text, f"“= {text.strip()}” cannot be read.", remedy) from error
    try:
        return _Walk(text, names, registry, calls or _CALLS).value(tree)
    except ValueProblem:
        raise
    except RecursionError as error:
        raise ValueProblem(text, "is nested too deeply.", "Make parameters of its parts.") from error
    except Exception as error:  # arithmetic between units that do not go together, division by zero
        raise ValueProblem(text, f"“= {text.strip()}”: {error}.", "Check that the units go together.") from error


class _Walk:
    """Works out one expression's tree."""

    def __init__(self, text: str, names: dict, registry: Any, calls: dict[str, Callable]):
        self.text, self.names, self.registry, self.calls = text, names, registry, calls

    def value(self, node: ast.AST) -> Any:
        """Value of a node, bounded in size and in powers of units."""
        value = self._value_of(node)
        size = getattr(value, "magnitude", value)
        if getattr(size, "ndim", 0):
            size = float(abs(size[size == size]).max(initial=0.0))
        powers = getattr(value, "dimensionality", {}).values()
        if isinstance(size, complex) or not abs(size) < LARGEST or any(abs(p) > MOST_POWER for p in powers):
            raise ValueProblem(
                self.text,
                "leads to a number that is not finite, or to none at all.",
                "Check its powers, roots and divisions.",
            )
        return value

    def _value_of(self, node: ast.AST) -> Any:
        if isinstance(node, ast.Constant) and isinstance(node.value, int | float) and not isinstance(node.value, bool):
            return self.registry.Quantity(float(node.value), "")
        level = self._level(node)
        if level is not None:
            return level
        if isinstance(node, ast.BinOp) and type(node.op) in _OPS:
            left, right = self.value(node.left), self.value(node.right)
            if isinstance(node.op, ast.Pow):
                right = float(right.to("").magnitude)
                if abs(right) > 20:
                    raise ValueProblem(self.text, "has too large a power.", "Keep powers below 20.")
            return _OPS[type(node.op)](left, right)
        if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.UAdd):
            value = self.value(node.operand)
            return -value if isinstance(node.op, ast.USub) else value
        if isinstance(node, ast.Name):
            return self._named(node.id)
        if isinstance(node, ast.Attribute):
            return self._cell(node)
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in self.calls:
            return self.calls[node.func.id](*[self.value(a) for a in node.args])
        raise self._no_arithmetic()

    def _no_arithmetic(self) -> ValueProblem:
        return ValueProblem(
            self.text,
            f"“= {self.text.strip()}” holds something that is not arithmetic.",
            "Use numbers, parameters, cells of rows, units and + - * / ** only.",
        )

    def _level(self, node: ast.AST) -> Any:
        """A temperature such as 20 degC, which is no product: its scale has a zero of its own. None for all else."""
        sign = 1.0
        if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub):
            sign, node = -1.0, node.operand
        if not (isinstance(node, ast.BinOp) and isinstance(node.op, ast.Mult) and isinstance(node.right, ast.Name)):
            return None
        number = node.left.value if isinstance(node.left, ast.Constant) else None
        if node.right.id not in OFFSET or node.right.id in self.names or not isinstance(number, int | float):
            return None
        return self.registry.Quantity(sign * float(number), node.right.id).to("kelvin")

    def _named(self, name: str) -> Any:
        """A parameter's or a unit's value."""
        if name in self.names:
            if self.names[name] is None:
                raise ValueProblem(
                    self.text,
                    f"“{name}” is this parameter itself, or one whose own value cannot be read.",
                    "Refer to parameters that stand above it.",
                )
            return self.names[name]
        if name == "pi":
            return self.registry.Quantity(math.pi, "")
        try:
            return self.registry.Quantity(1.0, name)
        except Exception as error:  # pint raises many kinds
            remedy = f"Add a parameter named {name}, or correct the name."
            raise ValueProblem(self.text, f"“{name}” is no parameter and no unit.", remedy) from error

    def _cell(self, node: ast.AST) -> Any:
        """A cell of a row."""
        parts: list[str] = []
        while isinstance(node, ast.Attribute):
            parts.insert(0, node.attr)
            node = node.value
        row = node.id if isinstance(node, ast.Name) else node.value if isinstance(node, ast.Constant) else None
        find = getattr(self.names, "cell", None)
        if find is None:
            raise self._no_arithmetic()
        if not isinstance(row, str):
            raise ValueProblem(
                self.text,
                f"“{'.'.join(parts)}” is asked of something that has no cells.",
                "Write it like Board.size.x.",
            )
        return find(self.text, row, parts)
