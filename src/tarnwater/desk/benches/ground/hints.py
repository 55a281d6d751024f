"""Texts of the map for a place: heights and areas, depressions, elements, outlets."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

from PyQt6.QtCore import QPointF

from tarnwater import units
from tarnwater.desk.benches.ground.map_view import MapView
from tarnwater.desk.benches.ground.scene import Scene
from tarnwater.desk.desk import Desk
from tarnwater.errors import OutletError
from tarnwater.terrain.outlets import Snapped


def words_of_place(desk: Desk, place: tuple[float, float]) -> str:
    """Coordinates, height and area draining to a place of the ground; nothing outside it."""
    drainage = desk.ground.drainage
    text = f"{place[0]:.0f}, {place[1]:.0f}"
    if drainage is None:
        return text
    try:
        row, column = drainage.grid.cell_at(*place)
    except OutletError:
        return ""
    system, grid = desk.study.units, drainage.grid
    height = units.show(float(grid.heights[row, column]), "height", system)
    area = units.show(float(drainage.upstream[row, column] * grid.cell_area), "area", system)
    return f"{text} · {height} · {area} drain here"


def words_of_line(desk: Desk, line: Sequence[tuple[float, float]], place: tuple[float, float]) -> str:
    """Length of a line that is being drawn, up to a place, and the height there."""
    picture = desk.ground.picture
    metres = 1.0 if picture is None else picture.extent.metres
    length = metres * sum(math.dist(a, b) for a, b in pairwise([*line, place]))
    told = f"{units.show(length, 'length', desk.study.units)} long · " if line else ""
    return told + words_of_place(desk, place)


def words_at(desk: Desk, scene: Scene, view: MapView, at: QPointF) -> str:
    """What lies under the pointer: a depression, or an element and where its outlet came from."""
    system, terrain = desk.study.units, desk.study.terrain
    for found in terrain.depressions if terrain is not None else ():
        if (QPointF(*view.pixel(*found.place)) - at).manhattanLength() < 12:
            depth, area = units.show(found.depth, "length", system), units.show(found.area, "area", system)
            return f"a depression, filled {depth} deep over {area}: a lake, a pit, or a bank without its culvert"
    key = scene.nearest(view, at.x(), at.y())
    if key is None:
        return ""
    element, outlet = scene.network.elements[key], desk.study.outlet_of(key)
    words = f"{element.name} ({element.tag()})"
    if outlet is not None and key == f"{outlet}-outlet":
        one = desk.study.outlets[outlet]
        words += (
            f"\nmoved {units.show(one.moved, 'length', system)} to the stream: "
            f"{units.show(one.area_before, 'area', system)} drain to the place asked, "
            f"{units.show(one.area_after, 'area', system)} to the outlet"
        )
    return words


def told_of(snapped: Snapped, system: units.System) -> str:
    """Distance of an outlet to the stream, and both areas, in words."""
    moved = units.show(snapped.moved, "length", system)
    before, after = (units.show(a, "area", system) for a in (snapped.area_before, snapped.area_after))
    return f"moves {moved} to the stream\n{before} drain here, {after} there"
