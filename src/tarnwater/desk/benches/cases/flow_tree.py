"""The flow tree: the network as a tree from the hills to the outfall, each line as wide as its peak flow."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from tarnwater.desk.benches.ways import way_of
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.signs import valley
from tarnwater.network.elements import Catchment
from tarnwater.study.answers import CaseResult
from tarnwater.study.pictures.layout import neighbour, outline_in_unit_square, tree_places
from tarnwater.units import display_unit, show

WIDEST = 26.0
MARGIN = 46.0
TOP = 84.0


class FlowTree(QWidget):
    """A click selects an element; up and down follow the water, left and right its neighbours."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.setAccessibleName("Flow tree")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(260, 200)
        self.desk = desk
        self.theme = theme
        self._case: CaseResult | None = None
        self._places: dict[str, tuple[float, float]] = {}

    def sizeHint(self) -> QSize:  # noqa: N802
        """A little more than the least."""
        return QSize(440, 300)

    def refresh(self) -> None:
        """Lay out the network of the case in view again."""
        self._case = None
        self.show_case(self.desk.case_showing(self.desk.selection) or self.desk.case_in_view())

    def show_case(self, case: CaseResult | None) -> None:
        """Show a case, its network laid out again where it is another one."""
        before, self._case = self._case, case
        if case is None or before is None or before.network is not case.network:
            self._places = {} if case is None else tree_places(case.network)
        self.update()

    def place_of(self, key: str) -> QPointF:
        """Position at which an element is drawn."""
        x, y = self._places[key]
        return QPointF(MARGIN + x * (self.width() - 2 * MARGIN), TOP + y * (self.height() - TOP - 0.6 * MARGIN))

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: N802
        """Draw the streams by their peaks, then the elements and their figures."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        case = self._case
        painter.setFont(desk_font(9, bold=True))
        painter.setPen(QColor(self.theme.ink))
        painter.drawText(QPointF(0, 14), "Flow tree")
        painter.setFont(desk_font(8))
        painter.setPen(QColor(self.theme.quiet))
        told = "nothing is computed yet"
        if case is not None:
            told = f"to {self.desk.study.name_of(case.case.point)} · line width is the peak"
        painter.drawText(QPointF(72, 14), told)
        if case is None:
            return
        greatest = max((case.peak(k).ordinate for k in case.network.elements), default=0.0) or 1.0
        for name, link in case.network.links.items():
            if link.down in case.network.elements:
                width = WIDEST * case.peak_by(name).ordinate / greatest
                self._draw_stream(painter, link.up, link.down, width)
        unit = display_unit("flow", greatest, self.desk.study.units)
        taken = [self._shape_box(key) for key in case.network.order]
        for key in case.network.order:
            self._draw_element(painter, case, key, unit, taken)

    def _shape_box(self, key: str) -> QRectF:
        place = self.place_of(key)
        return QRectF(place.x() - 14, place.y() - 27, 28, 30)

    def _draw_stream(self, painter: QPainter, up: str, down: str, width: float) -> None:
        begin, end = self.place_of(up), self.place_of(down)
        path = QPainterPath(begin)
        middle = (begin.y() + end.y()) / 2
        path.cubicTo(QPointF(begin.x(), middle), QPointF(end.x(), middle), end)
        colour = QColor(self.theme.water)
        colour.setAlpha(150)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, max(width, 1.0), cap=Qt.PenCapStyle.RoundCap))
        painter.drawPath(path)

    def _draw_element(self, painter: QPainter, case: CaseResult, key: str, unit: str, taken: list[QRectF]) -> None:
        element, place = case.network.elements[key], self.place_of(key)
        chosen = key == self.desk.selection
        ink = QColor(self.theme.water if chosen else self.theme.ink)
        painter.setPen(QPen(ink, 2.0 if chosen else 1.2))
        painter.setBrush(QColor(self.theme.chosen))
        if isinstance(element, Catchment):
            outline = outline_in_unit_square(element, self.desk.file.blobs)
            size = 26.0
            if outline is None:
                painter.drawPolygon(valley(place - QPointF(0, size / 2)))
            else:
                points = [QPointF(place.x() + size * (x - 0.5), place.y() - size * y) for x, y in outline]
                painter.drawPolygon(QPolygonF(points))
        elif element.is_end:
            for offset in (0, 5):
                painter.drawLine(place + QPointF(-16, offset), place + QPointF(16, offset))
        elif chosen:
            painter.drawEllipse(place, 5, 5)
        if not (isinstance(element, Catchment) or element.is_end or chosen):
            return
        figure = show(case.peak(key).ordinate, "flow", unit=unit)
        painter.setFont(desk_font(8, bold=chosen))
        text = f"{element.name}\n{figure}"
        metrics = painter.fontMetrics()
        wide = max(metrics.horizontalAdvance(line) for line in text.split("\n")) + 6.0
        spots = [(-wide / 2, -56), (-wide - 16, -28), (16, -28), (-wide - 16, -54), (16, -54), (-wide / 2, 6)]
        if not isinstance(element, Catchment):
            spots = [(24, -14), (-wide - 24, -14), (-wide / 2, 16)]
        boxes = [QRectF(place.x() + x, place.y() + y, wide, 28) for x, y in spots]
        window = QRectF(self.rect())
        box = next((b for b in boxes if window.contains(b) and not any(b.intersects(t) for t in taken)), boxes[0])
        taken.append(box)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:  # noqa: N802
        """Select the element nearest to the pointer."""
        if event is not None and self._places:
            place = event.position()
            nearest = min(self._places, key=lambda k: (self.place_of(k) - place).manhattanLength())
            self.desk.select(nearest)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Down goes with the flow, up against it, left and right to what joins beside it."""
        case, key = self._case, self.desk.selection
        way = None if event is None else way_of(event.key())
        if case is None or way is None or key not in case.network.elements:
            super().keyPressEvent(event)
        elif (goal := neighbour(case.network, key, way)) is not None:
            self.desk.select(goal)
