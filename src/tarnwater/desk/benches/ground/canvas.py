"""The map: terrain, streams, catchments and the network; outlets and links are made on it by mouse or keys."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QToolTip, QWidget

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.desk.benches.ground.map_view import MapView
from tarnwater.desk.benches.ground.scene import Scene, ThinLines, area_path, shapes_of
from tarnwater.desk.benches.ground.symbols import Labels, draw_element, draw_links
from tarnwater.desk.benches.ground.tiles import Tiles
from tarnwater.desk.benches.ways import way_of
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.errors import OutletError
from tarnwater.network.elements import Catchment, Reach
from tarnwater.network.graph import Network
from tarnwater.study.document import Terrain
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.delineation import outlet_of
from tarnwater.study.pictures.layout import Way, neighbour
from tarnwater.study.pictures.map import Extent, catchment_at
from tarnwater.terrain.lines import Lines
from tarnwater.terrain.outlets import Snapped

Tool = Literal["", "outlet", "link"]

#: How far the pointer goes before a press becomes a drag, in pixels.
DRAG = 5.0

#: Of more elements labels rest while the map moves; of more depressions only the greatest are marked.
MANY = 80

#: Lines of more points have no light edge and no more than a pixel of width: that would cost more than it shows.
MANY_POINTS = 20_000

#: A stream within so many pixels of the pointer is meant.
AIM = 9.0

#: After the last move of the view lines are drawn smooth again, ms.
SETTLE = 140


def _points(paths: Sequence[tuple[float, QPainterPath]]) -> int:
    return sum(path.elementCount() for _, path in paths)


class MapCanvas(QWidget):
    """Wheel and + - zoom, dragging the ground pans; a click selects; arrows walk the water."""

    tool_changed = pyqtSignal()
    outlet_asked = pyqtSignal(float, float, bool)
    outlet_moved = pyqtSignal(str, float, float)
    element_moved = pyqtSignal(str, float, float)
    link_asked = pyqtSignal(str, str)
    join_asked = pyqtSignal(str, float, float)
    said = pyqtSignal(str)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.setAccessibleName("Map")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(320, 220)
        self.desk = desk
        self.theme = theme
        self.view: MapView | None = None
        self.tool: Tool = ""
        self.scene = Scene(Network({}, {}), desk.file.blobs)
        self.marked: tuple[float, float] | None = None
        self.complete = False
        self._tiles: Tiles | None = None
        self._streams = ThinLines(desk.ground.streams)
        self._chosen: tuple[tuple[str, int], ThinLines] = ("", 0), ThinLines(Lines.of([]))
        self._hollows: tuple[Terrain | None, Floats] = None, np.empty((0, 3))
        self._cross: tuple[float, float] | None = None
        self._ghost: Snapped | OutletError | None = None
        self._pressed: QPointF | None = None
        self._grasped = ""
        self._dragging = False
        self._made_one = False
        self._pointer: QPointF | None = None
        self._settled = QTimer(self)
        self._settled.setSingleShot(True)
        self._settled.setInterval(SETTLE)
        self._settled.timeout.connect(self.update)
        desk.ground.changed.connect(self.follow_ground)
        desk.ground.streams_changed.connect(self._follow_streams)
        self.follow_ground()

    def sizeHint(self) -> QSize:  # noqa: N802
        """As much as there is."""
        return QSize(900, 560)

    @property
    def extent(self) -> Extent | None:
        """Extent of the terrain, None without one."""
        picture = self.desk.ground.picture
        return None if picture is None else picture.extent

    def follow_ground(self) -> None:
        """Take up another picture of the terrain."""
        picture = self.desk.ground.picture
        self._tiles = None if picture is None else Tiles(picture.light, picture.extent, self.theme)
        self._streams = ThinLines(self.desk.ground.streams)
        self.view = None
        self.update()

    def _follow_streams(self) -> None:
        self._streams = ThinLines(self.desk.ground.streams)
        # while the threshold is dragged they are drawn quickly, and smooth when it rests
        self._settled.start()
        self.update()

    def refresh(self) -> None:
        """Draw the network of the case in view."""
        desk = self.desk
        condition = desk.view.condition if desk.view is not None else next(iter(desk.study.conditions))
        if condition not in desk.study.conditions:
            condition = next(iter(desk.study.conditions))
        network = resolve(desk.study, condition)
        if shapes_of(network) != self.scene.shapes:
            self.scene = Scene(network, desk.file.blobs)
            if self.extent is None:
                self.view = None
        self.scene.network = network
        self.update()

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.theme = theme
        if self._tiles is not None:
            self._tiles.set_theme(theme)
        self.update()

    def show_whole(self) -> None:
        """Show the whole terrain, or the whole network."""
        extent = self.extent
        box = self.scene.extent if extent is None else (extent.west, extent.south, extent.east, extent.north)
        self.view = MapView.of_whole(*box, max(self.width(), 2), max(self.height(), 2))
        self.update()

    def show_selected(self) -> None:
        """Bring the selected element into view where it is out of it."""
        place = self.scene.places.get(self.desk.selection)
        if place is not None and self.view is not None:
            x, y = self.view.pixel(*place)
            if not (0 <= x <= self.width() and 0 <= y <= self.height()):
                self.view = replace(self.view, x=place[0], y=place[1])
        self.update()

    def lead_to(self, x: float, y: float) -> None:
        """Bring a place of the map into the middle, and mark it."""
        self.marked = x, y
        if self.view is not None:
            self.view = replace(self.view, x=x, y=y)
        self.update()

    def take_tool(self, tool: Tool) -> None:
        """Take a tool up, or with the one in hand, put it down."""
        self.tool = "" if tool == self.tool else tool
        self._ghost = None
        self._cross = None
        if self.tool == "outlet" and self.view is not None:
            self._cross = (self.view.x, self.view.y)
            self._try_outlet(*self._cross)
        self.setCursor(Qt.CursorShape.CrossCursor if self.tool else Qt.CursorShape.ArrowCursor)
        self.tool_changed.emit()
        self.update()

    # drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: N802
        """Draw the map from the ground up."""
        if self.view is None or (self.view.width, self.view.height) != (self.width(), self.height()):
            if self.view is None:
                self.show_whole()
            else:
                self.view = self.view.resized(self.width(), self.height())
        view = self.view
        assert view is not None
        moving = self._settled.isActive()
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if self._tiles is not None:
            self._tiles.draw(painter, view, smooth=not moving)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, not moving)
        self._draw_selected_area(painter, view)
        self._draw_lines(painter, view, moving=moving)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._draw_network(painter, view, moving=moving)
        self._draw_hand(painter, view)
        self._draw_scale(painter, view)
        self.complete = self._tiles is not None
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(self.theme.water), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _draw_selected_area(self, painter: QPainter, view: MapView) -> None:
        rings = self.scene.rings.get(self.desk.selection)
        if rings:
            wash = QColor(self.theme.water)
            wash.setAlpha(46)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(wash)
            painter.drawPath(area_path(rings, view))

    def _draw_lines(self, painter: QPainter, view: MapView, *, moving: bool) -> None:
        self._made_one = False
        painter.save()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setTransform(view.transform)
        water, ink = QColor(self.theme.water), QColor(self.theme.ink)
        streams = self._paths(self._streams, view, moving=moving)
        thin = moving or _points(streams) > MANY_POINTS
        for order, path in streams:
            width = 0.5 + 0.45 * order
            self._stroke(painter, path, water, 1.0 if moving or (thin and width < 2) else width)
        outlines = self._paths(self.scene.outlines, view, moving=moving)
        thin = moving or _points(outlines) > MANY_POINTS
        if not thin:
            halo = QColor(self.theme.paper)
            halo.setAlpha(150)
            for _, path in outlines:
                self._stroke(painter, path, halo, 3.2)
        for _, path in outlines:
            self._stroke(painter, path, ink, 1.0 if thin else 1.2)
        course = QColor(water)
        course.setAlpha(150)
        courses = self._paths(self.scene.courses, view, moving=moving)
        thin = moving or _points(courses) > MANY_POINTS
        for _, path in courses:
            self._stroke(painter, path, course, 1.0 if thin else 4.0)
        for _, path in self._selected_lines().paths(view, smooth=not moving):
            self._stroke(painter, path, water, 1.0 if moving else 2.4)
        painter.restore()

    def _paths(self, lines: ThinLines, view: MapView, *, moving: bool) -> list[tuple[float, QPainterPath]]:
        """Paths of some lines; while the map moves no more than one set of them is made for a frame."""
        made = lines.made
        paths = lines.paths(view, smooth=not moving, may_make=not self._made_one)
        self._made_one |= lines.made > made
        return paths

    def _selected_lines(self) -> ThinLines:
        """Lines of the selected element."""
        chosen = self.desk.selection
        if self._chosen[0] != (chosen, id(self.scene)):
            course, rings = self.scene.reaches.get(chosen), self.scene.rings.get(chosen, [])
            self._chosen = (chosen, id(self.scene)), ThinLines(Lines.of(rings if course is None else [course]))
        return self._chosen[1]

    @staticmethod
    def _stroke(painter: QPainter, path: QPainterPath, colour: QColor, width: float) -> None:
        pen = QPen(colour, width)
        pen.setCosmetic(True)
        pen.setJoinStyle(Qt.PenJoinStyle.BevelJoin)
        painter.setPen(pen)
        painter.drawPath(path)

    def _draw_network(self, painter: QPainter, view: MapView, *, moving: bool) -> None:
        scene, study, chosen = self.scene, self.desk.study, self.desk.selection
        places = dict(zip(scene.places, view.on_screen(scene.all_places).tolist(), strict=True))
        links = [(QPointF(*places[up]), QPointF(*places[down])) for up, down in scene.drawn_links]
        draw_links(painter, self.theme, links)
        labels = Labels(painter, self.theme)
        window = QRectF(self.rect())
        if not (moving and len(scene.places) > MANY):
            self._draw_depressions(painter, view, window)
        bare = [k for k in scene.places if k not in scene.rings and k not in scene.reaches]
        wide, high = self.width(), self.height()
        at = {k: QPointF(x, y) for k, (x, y) in places.items() if 0 <= x <= wide and 0 <= y <= high}
        nodes = [k for k in bare if k in at]
        if moving and len(nodes) > MANY:
            painter.setPen(QPen(QColor(self.theme.ink), 5))
            painter.drawPoints(QPolygonF([at[key] for key in nodes]))
            return
        for key in nodes:
            draw_element(painter, self.theme, scene.network.elements[key], at[key], chosen=key == chosen)
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
        """Mark depressions, the greatest first, each with a ring as large as its area where that can be seen."""
        terrain, extent = self.desk.study.terrain, self.extent
        if terrain is None or extent is None or not terrain.depressions:
            return
        if self._hollows[0] is not terrain:
            rows = [(*found.place, (found.area / np.pi) ** 0.5 / extent.metres) for found in terrain.depressions]
            self._hollows = terrain, np.array(rows)
        places = view.on_screen(self._hollows[1][:, :2])
        inside = (places > 0).all(axis=1) & (places < (window.width(), window.height())).all(axis=1)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(self.theme.loss), 1.5))
        for number in np.flatnonzero(inside)[:MANY]:
            at, radius = QPointF(*places[number]), float(self._hollows[1][number, 2]) * view.scale
            if 5 < radius < window.width():
                painter.drawEllipse(at, radius, radius)
            painter.drawLine(at + QPointF(-4, -2), at + QPointF(0, 3))
            painter.drawLine(at + QPointF(4, -2), at + QPointF(0, 3))

    def _draw_hand(self, painter: QPainter, view: MapView) -> None:
        """Draw what is being done: the outlet about to be dropped, the link being drawn, the marked place."""
        if self.marked is not None:
            painter.setPen(QPen(QColor(self.theme.limit), 2))
            painter.setBrush(QColor(self.theme.paper))
            painter.drawEllipse(QPointF(*view.pixel(*self.marked)), 5, 5)
        if self._cross is not None:
            at = QPointF(*view.pixel(*self._cross))
            painter.setPen(QPen(QColor(self.theme.ink), 1))
            painter.drawLine(at + QPointF(-12, 0), at + QPointF(12, 0))
            painter.drawLine(at + QPointF(0, -12), at + QPointF(0, 12))
            self._draw_ghost(painter, view, at)
        if self._dragging and self._pointer is not None and self._grasped in self.scene.places:
            start = QPointF(*view.pixel(*self.scene.places[self._grasped]))
            painter.setPen(QPen(QColor(self.theme.water), 2, Qt.PenStyle.DashLine))
            painter.drawLine(start, self._pointer)

    def _draw_ghost(self, painter: QPainter, view: MapView, at: QPointF) -> None:
        labels = Labels(painter, self.theme)
        system = self.desk.study.units
        if isinstance(self._ghost, Snapped):
            place = QPointF(*view.pixel(*self._ghost.place))
            painter.setPen(QPen(QColor(self.theme.water), 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(at, place)
            painter.setBrush(QColor(self.theme.water))
            painter.drawEllipse(place, 5, 5)
            labels.put(told_of(self._ghost, system), place, beside=True, chosen=True)
        elif self._ghost is not None:
            painter.setPen(QPen(QColor(self.theme.limit), 2))
            painter.drawEllipse(at, 6, 6)

    def _draw_scale(self, painter: QPainter, view: MapView) -> None:
        extent = self.extent
        if extent is None:
            return
        system = self.desk.study.units
        metres_a_pixel = extent.metres / view.scale
        unit = units.display_unit("length", 120 * metres_a_pixel, system)
        factor = units.factor_of(unit, "length")
        rough = 120 * metres_a_pixel / factor
        power = 10.0 ** np.floor(np.log10(rough))
        length = max(step for step in (power, 2 * power, 5 * power) if step <= rough)
        pixels = length * factor / metres_a_pixel
        right, foot = self.width() - 16.0, self.height() - 14.0
        painter.setPen(QPen(QColor(self.theme.ink), 2))
        painter.drawLine(QPointF(right - pixels, foot), QPointF(right, foot))
        painter.setFont(desk_font(8))
        box = QRectF(right - max(pixels, 80), foot - 18, max(pixels, 80), 16)
        painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom, f"{length:g} {unit}")

    # by mouse

    def _moved(self, view: MapView) -> None:
        self.view = view
        self._settled.start()
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:  # noqa: N802
        """Keep the middle where it is; a whole map stays whole."""
        if self.view is not None and event is not None and event.oldSize().isValid():
            whole = self.extent
            least = None if whole is None else MapView.of_whole(
                whole.west, whole.south, whole.east, whole.north, self.view.width, self.view.height
            )  # fmt: skip
            if least is None or self.view == least:
                self.view = None
        super().resizeEvent(event)

    def wheelEvent(self, event: QWheelEvent | None) -> None:  # noqa: N802
        """Zoom about the pointer."""
        if event is not None and self.view is not None:
            at = event.position()
            factor = 1.2 ** (event.angleDelta().y() / 120)
            self._moved(self.view.zoomed(factor, at.x(), at.y(), self.extent))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """Grasp what lies under the pointer."""
        if event is None or self.view is None:
            return
        self._pressed = self._pointer = event.position()
        self._dragging = False
        self._grasped = self.scene.nearest(self.view, self._pressed.x(), self._pressed.y()) or ""

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """Drag the map, an outlet, an element or a link; without a button try the outlet in hand."""
        if event is None or self.view is None:
            return
        here, before = event.position(), self._pointer
        self._pointer = here
        place = self.view.place(here.x(), here.y())
        if self._pressed is None:
            if self.tool == "outlet":
                self._cross = place
                self._try_outlet(*place)
            self._say_place(place)
            return
        if not self._dragging and (here - self._pressed).manhattanLength() < DRAG:
            return
        self._dragging = True
        if self._grasped and self.tool != "outlet":
            if self.tool == "" and self._outlet_grasped():
                self._cross = place
                self._try_outlet(*place)
            self.update()
        elif before is not None:
            step = here - before
            self._moved(self.view.moved(step.x(), step.y()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """Do what the drag or the click meant."""
        if event is None or self.view is None or self._pressed is None:
            return
        here = event.position()
        place = self.view.place(here.x(), here.y())
        dragged, grasped = self._dragging, self._grasped
        self._pressed, self._dragging = None, False
        as_it_is = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if not dragged:
            self._clicked(place, grasped, as_it_is)
        elif grasped and self.tool == "link":
            self._drop_link(grasped, here)
        elif grasped and self.tool == "":
            self._drop_element(grasped, place)
        self._grasped = ""
        self.update()

    def _outlet_grasped(self) -> str | None:
        """The outlet that is dragged, by its node on the map."""
        key = outlet_of(self.desk.study, self._grasped)
        return key if key is not None and self._grasped == f"{key}-outlet" else None

    def _clicked(self, place: tuple[float, float], grasped: str, as_it_is: bool) -> None:
        if self.tool == "outlet":
            self.outlet_asked.emit(*self._aimed(place, as_it_is), as_it_is)
            return
        key = grasped or catchment_at(self.scene.network, self.desk.file.blobs, *place)
        if key:
            self.desk.select(key)

    def _drop_link(self, up: str, here: QPointF) -> None:
        assert self.view is not None
        place = self.view.place(here.x(), here.y())
        down = self.scene.nearest(self.view, here.x(), here.y())
        down = down or catchment_at(self.scene.network, self.desk.file.blobs, *place)
        if not down:
            self.join_asked.emit(up, *place)
        elif down != up:
            self.link_asked.emit(up, down)
        else:
            self.said.emit("Drag to the element that this drains into, or to open ground for a confluence there.")

    def _drop_element(self, key: str, place: tuple[float, float]) -> None:
        outlet = self._outlet_grasped()
        self._cross = self._ghost = None
        if outlet is not None:
            self.outlet_moved.emit(outlet, *self._aimed(place, as_it_is=False))
        elif isinstance(self.scene.network.elements[key], Reach) and key in self.scene.reaches:
            self.said.emit("This reach follows the terrain from outlet to outlet: move the outlets.")
        else:
            self.element_moved.emit(key, *place)

    @property
    def _aim(self) -> float:
        """How exactly the pointer aims, m."""
        return 0.0 if self.view is None or self.extent is None else AIM / self.view.scale * self.extent.metres

    def _aimed(self, place: tuple[float, float], as_it_is: bool) -> tuple[float, float]:
        """The place that was meant: on the stream beside the pointer where the map is too small to point nearer."""
        terrain = self.desk.study.terrain
        if as_it_is or terrain is None:
            return place
        try:
            found = self.desk.ground.snapped(*place, self._aim)
        except OutletError:
            return place
        return found.place if found is not None and found.moved > terrain.snap_radius else place

    def _try_outlet(self, x: float, y: float) -> None:
        try:
            self._ghost = self.desk.ground.snapped(x, y, self._aim)
        except OutletError as error:
            self._ghost = error
            self.said.emit(f"{error.what} Shift with the click (or Enter) takes the place as it is.")
        else:
            self.said.emit("" if self._ghost is None else told_of(self._ghost, self.desk.study.units))
        self.update()

    def _say_place(self, place: tuple[float, float]) -> None:
        drainage, extent = self.desk.ground.drainage, self.extent
        if extent is None or self.tool:
            return
        text = f"{place[0]:.0f}, {place[1]:.0f}"
        if drainage is not None:
            try:
                row, column = drainage.grid.cell_at(*place)
            except OutletError:
                self.said.emit("")
                return
            system, grid = self.desk.study.units, drainage.grid
            text += f" · {units.show(float(grid.heights[row, column]), 'height', system)}"
            text += (
                f" · {units.show(float(drainage.upstream[row, column] * grid.cell_area), 'area', system)} drain here"
            )
        self.said.emit(text)

    def event(self, event: QEvent | None) -> bool:
        """Tell of a depression under the pointer."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip and self.view is not None:
            words = self._words_at(QPointF(event.pos()))
            if words:
                QToolTip.showText(event.globalPos(), words, self)
            else:
                QToolTip.hideText()
            return True
        return super().event(event)

    def _words_at(self, at: QPointF) -> str:
        terrain, view = self.desk.study.terrain, self.view
        assert view is not None
        system = self.desk.study.units
        for found in terrain.depressions if terrain is not None else ():
            if (QPointF(*view.pixel(*found.place)) - at).manhattanLength() < 12:
                depth, area = units.show(found.depth, "length", system), units.show(found.area, "area", system)
                return f"a depression, filled {depth} deep over {area}: a lake, a pit, or a bank without its culvert"
        key = self.scene.nearest(view, at.x(), at.y())
        if key is None:
            return ""
        element = self.scene.network.elements[key]
        outlet = outlet_of(self.desk.study, key)
        words = f"{element.name} ({type(element).__name__.lower()})"
        if outlet is not None and key == f"{outlet}-outlet":
            one = self.desk.study.outlets[outlet]
            words += (
                f"\nmoved {units.show(one.moved, 'length', system)} to the stream: "
                f"{units.show(one.area_before, 'area', system)} drain to the place asked, "
                f"{units.show(one.area_after, 'area', system)} to the outlet"
            )
        return words

    # by keys

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Letters take up tools, arrows walk the water, move the cross or (with Shift) the map; + and - zoom."""
        if event is None or self.view is None:
            return
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        middle = (self.width() / 2, self.height() / 2)
        key = event.key()
        if key == Qt.Key.Key_O:
            self.take_tool("outlet")
        elif key == Qt.Key.Key_L:
            self.take_tool("link")
        elif key == Qt.Key.Key_Escape:
            self._cross = self._ghost = self._pressed = None
            self._dragging = False
            self.take_tool(self.tool)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._moved(self.view.zoomed(1.25, *middle, self.extent))
        elif key == Qt.Key.Key_Minus:
            self._moved(self.view.zoomed(0.8, *middle, self.extent))
        elif key == Qt.Key.Key_Home:
            self.show_whole()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.tool == "outlet" and self._cross is not None:
            self.outlet_asked.emit(*self._aimed(self._cross, shift), shift)
        elif (way := way_of(key)) is not None:
            self._arrow(way, shift=shift)
        else:
            super().keyPressEvent(event)

    def _arrow(self, way: Way, *, shift: bool) -> None:
        assert self.view is not None
        across = {"left": -1, "right": 1}.get(way, 0)
        up = {"down": -1, "up": 1}.get(way, 0)
        extent = self.extent
        if self.tool == "outlet" and self._cross is not None and extent is not None:
            step = 10 if shift else 1
            x, y = self._cross[0] + across * step * extent.width, self._cross[1] + up * step * extent.height
            self._cross = (x, y)
            px, py = self.view.pixel(x, y)
            if not (20 < px < self.width() - 20 and 20 < py < self.height() - 20):
                self.view = replace(self.view, x=x, y=y)
            self._try_outlet(x, y)
        elif shift:
            self._moved(self.view.moved(-60 * across, 60 * up))
        elif self.desk.selection in self.scene.network.elements:
            goal = neighbour(self.scene.network, self.desk.selection, way)
            if goal is not None:
                self.desk.select(goal)


def told_of(snapped: Snapped, system: units.System) -> str:
    """How far an outlet goes to the stream, and both areas."""
    moved = units.show(snapped.moved, "length", system)
    before, after = (units.show(a, "area", system) for a in (snapped.area_before, snapped.area_after))
    return f"moves {moved} to the stream\n{before} drain here, {after} there"
