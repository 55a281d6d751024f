"""Tables in words: a column has one unit, chosen by its largest value, and every cell its exact figure beside it."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from tarnwater import units
from tarnwater.plots import Role


@dataclass(frozen=True)
class TextColumn:
    """A column: its title, unit, texts, and exact figures in its unit; figures stand to the right."""

    title: str
    unit: str
    texts: tuple[str, ...]
    exact: tuple[str, ...]
    figures: bool

    @property
    def head(self) -> str:
        """Title and unit in one line."""
        return f"{self.title} {self.unit}".strip()


@dataclass(frozen=True)
class TextTable:
    """Columns of one length, and a role for the colour of each row."""

    columns: tuple[TextColumn, ...]
    roles: tuple[Role | None, ...] = ()

    @property
    def rows(self) -> list[list[str]]:
        """The texts by row."""
        return [list(row) for row in zip(*(column.texts for column in self.columns), strict=True)]

    @property
    def as_lines(self) -> list[list[str]]:
        """Heads and texts, the unit in the head."""
        return [[column.head for column in self.columns], *self.rows]

    @property
    def as_exact(self) -> list[list[str]]:
        """Heads and exact figures, as they are copied."""
        rows = zip(*(column.exact for column in self.columns), strict=True)
        return [[column.head for column in self.columns], *(list(row) for row in rows)]


def words(title: str, texts: Iterable[str]) -> TextColumn:
    """A column of words."""
    told = tuple(texts)
    return TextColumn(title, "", told, told, figures=False)


def figures(
    title: str,
    kind: str,
    values: Sequence[float | None],
    system: units.System,
    *,
    digits: int = 4,
    endless: str = "never",
) -> TextColumn:
    """A column of a kind of quantity; one that is not there is left out, an endless one is told."""
    known = [v for v in values if v is not None and math.isfinite(v)]
    unit = units.display_unit(kind, known or 0.0, system)
    texts, exact = [], []
    for value in values:
        if value is None or not math.isfinite(value):
            texts.append("" if value is None else endless)
            exact.append("" if value is None else endless)
        else:
            text = units.show(value, kind, unit=unit, digits=digits)
            texts.append(text.removesuffix(unit).strip())
            exact.append(repr(units.to_unit(value, unit, kind)))
    return TextColumn(title, unit, tuple(texts), tuple(exact), figures=True)
