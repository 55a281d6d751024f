"""A record of rain or flow on the screen: years in view at once, single steps when zoomed in.

However long a record is, each frame draws no more than the columns of the screen: the greatest values of blocks are
computed once, and each column takes the greatest of its blocks.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta, timezone
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QPainter
from PyQt6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.arrays import Floats, Integers
from tarnwater.clock import calendar_ticks, show_day, show_moment
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.labels import Words
from tarnwater.rain.records.record import Record, moment_of

#: Values of one block of the first level, and blocks of one of the next.
BLOCK = 16

#: Values that one column of the screen may hold before their blocks are drawn.
PER_COLUMN = 4

#: Room for a date on the axis, in pixels.
DATE_WIDTH = 64.0

#: Share of the view that one key moves it by, and factor of one zoom by keys.
PAN, ZOOM = 0.25, 1.6

#: Shortest stretch of time in view, s.
SHORTEST = 600.0


class Levels:
    """Greatest values of blocks of a record, of 16, 256, 4,096 … values."""

    def __init__(self, values: Floats) -> None:
        self.levels = [np.nan_to_num(values, nan=0.0)]
        while len(self.levels[-1]) > BLOCK * BLOCK:
            starts = np.arange(0, len(self.levels[-1]), BLOCK)
            self.levels.append(np.maximum.reduceat(self.levels[-1], starts))

    def columns(self, edges: Integers) -> Floats:
        """Greatest value between positions (columns + 1,) that rise, (columns,); 0 between equal ones.

        Blocks that reach over an edge belong to both of its columns: a column may show a peak of its neighbour that is
        nearer than a fourth of its width, and none is ever lost.
        """
        widest = int(np.max(np.diff(edges), initial=1))
        level, size = 0, 1
        while level + 1 < len(self.levels) and widest > PER_COLUMN * size * BLOCK:
            level, size = level + 1, size * BLOCK
        own = self.levels[level]
        first = np.minimum(edges[:-1] // size, len(own) - 1)
        last = np.minimum(-(-edges[1:] // size), len(own))
        pairs = np.column_stack([first, np.maximum(last, first + 1)]).ravel()
        # reduceat takes every second stretch; one that ends with the array needs no end
        pairs = pairs[:-1] if pairs[-1] >= len(own) else pairs
        found = np.maximum.reduceat(own, np.minimum(pairs, len(own) - 1))[::2]
        return np.where(edges[1:] > edges[:-1], found, 0.0)


def _positions(record: Record, moments: Sequence[float] | Floats) -> Integers:
    """Positions of the intervals that hold moments; they are made whole, or all ends would become floats first."""
    return np.searchsorted(record.ends, np.asarray(moments, float).astype(np.int64))


class _InView(pg.GraphicsObject):
    """An item that fills the view."""

    def boundingRect(self) -> QRectF:  # noqa: N802
        """The visible area, asked of the box itself: what the item holds of it is that of its first view."""
        box = self.getViewBox()
        view: QRectF = QRectF() if box is None else box.viewRect()
        return view

    def viewTransformChanged(self) -> None:  # noqa: N802
        """Follow the view."""
        self.prepareGeometryChange()


class _Columns(_InView):
    """The record in the view: a bar for each interval, or the greatest value of each column of the screen."""

    def __init__(self) -> None:
        super().__init__()
        self.record: Record | None = None
        self.brush = QColor("black")
        self.factor = 1.0
        self._levels: Levels | None = None
        self._begins: Integers = np.empty(0, np.int64)
        self._made: tuple[tuple[float, float, int], list[QRectF]] | None = None

    def set_record(self, record: Record | None, factor: float) -> None:
        """Show another record; ``factor`` is mm (or m3/s) in the unit of the axis."""
        if record is not self.record:
            self._levels = None if record is None or not len(record) else Levels(record.values)
            self._begins = np.empty(0, np.int64) if record is None else record.begins
        self.record, self.factor = record, factor
        self._made = None
        self.update()

    def greatest(self, low: float, high: float) -> float:
        """The greatest value in a stretch of time, in the unit of the axis."""
        if self.record is None or self._levels is None:
            return 0.0
        edges = _positions(self.record, [low, high])
        edges[1] = min(edges[1] + 1, len(self.record))
        return float(self._levels.columns(edges).max(initial=0.0)) / self.factor

    def paint(self, painter: QPainter, *_: Any) -> None:
        """Fill the columns one by one; their outline as one shape would take a hundred times as long."""
        if self._levels is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, on=False)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.brush)
        if bars := self._bars():
            painter.drawRects(*bars)

    def _bars(self) -> list[QRectF]:
        box = self.getViewBox()
        (low, high), width = box.viewRange()[0], max(int(box.width()), 50)
        key = float(low), float(high), width
        if self._made is None or self._made[0] != key:
            self._made = key, self._bars_between(low, high, width)
        return self._made[1]

    def _bars_between(self, low: float, high: float, width: int) -> list[QRectF]:
        record, levels = self.record, self._levels
        assert record is not None
        assert levels is not None
        first, last = _positions(record, [low, high])
        last = min(last + 1, len(record))
        if last - first <= 2 * width:
            left, right = self._begins[first:last].astype(float), record.ends[first:last].astype(float)
            # a tip has no length; it is drawn as wide as a pixel
            right = np.maximum(right, left + (high - low) / width)
            tops = np.nan_to_num(record.values[first:last], nan=0.0)
        else:
            places = np.linspace(low, high, width + 1)
            tops = levels.columns(_positions(record, places))
            left, right = places[:-1], places[1:]
        wet = tops > 0
        parts = zip(left[wet].tolist(), (right - left)[wet].tolist(), (tops[wet] / self.factor).tolist(), strict=True)
        return [QRectF(x, 0.0, length, top) for x, length, top in parts]


class _Shades(_InView):
    """Stretches of time over the record, all drawn as one item: hundreds of items would cost a frame each."""

    def __init__(self) -> None:
        super().__init__()
        self._by_colour: list[tuple[QColor, Floats, Floats]] = []

    def set_stretches(self, stretches: Sequence[Stretch], theme: Theme) -> None:
        """Show other stretches, in any order."""
        self._by_colour = []
        for role in dict.fromkeys(stretch.role for stretch in stretches):
            own = sorted((s.begin, s.end) for s in stretches if s.role == role)
            begins, ends = np.array(own, float).T
            colour = QColor(getattr(theme, role))
            colour.setAlpha(90)
            # ends rise, so that those in view are found; a stretch inside another is as long as it
            self._by_colour.append((colour, begins, np.maximum.accumulate(ends)))
        self.update()

    def paint(self, painter: QPainter, *_: Any) -> None:
        """Fill the stretches in view, each at least a pixel wide; of those in one pixel, the first."""
        box = self.getViewBox()
        (low, high), (bottom, top) = box.viewRange()
        pixel = (high - low) / max(int(box.width()), 50)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, on=False)
        painter.setPen(Qt.PenStyle.NoPen)
        for colour, begins, ends in self._by_colour:
            first, last = np.searchsorted(ends, low), np.searchsorted(begins, high)
            left, right = begins[first:last], ends[first:last]
            own = np.diff(np.floor((left - low) / pixel), prepend=-np.inf) > 0
            own |= right - left > pixel
            lengths = np.maximum(right - left, pixel)[own].tolist()
            painter.setBrush(colour)
            if rects := [QRectF(x, bottom, w, top - bottom) for x, w in zip(left[own].tolist(), lengths, strict=True)]:
                painter.drawRects(*rects)


class _Calendar(pg.AxisItem):
    """An axis of seconds since 1970 with years, months, days or hours."""

    offset = 0

    def tickValues(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, list[float]]]:  # noqa: N802
        """Places of the ticks."""
        zone = timezone(timedelta(seconds=self.offset))
        self._words = dict(calendar_ticks(minVal, maxVal, zone, max(int(size / DATE_WIDTH), 2)))
        return [(1.0, list(self._words))]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:  # noqa: N802
        """Words of the ticks."""
        return [self._words.get(value, "") for value in values]


@dataclass(frozen=True)
class Stretch:
    """A stretch of time to be shaded (s since 1970), in the colour of a role."""

    begin: int
    end: int
    role: str = "limit"


class RecordView(QWidget):
    """The record under its title; the wheel and the keys + and - zoom, dragging and arrows move, Home shows the whole.

    With ``picks`` a stretch of time can be dragged at its ends; ``picked`` tells it.
    """

    picked = pyqtSignal(int, int)

    def __init__(self, name: str, theme: Theme, *, picks: bool = False) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._theme, self._picks = theme, picks
        self._record: Record | None = None
        self._title = ""
        self._unit = ""
        self.caption = Words("", size=8.5)
        self._axis = _Calendar("bottom")
        self._area = pg.PlotWidget(enableMenu=False, axisItems={"bottom": self._axis})
        self._area.setMouseEnabled(x=True, y=False)
        self._area.hideButtons()
        self._area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._area.setMinimumHeight(60)
        self._area.getPlotItem().setContentsMargins(0, 7, 0, 0)
        self._columns, self._shades = _Columns(), _Shades()
        self._area.addItem(self._columns, ignoreBounds=True)
        self._area.addItem(self._shades, ignoreBounds=True)
        self._region = pg.LinearRegionItem((0, 1), movable=picks)
        self._region.setVisible(False)
        self._region.sigRegionChangeFinished.connect(self._region_dropped)
        self._area.addItem(self._region, ignoreBounds=True)
        box = self._area.getViewBox()
        box.sigXRangeChanged.connect(lambda *_: self._fit_height())
        box.sigRangeChanged.connect(lambda *_: self._follow())
        self._area.scene().sigMouseMoved.connect(self._hover)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self.caption)
        layout.addWidget(self._area, 1)
        self.set_theme(theme)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        self._area.setBackground(QColor(theme.paper))
        for side in ("left", "bottom"):
            axis = self._area.getAxis(side)
            axis.setPen(QColor(theme.rule))
            axis.setTextPen(QColor(theme.quiet))
            axis.setTickFont(desk_font(8))
            axis.enableAutoSIPrefix(False)
        self._area.getAxis("left").setWidth(54)
        self._area.getAxis("bottom").setHeight(20)
        shade = QColor(theme.water)
        shade.setAlpha(40)
        self._region.setBrush(shade)
        for line in self._region.lines:
            line.setPen(pg.mkPen(QColor(theme.water), width=2))
        flow = self._record is not None and self._record.quantity == "flow"
        self._columns.brush = QColor(theme.water if flow else theme.rain)

    def meaning(self) -> str:
        """The keys, for F1."""
        return "arrows move along the record, + and − zoom, Home shows the whole"

    @property
    def span(self) -> tuple[float, float]:
        """The stretch of time in view, s since 1970."""
        low, high = self._area.getViewBox().viewRange()[0]
        return float(low), float(high)

    def show_record(self, record: Record | None, title: str, system: units.System, nothing: str = "") -> None:
        """Show a record; the stretch in view stays where it was the same record, or one of the same time."""
        whole = (
            self._record is None
            or record is None
            or not len(record)
            or ((self._record.first, self._record.last) != (record.first, record.last))
        )
        self._record, self._title = record, title
        self._area.setVisible(record is not None and len(record) > 0)
        if record is None or not len(record):
            self.caption.setText(nothing)
            self._columns.set_record(None, 1.0)
            return
        kind = "rain" if record.quantity == "rain" else "flow"
        most = float(np.nanmax(record.values, initial=0.0))
        self._unit = units.display_unit(kind, most, system)
        self._axis.offset = record.offset
        self._columns.brush = QColor(self._theme.rain if kind == "rain" else self._theme.water)
        self._columns.set_record(record, units.factor_of(self._unit, kind))
        self._area.getAxis("left").setLabel(self._unit, **{"font-size": "8pt", "color": self._theme.quiet})
        box = self._area.getViewBox()
        length = record.last - record.first
        box.setLimits(xMin=record.first - 0.02 * length, xMax=record.last + 0.02 * length, minXRange=SHORTEST)
        if whole:
            self.show_whole()
        self._fit_height()

    def show_whole(self) -> None:
        """Show the whole record."""
        if self._record is not None and len(self._record):
            self._area.setXRange(self._record.first, self._record.last, padding=0.01)

    def look_at(self, begin: float, end: float, room: float = 1.0) -> None:
        """Show a stretch of time with as much room on each side as ``room`` times its length."""
        length = max(end - begin, SHORTEST / 2)
        self._area.setXRange(begin - room * length, end + room * length, padding=0)

    def shade(self, stretches: list[Stretch]) -> None:
        """Shade stretches of time."""
        self._shades.set_stretches(stretches, self._theme)

    def pick(self, begin: float, end: float) -> None:
        """Mark a stretch of time, which can be dragged at its ends."""
        self._region.blockSignals(True)
        self._region.setRegion((begin, end))
        self._region.blockSignals(False)
        self._region.setVisible(True)

    def unpick(self) -> None:
        """Mark nothing."""
        self._region.setVisible(False)

    def _region_dropped(self) -> None:
        begin, end = self._region.getRegion()
        self.picked.emit(round(begin), round(end))

    def _follow(self) -> None:
        self._columns.viewTransformChanged()
        self._shades.viewTransformChanged()

    def _fit_height(self) -> None:
        low, high = self.span
        self._area.setYRange(0.0, max(1.08 * self._columns.greatest(low, high), 1e-6), padding=0)
        self.caption.setText(self._words)

    @property
    def _words(self) -> str:
        """The title, with the days in view where the axis does not name their year."""
        record, (low, high) = self._record, self.span
        if record is None or not len(record) or high - low > 3 * 366 * 86400:
            return self._title
        days = (show_day(moment_of(round(s), record.offset)) for s in (max(low, record.first), min(high, record.last)))
        return f"{self._title} · {' to '.join(days)}"

    def _hover(self, place: QPointF) -> None:
        record = self._record
        if record is None or not len(record):
            return
        at = self._area.getViewBox().mapSceneToView(place).x()
        number = int(_positions(record, [at])[0])
        if number >= len(record) or at < record.begins[number] - record.step:
            self.caption.setText(self._words)
            return
        value = record.values[number]
        kind = "rain" if record.quantity == "rain" else "flow"
        told = "missing" if np.isnan(value) else units.show(float(value), kind, unit=self._unit)
        when = show_moment(moment_of(int(record.ends[number]), record.offset))
        self.caption.setText(f"{self._words}   {when}: {told}")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Handle the arrows, + and -, and Home."""
        if event is None or self._record is None:
            return
        low, high = self.span
        key, length = Qt.Key(event.key()), high - low
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            by = PAN * length * (-1 if key == Qt.Key.Key_Left else 1)
            self._area.setXRange(low + by, high + by, padding=0)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            half = length / 2 * (ZOOM if key == Qt.Key.Key_Minus else 1 / ZOOM)
            self._area.setXRange((low + high) / 2 - half, (low + high) / 2 + half, padding=0)
        elif key == Qt.Key.Key_Home:
            self.show_whole()
        else:
            super().keyPressEvent(event)
