"""A reckoning: a figure, its equation, and its inputs, down to the map, a table or a person.

A reckoning is the computation: `Reckoning.recomputed` evaluates the node from its inputs by the
function that made the result.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from tarnwater import units
from tarnwater.units import System

#: Joins a number and its unit while an equation is written.
GLUE = "\u2060"


@dataclass(frozen=True, eq=False)
class Reckoning:
    """One node.

    Parameters
    ----------
    title, symbol : name of the figure, and its symbol in equations.
    value : a number in the base unit of ``kind``, an array, or an object with ``in_words``, such as a hydrograph.
    kind : kind of quantity.
    equation : equation by which it follows from its inputs; empty for a source.
    source : publication of the equation or the number.
    origin : for a source, its origin: the map, a table, a person.
    inputs : what went in.
    evaluate : function that computes the value from those of the inputs, in their order.
    unit : unit of its number in the equation of the node above; empty for the display unit.
    place : where a click leads, as ``element/field`` or ``tables/key``.
    head : for a root, its case: condition, storm and design point.
    """

    title: str
    value: Any
    kind: str
    symbol: str = ""
    equation: str = ""
    source: str = ""
    origin: str = ""
    inputs: tuple[Reckoning, ...] = ()
    evaluate: Callable[..., Any] | None = None
    unit: str = ""
    place: str = ""
    head: str = ""

    def recomputed(self) -> Any:
        """The value computed again from those of the inputs; for a source its own value."""
        return self.value if self.evaluate is None else self.evaluate(*(i.value for i in self.inputs))

    def walk(self) -> Iterator[Reckoning]:
        """This node and all below it, each once."""
        seen: set[int] = set()
        waiting = [self]
        while waiting:
            node = waiting.pop()
            if id(node) not in seen:
                seen.add(id(node))
                yield node
                waiting.extend(reversed(node.inputs))

    @property
    def substituted(self) -> str:
        """The equation with numbers in place of symbols; empty where an input is no number."""
        text = self.equation.partition(" = ")[2]
        # an equation in words has no symbols to replace
        if (
            not text
            or re.search(r"\b(the|of|between)\b", text)
            or not all(isinstance(node.value, int | float) for node in (self, *self.inputs))
        ):
            return ""
        changed = text
        for node in self.inputs:
            if node.symbol:
                pattern = rf"(?<![\w]){re.escape(node.symbol)}(?![\w])"
                changed = re.sub(rf"{pattern}\^", node.in_equation(powered=True), changed)
                changed = re.sub(pattern, node.in_equation(), changed)
        changed = re.sub(r"(?<=[\w)²³%‰]) (?=[\d(−])(?!− )", " × ", changed)
        return changed.replace(GLUE, " ") if changed != text else ""

    def in_equation(self, *, powered: bool = False) -> str:
        """Its number with its unit for an equation, in brackets before a power."""
        unit = self.unit or units.kind(self.kind).base
        number = units.rounded(units.to_unit(self.value, unit, self.kind), 5)
        number = number.rstrip("0").rstrip(".") if "." in number else number
        whole = f"{number}{GLUE}{unit}" if unit and self.kind != "return period" else number
        if powered:
            return f"({whole})^" if unit else f"{whole}^"
        return whole

    def shown(self, system: System = "SI") -> str:
        """The value in words: a number with its unit, or a summary of an array."""
        value = self.value
        if value is None:
            return "–"
        if hasattr(value, "in_words"):
            return str(value.in_words(system))
        if isinstance(value, np.ndarray):
            total = units.show(float(value.sum()), self.kind, system)
            most = units.show(float(value.max(initial=0.0)), self.kind, system)
            return f"{value.size} steps, {total} in all, at most {most}"
        if self.kind == "time":
            return units.show_duration(value)
        return units.show(value, self.kind, system)

    def lines(self, system: System = "SI", depth: int | None = None) -> Iterator[str]:
        """The reckoning as indented lines, down to a depth; a node is only written once."""
        if self.head:
            yield self.head
        yield from self._lines(system, depth, 0, set())

    def _lines(self, system: System, depth: int | None, level: int, told: set[int]) -> Iterator[str]:
        pad = "  " * level
        symbol = f" {self.symbol}" if self.symbol else ""
        yield f"{pad}{self.title}{symbol} = {self.shown(system)}"
        if id(self) in told:
            yield f"{pad}  … as above"
            return
        told.add(id(self))
        if self.equation:
            yield f"{pad}  {self.equation}" + (f"  →  {self.substituted}" if self.substituted else "")
        if self.source or self.origin:
            yield f"{pad}  [{'; '.join(t for t in (self.origin, self.source) if t)}]"
        if depth is not None and level >= depth and self.inputs:
            yield f"{pad}  … {len(self.inputs)} inputs below"
            return
        for node in self.inputs:
            yield from node._lines(system, depth, level + 1, told)
