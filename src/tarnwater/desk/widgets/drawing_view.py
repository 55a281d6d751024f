"""A drawing to scale on the screen; its menu writes it to a file."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QContextMenuEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QFileDialog, QMenu, QSizePolicy, QWidget

from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.caption import PEN_STYLES
from tarnwater.drawings import Circle, Drawing, Measure, Note, Outline, Shape
from tarnwater.errors import TarnwaterError

#: Suffixes of the files that a drawing is written to, with their words.
FORMATS = {"pdf": "PDF", "svg": "SVG", "png": "PNG", "dxf": "DXF drawing"}


class DrawingPainter:
    """Paints the shapes of a drawing at a scale (pixels by m) from the place of its upper left corner."""

    def __init__(self, theme: Theme, scale: float, left: float, high: float, offset: QPointF | None = None) -> None:
        self.theme, self.scale, self.left, self.high = theme, scale, left, high
        self.offset = offset or QPointF(0.0, 0.0)
        self._small, self._bold = desk_font(8), desk_font(8, bold=True)

    def pixel(self, x: float, z: float) -> QPointF:
        """Where a place is on the screen."""
        return QPointF((x - self.left) * self.scale, (self.high - z) * self.scale) + self.offset

    def paint(self, painter: QPainter, shape: Shape, within: QRectF) -> None:
        """Paint one shape; words stay within a frame."""
        if isinstance(shape, Outline):
            self._outline(painter, shape)
        elif isinstance(shape, Circle):
            painter.setPen(QPen(self.theme.colour(shape.role), shape.width, PEN_STYLES[shape.style]))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(self.pixel(*shape.centre), shape.radius * self.scale, shape.radius * self.scale)
        elif isinstance(shape, Note):
            self._write(painter, shape, within)
        else:
            self._measure(painter, shape)

    def polygon(self, shape: Outline) -> QPolygonF:
        """The places of an outline on the screen."""
        x0, y0 = self.offset.x() - self.left * self.scale, self.offset.y() + self.high * self.scale
        return QPolygonF([QPointF(x * self.scale + x0, y0 - z * self.scale) for x, z in shape.places])

    def _outline(self, painter: QPainter, shape: Outline) -> None:
        colour, points = self.theme.colour(shape.role), self.polygon(shape)
        if shape.filled:
            fill = QColor(colour)
            fill.setAlphaF(shape.filled)
            painter.setBrush(fill)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawPolygon(points)
        if shape.width:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(colour, shape.width, PEN_STYLES[shape.style]))
            if shape.closed:
                painter.drawPolygon(points)
            else:
                painter.drawPolyline(points)

    def _write(self, painter: QPainter, note: Note, within: QRectF) -> None:
        painter.setFont(self._bold if note.bold else self._small)
        metrics = painter.fontMetrics()
        at, wide = self.pixel(*note.at), metrics.horizontalAdvance(note.text)
        x = at.x() - {"right": 0, "left": wide, "middle": wide / 2}[note.side]
        x = min(max(x, within.left() + 2), max(within.right() - wide - 2, within.left() + 2))
        y = at.y() - 3 if note.above else at.y() + metrics.ascent() / 2 - 1
        paper = QColor(self.theme.paper)
        paper.setAlphaF(0.65)
        painter.fillRect(QRectF(x - 1, y - metrics.ascent(), wide + 2, metrics.height() - 1), paper)
        painter.setPen(self.theme.colour(note.role))
        painter.drawText(QPointF(x, y), note.text)

    def _measure(self, painter: QPainter, shape: Measure) -> None:
        a, b = self.pixel(*shape.start), self.pixel(*shape.end)
        painter.setPen(QPen(QColor(self.theme.quiet), 0.8))
        painter.drawLine(a, b)
        level = abs(a.y() - b.y()) < abs(a.x() - b.x())
        tick = QPointF(0, 4) if level else QPointF(4, 0)
        for end in (a, b):
            painter.drawLine(end - tick, end + tick)
        middle = (a + b) / 2
        painter.setFont(self._small)
        wide = painter.fontMetrics().horizontalAdvance(shape.text)
        at = QPointF(middle.x() - wide / 2, middle.y() - 4) if level else QPointF(middle.x() + 6, middle.y() + 4)
        painter.drawText(at, shape.text)


class DrawingView(QWidget):
    """A drawing that fills its frame; the menu key or a right click writes it."""

    def __init__(self, name: str, theme: Theme, tell: Callable[[str], None]) -> None:
        super().__init__()
        self.theme, self.tell = theme, tell
        self.drawing: Drawing | None = None
        self._why = ""
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(200, 120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_drawing(self, drawing: Drawing | None, why: str = "") -> None:
        """Show a drawing, or say why there is none."""
        self.drawing, self._why = drawing, why
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: N802
        """Paint the drawing in the middle, its title above and how it is to be read below."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        painter.setFont(desk_font(8))
        painter.setPen(QColor(self.theme.quiet))
        if self.drawing is None:
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._why)
            return
        foot = 16
        painter.drawText(QRectF(4, self.height() - foot, self.width(), foot), self.drawing.told)
        room = QRectF(0, 0, self.width(), self.height() - foot)
        left, _, _, high = self.drawing.bounds
        scale = min(room.width() / self.drawing.width, room.height() / self.drawing.height)
        spare = QPointF(
            (room.width() - scale * self.drawing.width) / 2, (room.height() - scale * self.drawing.height) / 2
        )  # fmt: skip
        hand = DrawingPainter(self.theme, scale, left, high, spare)
        for shape in self.drawing.shapes:
            hand.paint(painter, shape, room)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:  # noqa: N802
        """Offer to write it."""
        if event is not None and self.drawing is not None:
            writing_menu(self, lambda: self.drawing, self.tell).popup(event.globalPos())


def writing_menu(parent: QWidget, drawing: Callable[[], Drawing | None], tell: Callable[[str], None]) -> QMenu:
    """A menu that writes a drawing to a file of each format."""
    menu = QMenu(parent)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    for suffix, words in FORMATS.items():
        action = menu.addAction(f"Write as {words} …")
        assert action is not None
        action.triggered.connect(lambda _=False, s=suffix: write_drawing(parent, drawing(), s, tell))
    return menu


def write_drawing(parent: QWidget, drawing: Drawing | None, suffix: str, tell: Callable[[str], None]) -> None:
    """Ask for a file and write a drawing to it; an error is told."""
    from tarnwater.brief.drawings import save_drawing

    if drawing is None:
        return
    name = f"{drawing.title}.{suffix}".replace(" ", "-").lower()
    words, options = FORMATS[suffix], QFileDialog.Option.DontUseNativeDialog
    chosen, _ = QFileDialog.getSaveFileName(parent, "Write the drawing", name, f"{words} (*.{suffix})", options=options)
    if not chosen:
        return
    path = Path(chosen)
    try:
        save_drawing(drawing, path)
    except TarnwaterError as error:
        tell(str(error))
    except (OSError, ValueError) as error:
        tell(f"{path}: the drawing could not be written ({error}). Choose another name or folder.")
