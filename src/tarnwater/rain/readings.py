"""How a figure is read from a table or a curve, so that it can be worked out again from what it is read from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Term:
    """A figure that another is read from: its name, value, kind of quantity, symbol and unit in the equation.

    One with a ``reading`` follows from other figures in its turn.
    """

    title: str
    value: float
    kind: str = "rain"
    symbol: str = ""
    unit: str = ""
    reading: Reading | None = None


@dataclass(frozen=True)
class Reading:
    """How a figure was read: its equation and source, the figures in it, and the function of their values.

    A figure without an ``equation`` is as it was given.
    """

    equation: str = ""
    source: str = ""
    terms: tuple[Term, ...] = ()
    evaluate: Callable[..., float] | None = None
