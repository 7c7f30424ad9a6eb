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
_CALLS: dict[str, Callable] = {"min": min, "max": max, "sqrt": lambda x: x**0.5, "abs": abs, "round": round}
_UNIT = r"[A-Za-z_]\w*(?:\*\*\d)?"
_JUXTAPOSED = re.compile(rf"(?<![\w.])(\d+\.?\d*(?:[eE][+\-]?\d+)?)\s+({_UNIT}(?:[*/]{_UNIT})*)")


def evaluate(text: str, names: dict, registry: Any, calls: dict[str, Callable] | None = None) -> Any:
    """Value of ``text``: numbers, ``names`` (parameters, or whole fields), units, + - * / ** and min, max, sqrt, abs,
    round (``calls`` where fields need others).

    A number followed by a unit may stand without a sign between ("3 cfm"). A name whose value is None is one that may
    not be used yet. Bounded in length, depth and size of every number on the way. Raises ValueProblem.
    """
    depth = max(accumulate((c in "([") - (c in ")]") for c in text), default=0)
    if len(text) > LONGEST or depth > DEEPEST or any(sign * 20 in text.replace(" ", "") for sign in "+-"):
        raise ValueProblem(
            text, "is too long an expression.", f"Keep it below {LONGEST} characters, or make parameters of its parts."
        )
    try:
        with warnings.catch_warnings(action="ignore", category=SyntaxWarning):  # of figures run into words
            tree = ast.parse(_JUXTAPOSED.sub(r"(\1*\2)", text.strip()), mode="eval").body
    except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
        raise ValueProblem(text, f"“= {text.strip()}” cannot be read.", "Write it like = 2*airflow.") from error

    calls = calls or _CALLS

    def walk(node):
        return bounded(value_of(node))

    def bounded(value):
        size = getattr(value, "magnitude", value)
        if getattr(size, "ndim", 0):
            size = float(abs(size[size == size]).max(initial=0.0))
        powers = getattr(value, "dimensionality", {}).values()
        if isinstance(size, complex) or not abs(size) < LARGEST or any(abs(p) > MOST_POWER for p in powers):
            raise ValueProblem(
                text,
                "leads to a number that is not finite, or to none at all.",
                "Check its powers, roots and divisions.",
            )
        return value

    def value_of(node):
        if isinstance(node, ast.Constant) and isinstance(node.value, int | float) and not isinstance(node.value, bool):
            return registry.Quantity(float(node.value), "")
        if isinstance(node, ast.BinOp) and type(node.op) in _OPS:
            left, right = walk(node.left), walk(node.right)
            if isinstance(node.op, ast.Pow):
                right = float(right.to("").magnitude)
                if abs(right) > 20:
                    raise ValueProblem(text, "has too large a power.", "Keep powers below 20.")
            return _OPS[type(node.op)](left, right)
        if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.UAdd):
            value = walk(node.operand)
            return -value if isinstance(node.op, ast.USub) else value
        if isinstance(node, ast.Name):
            if node.id in names:
                if names[node.id] is None:
                    raise ValueProblem(
                        text,
                        f"“{node.id}” is this parameter itself, or one whose own value cannot be read.",
                        "Refer to parameters that stand above it.",
                    )
                return names[node.id]
            if node.id == "pi":
                return registry.Quantity(math.pi, "")
            try:
                return registry.Quantity(1.0, node.id)
            except Exception as error:  # pint raises many kinds
                raise ValueProblem(
                    text,
                    f"“{node.id}” is no parameter and no unit.",
                    f"Add a parameter named {node.id}, or correct the name.",
                ) from error
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in calls:
            return calls[node.func.id](*[walk(a) for a in node.args])
        raise ValueProblem(
            text,
            f"“= {text.strip()}” holds something that is not arithmetic.",
            "Use numbers, parameters, units and + - * / ** only.",
        )

    try:
        return walk(tree)
    except ValueProblem:
        raise
    except RecursionError as error:
        raise ValueProblem(text, "is nested too deeply.", "Make parameters of its parts.") from error
    except Exception as error:  # arithmetic between units that do not go together, division by zero
        raise ValueProblem(text, f"“= {text.strip()}”: {error}.", "Check that the units go together.") from error
