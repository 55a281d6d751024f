"""Each catchment's rain: the shares of gauges or of the cells of a grid, on a map and in a sheet."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QColor, QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QSlider,
    QSplitter,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.clock import show_moment
from tarnwater.desk.benches.rain.rain_map import RainMap
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.quantity_field import QuantityField
from tarnwater.errors import TarnwaterError
from tarnwater.progress import Progress
from tarnwater.rain.records.record import moment_of
from tarnwater.study.document import checked
from tarnwater.study.document.rain import CatchmentRain, RainWay
from tarnwater.study.edits.records import add_grid, remove_grid, set_catchment_rain, set_grid_factor
from tarnwater.study.rain.catchments import (
    bias_of_grid,
    frames_of,
    frames_on_map,
    gauge_polygons,
    gauge_shares,
    grid_shares,
    rained_on,
)

WAYS: tuple[tuple[str, RainWay], ...] = (
    ("the nearest gauge", "one gauge"),
    ("Thiessen polygons", "Thiessen"),
    ("inverse distance", "inverse distance"),
    ("typed weights", "typed weights"),
    ("a grid of rain", "grid"),
)

GRID_FILES = "Gridded rain (*.nc *.nc4 *.tif *.tiff);;All files (*)"

#: Time between two frames while they are played, ms.
PLAYED = 200


class CatchmentsPage(QWidget):
    """The way, the sheet of shares (typed ones stand until they are cleared with Delete), and the map."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.desk, self.theme = desk, theme
        self._of: tuple[object, ...] = ()
        self._filling = False
        self._columns: tuple[str, ...] = ()
        self._keys: tuple[str, ...] = ()
        self._frames: Any = None
        self.way = QComboBox()
        self.way.setAccessibleName("How the rain of catchments is found")
        self.way.setFont(desk_font(9))
        for words, way in WAYS:
            self.way.addItem(words, way)
        self.way.activated.connect(lambda n: self._change("choose how rain is found", way=WAYS[n][1]))
        self.power = QuantityField("", self._read_power, self._tell, "Power of the distance")
        self.gauges = QuantityField("", self._read_gauges, self._tell, "Gauges that take part")
        self.gauges.setAlignment(Qt.AlignmentFlag.AlignLeft)
        self.grid = QComboBox()
        self.grid.setAccessibleName("Grid of rain")
        self.grid.activated.connect(lambda _: self._change("choose the grid", grid=self.grid.currentData()))
        self.factor = QuantityField("", self._read_factor, self._tell, "Bias factor of the grid")
        self.bias_button = QPushButton("From the gauges")
        self.bias_button.setAccessibleName("Take the bias factor from the gauges")
        self.bias_button.clicked.connect(self._take_bias)
        self.import_button = QPushButton("Import a grid …")
        self.import_button.setAccessibleName("Import a grid of rain")
        self.import_button.clicked.connect(lambda: self.import_grid())
        self.remove_button = QPushButton("Remove the grid")
        self.remove_button.setAccessibleName("Remove the grid of rain")
        self.remove_button.clicked.connect(lambda: self.desk.do(remove_grid, self.desk.file.blobs, self._grid_key))
        self.table = QTableWidget()
        self.table.setAccessibleName("Shares of the gauges in the rain of catchments")
        self.table.setFont(desk_font(9))
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.AllEditTriggers)
        self.table.itemChanged.connect(self._typed)
        self.table.currentCellChanged.connect(self._select)
        self.map = RainMap("Map of the rain of catchments", theme)
        self.time = QSlider(Qt.Orientation.Horizontal)
        self.time.setAccessibleName("Frame of the grid")
        self.time.valueChanged.connect(lambda _: self._show_frame())
        self.play = QPushButton("Play")
        self.play.setAccessibleName("Play the frames")
        self.play.setCheckable(True)
        self.play.toggled.connect(self._play)
        self._timer = QTimer(self)
        self._timer.setInterval(PLAYED)
        self._timer.timeout.connect(self._next_frame)
        self._when = Words("", size=8.5)
        self._told = Words("", size=8.5)
        self._told.setWordWrap(True)
        self._message = Words("", size=8.5, role="limit")
        self._message.setWordWrap(True)
        self._lay_out()
        QShortcut(QKeySequence("Delete"), self.table, self._clear, context=Qt.ShortcutContext.WidgetShortcut)

    def _lay_out(self) -> None:
        grid = QGridLayout()
        self._power_label, self._grid_label = Words("Power", quiet=True, size=8.5), Words("Grid", quiet=True, size=8.5)
        self._factor_label = Words("Bias factor", quiet=True, size=8.5)
        factor = QHBoxLayout()
        factor.addWidget(self.factor)
        factor.addWidget(self.bias_button)
        grid.addWidget(Words("Rain comes by", quiet=True, size=8.5), 0, 0)
        grid.addWidget(self.way, 0, 1)
        self._gauges_label = Words("Gauges", quiet=True, size=8.5)
        grid.addWidget(self._gauges_label, 1, 0)
        grid.addWidget(self.gauges, 1, 1)
        grid.addWidget(self._power_label, 2, 0)
        grid.addWidget(self.power, 2, 1)
        grid.addWidget(self._grid_label, 3, 0)
        grid.addWidget(self.grid, 3, 1)
        grid.addWidget(self._factor_label, 4, 0)
        grid.addLayout(factor, 4, 1)
        grid.setColumnStretch(1, 1)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(16, 8, 6, 8)
        column.setSpacing(4)
        head = QHBoxLayout()
        head.addWidget(Words("Rain of the catchments", bold=True, size=10))
        head.addStretch(1)
        head.addWidget(self.import_button)
        head.addWidget(self.remove_button)
        column.addLayout(head)
        column.addLayout(grid)
        column.addWidget(self._message)
        column.addWidget(self.table, 1)
        column.addWidget(self._told)
        right = QWidget()
        side = QVBoxLayout(right)
        side.setContentsMargins(6, 8, 10, 8)
        side.addWidget(self.map, 1)
        self._playing = QWidget()
        line = QHBoxLayout(self._playing)
        line.setContentsMargins(0, 0, 0, 0)
        for widget in (self.play, self.time, self._when):
            line.addWidget(widget)
        side.addWidget(self._playing)
        split = QSplitter(Qt.Orientation.Horizontal)
        split.addWidget(left)
        split.addWidget(right)
        split.setSizes([480, 460])
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(split)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.theme = theme
        self.map.set_theme(theme)
        self._of = ()

    def take_focus(self) -> None:
        """Work begins in the sheet."""
        self.table.setFocus()

    @property
    def _grid_key(self) -> str:
        study = self.desk.study
        return study.catchment_rain.grid or next(iter(study.rain_grids), "")

    # showing

    def refresh(self) -> None:
        """Show the shares and the map again, if something they are made from is another."""
        study = self.desk.study
        of = (study.gauges, study.rain_grids, study.catchment_rain, study.elements, study.conditions, study.units,
              self.desk.selection)  # fmt: skip
        if self._of and all(a is b for a, b in zip(of, self._of, strict=True)):
            return
        self._of = of
        rule = study.catchment_rain
        self.way.setCurrentIndex([way for _, way in WAYS].index(rule.way))
        self.power.show_value(f"{rule.power:g}")
        self.gauges.setPlaceholderText("all that have a place; or names, as Fell, Ford")
        self.gauges.show_value(", ".join(study.gauges[key].name for key in rule.gauges))
        gridded = rule.way == "grid"
        for widget, shown in (
            (self.power, rule.way == "inverse distance"), (self._power_label, rule.way == "inverse distance"),
            (self.gauges, not gridded), (self._gauges_label, not gridded),
            (self.grid, gridded), (self._grid_label, gridded), (self.factor, gridded), (self._factor_label, gridded),
            (self.bias_button, gridded), (self._playing, gridded), (self.remove_button, bool(study.rain_grids)),
        ):  # fmt: skip
            widget.setVisible(shown)
        self.grid.clear()
        for key, one in study.rain_grids.items():
            self.grid.addItem(one.name, key)
        self.grid.setCurrentIndex(self.grid.findData(self._grid_key))
        try:
            self._show_grid() if gridded else self._show_gauges()
        except TarnwaterError as error:
            self._told.setText(str(error))
        self._show_land()

    def _show_land(self) -> None:
        study, blobs = self.desk.study, self.desk.file.blobs
        outlines = {}
        for key in rained_on(study):
            element = study.all_elements[key]
            outline = blobs.shape(getattr(element, "outline", None))
            if outline is not None:
                outlines[element.name] = outline
        self.map.show_land(outlines, study.name_of(self.desk.selection))

    def _show_gauges(self) -> None:
        study, blobs = self.desk.study, self.desk.file.blobs
        found = gauge_shares(study, blobs)
        self._keys, self._columns = found.catchments, found.gauges
        self._fill(
            [study.gauges[g].name for g in found.gauges],
            [[units.show(float(v), "share") for v in row] for row in found.shares],
            found.typed,
            found.lacking,
        )
        placed = {study.gauges[g].name: place for g in found.gauges if (place := study.gauges[g].place) is not None}
        self.map.show_gauges(placed, gauge_polygons(study, blobs))
        lacking = [f"{study.name_of(k)}: {why}" for k, why in found.lacking.items()]
        if not study.gauges:
            words = "No record of rain yet: import one under Records."
        else:
            words = "A typed weight stands until Delete clears it; the shares of a catchment add up to one."
        self._told.setText("\n".join([*lacking[:6], words]))

    def _show_grid(self) -> None:
        study, blobs = self.desk.study, self.desk.file.blobs
        if not study.rain_grids:
            self._told.setText("No grid of rain yet: import one (CF NetCDF, or a series of GeoTIFFs).")
            self._keys = self._columns = ()
            self.table.setRowCount(0)
            return
        grid = study.rain_grids[self._grid_key]
        self.factor.show_value(f"{grid.factor:.6g}")
        frames = frames_on_map(study, frames_of(study, blobs, self._grid_key))
        shares = grid_shares(study, blobs, self._grid_key)
        self._keys, self._columns = shares.catchments, ()
        counts = [len(shares.cells.of(n)) for n in range(len(shares.catchments))]
        covered = [units.show(float(c), "share") for c in shares.cells.covered]
        cells = [[f"{count:,}", share] for count, share in zip(counts, covered, strict=True)]
        self._fill(["cells", "covered"], cells, frozenset(), shares.lacking)
        self._frames = frames
        self.time.setRange(0, len(frames.ends) - 1)
        missing = sum(count for _, _, count in frames.missing)
        told = [f"{len(frames.ends)} frames of {units.show_duration(frames.step)}"]
        if frames.missing:
            begin, end, _ = frames.missing[0]
            when = f"{show_moment(moment_of(begin, frames.offset))} to {show_moment(moment_of(end, frames.offset))}"
            told.append(f"{missing} frames missing, the first from {when}")
        told += [f"{study.name_of(k)}: {why}" for k, why in shares.lacking.items()]
        if grid.factor_by:
            told.append(f"bias factor by {grid.factor_by}")
        self._told.setText("\n".join(told))
        self._show_frame()

    def _fill(self, heads: list[str], cells: list[list[str]], typed: frozenset[str], lacking: Any) -> None:
        study = self.desk.study
        self._filling = True
        self.table.setColumnCount(1 + len(heads))
        self.table.setHorizontalHeaderLabels(["catchment", *heads])
        self.table.setRowCount(len(self._keys))
        side, head = self.table.verticalHeader(), self.table.horizontalHeader()
        if side is not None and head is not None:
            side.hide()
            side.setDefaultSectionSize(self.fontMetrics().height() + 6)
            head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        for row, key in enumerate(self._keys):
            own = typed and key in typed
            for column, text in enumerate([study.name_of(key), *cells[row]]):
                item = QTableWidgetItem(text + ("  typed" if own and column == 1 else ""))
                if column:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if not column or not self._columns:
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                if own:
                    item.setForeground(QColor(self.theme.water))
                    item.setFont(desk_font(9, bold=True))
                if key in lacking:
                    item.setForeground(QColor(self.theme.limit))
                self.table.setItem(row, column, item)
        self._filling = False

    def _show_frame(self) -> None:
        frames = self._frames
        if frames is None or self.desk.study.catchment_rain.way != "grid":
            return
        number = min(self.time.value(), len(frames.ends) - 1)
        greatest = float(np.nanmax(frames.values, initial=0.0))
        self.map.show_frame((frames.corners_x, frames.corners_y), frames.values[number], greatest)
        self._when.setText(show_moment(moment_of(int(frames.ends[number]), frames.offset)))

    def _play(self, on: bool) -> None:
        self.play.setText("Stop" if on else "Play")
        if on:
            self._timer.start()
        else:
            self._timer.stop()

    def _next_frame(self) -> None:
        self.time.setValue((self.time.value() + 1) % max(self.time.maximum() + 1, 1))

    # acts

    def _tell(self, words: str) -> None:
        self._message.setText(words)

    def _change(self, act: str, **fields: Any) -> str:
        rule = self.desk.study.catchment_rain
        try:
            new = checked(lambda: CatchmentRain(**{**dict(rule), **fields}), "rain of the catchments")
        except TarnwaterError as error:
            self._tell(str(error))
            return str(error)
        done = self.desk.do(set_catchment_rain, self.desk.file.blobs, new, act)
        if not done:
            self._of = ()
            self.refresh()
        return "" if done else "the edit was refused."

    def _select(self, row: int, *_: int) -> None:
        if 0 <= row < len(self._keys) and not self._filling:
            self.desk.select(self._keys[row])

    def _typed(self, item: QTableWidgetItem) -> None:
        """A weight was typed: all shares of its catchment are typed from then on, scaled to one."""
        if self._filling or not self._columns or item.column() == 0:
            return
        key = self._keys[item.row()]
        try:
            weight = units.parse(item.text().replace("typed", ""), "share", default="%" if "%" in item.text() else "")
        except TarnwaterError as error:
            self._tell(str(error))
            self._of = ()
            self.refresh()
            return
        shares = gauge_shares(self.desk.study, self.desk.file.blobs)
        row = shares.shares[shares.catchments.index(key)]
        held = dict(self.desk.study.catchment_rain.typed.get(key) or {})
        weights = {g: float(held.get(g, row[n])) for n, g in enumerate(shares.gauges)}
        weights[self._columns[item.column() - 1]] = weight
        typed = {**self.desk.study.catchment_rain.typed, key: weights}
        self._change(f"type the weights of {self.desk.study.name_of(key)}", typed=typed)

    def _clear(self) -> None:
        row = self.table.currentRow()
        if 0 <= row < len(self._keys) and self._keys[row] in self.desk.study.catchment_rain.typed:
            key = self._keys[row]
            typed = {k: w for k, w in self.desk.study.catchment_rain.typed.items() if k != key}
            self._change(f"clear the weights of {self.desk.study.name_of(key)}", typed=typed)

    def _read_gauges(self, text: str) -> str:
        """Gauges by name, parted by commas; none are all that have a place."""
        rain = {g.name.casefold(): key for key, g in self.desk.study.gauges.items() if g.quantity == "rain"}
        names = [part.strip() for part in text.split(",") if part.strip()]
        strange = [name for name in names if name.casefold() not in rain]
        if strange:
            there = ", ".join(self.desk.study.gauges[key].name for key in rain.values())
            return f"there is no record of rain “{strange[0]}”. There are: {there}."
        keys = tuple(dict.fromkeys(rain[name.casefold()] for name in names))
        return self._change("choose the gauges of the catchments", gauges=keys)

    def _read_power(self, text: str) -> str:
        try:
            return self._change("change the power of the distance", power=units.parse(text, "factor"))
        except TarnwaterError as error:
            return str(error)

    def _read_factor(self, text: str) -> str:
        try:
            factor = units.parse(text, "factor")
        except TarnwaterError as error:
            return str(error)
        done = self.desk.do(set_grid_factor, self.desk.file.blobs, self._grid_key, factor, "typed")
        return "" if done else "the edit was refused."

    def _take_bias(self) -> None:
        """Take the bias factor that the gauges on the grid give."""
        blobs = self.desk.file.blobs
        factor, names = bias_of_grid(self.desk.study, blobs, self._grid_key)
        if not factor > 0:
            self._tell("No gauge with rain in the time of the frames stands on the grid.")
            return
        self.desk.do(set_grid_factor, blobs, self._grid_key, factor, ", ".join(names))

    def import_grid(self, paths: list[Path] | None = None) -> None:
        """Ask for frames of rain and read them in a thread."""
        if paths is None:
            names, _ = QFileDialog.getOpenFileNames(
                self, "Import a grid of rain", "", GRID_FILES, options=QFileDialog.Option.DontUseNativeDialog
            )
            paths = [Path(name) for name in names]
        if not paths:
            return
        chosen = paths

        def work(progress: Progress) -> Any:
            from tarnwater.formats.gridded_rain import read_frames

            return read_frames(chosen)

        def done(found: Any) -> None:
            name = chosen[0].stem
            notes = " ".join(found.notes)
            if self.desk.do(add_grid, self.desk.file.blobs, name, found.frames, chosen[0].name, notes):
                self.desk.say(f"{len(found.frames.ends)} frames were read. {notes}".strip())
                if self.desk.study.catchment_rain.way != "grid" and not self.desk.study.gauges:
                    self._change("use the grid", way="grid")

        def failed(error: BaseException) -> None:
            if isinstance(error, TarnwaterError):
                self._tell(str(error))
            else:
                self.desk.fault(error)

        self.desk.aside.run(work, done, failed, f"Reading {chosen[0].name}")
