"""Painting of the map: terrain, streams, catchments, the network, what is in hand, and the scale."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.desk.benches.ground.hand import Grasp
from tarnwater.desk.benches.ground.hints import told_of
from tarnwater.desk.benches.ground.map_view import MapView
from tarnwater.desk.benches.ground.scene import Scene, ThinLines, area_path
from tarnwater.desk.benches.ground.symbols import Labels, draw_element, draw_links
from tarnwater.desk.benches.ground.tiles import Tiles
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.errors import OutletError
from tarnwater.network.elements import Catchment
from tarnwater.study.document import Terrain
from tarnwater.study.pictures.map import Extent
from tarnwater.terrain.lines import Lines
from tarnwater.terrain.outlets import Snapped

#: Numbers of elements above which labels are hidden while the map moves, and of depressions that are marked.
MANY = 80

#: Number of points above which lines have no light edge and at most one pixel of width, to draw faster.
MANY_POINTS = 20_000


def _points(paths: Sequence[tuple[float, QPainterPath]]) -> int:
    return sum(path.elementCount() for _, path in paths)


class MapPainter:
    """Paints the map from the ground up; it keeps the tiles of the terrain and the thinned lines."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        self._desk, self._theme = desk, theme
        self._tiles: Tiles | None = None
        self._streams = ThinLines(desk.ground.streams)
        self._chosen: tuple[tuple[str, int], ThinLines] = ("", 0), ThinLines(Lines.of([]))
        self._hollows: tuple[Terrain | None, Floats] = None, np.empty((0, 3))
        self._made_one = False

    @property
    def extent(self) -> Extent | None:
        """Extent of the terrain, None without one."""
        picture = self._desk.ground.picture
        return None if picture is None else picture.extent

    @property
    def has_terrain(self) -> bool:
        """Whether there is a picture of a terrain to paint."""
        return self._tiles is not None

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        if self._tiles is not None:
            self._tiles.set_theme(theme)

    def follow_ground(self) -> None:
        """Use another picture of the terrain."""
        picture = self._desk.ground.picture
        self._tiles = None if picture is None else Tiles(picture.light, picture.extent, self._theme)
        self.follow_streams()

    def follow_streams(self) -> None:
        """Use other streams."""
        self._streams = ThinLines(self._desk.ground.streams)

    def paint(self, painter: QPainter, scene: Scene, view: MapView, hand: Grasp, *, moving: bool) -> None:
        """Paint everything; faster and coarser while the map moves."""
        painter.fillRect(QRectF(0, 0, view.width, view.height), QColor(self._theme.paper))
        if self._tiles is not None:
            self._tiles.draw(painter, view, smooth=not moving)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, not moving)
        self._draw_selected_area(painter, scene, view)
        self._draw_lines(painter, scene, view, moving=moving)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._draw_network(painter, scene, view, moving=moving)
        self._draw_hand(painter, scene, view, hand)
        self._draw_scale(painter, view)

    def _draw_selected_area(self, painter: QPainter, scene: Scene, view: MapView) -> None:
        rings = scene.rings.get(self._desk.selection)
        if rings:
            wash = QColor(self._theme.water)
            wash.setAlpha(46)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(wash)
            painter.drawPath(area_path(rings, view))

    def _draw_lines(self, painter: QPainter, scene: Scene, view: MapView, *, moving: bool) -> None:
        self._made_one = False
        painter.save()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setTransform(view.transform)
        water, ink = QColor(self._theme.water), QColor(self._theme.ink)
        streams = self._paths(self._streams, view, moving=moving)
        thin = moving or _points(streams) > MANY_POINTS
        for order, path in streams:
            width = 0.5 + 0.45 * order
            self._stroke(painter, path, water, 1.0 if moving or (thin and width < 2) else width)
        outlines = self._paths(scene.outlines, view, moving=moving)
        thin = moving or _points(outlines) > MANY_POINTS
        if not thin:
            halo = QColor(self._theme.paper)
            halo.setAlpha(150)
            for _, path in outlines:
                self._stroke(painter, path, halo, 3.2)
        for _, path in outlines:
            self._stroke(painter, path, ink, 1.0 if thin else 1.2)
        course = QColor(water)
        course.setAlpha(150)
        courses = self._paths(scene.courses, view, moving=moving)
        thin = moving or _points(courses) > MANY_POINTS
        for _, path in courses:
            self._stroke(painter, path, course, 1.0 if thin else 4.0)
        for _, path in self._selected_lines(scene).paths(view, smooth=not moving):
            self._stroke(painter, path, water, 1.0 if moving else 2.4)
        painter.restore()

    def _paths(self, lines: ThinLines, view: MapView, *, moving: bool) -> list[tuple[float, QPainterPath]]:
        """Paths of some lines; while the map moves, at most one set is made in each frame."""
        made = lines.made
        paths = lines.paths(view, smooth=not moving, may_make=not self._made_one)
        self._made_one |= lines.made > made
        return paths

    def _selected_lines(self, scene: Scene) -> ThinLines:
        """Lines of the selected element."""
        chosen = self._desk.selection
        if self._chosen[0] != (chosen, id(scene)):
            course, rings = scene.reaches.get(chosen), scene.rings.get(chosen, [])
            self._chosen = (chosen, id(scene)), ThinLines(Lines.of(rings if course is None else [course]))
        return self._chosen[1]

    @staticmethod
    def _stroke(painter: QPainter, path: QPainterPath, colour: QColor, width: float) -> None:
        pen = QPen(colour, width)
        pen.setCosmetic(True)
        pen.setJoinStyle(Qt.PenJoinStyle.BevelJoin)
        painter.setPen(pen)
        painter.drawPath(path)

    def _draw_network(self, painter: QPainter, scene: Scene, view: MapView, *, moving: bool) -> None:
        study, chosen = self._desk.study, self._desk.selection
        places = dict(zip(scene.places, view.on_screen(scene.all_places).tolist(), strict=True))
        links = [(QPointF(*places[up]), QPointF(*places[down])) for up, down in scene.drawn_links]
        draw_links(painter, self._theme, links)
        labels = Labels(painter, self._theme)
        window = QRectF(0, 0, view.width, view.height)
        if not (moving and len(scene.places) > MANY):
            self._draw_depressions(painter, view, window)
        bare = [k for k in scene.places if k not in scene.rings and k not in scene.reaches]
        wide, high = view.width, view.height
        at = {k: QPointF(x, y) for k, (x, y) in places.items() if 0 <= x <= wide and 0 <= y <= high}
        nodes = [k for k in bare if k in at]
        if moving and len(nodes) > MANY:
            painter.setPen(QPen(QColor(self._theme.ink), 5))
            painter.drawPoints(QPolygonF([at[key] for key in nodes]))
            return
        for key in nodes:
            draw_element(painter, self._theme, scene.network.elements[key], at[key], chosen=key == chosen)
            labels.keep_clear(QRectF(at[key].x() - 6, at[key].y() - 6, 12, 12))
        if moving and len(scene.places) > MANY:
            return
        order = sorted(scene.places, key=lambda k: (k != chosen, k not in scene.rings, k in scene.reaches))
        for key in order:
            element = scene.network.elements[key]
            named = key in scene.rings or key == chosen or key in study.design_points or self.extent is None
            if not named or key not in at:
                continue
            area = element.area.value if isinstance(element, Catchment) else None
            text = element.name if area is None else f"{element.name}\n{units.show(area, 'area', study.units)}"
            labels.put(text, at[key], beside=key not in scene.rings, chosen=key == chosen)

    def _draw_depressions(self, painter: QPainter, view: MapView, window: QRectF) -> None:
        """Mark depressions, the largest first, each with a ring of its area if that is visible."""
        terrain, extent = self._desk.study.terrain, self.extent
        if terrain is None or extent is None or not terrain.depressions:
            return
        if self._hollows[0] is not terrain:
            rows = [(*found.place, (found.area / np.pi) ** 0.5 / extent.metres) for found in terrain.depressions]
            self._hollows = terrain, np.array(rows)
        places = view.on_screen(self._hollows[1][:, :2])
        inside = (places > 0).all(axis=1) & (places < (window.width(), window.height())).all(axis=1)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(self._theme.loss), 1.5))
        for number in np.flatnonzero(inside)[:MANY]:
            at, radius = QPointF(*places[number]), float(self._hollows[1][number, 2]) * view.scale
            if 5 < radius < window.width():
                painter.drawEllipse(at, radius, radius)
            painter.drawLine(at + QPointF(-4, -2), at + QPointF(0, 3))
            painter.drawLine(at + QPointF(4, -2), at + QPointF(0, 3))

    def _draw_hand(self, painter: QPainter, scene: Scene, view: MapView, hand: Grasp) -> None:
        """Draw what is in hand: the previewed outlet, the link being drawn, the marked place."""
        if hand.marked is not None:
            painter.setPen(QPen(QColor(self._theme.limit), 2))
            painter.setBrush(QColor(self._theme.paper))
            painter.drawEllipse(QPointF(*view.pixel(*hand.marked)), 5, 5)
        if hand.cross is not None:
            at = QPointF(*view.pixel(*hand.cross))
            painter.setPen(QPen(QColor(self._theme.ink), 1))
            painter.drawLine(at + QPointF(-12, 0), at + QPointF(12, 0))
            painter.drawLine(at + QPointF(0, -12), at + QPointF(0, 12))
            self._draw_ghost(painter, view, at, hand.ghost)
        if hand.dragging and hand.pointer is not None and hand.grasped in scene.places:
            start = QPointF(*view.pixel(*scene.places[hand.grasped]))
            painter.setPen(QPen(QColor(self._theme.water), 2, Qt.PenStyle.DashLine))
            painter.drawLine(start, hand.pointer)

    def _draw_ghost(self, painter: QPainter, view: MapView, at: QPointF, ghost: Snapped | OutletError | None) -> None:
        labels = Labels(painter, self._theme)
        system = self._desk.study.units
        if isinstance(ghost, Snapped):
            place = QPointF(*view.pixel(*ghost.place))
            painter.setPen(QPen(QColor(self._theme.water), 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(at, place)
            painter.setBrush(QColor(self._theme.water))
            painter.drawEllipse(place, 5, 5)
            labels.put(told_of(ghost, system), place, beside=True, chosen=True)
        elif ghost is not None:
            painter.setPen(QPen(QColor(self._theme.limit), 2))
            painter.drawEllipse(at, 6, 6)

    def _draw_scale(self, painter: QPainter, view: MapView) -> None:
        extent = self.extent
        if extent is None:
            return
        system = self._desk.study.units
        metres_a_pixel = extent.metres / view.scale
        unit = units.display_unit("length", 120 * metres_a_pixel, system)
        factor = units.factor_of(unit, "length")
        rough = 120 * metres_a_pixel / factor
        power = 10.0 ** np.floor(np.log10(rough))
        length = max(step for step in (power, 2 * power, 5 * power) if step <= rough)
        pixels = length * factor / metres_a_pixel
        right, foot = view.width - 16.0, view.height - 14.0
        painter.setPen(QPen(QColor(self._theme.ink), 2))
        painter.drawLine(QPointF(right - pixels, foot), QPointF(right, foot))
        painter.setFont(desk_font(8))
        box = QRectF(right - max(pixels, 80), foot - 18, max(pixels, 80), 16)
        painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom, f"{length:g} {unit}")
