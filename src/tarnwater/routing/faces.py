"""How a device or a part of storage is drawn to scale, and the points by which it is changed by hand.

Places are (across, level) in m, across from the middle of what is drawn. It is the part itself that says how it looks,
so that nothing that draws has to know which parts there are.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

Place = tuple[float, float]

#: New values by field after a drag, from its way along the axis, m.
Change = Callable[[float], Mapping[str, float]]


#: Least way of a stroke that is meant as a size, m.
LEAST_STROKE = 0.02


@dataclass(frozen=True)
class Grip:
    """A point that is dragged ``across`` or ``up``, and the values that it then gives."""

    title: str
    axis: Literal["across", "up"]
    at: Place
    change: Change

    def within(self, holder: str) -> Grip:
        """The same grip of a part that another one holds at a path."""
        change = self.change
        return replace(
            self,
            title=f"{holder} {self.title}",
            change=lambda way: {f"{holder}/{name}": value for name, value in change(way).items()},
        )


@dataclass(frozen=True)
class Face:
    """A device as it is seen from the pond.

    It has an ``outline``, or is a ``circle`` of a level of its centre and a radius. One that ``opens`` at its top lets
    water in up to the top of the wall; others may stand in a ``hollow`` one. ``marks`` are levels without a size, with
    words. ``moved`` gives its values when the whole is moved up by a height (m). ``parts`` are what it holds.
    """

    outline: tuple[Place, ...] = ()
    circle: tuple[float, float] | None = None
    opens: bool = False
    hollow: bool = False
    marks: tuple[tuple[float, str], ...] = ()
    moved: Change | None = None
    grips: tuple[Grip, ...] = ()
    parts: tuple[Face, ...] = field(default=())

    @property
    def low(self) -> float:
        """Its lowest level, m."""
        if self.circle is not None:
            return self.circle[0] - self.circle[1]
        return min([z for _, z in self.outline] + [z for z, _ in self.marks])

    @property
    def high(self) -> float:
        """Its highest level, m."""
        if self.circle is not None:
            return self.circle[0] + self.circle[1]
        return max([z for _, z in self.outline] + [z for z, _ in self.marks])

    @property
    def width(self) -> float:
        """Its greatest width, m; zero where it has no size."""
        if self.circle is not None:
            return 2 * self.circle[1]
        return 2 * max((abs(x) for x, _ in self.outline), default=0.0)

    def within(self, holder: str) -> Face:
        """The same face of a part that another one holds at a path."""
        moved = self.moved
        return replace(
            self,
            moved=None if moved is None else lambda way: {f"{holder}/{k}": v for k, v in moved(way).items()},
            grips=tuple(one.within(holder) for one in self.grips),
        )


def raised(**levels: float) -> Change:
    """A change that moves levels together."""
    return lambda way: {name: level + way for name, level in levels.items()}


def widened(name: str, size: float, *, sides: int = 2) -> Change:
    """A change of a size that grows at both of its ``sides`` when one is drawn out, or at one."""
    return lambda way: {name: max(size + sides * way, 0.0)}


def round_face(bottom: float, diameter: float, moved: Change, size: str = "diameter", title: str = "diameter") -> Face:
    """A circle on its lowest point, drawn larger at its top."""
    grip = Grip(title, "up", (0.0, bottom + diameter), widened(size, diameter, sides=1))
    return Face(circle=(bottom + diameter / 2, diameter / 2), moved=moved, grips=(grip,))


def box_face(bottom: float, width: float, height: float, moved: Change) -> Face:
    """A rectangle on its lower edge, drawn larger at its upper edge and at its right."""
    half, top = width / 2, bottom + height
    grips = (
        Grip("height", "up", (0.0, top), widened("height", height, sides=1)),
        Grip("width", "across", (half, bottom + height / 2), widened("width", width)),
    )
    return Face(outline=((-half, bottom), (half, bottom), (half, top), (-half, top)), moved=moved, grips=grips)


def crest_face(crest: float, length: float, side_slope: float, rise: float) -> Face:
    """A crest, open above it for a height with ends of a slope."""
    half, top, wider = length / 2, crest + rise, length / 2 + side_slope * rise
    grips = (
        Grip("crest level", "up", (0.0, crest), raised(crest=crest)),
        Grip("crest length", "across", (half, crest), widened("length", length)),
    )
    outline = ((-wider, top), (-half, crest), (half, crest), (wider, top))
    return Face(outline=outline, opens=True, moved=raised(crest=crest), grips=grips)


def widest_row(faces: Sequence[Face]) -> tuple[float, float]:
    """The level (m) at which faces side by side take most width, and that width (m); zero of none."""
    rows = [(sum(one.width for one in faces if one.low <= face.low < one.high), face.low) for face in faces]
    width, level = max(rows, default=(0.0, 0.0))
    return level, width
