"""Curve numbers of cover classes (NRCS National Engineering Handbook, Part 630, Chapter 9)."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from importlib import resources
from typing import Literal

from tarnwater.errors import UnknownName

SoilGroup = Literal["A", "B", "C", "D"]
GROUPS: tuple[SoilGroup, ...] = ("A", "B", "C", "D")


@dataclass(frozen=True)
class CoverClass:
    """Cover and hydrologic condition, with curve numbers for soil groups A to D in the average condition, lambda 0.2.

    ``impervious`` is the share (0 to 1) of impervious land that the numbers already contain.
    """

    name: str
    condition: str
    numbers: tuple[float, float, float, float]
    impervious: float

    @property
    def title(self) -> str:
        """Cover and condition."""
        return f"{self.name}, {self.condition}" if self.condition else self.name

    def number(self, group: SoilGroup) -> float:
        """Curve number on a soil group."""
        return self.numbers[GROUPS.index(group)]


@cache
def cover_classes() -> dict[str, CoverClass]:
    """The built-in classes by title. General tables are only guides."""
    text = resources.files(__package__).joinpath("curve_numbers.csv").read_text()
    rows = csv.DictReader(line for line in text.splitlines() if not line.startswith("#"))
    classes = {}
    for row in rows:
        numbers = (float(row["group_a"]), float(row["group_b"]), float(row["group_c"]), float(row["group_d"]))
        share = float(row["impervious_included_percent"]) / 100
        found = CoverClass(row["cover"], row["condition"] or "", numbers, share)
        classes[found.title] = found
    return classes


def find_cover(title: str) -> CoverClass:
    """Find a class by its title, ignoring case; `UnknownName` with the nearest otherwise."""
    classes = cover_classes()
    folded = {name.casefold(): found for name, found in classes.items()}
    try:
        return folded[title.casefold()]
    except KeyError as error:
        raise UnknownName(title, classes, kind="cover class") from error


def composite(areas: Sequence[float], curve_numbers: Sequence[float]) -> float:
    """Area-weighted curve number; NaN where there is no area."""
    total = sum(areas)
    if not total:
        return float("nan")
    return sum(a * n for a, n in zip(areas, curve_numbers, strict=True)) / total
