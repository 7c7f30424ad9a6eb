"""Expressions in cells: arithmetic over parameters and units, nothing else."""
from __future__ import annotations

import ast
import math
import operator
import re

from ..errors import ValueProblem

_OPS = {ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: operator.truediv,
        ast.Pow: operator.pow}
_CALLS = {"min": min, "max": max, "sqrt": lambda x: x**0.5, "abs": abs, "round": round}
_UNIT = r"[A-Za-z_]\w*(?:\*\*\d)?"
_JUXTAPOSED = re.compile(rf"(?<![\w.])(\d+\.?\d*(?:[eE][+\-]?\d+)?)\s+({_UNIT}(?:[*/]{_UNIT})*)")


def evaluate(text: str, names: dict, registry):
    """Value of ``text``: numbers, parameter ``names``, units, + - * / ** and min, max, sqrt, abs, round.

    A number followed by a unit may stand without a sign between ("3 cfm"). Raises ValueProblem.
    """
    try:
        tree = ast.parse(_JUXTAPOSED.sub(r"(\1*\2)", text.strip()), mode="eval").body
    except SyntaxError as error:
        raise ValueProblem(text, f"“= {text.strip()}” cannot be read.", "Write it like = 2*airflow.") from error

    def walk(node):
        if isinstance(node, ast.Constant) and isinstance(node.value, int | float):
            return registry.Quantity(node.value, "")
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
                return names[node.id]
            if node.id == "pi":
                return registry.Quantity(math.pi, "")
            try:
                return registry.Quantity(1.0, node.id)
            except Exception as error:  # pint raises many kinds
                raise ValueProblem(text, f"“{node.id}” is no parameter and no unit.",
                                   f"Add a parameter named {node.id}, or correct the name.") from error
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in _CALLS:
            return _CALLS[node.func.id](*[walk(a) for a in node.args])
        raise ValueProblem(text, f"“= {text.strip()}” holds something that is not arithmetic.",
                           "Use numbers, parameters, units and + - * / ** only.")

    try:
        return walk(tree)
    except ValueProblem:
        raise
    except Exception as error:  # arithmetic between units that do not go together, division by zero
        raise ValueProblem(text, f"“= {text.strip()}”: {error}.", "Check that the units go together.") from error
