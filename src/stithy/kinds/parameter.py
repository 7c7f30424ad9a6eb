"""A named value for expressions."""

from __future__ import annotations

from typing import Annotated, Literal

from ..project.kind import SHAPE, Cell, Row, Text, register


class Parameter(Row):
    """A named value for use in expressions."""

    kind: Literal["parameter"] = "parameter"
    value: Annotated[Text, Cell("value", SHAPE, "a value for expressions such as = 2*airflow", columns=("size",))] = "1"


register(Parameter, "Parameters")
