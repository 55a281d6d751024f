"""Plots as data: the desk draws them live, and pages draw the same description.

Colours are given by role (see `tarnwater.brief.colours` and the theme of the desk), not by value.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.clock import moment, show_day, show_zone

Role = Literal["ink", "water", "loss", "rain", "limit", "observed", "quiet", "paper"]
Style = Literal["solid", "dashed", "dashdot", "dotted"]
STYLES: tuple[Style, ...] = ("solid", "dashed", "dashdot", "dotted")


@dataclass(frozen=True)
class Axis:
    """An axis with one unit; if ``low`` and ``high`` are None, its range follows the data.

    ``ticks`` are named positions; without any, the medium chooses them. ``origin`` is the date of hour zero of an axis
    of time, which is then drawn with dates.
    """

    label: str
    unit: str = ""
    low: float | None = None
    high: float | None = None
    downward: bool = False
    log: bool = False
    ticks: tuple[tuple[float, str], ...] = ()
    origin: datetime | None = None

    @property
    def title(self) -> str:
        """Label and unit."""
        if self.origin is not None:
            return f"from {show_day(self.origin)}, {show_zone(self.origin)}"
        return ", ".join(part for part in (self.label, self.unit) if part)


@dataclass(frozen=True, eq=False)
class Curve:
    """A line through points in the units of the axes.

    A ``filled`` curve is shaded down to zero; ``dots`` shows its points; a ``tagged`` curve has its label at its end.
    Curves that look alike may share a name in the ``legend``.
    """

    x: Floats
    y: Floats
    role: Role
    label: str = ""
    style: Style = "solid"
    width: float = 1.6
    filled: bool = False
    dots: bool = False
    tagged: bool = False
    legend: str = ""


@dataclass(frozen=True, eq=False)
class Bars:
    """Bars from ``base`` up by ``heights``, each ``width`` wide from ``left``."""

    left: Floats
    width: float
    heights: Floats
    role: Role
    label: str = ""
    base: Floats | None = None


@dataclass(frozen=True)
class Mark:
    """A point with a figure beside it."""

    x: float
    y: float
    text: str
    role: Role = "water"


@dataclass(frozen=True)
class Level:
    """A level line across, such as a limit."""

    y: float
    text: str
    role: Role = "limit"


#: Numbers at which an axis may end.
ROUND = (1.0, 1.25, 1.5, 1.75, 2.0, 2.5, 3.0, 3.5, 4.0, 5.0, 6.0, 7.0, 8.0, 9.0, 10.0)


def round_above(value: float) -> float:
    """The next round number, so that an axis keeps its end while its curve changes a little."""
    if value <= 0:
        return value or 1.0
    power = 10.0 ** np.floor(np.log10(value))
    return float(next(step * power for step in ROUND if step * power >= value * (1 - 1e-12)))


def end_above(value: float) -> float:
    """The next number of two digits, so that an axis of time keeps its end and wastes at most a tenth of its length."""
    if value <= 0:
        return value
    tenth = 10.0 ** (np.floor(np.log10(value)) - 1)
    return float(np.ceil(value / tenth * (1 - 1e-12)) * tenth)


#: Share of the height of a plot for the bars at its top.
HANGING = 0.22


@dataclass(frozen=True, eq=False)
class Hanging:
    """Bars from the top of a plot downward on a separate axis, as for rain over a hydrograph."""

    bars: Bars
    axis: Axis

    @property
    def greatest(self) -> float:
        """The longest bar, or 1 where all have no length."""
        return float(self.bars.heights.max(initial=0.0)) or 1.0

    def at(self, x: float) -> float:
        """Length of the bar at a place on the horizontal axis; 0 where there is none."""
        bars = self.bars
        number = int((x - bars.left[0]) // bars.width) if len(bars.left) else -1
        return float(bars.heights[number]) if 0 <= number < len(bars.heights) else 0.0


@dataclass(frozen=True, eq=False)
class Plot:
    """A whole plot; ``title`` names what is drawn, with condition, storm and duration.

    ``beside`` is a second axis on the right, for a curve drawn to another scale; its ticks are at positions of the
    first.
    """

    title: str
    x: Axis
    y: Axis
    curves: tuple[Curve, ...] = ()
    bars: tuple[Bars, ...] = ()
    marks: tuple[Mark, ...] = ()
    levels: tuple[Level, ...] = ()
    hanging: Hanging | None = None
    beside: Axis | None = None

    def at(self, x: float) -> list[tuple[Curve, float]]:
        """Value of each curve at a position on the horizontal axis, linear between points on the axes as drawn."""
        found = []
        for curve in self.curves:
            if len(curve.x) and curve.x[0] <= x <= curve.x[-1]:
                own = np.log(curve.x) if self.x.log else curve.x
                values = np.log(curve.y) if self.y.log else curve.y
                value = float(np.interp(np.log(x) if self.x.log else x, own, values))
                found.append((curve, float(np.exp(value)) if self.y.log else value))
        return found

    def _places(self, x: Floats) -> list[str]:
        """Positions on the horizontal axis, exact: numbers, or dates on an axis of dates."""
        origin = self.x.origin
        return [repr(float(v)) if origin is None else moment(origin, 3600 * float(v)).isoformat() for v in x]

    def as_table(self) -> list[list[str]]:
        """The plot as exact data: two columns for each curve or set of bars, heads first."""
        columns: list[list[str]] = []
        for curve in self.curves:
            name = curve.label or self.y.label
            columns.append([self.x.title, *self._places(curve.x)])
            columns.append([f"{name} {self.y.unit}".strip(), *(repr(float(v)) for v in curve.y)])
        drawn = [(bars, self.y) for bars in self.bars]
        if self.hanging is not None:
            drawn.append((self.hanging.bars, self.hanging.axis))
        for bars, axis in drawn:
            columns.append([f"{self.x.title} (end)", *self._places(bars.left + bars.width)])
            columns.append([f"{bars.label or axis.label} {axis.unit}".strip(), *(repr(float(v)) for v in bars.heights)])
        height = max((len(c) for c in columns), default=0)
        return [[c[row] if row < len(c) else "" for c in columns] for row in range(height)]
