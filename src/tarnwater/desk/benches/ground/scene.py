"""The content of the map, prepared when the study changes and thinned for the scale when drawn."""

from __future__ import annotations

import math
from collections.abc import Container, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from PyQt6.QtGui import QPainterPath

from tarnwater.arrays import Floats
from tarnwater.desk.benches.ground.map_view import MapView
from tarnwater.desk.widgets.joined import joined_path
from tarnwater.network.elements import Catchment, Reach
from tarnwater.network.graph import Network
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.pictures.layout import places
from tarnwater.study.pictures.map import outlines, path_of, waters
from tarnwater.terrain.lines import Lines

#: Points drawn in one stroke: the time for a smooth one grows faster than its length.
SMOOTH_STROKE, QUICK_STROKE = 256, 4096

#: West, south, east and north.
Window = tuple[float, float, float, float]

#: Number of doublings by which quick paths may be too coarse for a moment.
COARSEST = 6

_NOWHERE: Window = (math.inf, math.inf, -math.inf, -math.inf)


def _holds(reach: Window, window: Window) -> bool:
    return reach[0] <= window[0] and reach[1] <= window[1] and reach[2] >= window[2] and reach[3] >= window[3]


@dataclass(eq=False)
class ThinLines:
    """Lines as paths in the units of the map, thinned once for each doubling of the scale.

    They keep a point for each pixel, while the map moves for each two. Paths reach a window beyond what
    is shown, and are used until the view leaves them.
    """

    lines: Lines
    _thinned: dict[int, Lines] = field(default_factory=dict)
    _made: dict[tuple[int, int], tuple[Window, list[tuple[float, QPainterPath]]]] = field(default_factory=dict)
    #: How often paths were made.
    made: int = 0

    def paths(self, view: MapView, *, smooth: bool, may_make: bool = True) -> list[tuple[float, QPainterPath]]:
        """Paths with their weight, in pieces that suit smooth or quick strokes; what the view shows is among them.

        Quick ones may be a little coarser than the view, much coarser where none ``may_make`` others now.
        """
        octave = math.floor(math.log2(1 / view.scale))
        key = (octave, SMOOTH_STROKE) if smooth else (octave + 1, QUICK_STROKE)
        for coarser in range(1 if smooth else 2 if may_make else COARSEST):
            reach, paths = self._made.get((key[0] + coarser, key[1]), (_NOWHERE, []))
            if _holds(reach, view.window):
                return paths
        west, south, east, north = view.window
        across, up = east - west, north - south
        reach = west - across, south - up, east + across, north + up
        paths = self._make(*key, reach)
        self._made[key] = reach, paths
        self.made += 1
        return paths

    def _at(self, octave: int) -> Lines:
        if octave not in self._thinned:
            self._thinned[octave] = self.lines.thinned(2.0**octave)
        return self._thinned[octave]

    def _shown(self, octave: int, reach: Window) -> Lines:
        """What lies in a window, thinned; near by it is cut out first, since all of it would be far more."""
        if octave in self._thinned or reach[2] - reach[0] > self._extent / 2:
            return self._at(octave).within(*reach)
        return self.lines.clipped(*reach).thinned(2.0**octave)

    @cached_property
    def _extent(self) -> float:
        return float(np.ptp(self.lines.points[:, 0])) if len(self.lines.points) else 0.0

    def _make(self, octave: int, stroke: int, reach: Window) -> list[tuple[float, QPainterPath]]:
        shown = self._shown(octave, reach)
        points, of_line = shown.points, shown.line_of_point
        paths = []
        for weight in sorted(set(shown.weight.tolist())):
            chosen = shown.weight[of_line] == weight
            own, number = points[chosen], of_line[chosen]
            for begin in range(0, len(own), stroke - 1):
                part, line = own[begin : begin + stroke], number[begin : begin + stroke]
                if len(part) < 2:
                    continue
                paths.append((weight, joined_path(part, line)))
        return paths


def area_path(rings: Sequence[Floats], view: MapView) -> QPainterPath:
    """Rings as one closed path on the screen, thinned to its pixels."""
    path = QPainterPath()
    thin = Lines.of(rings).thinned(1 / view.scale)
    if len(thin.points) > 1:
        path.addPath(joined_path(view.on_screen(thin.points), thin.line_of_point))
    return path


def shapes_of(network: Network) -> list[tuple[object, ...]]:
    """The parts of a network that its drawing depends on: kinds, places, geometries and links."""
    elements = [
        (
            key,
            type(e).__name__,
            e.place,
            getattr(e, "outline", None),
            getattr(e, "flow_path", None),
            getattr(e, "path", None),
            getattr(e, "waters", None),
        )
        for key, e in network.elements.items()
    ]
    return [*elements, *((link.up, link.down) for link in network.links.values())]


class Scene:
    """The network of one condition on the map: outlines, reaches, and where each element stands."""

    def __init__(self, network: Network, blobs: Blobs) -> None:
        self.network = network
        self.shapes = shapes_of(network)
        self.blobs = blobs
        self.rings = outlines(network, blobs)
        self.waters = waters(network, blobs)
        self.outlines = ThinLines(Lines.of([ring for rings in self.rings.values() for ring in rings]))
        self.reaches = {
            key: line
            for key, e in network.elements.items()
            if isinstance(e, Reach) and (line := path_of(network, blobs, key)) is not None
        }
        self.courses = ThinLines(Lines.of(self.reaches.values()))
        self.places = places(network)
        self._areas: dict[int, dict[str, QPainterPath]] = {}
        self.all_places = np.array(list(self.places.values())).reshape(-1, 2)

    def areas(self, view: MapView) -> dict[str, QPainterPath]:
        """Areas of the catchments by key, in the units of the map, thinned once for each doubling of the scale."""
        octave = math.floor(math.log2(1 / view.scale))
        if octave not in self._areas:
            self._areas[octave] = {}
            for key, rings in self.rings.items():
                thin = Lines.of(rings).thinned(2.0**octave)
                if len(thin.points) > 2:
                    self._areas[octave][key] = joined_path(thin.points, thin.line_of_point)
        return self._areas[octave]

    @cached_property
    def sides(self) -> dict[str, float]:
        """Longer side of the extent of each catchment with an outline, in the units of the map."""
        return {key: float(max(np.ptp(np.concatenate(rings), axis=0))) for key, rings in self.rings.items() if rings}

    def flow_path(self, key: str) -> Floats | None:
        """Longest flow path of a catchment, (points, 2)."""
        return path_of(self.network, self.blobs, key) if key in self.rings else None

    @cached_property
    def extent(self) -> tuple[float, float, float, float]:
        """West, south, east and north of all places and outlines, with room; of a plane where there is none."""
        if not self.places:
            return 0.0, 0.0, 1000.0, 700.0
        rings = [ring for rings in self.rings.values() for ring in rings]
        x, y = np.concatenate([np.array(list(self.places.values())), *rings]).T
        room = 0.12 * max(np.ptp(x), np.ptp(y), 100.0)
        return float(x.min() - room), float(y.min() - room), float(x.max() + room), float(y.max() + room)

    @cached_property
    def drawn_links(self) -> list[tuple[str, str]]:
        """Links that no path on the map shows already."""
        return [
            (link.up, link.down)
            for link in self.network.links.values()
            if link.up in self.places and link.down in self.places and not self._is_shown(link.up, link.down)
        ]

    def _is_shown(self, up: str, down: str) -> bool:
        path = path_of(self.network, self.blobs, up)
        if path is not None and math.dist(path[-1], self.places[down]) < 1.0:
            return True
        course = self.reaches.get(down)
        return course is not None and math.dist(course[0], self.places[up]) < 1.0

    def is_schematic(self, key: str) -> bool:
        """Whether an element is a catchment without an outline."""
        return key not in self.rings and isinstance(self.network.elements[key], Catchment)

    def nearest(
        self, view: MapView, px: float, py: float, within: float = 12.0, kinds: Container[str] = ("reaches", "points")
    ) -> str | None:
        """Key of the element whose symbol or course lies nearest to a pixel, of those kinds that count."""
        best: tuple[float, str] | None = None
        for key, place in self.places.items():
            schematic = self.is_schematic(key) and "catchments" in kinds
            if key in self.rings or not (schematic or ("reaches" if key in self.reaches else "points") in kinds):
                continue
            x, y = view.pixel(*place)
            far = math.hypot(x - px, y - py)
            if key in self.reaches:
                course = view.on_screen(self.reaches[key])
                far = 4 + float(np.hypot(*(course - (px, py)).T).min())
            if far <= within and (best is None or far < best[0]):
                best = far, key
        return None if best is None else best[1]
