"""Painting of the map: terrain, streams, catchments, the network, what is in hand, and the scale."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property, partial

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF, QTransform

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.desk.benches.ground.backgrounds import Backgrounds, Laid
from tarnwater.desk.benches.ground.contours import Contours
from tarnwater.desk.benches.ground.features_on_map import FeaturesOnMap, draw_feature
from tarnwater.desk.benches.ground.hand import Grasp
from tarnwater.desk.benches.ground.hints import told_of
from tarnwater.desk.benches.ground.land_on_map import LandOnMap
from tarnwater.desk.benches.ground.layers import BACKGROUND, Layers
from tarnwater.desk.benches.ground.map_view import MapView
from tarnwater.desk.benches.ground.outline_tools import TOOLS
from tarnwater.desk.benches.ground.scene import Scene, ThinLines, area_path
from tarnwater.desk.benches.ground.symbols import Labels, Stamps, draw_element, draw_links
from tarnwater.desk.benches.ground.theme_legend import brush_of
from tarnwater.desk.benches.ground.themes import Themes
from tarnwater.desk.benches.ground.tiles import Tiles, changes, shades
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.errors import OutletError
from tarnwater.network.elements import Catchment
from tarnwater.network.memo import IdentityMemo
from tarnwater.study.document import Terrain
from tarnwater.study.pictures.labels import label_words
from tarnwater.study.pictures.land import Theme as LandTheme
from tarnwater.study.pictures.map import Extent
from tarnwater.terrain.features import GroundFeature
from tarnwater.terrain.lines import Lines
from tarnwater.terrain.outlets import Snapped

#: Numbers of elements above which labels are hidden while the map moves, and of depressions that are marked.
MANY = 80

#: Pixels below which a catchment among many has no label; there would be no room for it.
LEAST_NAMED = 40

#: Number of points above which lines have no light edge and at most one pixel of width, to draw faster.
MANY_POINTS = 20_000


def _points(paths: Sequence[tuple[float, QPainterPath]]) -> int:
    return sum(path.elementCount() for _, path in paths)


@dataclass
class Frame:
    """One frame: where it is painted, and what it shows."""

    painter: QPainter
    scene: Scene
    view: MapView
    hand: Grasp
    moving: bool

    @cached_property
    def places(self) -> dict[str, list[float]]:
        """Where each element stands, in pixels."""
        return dict(zip(self.scene.places, self.view.on_screen(self.scene.all_places).tolist(), strict=True))

    @cached_property
    def at(self) -> dict[str, QPointF]:
        """Where the elements in view stand."""
        wide, high = self.view.width, self.view.height
        return {k: QPointF(x, y) for k, (x, y) in self.places.items() if 0 <= x <= wide and 0 <= y <= high}

    @cached_property
    def nodes(self) -> list[str]:
        """Elements in view that are drawn as symbols."""
        return [k for k in self.at if k not in self.scene.rings and k not in self.scene.reaches]


class MapPainter:
    """Paints the map from the ground up; it keeps the tiles of the terrain and the thinned lines."""

    def __init__(
        self,
        desk: Desk,
        theme: Theme,
        features: FeaturesOnMap,
        layers: Layers,
        backgrounds: Backgrounds,
        contours: Contours,
        themes: Themes,
        land: LandOnMap,
    ) -> None:
        self._desk, self._theme, self._features, self._layers = desk, theme, features, layers
        self._backgrounds, self._contours, self._themes, self._land = backgrounds, contours, themes, land
        self._tiles: Tiles | None = None
        self._moved: Tiles | None = None
        self._streams = ThinLines(desk.ground.streams)
        self._chosen: tuple[tuple[str, int], ThinLines] = ("", 0), ThinLines(Lines.of([]))
        self._hollows: tuple[Terrain | None, Floats] = None, np.empty((0, 3))
        self._made_one = False
        self._stamps = Stamps()
        #: Where the labels stand, in pixels, as they were painted last.
        self.label_boxes: dict[str, QRectF] = {}

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
            self._tiles.recolour(shades(theme))
        if self._moved is not None:
            self._moved.recolour(changes(theme))

    def follow_ground(self) -> None:
        """Use another picture of the terrain."""
        picture = self._desk.ground.picture
        self._tiles = None if picture is None else Tiles(picture.light, picture.extent, shades(self._theme))
        self._moved = None if picture is None else Tiles(picture.moved, picture.extent, changes(self._theme))
        self.follow_streams()

    def follow_streams(self) -> None:
        """Use other streams."""
        self._streams = ThinLines(self._desk.ground.streams)

    def paint(self, painter: QPainter, scene: Scene, view: MapView, hand: Grasp, *, moving: bool) -> None:
        """Paint everything, layer by layer from the lowest up; faster and coarser while the map moves."""
        painter.fillRect(QRectF(0, 0, view.width, view.height), QColor(self._theme.paper))
        frame = Frame(painter, scene, view, hand, moving)
        self._made_one = False
        for layer in self._layers:
            opacity = self._layers.opacity(layer.key)
            if opacity == 0:
                continue
            draw = self._draws.get(layer.key) or self._background_of(layer.key)
            if draw is not None:
                painter.save()
                painter.setOpacity(opacity)
                draw(frame)
                painter.restore()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._draw_hand(painter, scene, view, hand)
        self._draw_scale(painter, view)

    @cached_property
    def _draws(self) -> dict[str, Callable[[Frame], None]]:
        """The function that draws each layer."""
        return {
            "relief": self._draw_relief,
            "soils": partial(self._draw_land, "soils"),
            "cover": partial(self._draw_land, "cover"),
            "moved": self._draw_moved,
            "contours": self._draw_contours,
            "streams": self._draw_streams,
            "catchments": self._draw_catchments,
            "reaches": self._draw_reaches,
            "features": self._draw_features,
            "depressions": self._draw_depressions,
            "network": self._draw_network,
            "labels": self._draw_labels,
        }

    def _background_of(self, key: str) -> Callable[[Frame], None] | None:
        """The function that draws a background; one that was hidden is read now."""
        laid = self._backgrounds.laid.get(key.removeprefix(BACKGROUND))
        if laid is None:
            return None
        self._backgrounds.drawn(laid)
        draw = self._draw_picture if laid.background.kind == "picture" else self._draw_background_lines
        return partial(draw, laid)

    def _draw_picture(self, laid: Laid, frame: Frame) -> None:
        self._backgrounds.draw_picture(frame.painter, frame.view, laid, moving=frame.moving)

    def _draw_background_lines(self, laid: Laid, frame: Frame) -> None:
        self._begin_lines(frame)
        for _, path in self._paths(laid.lines, frame):
            self._stroke(frame.painter, path, QColor(self._theme.quiet), 1.0)

    def _draw_contours(self, frame: Frame) -> None:
        self._begin_lines(frame)
        brown = QColor(self._theme.loss)
        for weight, path in self._paths(self._contours.at(self._layers.contours), frame):
            brown.setAlpha(190 if weight > 1 else 110)
            self._stroke(frame.painter, path, brown, 1.0 if frame.moving or weight <= 1 else 1.4)

    def _draw_relief(self, frame: Frame) -> None:
        if self._tiles is not None:
            self._tiles.draw(frame.painter, frame.view, smooth=not frame.moving)

    def _draw_land(self, theme: LandTheme, frame: Frame) -> None:
        self._land.draw(frame.painter, frame.view, theme, moving=frame.moving, dark=self._theme.name == "dark")

    def _draw_moved(self, frame: Frame) -> None:
        if self._moved is not None:
            self._moved.draw(frame.painter, frame.view, smooth=not frame.moving)

    def _draw_features(self, frame: Frame) -> None:
        frame.painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._features.draw(frame.painter, frame.view, self._theme, frame.hand.feature)

    @staticmethod
    def _begin_lines(frame: Frame) -> None:
        frame.painter.setRenderHint(QPainter.RenderHint.Antialiasing, not frame.moving)
        frame.painter.setBrush(Qt.BrushStyle.NoBrush)
        frame.painter.setTransform(frame.view.transform)

    def _draw_streams(self, frame: Frame) -> None:
        self._begin_lines(frame)
        streams = self._paths(self._streams, frame)
        thin = frame.moving or _points(streams) > MANY_POINTS
        for order, path in streams:
            width = 0.5 + 0.45 * order
            width = 1.0 if frame.moving or (thin and width < 2) else width
            self._stroke(frame.painter, path, QColor(self._theme.water), width)

    def _draw_catchments(self, frame: Frame) -> None:
        """Draw the colours of the theme, the outlines, and the wash and outline of the selected one."""
        painter, scene = frame.painter, frame.scene
        self._draw_theme(frame)
        if frame.hand.zones is not None:
            frame.hand.zones.draw(painter, frame.view, self._theme)
        rings = scene.rings.get(self._desk.selection)
        chosen = [one for key in self._desk.chosen for one in scene.rings.get(key, [])]
        if chosen:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, not frame.moving)
            wash = QColor(self._theme.water)
            wash.setAlpha(46)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(wash)
            painter.drawPath(area_path(chosen, frame.view))
        self._begin_lines(frame)
        outlines = self._paths(scene.outlines, frame)
        thin = frame.moving or _points(outlines) > MANY_POINTS
        if not thin:
            halo = QColor(self._theme.paper)
            halo.setAlpha(150)
            for _, path in outlines:
                self._stroke(painter, path, halo, 3.2)
        for _, path in outlines:
            self._stroke(painter, path, QColor(self._theme.ink), 1.0 if thin else 1.2)
        if rings:
            self._draw_selected_line(frame)
            self._draw_flow_path(frame)

    def _draw_theme(self, frame: Frame) -> None:
        """Fill each catchment by its class."""
        classes = self._themes.classes
        if classes is None:
            return
        painter = frame.painter
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, not frame.moving)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setTransform(frame.view.transform)
        for key, path in frame.scene.areas(frame.view).items():
            brush = brush_of(classes, self._theme, self._themes.of.get(key))
            # hatches keep their width on the screen
            brush.setTransform(frame.view.transform.inverted()[0])
            painter.setBrush(brush)
            painter.drawPath(path)
        painter.setTransform(QTransform())

    def _draw_flow_path(self, frame: Frame) -> None:
        """Draw the longest flow path of the selected catchment."""
        line = frame.scene.flow_path(self._desk.selection)
        if line is None:
            return
        frame.painter.setTransform(QTransform())
        frame.painter.setPen(QPen(QColor(self._theme.water), 1.6, Qt.PenStyle.DashLine))
        points = frame.view.on_screen(Lines.of([line]).thinned(1 / frame.view.scale).points)
        frame.painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in points.tolist()]))

    def _draw_waters(self, frame: Frame) -> None:
        """Draw the water of the ponds that were cut from the terrain, at their top; the selected one stronger."""
        painter, scene = frame.painter, frame.scene
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, not frame.moving)
        painter.setTransform(QTransform())
        for key, rings in scene.waters.items():
            wash = QColor(self._theme.water)
            wash.setAlpha(150 if key == self._desk.selection else 90)
            painter.setBrush(wash)
            painter.setPen(QPen(QColor(self._theme.water), 1.2))
            painter.drawPath(area_path(rings, frame.view))

    def _draw_reaches(self, frame: Frame) -> None:
        """Draw the water of ponds, the courses, and the selected one."""
        self._draw_waters(frame)
        self._begin_lines(frame)
        course = QColor(self._theme.water)
        course.setAlpha(150)
        courses = self._paths(frame.scene.courses, frame)
        # wide lines take ten times as long as those of one pixel, so those of the map count together
        drawn = _points(courses) + _points(self._paths(frame.scene.outlines, frame))
        thin = frame.moving or drawn > MANY_POINTS
        for _, path in courses:
            self._stroke(frame.painter, path, course, 1.0 if thin else 4.0)
        if self._desk.selection in frame.scene.reaches:
            self._draw_selected_line(frame)

    def _draw_selected_line(self, frame: Frame) -> None:
        for _, path in self._selected_lines(frame.scene).paths(frame.view, smooth=not frame.moving):
            self._stroke(frame.painter, path, QColor(self._theme.water), 1.0 if frame.moving else 2.4)

    def _paths(self, lines: ThinLines, frame: Frame) -> list[tuple[float, QPainterPath]]:
        """Paths of some lines; while the map moves, at most one set is made in each frame."""
        made = lines.made
        paths = lines.paths(frame.view, smooth=not frame.moving, may_make=not self._made_one)
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

    def _draw_network(self, frame: Frame) -> None:
        """Draw links, and the symbols of elements that have no shape of their own."""
        painter, scene = frame.painter, frame.scene
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        places = frame.places
        links = [(QPointF(*places[up]), QPointF(*places[down])) for up, down in scene.drawn_links]
        draw_links(painter, self._theme, links)
        nodes = frame.nodes
        if frame.moving and len(nodes) > MANY:
            painter.setPen(QPen(QColor(self._theme.ink), 5))
            painter.drawPoints(QPolygonF([frame.at[key] for key in nodes]))
            return
        for key in nodes:
            chosen = key == self._desk.selection
            if len(nodes) > MANY and not chosen:
                self._stamps.draw(painter, self._theme, scene.network.elements[key], frame.at[key])
                continue
            draw_element(painter, self._theme, scene.network.elements[key], frame.at[key], chosen=chosen)

    def _draw_labels(self, frame: Frame) -> None:
        """Write names and areas, without overlaps."""
        scene, study, chosen = frame.scene, self._desk.study, self._desk.selection
        if frame.moving and len(scene.places) > MANY:
            return
        frame.painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        labels = Labels(frame.painter, self._theme, frame.view.width, frame.view.height)
        if self._layers.opacity("network") > 0:
            for key in frame.nodes:
                labels.keep_clear(QRectF(frame.at[key].x() - 6, frame.at[key].y() - 6, 12, 12))
        self.label_boxes = {}
        crowded = len(scene.places) > MANY
        moved = {**study.map_labels.moved, **frame.hand.label_at}
        order = sorted(frame.at, key=lambda k: (k not in moved, k != chosen, k not in scene.rings, k in scene.reaches))
        for key in order:
            element = scene.network.elements[key]
            named = key in scene.rings or key == chosen or key in study.design_points or self.extent is None
            small = crowded and scene.sides.get(key, np.inf) * frame.view.scale < LEAST_NAMED
            if not named or (small and key != chosen and key not in moved):
                continue
            text = self._label_of(element) if isinstance(element, Catchment) else element.name
            fixed = QPointF(*frame.view.pixel(*moved[key])) if key in moved else None
            box = labels.put(text, frame.at[key], beside=key not in scene.rings, chosen=key == chosen, fixed=fixed)
            if box is not None:
                self.label_boxes[key] = box

    def _label_of(self, one: Catchment) -> str:
        study = self._desk.study
        memo: IdentityMemo[str] = study.memory.of("labels", 8192)
        parts = one, study.map_labels
        return memo.get(parts, study.units) or memo.put(parts, label_words(study, one), study.units)

    def _draw_depressions(self, frame: Frame) -> None:
        """Mark depressions, the largest first, each with a ring of its area if that is visible."""
        terrain, extent, view, painter = self._desk.study.terrain, self.extent, frame.view, frame.painter
        crowded = frame.moving and len(frame.scene.places) > MANY
        if terrain is None or extent is None or not terrain.depressions or crowded:
            return
        if self._hollows[0] is not terrain:
            rows = [(*found.place, (found.area / np.pi) ** 0.5 / extent.metres) for found in terrain.depressions]
            self._hollows = terrain, np.array(rows)
        places = view.on_screen(self._hollows[1][:, :2])
        inside = (places > 0).all(axis=1) & (places < (view.width, view.height)).all(axis=1)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(self._theme.loss), 1.5))
        for number in np.flatnonzero(inside)[:MANY]:
            at, radius = QPointF(*places[number]), float(self._hollows[1][number, 2]) * view.scale
            if 5 < radius < view.width:
                painter.drawEllipse(at, radius, radius)
            painter.drawLine(at + QPointF(-4, -2), at + QPointF(0, 3))
            painter.drawLine(at + QPointF(4, -2), at + QPointF(0, 3))

    def _draw_hand(self, painter: QPainter, scene: Scene, view: MapView, hand: Grasp) -> None:
        """Draw what is in hand: the previewed outlet, the link being drawn, the marked place, a shape that is shown."""
        if hand.shape:
            red = QColor(self._theme.limit)
            painter.setPen(QPen(red, 2))
            red.setAlpha(90)
            painter.setBrush(red)
            painter.drawPath(area_path(hand.shape, view))
        if hand.marked is not None:
            painter.setPen(QPen(QColor(self._theme.limit), 2))
            painter.setBrush(QColor(self._theme.paper))
            painter.drawEllipse(QPointF(*view.pixel(*hand.marked)), 5, 5)
        if hand.cross is not None:
            at = QPointF(*view.pixel(*hand.cross))
            painter.setPen(QPen(QColor(self._theme.ink), 1))
            painter.drawLine(at + QPointF(-12, 0), at + QPointF(12, 0))
            painter.drawLine(at + QPointF(0, -12), at + QPointF(0, 12))
            if hand.tool == "feature":
                self._draw_line_in_hand(painter, view, hand)
            elif hand.tool == "outline":
                self._draw_outline_in_hand(painter, view, hand)
            else:
                self._draw_ghost(painter, view, at, hand.ghost)
        if hand.dragging and hand.pointer is not None and hand.grasped in scene.places:
            start = QPointF(*view.pixel(*scene.places[hand.grasped]))
            painter.setPen(QPen(QColor(self._theme.water), 2, Qt.PenStyle.DashLine))
            painter.drawLine(start, hand.pointer)

    def _draw_line_in_hand(self, painter: QPainter, view: MapView, hand: Grasp) -> None:
        """Draw the places of a feature so far, and the way to the next one."""
        if not hand.line or hand.cross is None:
            return
        line = view.on_screen(np.array([*hand.line, hand.cross]))
        draw_feature(painter, self._theme, GroundFeature.of_tag(hand.kind).sign, line, chosen=True)
        painter.setPen(QPen(QColor(self._theme.observed), 1))
        painter.setBrush(QColor(self._theme.paper))
        for x, y in line[:-1].tolist():
            painter.drawEllipse(QPointF(x, y), 3.5, 3.5)

    def _draw_outline_in_hand(self, painter: QPainter, view: MapView, hand: Grasp) -> None:
        """Draw the places of an outline so far, the way to the next one, and what that is snapped to."""
        assert hand.cross is not None
        at = QPointF(*view.pixel(*hand.cross))
        line = [QPointF(x, y) for x, y in view.on_screen(np.array([*hand.line, hand.cross])).tolist()]
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(self._theme.observed), 2))
        painter.drawPolyline(QPolygonF(line))
        if hand.line and TOOLS[hand.kind].closed:  # type: ignore[index]
            painter.setPen(QPen(QColor(self._theme.observed), 1, Qt.PenStyle.DashLine))
            painter.drawLine(line[-1], line[0])
        painter.setPen(QPen(QColor(self._theme.observed), 1))
        painter.setBrush(QColor(self._theme.paper))
        for place in line[:-1]:
            painter.drawEllipse(place, 3.5, 3.5)
        if hand.catch is not None:
            painter.setPen(QPen(QColor(self._theme.water), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if hand.catch.what == "vertex":
                painter.drawRect(QRectF(at.x() - 5, at.y() - 5, 10, 10))
            else:
                painter.drawEllipse(at, 5, 5)

    def _draw_ghost(self, painter: QPainter, view: MapView, at: QPointF, ghost: Snapped | OutletError | None) -> None:
        labels = Labels(painter, self._theme, view.width, view.height)
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
