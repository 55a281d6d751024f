"""Classes with round limits, by which a map is coloured."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from tarnwater import units

#: Classes of a theme, about.
CLASSES = 5


@dataclass(frozen=True)
class Classes:
    """Limits (classes + 1,) between the classes of a theme, in ``unit``; and whether values are zero or missing."""

    words: str
    unit: str
    limits: tuple[float, ...]
    has_zero: bool
    has_missing: bool

    def of(self, value: float | None) -> int | None:
        """Class of a value in the unit, from 0; -1 for zero, None for a missing one."""
        if value is None or not math.isfinite(value):
            return None
        if value == 0:
            return -1
        return min(max(int(np.searchsorted(self.limits, value, side="right")) - 1, 0), len(self.limits) - 2)

    @property
    def rows(self) -> list[tuple[int | None, str]]:
        """Class and words of each row of the legend, the greatest values first."""
        told = [units.rounded(limit, 3) for limit in self.limits]
        rows: list[tuple[int | None, str]] = [
            (number, f"{told[number]} to {told[number + 1]}") for number in reversed(range(len(self.limits) - 1))
        ]
        if self.has_zero:
            rows.append((-1, "zero"))
        if self.has_missing:
            rows.append((None, "missing"))
        return rows


def classes_of(values: Mapping[str, float | None], words: str, unit: str) -> Classes:
    """Classes with round limits that hold all values, which are in a unit."""
    known = [v for v in values.values() if v is not None and math.isfinite(v) and v != 0]
    missing = any(v is None or not math.isfinite(v) for v in values.values())
    zero = any(v == 0 for v in values.values())
    if not known:
        return Classes(words, unit, (0.0, 1.0), zero, missing)
    low, high = min(known), max(known)
    step = units.round_up((high - low) / CLASSES) if high > low else units.round_up(abs(high) / CLASSES)
    first = math.floor(low / step + 1e-9)
    last = max(math.ceil(high / step - 1e-9), first + 1)
    return Classes(words, unit, tuple(number * step for number in range(first, last + 1)), zero, missing)
