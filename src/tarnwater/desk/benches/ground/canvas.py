"""The map: terrain, streams, catchments and the network; outlets and links are drawn by mouse or keys."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QToolTip, QWidget

from tarnwater.arrays import Floats
from tarnwater.desk.benches.ground.backgrounds import Backgrounds
from tarnwater.desk.benches.ground.contours import Contours
from tarnwater.desk.benches.ground.features_on_map import FeaturesOnMap
from tarnwater.desk.benches.ground.hand import SELECTABLE, Grasp, Tool
from tarnwater.desk.benches.ground.hints import told_of, words_at, words_of_line, words_of_place
from tarnwater.desk.benches.ground.land_on_map import LandOnMap
from tarnwater.desk.benches.ground.layers import Layers
from tarnwater.desk.benches.ground.map_view import MapView
from tarnwater.desk.benches.ground.outline_tools import BY_LETTER, TOOLS
from tarnwater.desk.benches.ground.painting import MapPainter
from tarnwater.desk.benches.ground.scene import Scene, shapes_of
from tarnwater.desk.benches.ground.themes import Themes
from tarnwater.desk.benches.ways import way_of
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme
from tarnwater.errors import OutletError
from tarnwater.network.elements import Catchment, Reach
from tarnwater.network.graph import Network
from tarnwater.study.document.conditions import resolve
from tarnwater.study.document.map import SavedView
from tarnwater.study.pictures.land import LandSign
from tarnwater.study.pictures.land import Theme as LandTheme
from tarnwater.study.pictures.layout import Way, neighbour
from tarnwater.study.pictures.map import Extent, catchment_at
from tarnwater.terrain.cutting import Snapping
from tarnwater.terrain.features import GroundFeature

#: Distance of the pointer from which a press is a drag, pixels.
DRAG = 5.0

#: Distance within which a stream beside the pointer is meant, pixels.
AIM = 9.0

#: Time after the last move of the view when lines are drawn smooth again, ms.
SETTLE = 140


#: Kinds of features by the letter that takes them up.
_BY_LETTER = {model.letter: tag for tag, model in GroundFeature.known.items()}

#: Tools with a cross that is moved over the map.
DRAWING = ("outlet", "feature", "outline")

#: What a place is snapped to, in words.
ARTICLES = {"vertex": "a vertex", "edge": "an edge", "stream": "a stream"}

_COMMANDS = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier


def _xy(at: QPointF) -> tuple[float, float]:
    return at.x(), at.y()


class MapCanvas(QWidget):
    """Wheel and + - zoom, dragging the ground pans; a click selects; arrows follow the water."""

    tool_changed = pyqtSignal()
    outlet_asked = pyqtSignal(float, float, bool)
    outlet_moved = pyqtSignal(str, float, float)
    element_moved = pyqtSignal(str, float, float)
    link_asked = pyqtSignal(str, str)
    join_asked = pyqtSignal(str, float, float)
    feature_drawn = pyqtSignal(str, list)
    feature_chosen = pyqtSignal(str)
    outline_drawn = pyqtSignal(str, list)
    merge_asked = pyqtSignal()
    label_moved = pyqtSignal(str, float, float)
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
        self.hand = Grasp()
        self.scene = Scene(Network({}, {}), desk.file.blobs)
        self.complete = False
        self.features = FeaturesOnMap(desk)
        self.layers = Layers(self)
        self.backgrounds = Backgrounds(desk, self)
        self.contours = Contours(desk, self)
        self.themes = Themes(desk, self)
        self.land = LandOnMap(desk, self)
        for part in (self.layers, self.backgrounds, self.contours, self.themes, self.land):
            part.changed.connect(self.update)
        self.backgrounds.changed.connect(self.follow_backgrounds)
        self._painting = MapPainter(
            desk, theme, self.features, self.layers, self.backgrounds, self.contours, self.themes, self.land
        )
        #: Kinds of things that a click may select.
        self.selectable: set[str] = set(SELECTABLE)
        self._label_grip = QPointF()
        self._snapping: tuple[object, object, Snapping] | None = None
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
        return self._painting.extent

    def follow_ground(self) -> None:
        """Use another picture of the terrain."""
        self._painting.follow_ground()
        self.view = None
        self.update()

    def follow_backgrounds(self) -> None:
        """Have a layer for each background."""
        hidden = [key for key, one in self.desk.study.backgrounds.items() if not one.shown]
        self.layers.follow(self.backgrounds.titles(), hidden)

    def _follow_streams(self) -> None:
        self._painting.follow_streams()
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
        self.backgrounds.follow()
        self.themes.follow()
        self.follow_backgrounds()
        self.update()

    def land_signs(self) -> list[LandSign]:
        """Signs of the cover and soil that is shown, the highest layer first."""
        kinds: tuple[LandTheme, ...] = ("cover", "soils")
        themes = [one for one in kinds if self.layers.opacity(one) > 0]
        return [sign for one in themes for sign in self.land.of(one).picture.signs]

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.theme = theme
        self._painting.set_theme(theme)
        self.update()

    def show_whole(self) -> None:
        """Show the whole terrain, or the whole network."""
        extent = self.extent
        box = self.scene.extent if extent is None else (extent.west, extent.south, extent.east, extent.north)
        self.view = MapView.of_whole(*box, max(self.width(), 2), max(self.height(), 2))
        self.update()

    def show_selected(self) -> None:
        """Scroll the map to the selected element if it is out of view."""
        place = self.scene.places.get(self.desk.selection)
        if place is not None and self.view is not None:
            x, y = self.view.pixel(*place)
            if not (0 <= x <= self.width() and 0 <= y <= self.height()):
                self.view = replace(self.view, x=place[0], y=place[1])
        self.update()

    def lead_to(self, x: float, y: float) -> None:
        """Centre the map on a place, and mark it."""
        self.hand.marked = x, y
        if self.view is not None:
            px, py = self.view.pixel(x, y)
            if not (20 < px < self.width() - 20 and 20 < py < self.height() - 20):
                self.view = replace(self.view, x=x, y=y)
        self.update()

    def saved_view(self, name: str) -> SavedView:
        """The present view, to be saved under a name."""
        assert self.view is not None
        return SavedView(
            name=name,
            middle=(self.view.x, self.view.y),
            width=self.view.width / self.view.scale,
            layers=tuple(self.layers),
            alone=self.layers.alone,
            contours=self.layers.contours,
            coloured_by=self.themes.chosen,
        )

    def show_view(self, saved: SavedView) -> None:
        """Show the map as it was saved."""
        self.layers.restore(saved.layers, saved.alone, saved.contours)
        self.themes.choose(saved.coloured_by)
        scale = self.width() / max(saved.width, 1e-9)
        self.view = MapView(scale, *saved.middle, self.width(), self.height())
        self.update()

    def take_tool(self, tool: Tool, kind: str = "") -> None:
        """Take a tool, or leave it if it is already taken; ``kind`` is the tag of the feature to draw."""
        leaves = (tool, kind) == (self.hand.tool, self.hand.kind)
        self.hand.tool, self.hand.kind = ("", "") if leaves else (tool, kind)
        self.hand.cross, self.hand.line = None, []
        if self.hand.tool == "outline" and not self._may_draw():
            self.hand.tool, self.hand.kind = "", ""
        if self.hand.tool in DRAWING and self.view is not None:
            self._try(self.view.x, self.view.y)
        self.setCursor(Qt.CursorShape.CrossCursor if self.hand.tool else Qt.CursorShape.ArrowCursor)
        self.tool_changed.emit()
        self.update()

    # drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: N802
        """Draw the map, from the terrain upward."""
        if self.view is None or (self.view.width, self.view.height) != (self.width(), self.height()):
            if self.view is None:
                self.show_whole()
            else:
                self.view = self.view.resized(self.width(), self.height())
        view = self.view
        assert view is not None
        painter = QPainter(self)
        self._painting.paint(painter, self.scene, view, self.hand, moving=self._settled.isActive())
        self.complete = self._painting.has_terrain
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(self.theme.water), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

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
        """Grasp the object under the pointer."""
        if event is None or self.view is None:
            return
        self.hand.pressed = self.hand.pointer = event.position()
        self.hand.label = "" if self.hand.tool else self._label_at(event.position())
        near = self.scene.nearest(self.view, self.hand.pressed.x(), self.hand.pressed.y(), kinds=self.selectable)
        self.hand.grasped = near or ""
        if self.hand.tool == "link" and not near:
            # a link begins anywhere in a catchment
            place = self.view.place(*_xy(self.hand.pressed))
            self.hand.grasped = catchment_at(self.scene.network, self.desk.file.blobs, *place) or ""

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """Drag the map, an outlet, an element or a link; without a button, preview the outlet."""
        if event is None or self.view is None:
            return
        here, before = event.position(), self.hand.pointer
        self.hand.pointer = here
        place = self.view.place(here.x(), here.y())
        if self.hand.pressed is None:
            if self.hand.tool in DRAWING:
                self._try(*place, as_it_is=bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
            if self.extent is not None and not self.hand.tool:
                self.said.emit(words_of_place(self.desk, place))
            return
        if not self.hand.dragging and (here - self.hand.pressed).manhattanLength() < DRAG:
            return
        self.hand.dragging = True
        if self.hand.label:
            self._drag_label(here)
        elif self.hand.grasped and self.hand.tool in ("", "link"):
            if self.hand.tool == "" and self._outlet_grasped():
                self._try(*place)
            self.update()
        elif before is not None:
            step = here - before
            self._moved(self.view.moved(step.x(), step.y()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """Finish the drag or the click."""
        if event is None or self.view is None or self.hand.pressed is None:
            return
        here = event.position()
        place = self.view.place(here.x(), here.y())
        dragged, grasped = self.hand.dragging, self.hand.grasped
        self.hand.pressed, self.hand.dragging = None, False
        as_it_is = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if dragged and self.hand.label:
            ((key, at),) = self.hand.label_at.items()
            self.hand.label_at = {}
            self.label_moved.emit(key, *at)
        elif not dragged:
            gather = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
            self._clicked(place, grasped, as_it_is, gather=gather)
        elif grasped and self.hand.tool == "link":
            self._drop_link(grasped, here)
        elif grasped and self.hand.tool == "":
            self._drop_element(grasped, place)
        self.hand.grasped = ""
        self.update()

    def _label_at(self, at: QPointF) -> str:
        """The element whose label is at a pixel; empty if there is none."""
        return next((key for key, box in self._painting.label_boxes.items() if box.contains(at)), "")

    def _drag_label(self, here: QPointF) -> None:
        """Let the label in hand follow the pointer."""
        assert self.view is not None
        box, pressed = self._painting.label_boxes.get(self.hand.label), self.hand.pressed
        if self.hand.label not in self.hand.label_at and box is not None and pressed is not None:
            self._label_grip = box.center() - pressed
        self.hand.label_at = {self.hand.label: self.view.place(*_xy(here + self._label_grip))}
        self.update()

    def _outlet_grasped(self) -> str | None:
        """Key of the outlet that is dragged, by its node on the map."""
        key = self.desk.study.outlet_of(self.hand.grasped)
        return key if key is not None and self.hand.grasped == f"{key}-outlet" else None

    def _clicked(self, place: tuple[float, float], grasped: str, as_it_is: bool, *, gather: bool = False) -> None:
        if self.hand.tool == "outlet":
            self.outlet_asked.emit(*self._aimed(place, as_it_is), as_it_is)
            return
        if self.hand.tool == "outline":
            self._try(*place, as_it_is=as_it_is)
            self._add_place(self.hand.cross or place)
            return
        if self.hand.tool == "feature":
            self._add_place(place)
            return
        seeks = self.view is not None and not grasped and "features" in self.selectable
        feature = self.features.nearest(self.view, *self.view.pixel(*place)) if seeks and self.view is not None else ""
        if feature:
            self.choose_feature(feature)
            self.feature_chosen.emit(feature)
            return
        key = grasped
        if not key and "catchments" in self.selectable:
            key = catchment_at(self.scene.network, self.desk.file.blobs, *place) or ""
        if key and gather:
            self._gather(key)
        elif key:
            self.desk.select(key)

    def _gather(self, key: str) -> None:
        """Choose one more element, or one less; the last of them stays selected."""
        chosen = [one for one in self.desk.chosen if one != key]
        if key not in self.desk.chosen:
            chosen.append(key)
        if not chosen:
            return
        self.desk.select(chosen[-1])
        self.desk.gather(chosen)
        self.update()

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
        self.hand.cross = self.hand.ghost = None
        if outlet is not None:
            self.outlet_moved.emit(outlet, *self._aimed(place, as_it_is=False))
        elif isinstance(self.scene.network.elements[key], Reach) and key in self.scene.reaches:
            self.said.emit("This reach follows the terrain from outlet to outlet: move the outlets.")
        else:
            self.element_moved.emit(key, *place)

    @property
    def _aim(self) -> float:
        """Accuracy of the pointer, m."""
        return 0.0 if self.view is None or self.extent is None else AIM / self.view.scale * self.extent.metres

    def _aimed(self, place: tuple[float, float], as_it_is: bool) -> tuple[float, float]:
        """The intended place: on the stream beside the pointer if the scale of the map does not allow more accuracy."""
        terrain = self.desk.study.terrain
        if as_it_is or terrain is None:
            return place
        try:
            found = self.desk.ground.snapped(*place, self._aim)
        except OutletError:
            return place
        return found.place if found is not None and found.moved > terrain.snap_radius else place

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """End the line that is being drawn; its last place was set by the first click."""
        if self.hand.tool in ("feature", "outline"):
            self._end_line()
        else:
            self.mousePressEvent(event)

    def choose_feature(self, key: str) -> None:
        """Show a feature as the chosen one; none with an empty key."""
        self.hand.feature = key
        self.update()

    # drawing of features

    def _add_place(self, place: tuple[float, float]) -> None:
        """Add a place to the line that is being drawn; a feature at one place is done with it."""
        if self.hand.tool == "outline":
            self._add_place_of_outline(place)
            return
        if not self.hand.line or self.hand.line[-1] != place:
            self.hand.line.append(place)
        if GroundFeature.of_tag(self.hand.kind).drawn_as == "place":
            self._end_line()
        else:
            self._try(*place)

    def _take_place_back(self) -> None:
        if self.hand.line:
            self.hand.line.pop()
        self.update()

    def _end_line(self) -> None:
        """Hand over the line that was drawn, if it is one."""
        if self.hand.tool == "outline":
            self._end_outline()
            return
        model = GroundFeature.of_tag(self.hand.kind)
        if model.drawn_as == "line" and len(self.hand.line) < 2:
            what = model.one()
            self.said.emit(
                f"{what[0].upper()}{what[1:]} is a line: click (or Space) at each of its places, the last one twice."
            )
            return
        line, self.hand.line = self.hand.line, []
        self.feature_drawn.emit(self.hand.kind, line)
        self.update()

    # drawing of outlines

    @property
    def snapping(self) -> Snapping:
        """What places snap to: outlines in view, and streams as they are drawn."""
        stands_on = self.scene, self.desk.ground.streams
        if self._snapping is None or self._snapping[0] is not stands_on[0] or self._snapping[1] is not stands_on[1]:
            rings = [ring for rings in self.scene.rings.values() for ring in rings]
            self._snapping = *stands_on, Snapping(rings, stands_on[1].parts())
        return self._snapping[2]

    def _may_draw(self) -> bool:
        """Whether the tool can be used on what is selected; says why not."""
        tool = TOOLS[self.hand.kind]  # type: ignore[index]
        if tool.on_selected and not (self.hand.kind == "path" and self._is_catchment()) and not self._has_outline():
            self.desk.told.emit(f"{tool.words}: select a catchment with an outline first.")
            return False
        return True

    def _has_outline(self) -> bool:
        return self.desk.selection in self.scene.rings

    def _is_catchment(self) -> bool:
        return isinstance(self.scene.network.elements.get(self.desk.selection), Catchment)

    def _add_place_of_outline(self, place: tuple[float, float]) -> None:
        """Add a place; one that must lie on the outline and does not is not taken, and that is said at once."""
        kind = self.hand.kind
        name = self.desk.study.name_of(self.desk.selection)
        on_outline = self.hand.catch is not None and self.hand.catch.what in ("vertex", "edge")
        if kind == "reshape" and not self.hand.line and not on_outline:
            self.said.emit(f"No vertex and no edge lies within reach: the new course begins on the outline of {name}.")
            return
        if kind == "split" and not self.hand.line and not on_outline and self._inside(place):
            self.said.emit(f"The line begins inside {name}: begin on its outline or beyond it.")
            return
        if not self.hand.line or self.hand.line[-1] != place:
            self.hand.line.append(place)
        self.update()

    def _inside(self, place: tuple[float, float]) -> bool:
        from shapely import intersects_xy

        element = self.scene.network.elements[self.desk.selection]
        shape = self.desk.file.blobs.shape(getattr(element, "outline", None))
        return shape is not None and bool(intersects_xy(shape, *place))

    def _end_outline(self) -> None:
        """Hand over the line, if it is one for its tool."""
        tool = TOOLS[self.hand.kind]  # type: ignore[index]
        least = 3 if tool.closed else 2
        if len(self.hand.line) < least:
            self.said.emit(f"{tool.words}: click (or Space) at {least} places at least, the last one twice.")
            return
        if tool.ends_on_outline and (self.hand.catch is None or self.hand.catch.what == "stream"):
            name = self.desk.study.name_of(self.desk.selection)
            self.said.emit(f"No vertex and no edge lies within reach: the new course ends on the outline of {name}.")
            return
        line, self.hand.line = self.hand.line, []
        self.outline_drawn.emit(self.hand.kind, line)
        self.update()

    def show_shape(self, rings: Sequence[Floats]) -> None:
        """Show a shape over the map, and lead to it; none with no rings."""
        self.hand.shape = list(rings)
        if self.hand.shape:
            middle = np.concatenate(self.hand.shape).mean(axis=0)
            self.lead_to(float(middle[0]), float(middle[1]))
        else:
            self.hand.marked = None
        self.update()

    def _try(self, x: float, y: float, *, as_it_is: bool = False) -> None:
        """Preview an outlet, or the next place of a line."""
        self.hand.cross = (x, y)
        if self.hand.tool == "outline":
            assert self.view is not None
            self.hand.catch = None if as_it_is else self.snapping.snapped(x, y, AIM / self.view.scale)
            if self.hand.catch is not None:
                self.hand.cross = self.hand.catch.place
            told = words_of_line(self.desk, self.hand.line, self.hand.cross)
            self.said.emit(f"on {ARTICLES[self.hand.catch.what]} · {told}" if self.hand.catch is not None else told)
            self.update()
        elif self.hand.tool == "feature":
            self.said.emit(words_of_line(self.desk, self.hand.line, (x, y)))
            self.update()
        else:
            self._try_outlet(x, y)

    def _try_outlet(self, x: float, y: float) -> None:
        try:
            self.hand.ghost = self.desk.ground.snapped(x, y, self._aim)
        except OutletError as error:
            self.hand.ghost = error
            self.said.emit(f"{error.what} Shift with the click (or Enter) takes the place as it is.")
        else:
            self.said.emit("" if self.hand.ghost is None else told_of(self.hand.ghost, self.desk.study.units))
        self.update()

    def event(self, event: QEvent | None) -> bool:
        """Show a hint for a depression under the pointer."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip and self.view is not None:
            words = words_at(self.desk, self.scene, self.view, QPointF(event.pos()))
            if words:
                QToolTip.showText(event.globalPos(), words, self)
            else:
                QToolTip.hideText()
            return True
        return super().event(event)

    # by keys

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Letters take up tools, arrows follow the water, move the cross or (with Shift) the map; + and - zoom."""
        if event is None or self.view is None:
            return
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        middle = (self.width() / 2, self.height() / 2)
        key = event.key()
        if key == Qt.Key.Key_O:
            self.take_tool("outlet")
        elif key == Qt.Key.Key_L:
            self.take_tool("link")
        elif event.text().upper() in BY_LETTER and not event.modifiers() & _COMMANDS:
            self.take_tool("outline", BY_LETTER[event.text().upper()])
        elif key == Qt.Key.Key_M and not event.modifiers() & _COMMANDS:
            self.merge_asked.emit()
        elif event.text().upper() in _BY_LETTER and self.extent is not None and not event.modifiers() & _COMMANDS:
            self.take_tool("feature", _BY_LETTER[event.text().upper()])
        elif key == Qt.Key.Key_Escape and self.hand.line:
            self.hand.line = []
            self.update()
        elif key == Qt.Key.Key_Escape:
            self.hand.let_go()
            self.take_tool(self.hand.tool, self.hand.kind)
        elif self.hand.tool in ("feature", "outline") and self._key_of_line(key):
            return
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._moved(self.view.zoomed(1.25, *middle, self.extent))
        elif key == Qt.Key.Key_Minus:
            self._moved(self.view.zoomed(0.8, *middle, self.extent))
        elif key == Qt.Key.Key_Home:
            self.show_whole()
        elif (
            key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.hand.tool == "outlet" and self.hand.cross is not None
        ):
            self.outlet_asked.emit(*self._aimed(self.hand.cross, shift), shift)
        elif (way := way_of(key)) is not None:
            self._arrow(way, shift=shift)
        else:
            super().keyPressEvent(event)

    def _key_of_line(self, key: int) -> bool:
        """Space adds the place of the cross, Backspace takes the last one away, Enter ends the line."""
        if key == Qt.Key.Key_Space and self.hand.cross is not None:
            self._add_place(self.hand.cross)
        elif key == Qt.Key.Key_Backspace:
            self._take_place_back()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            is_place = self.hand.tool == "feature" and GroundFeature.of_tag(self.hand.kind).drawn_as == "place"
            if self.hand.cross is not None and is_place:
                self._add_place(self.hand.cross)
            else:
                self._end_line()
        else:
            return False
        return True

    def _arrow(self, way: Way, *, shift: bool) -> None:
        assert self.view is not None
        across = {"left": -1, "right": 1}.get(way, 0)
        up = {"down": -1, "up": 1}.get(way, 0)
        extent = self.extent
        if self.hand.tool in DRAWING and self.hand.cross is not None and (extent or self.hand.tool == "outline"):
            step = 10 if shift else 1
            wide, high = (extent.width, extent.height) if extent else (4 / self.view.scale, 4 / self.view.scale)
            x, y = self.hand.cross[0] + across * step * wide, self.hand.cross[1] + up * step * high
            px, py = self.view.pixel(x, y)
            if not (20 < px < self.width() - 20 and 20 < py < self.height() - 20):
                self.view = replace(self.view, x=x, y=y)
            # the cross leaves what it was snapped to: arrows choose the cell
            self._try(x, y, as_it_is=False)
        elif shift:
            self._moved(self.view.moved(-60 * across, 60 * up))
        elif self.desk.selection in self.scene.network.elements:
            goal = neighbour(self.scene.network, self.desk.selection, way)
            if goal is not None:
                self.desk.select(goal)
