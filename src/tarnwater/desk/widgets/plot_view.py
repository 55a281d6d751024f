"""Draws a plot description live, with a cursor that reads values; the data can be copied, the plot saved."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QEvent, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QContextMenuEvent, QFocusEvent, QFontMetricsF, QGuiApplication, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import QFileDialog, QMenu, QSizePolicy, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.clock import date_ticks, moment, show_moment
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.caption import PEN_STYLES, Caption, KeyRow
from tarnwater.desk.widgets.strokes import Dots, Stroke
from tarnwater.plots import HANGING, Axis, Bars, Curve, Hanging, Plot, end_above, round_above

#: Height of a tag at the end of a curve, in pixels.
TAG_HEIGHT = 12.0

#: Room beside a tag, in pixels.
TAG_MARGIN = 14.0

#: Room between the words of two ticks, in pixels.
TICK_GAP = 4.0

#: Room for the date of a tick, in pixels.
DATE_WIDTH = 56.0

#: Steps of the read-off cursor by keys across the whole axis.
CURSOR_STEPS = 100


class _StillAxis(pg.AxisItem):
    """An axis that is laid out again only if its range or ticks have changed, because this is slower than drawing."""

    def setRange(self, mn: float, mx: float) -> None:  # noqa: N802
        """Another range."""
        if self.picture is None or self.range != [mn, mx]:
            super().setRange(mn, mx)

    def setTicks(self, ticks: list[list[tuple[float, str]]] | None) -> None:  # noqa: N802
        """Other ticks."""
        if self.picture is None or self._tickLevels != ticks:
            super().setTicks(ticks)


class _TimeAxis(_StillAxis):
    """An axis of hours that shows dates if its zero has a date."""

    origin: datetime | None = None

    def tickValues(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, list[float]]]:  # noqa: N802
        """Places of the ticks."""
        if self.origin is None or self._tickLevels is not None:
            own: list[tuple[float, list[float]]] = super().tickValues(minVal, maxVal, size)
            return own
        most = max(int(size / DATE_WIDTH), 2)
        self._dates = dict(date_ticks(self.origin, minVal, maxVal, most))
        return [(1.0, list(self._dates))]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:  # noqa: N802
        """Words of the ticks."""
        if self.origin is None or self._tickLevels is not None:
            own: list[str] = super().tickStrings(values, scale, spacing)
            return own
        return [self._dates[value] for value in values]


class PlotView(QWidget):
    """One plot under its title.

    The pointer or the left and right arrows read values; Ctrl+C copies the data; the menu saves PNG and SVG.
    """

    read_at = pyqtSignal(object)

    def __init__(self, name: str, theme: Theme, *, bare: bool = False) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self._bare = bare
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._theme = theme
        self._plot: Plot | None = None
        self._drawn: list[Any] = []
        self._shape: tuple[Any, ...] = ()
        self._at: float | None = None
        self.caption = Caption(theme)
        self._area = pg.PlotWidget(
            enableMenu=False,
            axisItems={"left": _StillAxis("left"), "bottom": _TimeAxis("bottom"), "right": _StillAxis("right")},
        )
        self._area.setMouseEnabled(x=True, y=False)
        self._area.hideButtons()
        self._area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._area.setContextMenuPolicy(Qt.ContextMenuPolicy.NoContextMenu)
        self._area.setMinimumHeight(40)
        # half of the highest figure of the axis stands above it
        self._area.getPlotItem().setContentsMargins(0, 7, 0, 0)
        # the plot fills its ground: nothing below it need be painted when it is
        self._area.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        viewport = self._area.viewport()
        viewport.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        viewport.setAttribute(Qt.WidgetAttribute.WA_NoSystemBackground)
        self._area.scene().sigMouseMoved.connect(self._hover)
        self._cursor = pg.InfiniteLine(angle=90)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self.caption)
        layout.addWidget(self._area, 1)
        self.caption.setVisible(not bare)
        self.set_theme(theme)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = self.caption.theme = theme
        self._area.setBackground(QColor(theme.paper))
        self._cursor.setPen(pg.mkPen(QColor(theme.quiet), width=1))
        for side in ("left", "bottom", "right"):
            axis = self._area.getAxis(side)
            axis.setPen(QColor(theme.rule))
            axis.setTextPen(QColor(theme.quiet))
            axis.setTickFont(desk_font(8))
            axis.setStyle(tickTextOffset=3)
            axis.enableAutoSIPrefix(False)
            # otherwise an earlier factor would stay and multiply every figure of the axis
            axis.autoSIPrefixScale = 1.0
        # share of the axis that labels of one level of ticks may fill before a finer level is left out
        self._area.getAxis("bottom").setStyle(textFillLimits=[(0, 0.55)])
        self._area.getAxis("bottom").setHeight(18 if self._bare else 34)
        # a width that depended on the ticks would lay out every plot twice
        self._area.getAxis("left").setWidth(38 if self._bare else 54)
        self._area.getAxis("right").setWidth(46)
        self._area.showAxis("right", False)
        self._shape = ()
        if self._plot is not None:
            self.show_plot(self._plot)

    @property
    def plot(self) -> Plot | None:
        """What is drawn."""
        return self._plot

    def meaning(self) -> str:
        """The keys of the plot, for F1."""
        return "the arrows read values, Home shows the whole axis, Ctrl+C copies the data, the menu saves a picture"

    def show_plot(self, plot: Plot | None, nothing: str = "") -> None:
        """Draw a plot; without one, show the reason in words."""
        self._plot = plot
        self._area.setVisible(plot is not None)
        if plot is None:
            self.caption.show_words(nothing)
            return
        shape = _shape_of(plot)
        if shape != self._shape:
            self._shape = shape
            self._rebuild(plot)
        self._fill(plot)
        self._set_range(plot)
        # a range that took effect while painting would paint everything twice
        self._area.getViewBox().updateMatrix()
        if self._at is None:
            self._caption(plot)
        else:
            self._read(self._at)

    def follow_axis_of(self, other: PlotView) -> None:
        """Share the horizontal axis with another plot."""
        self._area.setXLink(other._area)

    def fit(self) -> None:
        """Show the whole axis again after it was moved or zoomed."""
        if self._plot is not None:
            self._set_range(self._plot)

    def _rebuild(self, plot: Plot) -> None:
        """Make an item for each part; `_fill` gives it its data."""
        area, theme = self._area, self._theme
        area.clear()
        self._drawn = []
        look = {"font-size": "8pt", "color": theme.quiet}
        for side, axis in (("left", plot.y), ("bottom", plot.x)):
            if not self._bare:
                area.getAxis(side).setLabel(axis.title, **look)
            area.getAxis(side).setTicks(_ticks(axis))
        area.getAxis("bottom").origin = plot.x.origin
        for side, axis in (("left", plot.y), ("bottom", plot.x)):
            area.getAxis(side).setLogMode(axis.log)
        area.getViewBox().invertY(plot.y.downward)
        area.showGrid(x=plot.x.log, y=plot.y.log, alpha=0.12 if plot.x.log or plot.y.log else 0)
        self._hang_axis(plot)
        for bars in _stacked(plot.bars):
            self._drawn.append(self._add(Stroke(None, theme.colour(bars.role))))
        for curve in plot.curves:
            self._drawn.append(self._add_curve(curve))
            if curve.tagged:
                tag = pg.TextItem(curve.label, color=theme.colour("ink"), anchor=(0, 0.5))
                tag.setFont(desk_font(8))
                area.addItem(tag, ignoreBounds=True)
                self._drawn.append(tag)
        for mark in plot.marks:
            colour = theme.colour(mark.role)
            self._drawn.append(self._add(Dots(QColor(theme.paper), colour, radius=4.0)))
        for level in plot.levels:
            colour = theme.colour(level.role)
            pen = pg.mkPen(colour, width=1.2, style=Qt.PenStyle.DashLine)
            options = {"position": 0.98, "color": colour, "anchors": [(1.0, 1.0), (1.0, 1.0)]}
            item = pg.InfiniteLine(0.0, angle=0, pen=pen, label=level.text, labelOpts=options)
            area.addItem(item)
            self._drawn.append(item)
        area.addItem(self._cursor, ignoreBounds=True)
        self._cursor.setVisible(self._at is not None)

    def _hang_axis(self, plot: Plot) -> None:
        """Make the item of the bars at the top, and their axis on the right."""
        self._area.showAxis("right", plot.hanging is not None or plot.beside is not None)
        if plot.beside is not None:
            look = {"font-size": "8pt", "color": self._theme.quiet}
            self._area.getAxis("right").setLabel(plot.beside.title, **look)
        if plot.hanging is not None:
            brush = QColor(self._theme.colour(plot.hanging.bars.role))
            brush.setAlpha(150)
            self._hung = self._add(Stroke(None, brush))
            look = {"font-size": "8pt", "color": self._theme.quiet}
            self._area.getAxis("right").setLabel(plot.hanging.axis.title, **look)

    def _hang(self, hanging: Hanging, low: float, high: float) -> float:
        """Draw the bars at the top over a range of the axis, and return the end of the axis with them."""
        top = low + (high - low) / (1.0 - HANGING)
        bars, scale = hanging.bars, (top - high) / hanging.greatest
        self._hung.base = top
        self._hung.set_steps(bars.left, bars.width, top - scale * bars.heights)
        self._area.getAxis("right").setTicks([[(top, "0"), (high, units.rounded(hanging.greatest, 3))]])
        return top

    def _add(self, item: Any) -> Any:
        self._area.addItem(item, ignoreBounds=True)
        return item

    def _add_curve(self, curve: Curve) -> Any:
        colour = self._theme.colour(curve.role)
        if curve.dots:
            return self._add(Dots(colour, QColor(self._theme.paper)))
        pen = pg.mkPen(colour, width=curve.width, style=PEN_STYLES[curve.style])
        fill = QColor(colour)
        fill.setAlpha(28)
        return self._add(Stroke(pen, fill if curve.filled else None))

    def _fill(self, plot: Plot) -> None:
        if plot.beside is not None:
            self._area.getAxis("right").setTicks(_ticks(plot.beside))
        parts = iter(self._drawn)
        for bars in _stacked(plot.bars):
            next(parts).set_steps(
                bars.left, bars.width, bars.heights if bars.base is None else bars.base + bars.heights
            )
        for curve in plot.curves:
            x, y = _as_drawn(plot.x, curve.x), _as_drawn(plot.y, curve.y)
            next(parts).set_data(x, y)
            if curve.tagged:
                tag = next(parts)
                tag.setText(curve.label)
                tag.setPos(float(x[-1]), float(y[-1]))
        for mark in plot.marks:
            at = _as_drawn(plot.x, np.array([mark.x])), _as_drawn(plot.y, np.array([mark.y]))
            next(parts).set_data(*at)
        for level in plot.levels:
            item = next(parts)
            item.setValue(level.y)
            item.label.setFormat(level.text)

    def _part_tags(self) -> None:
        """Move the tags at the ends of curves apart, without overlaps."""
        tags = sorted((i for i in self._drawn if isinstance(i, pg.TextItem)), key=lambda i: i.pos().y())
        low, high = self._area.getViewBox().viewRange()[1]
        gap = (high - low) * TAG_HEIGHT / max(self._area.getViewBox().height(), 1.0)
        for below, tag in pairwise(tags):
            if tag.pos().y() - below.pos().y() < gap:
                tag.setPos(tag.pos().x(), below.pos().y() + gap)

    def resizeEvent(self, event: QResizeEvent | None) -> None:  # noqa: N802
        """Place the tags again, and name the ticks that have room."""
        super().resizeEvent(event)
        if self._plot is not None and (self._plot.x.ticks or any(c.tagged for c in self._plot.curves)):
            self.show_plot(self._plot)

    def _set_range(self, plot: Plot) -> None:
        low_x, high_x = _range_of(plot.x, [c.x for c in plot.curves] + [_ends(b.left, b.width) for b in plot.bars])
        tops = [b.heights + (0 if b.base is None else b.base) for b in plot.bars]
        marks = np.array([mark.y for mark in plot.marks] + [level.y for level in plot.levels])
        low_y, high_y = _range_of(plot.y, [c.y for c in plot.curves] + tops + [marks], room=0.08)
        if plot.y.log and any(c.tagged for c in plot.curves):
            high_y *= 1.25
        if plot.hanging is not None:
            high_y = self._hang(plot.hanging, low_y, high_y)
        low, high = np.log10([low_x, high_x]) if plot.x.log else (low_x, high_x)
        self._area.setXRange(low, self._with_tags(plot, low, high), padding=0.01)
        if plot.x.ticks:
            self._area.getAxis("bottom").setTicks(self._parted_ticks(plot.x, low, high))
        self._area.setYRange(*(np.log10([low_y, high_y]) if plot.y.log else (low_y, high_y)), padding=0.0)
        self._part_tags()

    def _parted_ticks(self, axis: Axis, low: float, high: float) -> list[list[tuple[float, str]]]:
        """Named ticks whose labels fit side by side; the others have no label."""
        (ticks,) = _ticks(axis) or [[]]
        metrics = QFontMetricsF(desk_font(8))
        scale = max(self._area.getViewBox().width(), 1.0) / max(high - low, 1e-9)
        shown: list[tuple[float, str]] = []
        end = -TICK_GAP
        for at, text in ticks:
            half = metrics.horizontalAdvance(text) / 2
            middle = (at - low) * scale
            free = middle - half > end + TICK_GAP
            shown.append((at, text if free else ""))
            end = middle + half if free else end
        return [shown]

    def _with_tags(self, plot: Plot, low: float, high: float) -> float:
        """End of the horizontal axis that leaves room for the tags of the curves."""
        tagged = [curve for curve in plot.curves if curve.tagged and len(curve.x)]
        if not tagged:
            return high
        metrics = QFontMetricsF(desk_font(8))
        room = max(metrics.horizontalAdvance(curve.label) for curve in tagged) + TAG_MARGIN
        share = min(room / max(self._area.getViewBox().width(), 1.0), 0.5)
        last = max(float(_as_drawn(plot.x, curve.x[-1:])[0]) for curve in tagged)
        return max(high, float((last - share * low) / (1.0 - share)))

    def _caption(self, plot: Plot, reading: str = "") -> None:
        key: list[KeyRow] = []
        title = f"{plot.title}   {reading}".rstrip()
        named = [c for c in plot.curves if c.role != "quiet"]
        ghosts: list[KeyRow] = [(c.role, c.style, c.label) for c in plot.curves if c.role == "quiet" and c.label]
        bars: list[KeyRow] = [(b.role, "solid", b.label) for b in plot.bars if b.label]
        figures = [mark.text for mark in plot.marks]
        if len(named) == len(figures) > 1:
            key = [(c.role, c.style, f"{c.label}: {figure}") for c, figure in zip(named, figures, strict=True)]
        elif figures:
            title += "\n" + " · ".join(figures)
        if not figures and len(named) > 1 and not any(c.tagged for c in plot.curves):
            key = [(c.role, c.style, c.label) for c in named if c.label]
        key += [*ghosts, *(bars if len(bars) > 1 else [])]
        self.caption.show_words(title, key)

    # reading off

    def _hover(self, scene_place: QPointF) -> None:
        if self._plot is None or not self._plot.curves:
            return
        at = self._area.getViewBox().mapSceneToView(scene_place).x()
        self._read(10.0**at if self._plot.x.log else float(at))

    def _read(self, at: float | None) -> None:
        plot = self._plot
        values = [] if plot is None or at is None else [(c, v) for c, v in plot.at(at) if c.role != "quiet"]
        self._at = at if values else None
        self._cursor.setVisible(bool(values))
        self.read_at.emit(self._at)
        if plot is None or at is None or not values:
            if plot is not None:
                self._caption(plot)
            return
        self._cursor.setValue(np.log10(at) if plot.x.log else at)
        where = _place_in_words(plot.x, at)
        shown = [f"{c.label + ' ' if len(values) > 1 else ''}{units.rounded(v)}" for c, v in values]
        if plot.hanging is not None:
            unit = plot.hanging.axis.unit
            shown[-1] += f" {plot.y.unit}, {plot.hanging.bars.label} {units.rounded(plot.hanging.at(at))}"
        else:
            unit = plot.y.unit
        self._caption(plot, f"{where}: {', '.join(shown)} {unit}")

    def leaveEvent(self, event: QEvent | None) -> None:  # noqa: N802
        """Remove the reading when the pointer leaves."""
        if not self.hasFocus():
            self._read(None)
        super().leaveEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:  # noqa: N802
        """Remove the reading when the focus leaves."""
        self._read(None)
        super().focusOutEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Handle the arrows (read values), Ctrl+C (copy the data) and the menu key."""
        if event is None or self._plot is None:
            return
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if event.key() == Qt.Key.Key_C and event.modifiers() == Qt.KeyboardModifier.ControlModifier:
            self.copy()
        elif event.key() == Qt.Key.Key_Home:
            self.fit()
        elif event.key() == Qt.Key.Key_Menu:
            self._menu().popup(self.mapToGlobal(self.rect().center()))
        elif step is not None and self._plot.curves:
            self._step(step)
        else:
            super().keyPressEvent(event)

    def _step(self, step: int) -> None:
        assert self._plot is not None
        low, high = self._area.getViewBox().viewRange()[0]
        at = low + (high - low) / 2 if self._at is None else np.log10(self._at) if self._plot.x.log else self._at
        at += step * (high - low) / CURSOR_STEPS
        self._read(float(10.0**at if self._plot.x.log else at))

    # giving away

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:  # noqa: N802
        """Open the menu to copy and save."""
        if event is not None and self._plot is not None:
            self._menu().popup(event.globalPos())

    def _menu(self) -> QMenu:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for words, act in (
            ("Show the whole axis (Home)", self.fit),
            ("Copy the data (Ctrl+C)", self.copy),
            ("Save as PNG …", lambda: self._save_as("png")),
            ("Save as SVG …", lambda: self._save_as("svg")),
            ("Save as PDF …", lambda: self._save_as("pdf")),
            ("Save as DXF …", lambda: self._save_as("dxf")),
        ):
            action = menu.addAction(words)
            assert action is not None
            action.triggered.connect(lambda _=False, act=act: act())
        return menu

    def copy(self) -> None:
        """Put the data on the clipboard, exact, under the title."""
        clipboard = QGuiApplication.clipboard()
        if self._plot is not None and clipboard is not None:
            rows = [[self._plot.title], *self._plot.as_table()]
            clipboard.setText("\n".join("\t".join(row) for row in rows))

    def _save_as(self, kind: str) -> None:
        name = (self.accessibleName() + "." + kind).replace(" ", "-").lower()
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Save the plot", name, f"{kind.upper()} (*.{kind})", options=QFileDialog.Option.DontUseNativeDialog
        )
        if chosen:
            self.save(Path(chosen))

    def save(self, path: Path) -> None:
        """Save the plot in the format of the suffix, from the same description as on the screen."""
        from tarnwater.brief.plots import save_plot

        if self._plot is None:
            return
        try:
            save_plot(self._plot, path)
        except (OSError, ValueError) as error:
            self.caption.show_words(f"{path}: the plot could not be saved ({error}). Choose another name or folder.")
        else:
            self.caption.show_words(f"saved as {path}")


def _place_in_words(axis: Axis, at: float) -> str:
    """The position of the reading in words, times to the minute."""
    if axis.unit != "h":
        return f"{units.rounded(at)} {axis.unit}"
    seconds = round(at * 60) * 60
    return units.show_duration(seconds) if axis.origin is None else show_moment(moment(axis.origin, seconds))


def _shape_of(plot: Plot) -> tuple[Any, ...]:
    """The part of a plot that determines its items: all but its data."""
    return (
        plot.x.title, plot.x.origin, plot.y.title, plot.x.log, plot.y.log, plot.x.ticks, plot.y.ticks, plot.y.downward,
        tuple(b.role for b in plot.bars),
        tuple((c.role, c.style, c.width, c.filled, c.dots, c.tagged) for c in plot.curves),
        tuple(m.role for m in plot.marks),
        tuple(level.role for level in plot.levels),
        plot.hanging and plot.hanging.axis.title, plot.beside and plot.beside.title,
    )  # fmt: skip


def _as_drawn(axis: Axis, values: Floats) -> Floats:
    return np.log10(values) if axis.log else values


def _stacked(bars: Sequence[Bars]) -> list[Bars]:
    """Stacked bars from the top down, drawn from zero so that the lower ones cover their part."""
    there = [b for b in bars if len(b.left)]
    return [b for b in reversed(there) if b.base is not None] + [b for b in there if b.base is None]


def _ticks(axis: Axis) -> list[list[tuple[float, str]]] | None:
    if not axis.ticks:
        return None
    return [[(float(np.log10(at)) if axis.log else at, text) for at, text in axis.ticks]]


def _ends(left: Floats, width: float) -> Floats:
    return np.array([left[0], left[-1] + width]) if len(left) else np.empty(0)


def _range_of(axis: Axis, values: list[Floats], room: float = 0.0) -> tuple[float, float]:
    """Range from the least to the greatest value, or as the axis states; from zero unless logarithmic."""
    found = [v for v in values if len(v)]
    low = min((float(v.min()) for v in found), default=0.0)
    high = max((float(v.max()) for v in found), default=1.0)
    if axis.log:
        return axis.low or low / 1.15, axis.high or high * 1.15
    low = axis.low if axis.low is not None else min(low, 0.0)
    if axis.high is not None:
        return low, axis.high
    return low, round_above(high + room * (high - low)) if room else end_above(high) or low + 1.0
