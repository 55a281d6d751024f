"""The section of a pond and its outlet works on the screen: looked at, dragged, drawn into."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.drawing_view import DrawingPainter
from tarnwater.drawings import Circle, Drawing, Outline, Place
from tarnwater.study.pictures.pond_section import PlacedDevice, PlacedGrip, PondSection

#: How near the pointer takes hold of a grip, and the radius of one, pixels.
NEAR, GRIP = 9.0, 4.5

#: Way of an arrow key, and with Shift, in steps of the rounding.
STEP, LEAP = 1, 10


@dataclass(frozen=True)
class Held:
    """What is dragged: a grip or a device, from where, in the section as it was when it was taken hold of."""

    what: PlacedGrip | PlacedDevice
    start: Place
    section: PondSection
    scale: float


class SectionView(QWidget):
    """A drawing that fills its width; grips and devices are dragged, or moved by the arrows.

    ``tried`` tells the values that a drag gives and the riser into which a device was dragged (its number and a name,
    or None), ``let_go`` that they are meant, ``given_up`` that they are not.
    """

    tried = pyqtSignal(object, object)
    let_go = pyqtSignal()
    given_up = pyqtSignal()
    strayed = pyqtSignal()
    chosen = pyqtSignal(object)
    entered = pyqtSignal(object)
    removed = pyqtSignal(int)
    drawn = pyqtSignal(str, object, object)
    resized = pyqtSignal()
    key_pressed = pyqtSignal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.section: PondSection | None = None
        self._ghost: PondSection | None = None
        self._held: Held | None = None
        self._hand = DrawingPainter(theme, 1.0, 0.0, 0.0)
        self._key = ""
        self._tool = ""
        self._stroke: tuple[Place, Place] | None = None
        self.setAccessibleName("Section of the pond and its outlet works")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(320, 180)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    # what is shown

    def show_section(self, section: PondSection | None, ghost: PondSection | None = None) -> None:
        """Show a section, and behind it the one before a change."""
        self.section, self._ghost = section, ghost
        self._fit()
        if section is not None and self._key not in self._keys():
            self._key = ""
        self.update()

    @property
    def ratio(self) -> float:
        """Its width over its height."""
        return self.width() / max(self.height(), 1)

    @property
    def is_held(self) -> bool:
        """Whether something is being dragged."""
        return self._held is not None

    @property
    def tool(self) -> str:
        """The kind of device that the next stroke draws; empty without one."""
        return self._tool

    def take_tool(self, kind: str) -> None:
        """Draw a device of a kind with the next stroke; none by an empty word."""
        self._tool = kind
        self.setCursor(Qt.CursorShape.CrossCursor if kind else Qt.CursorShape.ArrowCursor)
        self.update()

    def _scale(self, drawing: Drawing) -> float:
        return min(self.width() / drawing.width, self.height() / drawing.height)

    def _fit(self) -> None:
        """Work out scale and corner of the drawing in the present frame."""
        if self.section is not None:
            left, _, _, high = self.section.drawing.bounds
            self._hand = DrawingPainter(self.theme, self._scale(self.section.drawing), left, high)

    def pixel(self, place: Place) -> QPointF:
        """Where a place of the drawing is on the screen."""
        return self._hand.pixel(*place)

    def place(self, pixel: QPointF) -> Place:
        """The place of the drawing at a point of the screen."""
        hand = self._hand
        return hand.left + pixel.x() / hand.scale, hand.high - pixel.y() / hand.scale

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: N802
        """Paint the ghost, the drawing, what is chosen and what is being drawn."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if self.section is None:
            return
        if self._ghost is not None:
            self._paint_ghost(painter, self._ghost)
        frame = QRectF(self.rect())
        for shape in self.section.drawing.shapes:
            self._hand.paint(painter, shape, frame)
        self._paint_grips(painter)
        if self._stroke is not None:
            a, b = (self.pixel(end) for end in self._stroke)
            painter.setPen(QPen(QColor(self.theme.water), 1.4, Qt.PenStyle.DashLine))
            painter.drawRect(QRectF(a, b).normalized())

    def _paint_ghost(self, painter: QPainter, ghost: PondSection) -> None:
        painter.setPen(QPen(QColor(self.theme.quiet), 1.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setOpacity(0.55)
        for shape in ghost.drawing.shapes:
            if isinstance(shape, Circle):
                radius = shape.radius * self._hand.scale
                painter.drawEllipse(self.pixel(shape.centre), radius, radius)
            elif isinstance(shape, Outline) and shape.width >= 1.4:
                painter.drawPolyline(self._hand.polygon(shape))
        painter.setOpacity(1.0)

    def _paint_grips(self, painter: QPainter) -> None:
        assert self.section is not None
        painter.setPen(QPen(QColor(self.theme.water), 1.6))
        for grip in self.section.grips:
            here = grip.key == self._key
            painter.setBrush(QColor(self.theme.water if here else self.theme.paper))
            painter.drawEllipse(self.pixel(grip.at), GRIP, GRIP)
        picked = self.picked
        if isinstance(picked, PlacedDevice):
            left, low, right, high = picked.box
            box = QRectF(self.pixel((left, high)), self.pixel((right, low))).adjusted(-4, -4, 4, 4)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(self.theme.water), 1.2, Qt.PenStyle.DotLine))
            painter.drawRect(box)
        if self.hasFocus():
            painter.setPen(QPen(QColor(self.theme.water), 1.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    # what is chosen

    def _keys(self) -> list[str]:
        """All that can be chosen, in the order in which Tab goes through it."""
        if self.section is None:
            return []
        found = [grip.key for grip in self.section.grips if grip.holder.startswith("storage")]
        for device in self.section.devices:
            found.append(_key_of(device))
            holder = f"devices/{device.number}"
            found += [g.key for g in self.section.grips if g.holder == holder or g.holder.startswith(f"{holder}/")]
        return found

    @property
    def picked(self) -> PlacedGrip | PlacedDevice | None:
        """The grip or device that is chosen."""
        if self.section is None or not self._key:
            return None
        there: list[PlacedGrip | PlacedDevice] = [*self.section.grips, *self.section.devices]
        return next((one for one in there if _key_of(one) == self._key), None)

    @property
    def device(self) -> PlacedDevice | None:
        """The chosen device, or the one whose grip is chosen."""
        picked = self.picked
        if isinstance(picked, PlacedDevice) or self.section is None or picked is None:
            return picked if isinstance(picked, PlacedDevice) else None
        return next((one for one in self.section.devices if picked.holder.startswith(f"devices/{one.number}")), None)

    def choose(self, what: PlacedGrip | PlacedDevice | None) -> None:
        """Choose a grip, a device, or nothing."""
        self._key = "" if what is None else _key_of(what)
        self.chosen.emit(what)
        self.update()

    # the mouse

    def _grip_at(self, pixel: QPointF) -> PlacedGrip | None:
        assert self.section is not None

        def way(grip: PlacedGrip) -> float:
            gap = self.pixel(grip.at) - pixel
            return max(abs(gap.x()), abs(gap.y()))

        near = [grip for grip in self.section.grips if way(grip) <= NEAR]
        return min(near, key=way, default=None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """Take hold of a grip or a device, or begin to draw one."""
        if event is None or self.section is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus()
        place = self.place(event.position())
        if self._tool:
            self._stroke = place, place
            return
        what = self._grip_at(event.position()) or self.section.device_at(place)
        self.choose(what)
        if what is not None:
            self._held = Held(what, place, self.section, self._hand.scale)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """Drag what is held; show by the pointer what can be taken hold of."""
        if event is None or self.section is None:
            return
        if self._stroke is not None:
            self._stroke = self._stroke[0], self.place(event.position())
            self.update()
            return
        held = self._held
        if held is None:
            self._show_pointer(event.position())
            return
        pixel = event.position()
        within = QPointF(min(max(pixel.x(), 0.0), float(self.width())), min(max(pixel.y(), 0.0), float(self.height())))
        if within != pixel:
            self.strayed.emit()
        left, _, _, high = held.section.drawing.bounds
        place = left + within.x() / held.scale, high - within.y() / held.scale
        across, up = place[0] - held.start[0], place[1] - held.start[1]
        if isinstance(held.what, PlacedGrip):
            self.tried.emit(held.what.changed(across if held.what.grip.axis == "across" else up), None)
        else:
            self.tried.emit(held.what.changed(up), self._dropped_into(held, place))

    def _dropped_into(self, held: Held, place: Place) -> tuple[int, str] | None:
        """The riser over which a device is dragged, or that it is dragged out of its own; None where it stays."""
        device = held.what
        assert isinstance(device, PlacedDevice)
        if abs(place[0] - held.start[0]) * held.scale < NEAR:
            return None
        riser = held.section.riser_at(place)
        name = "" if riser is None or riser.number == device.number else riser.name
        return None if name == device.inside else (device.number, name)

    def _show_pointer(self, pixel: QPointF) -> None:
        if self._tool:
            return
        assert self.section is not None
        grip = self._grip_at(pixel)
        if grip is not None:
            across = grip.grip.axis == "across"
            self.setCursor(Qt.CursorShape.SizeHorCursor if across else Qt.CursorShape.SizeVerCursor)
            self.setToolTip(grip.grip.title)
            return
        device = self.section.device_at(self.place(pixel))
        self.setCursor(Qt.CursorShape.ArrowCursor if device is None else Qt.CursorShape.OpenHandCursor)
        self.setToolTip("" if device is None else f"{device.name}: drag it up, down, or into a riser")

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """Mean what was dragged; draw what was stroked."""
        if self._stroke is not None:
            (a, b), kind = self._stroke, self._tool
            self._stroke = None
            self.take_tool("")
            low = min(a[0], b[0]), min(a[1], b[1])
            self.drawn.emit(kind, low, (abs(b[0] - a[0]), abs(b[1] - a[1])))
            return
        if self._held is not None:
            self._held = None
            self.let_go.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """Go to the values of what is chosen."""
        self._held = None
        self.given_up.emit()
        picked = self.picked
        if picked is not None:
            self.entered.emit(picked)

    # the keys

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Arrows move, Enter goes to the values, Delete removes, Escape gives up; letters are for the page."""
        if event is None:
            return
        picked, key = self.picked, Qt.Key(event.key())
        if key == Qt.Key.Key_Escape and (self._held is not None or self._tool or self._stroke is not None):
            self._held, self._stroke = None, None
            self.take_tool("")
            self.given_up.emit()
        elif key in _ARROWS and picked is not None:
            leap = LEAP if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else STEP
            self._move(picked, _ARROWS[key], leap)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and picked is not None:
            self.entered.emit(picked)
        elif key == Qt.Key.Key_Delete and self.device is not None:
            self.removed.emit(self.device.number)
        elif event.text() and not event.modifiers() & _MODIFIED and event.text().isprintable():
            self.key_pressed.emit(event.text().lower())
        else:
            super().keyPressEvent(event)

    def _move(self, picked: PlacedGrip | PlacedDevice, way: tuple[int, int], steps: int) -> None:
        """Move what is chosen by steps of an arrow; the page rounds the values, and so makes the steps."""
        across = isinstance(picked, PlacedGrip) and picked.grip.axis == "across"
        sign = way[0] if across else way[1]
        if sign:
            self.stepped.emit(picked, sign * steps)

    stepped = pyqtSignal(object, int)

    def focusNextPrevChild(self, forward: bool) -> bool:  # noqa: N802
        """Tab goes through all that can be chosen, and then on."""
        keys = self._keys()
        if not keys:
            return super().focusNextPrevChild(forward)
        at = keys.index(self._key) if self._key in keys else (-1 if forward else len(keys))
        to = at + (1 if forward else -1)
        if not 0 <= to < len(keys):
            self.choose(None)
            return super().focusNextPrevChild(forward)
        self._key = keys[to]
        self.chosen.emit(self.picked)
        self.update()
        return True

    def focusOutEvent(self, event: QFocusEvent | None) -> None:  # noqa: N802
        """Show that the keys go elsewhere."""
        self.update()
        super().focusOutEvent(event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:  # noqa: N802
        """The drawing is made for the frame."""
        super().resizeEvent(event)
        self._fit()
        self.resized.emit()


_ARROWS: Mapping[Qt.Key, tuple[int, int]] = {
    Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Left: (-1, 0),
}  # fmt: skip
_MODIFIED = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier


def _key_of(what: PlacedGrip | PlacedDevice) -> str:
    return what.key if isinstance(what, PlacedGrip) else f"devices/{what.number}"
