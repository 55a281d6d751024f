"""The plan of a pond to scale: its floor, its top, and the water at some levels."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tarnwater import units
from tarnwater.drawings import Drawing, Measure, Note, Outline, Place, Shape
from tarnwater.network.elements import Pond
from tarnwater.plots import Role
from tarnwater.study.pictures.pond_section import LevelLine

#: Room round the plan, as a share of its greater side.
ROOM = 0.16


def pond_plan(pond: Pond, system: units.System, lines: Sequence[LevelLine] = ()) -> Drawing | None:
    """The plan of a pond as a rectangle of its sides at floor, top and further levels; None without storage.

    Storage without sides of its own is drawn as a square of its area.
    """
    store = pond.store
    if store is None:
        return None
    shapes: list[Shape] = []

    def sides(level: float) -> tuple[float, float]:
        inner = float(np.clip(level, store.floor + 1e-9, store.top - 1e-9))
        at = np.array([inner])
        return float(store.across(at)[0]), float(store.across_the_other_way(at)[0])

    long, wide = sides(store.top)
    drawn: list[tuple[float, str, Role, float]] = [(store.top, "top", "ink", 1.6), (store.floor, "floor", "ink", 1.2)]
    drawn += [(line.level, line.text, line.role, 0.9) for line in lines]
    wet = max((line.level for line in lines if line.role == "water"), default=None)
    for number, (level, words, role, width) in enumerate(sorted(drawn, key=lambda one: -one[0])):
        a, b = (0.5 * side for side in sides(level))
        box: tuple[Place, ...] = ((-a, -b), (a, -b), (a, b), (-a, b))
        fill = 0.22 if level == wet else 0.0
        shapes.append(Outline(box, role, closed=True, filled=fill, width=width))
        text = words if role == "water" or "freeboard" in words else f"{words} {units.show(level, 'height', system)}"
        up = wide / 2 - (number + 0.5) * 0.06 * wide
        shapes.append(Outline(((a, up), (long / 2 + 0.02 * long, up)), "quiet", width=0.4))
        shapes.append(Note((long / 2 + 0.03 * long, up), text, role if role != "ink" else "quiet"))
    (fa, fb) = (0.5 * side for side in sides(store.floor))
    margin = 0.06 * max(long, wide)
    shapes.append(Measure((-long / 2, -wide / 2 - margin), (long / 2, -wide / 2 - margin), _told(long, system)))
    shapes.append(Measure((-long / 2 - margin, -wide / 2), (-long / 2 - margin, wide / 2), _told(wide, system)))
    shapes.append(Measure((-fa, -0.6 * fb), (fa, -0.6 * fb), _told(2 * fa, system)))
    shapes.append(Measure((-0.6 * fa, -fb), (-0.6 * fa, fb), _told(2 * fb, system)))
    room = ROOM * max(long, wide)
    bounds = (-long / 2 - room, -wide / 2 - room, long / 2 + 2.2 * room, wide / 2 + room)
    return Drawing(f"{pond.name}, plan", "plan, true to scale", bounds, tuple(shapes))


def _told(length: float, system: units.System) -> str:
    return units.show(length, "length", system)
