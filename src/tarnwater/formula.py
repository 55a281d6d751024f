"""A person's own formula over named numbers, read once and evaluated without any of the power of a program."""

from __future__ import annotations

import ast
import math
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from functools import cached_property

from tarnwater.errors import BadInput, OutOfRange

#: Letters of a formula, and depth of its brackets.
LONGEST, DEEPEST = 500, 50

#: Functions of a formula by name.
FUNCTIONS: dict[str, Callable[..., float]] = {
    "sqrt": math.sqrt, "ln": math.log, "log10": math.log10, "exp": math.exp, "abs": abs, "min": min, "max": max,
}  # fmt: skip

_OPERATIONS: dict[type[ast.operator], Callable[[float, float], float]] = {
    ast.Add: lambda a, b: a + b,
    ast.Sub: lambda a, b: a - b,
    ast.Mult: lambda a, b: a * b,
    ast.Div: lambda a, b: a / b,
    ast.Pow: math.pow,
}


@dataclass(frozen=True)
class Formula:
    """A formula of numbers, names, + - * / ^, brackets and `FUNCTIONS`; refused where it has anything else.

    >>> Formula("0.0195 * L^0.77 / S^0.385", ("L", "S")).evaluate({"L": 1000.0, "S": 0.01})
    23.4...
    """

    text: str
    names: tuple[str, ...]

    def __post_init__(self) -> None:
        _ = self._tree

    @cached_property
    def _tree(self) -> ast.expr:
        if not self.text.strip() or len(self.text) > LONGEST:
            raise BadInput("a formula has 1 to 500 letters.", where="formula", remedy="Write one, as 0.02 * L^0.77.")
        try:
            tree = ast.parse(self.text.replace("^", "**").strip(), mode="eval").body
            _refuse(tree, self.names, DEEPEST)
        except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
            what = f"“{self.text[:60]}” cannot be read as a formula."
            raise BadInput(what, where="formula", remedy="Write it as 0.02 * L^0.77 / S^0.385.") from error
        return tree

    @property
    def used(self) -> list[str]:
        """Its names, in the order of all names."""
        there = {node.id for node in ast.walk(self._tree) if isinstance(node, ast.Name)}
        return [name for name in self.names if name in there]

    def evaluate(self, values: Mapping[str, float]) -> float:
        """Its value; `OutOfRange` where it divides by zero, or has no finite value."""
        try:
            found = _value(self._tree, values)
        except (ZeroDivisionError, ValueError, OverflowError) as error:
            why = "divides by zero" if isinstance(error, ZeroDivisionError) else "has no value"
            told = ", ".join(f"{name} = {values[name]:.4g}" for name in self.used)
            what = f"the formula {why} for {told}." if told else f"the formula {why}."
            raise OutOfRange(what, where="formula", remedy="Correct it.") from error
        if not math.isfinite(found):
            raise OutOfRange("the formula has no finite value.", where="formula", remedy="Correct it.")
        return found


def _refuse(node: ast.expr, names: Collection[str], depth: int) -> None:
    """Raise `BadInput` for anything that is no part of a formula."""
    if depth == 0:
        raise BadInput("the formula has too many brackets.", where="formula", remedy="Write it shorter.")
    match node:
        case ast.Constant(value=int() | float()) if not isinstance(node.value, bool):
            return
        case ast.Name(id=name):
            if name not in names:
                known = ", ".join(names)
                raise BadInput(f"the formula has no “{name}”.", where="formula", remedy=f"It may use {known}.")
        case ast.UnaryOp(op=ast.USub() | ast.UAdd(), operand=inner):
            _refuse(inner, names, depth - 1)
        case ast.BinOp(op=op, left=left, right=right) if type(op) in _OPERATIONS:
            _refuse(left, names, depth - 1)
            _refuse(right, names, depth - 1)
        case ast.Call(func=ast.Name(id=name), args=inputs, keywords=[]) if _takes(name, len(inputs)):
            for one in inputs:
                _refuse(one, names, depth - 1)
        case _:
            what = f"“{ast.unparse(node)[:40]}” is no part of a formula."
            functions = ", ".join(FUNCTIONS)
            raise BadInput(what, where="formula", remedy=f"It may use + - * / ^, brackets, numbers and {functions}.")


def _takes(name: str, count: int) -> bool:
    """Whether there is a function of a name that takes as many numbers: the least and the greatest of several."""
    return name in FUNCTIONS and (count > 1 if name in ("min", "max") else count == 1)


def _value(node: ast.expr, values: Mapping[str, float]) -> float:
    match node:
        case ast.Constant(value=int() | float() as number):
            return float(number)
        case ast.Name(id=name):
            return float(values[name])
        case ast.UnaryOp(op=op, operand=inner):
            found = _value(inner, values)
            return -found if isinstance(op, ast.USub) else found
        case ast.BinOp(op=op, left=left, right=right):
            return _OPERATIONS[type(op)](_value(left, values), _value(right, values))
        case ast.Call(func=ast.Name(id=name), args=inputs):
            return float(FUNCTIONS[name](*(_value(one, values) for one in inputs)))
    raise ValueError(ast.dump(node))
