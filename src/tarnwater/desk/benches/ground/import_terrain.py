"""Importing a terrain: a preview of the file before anything enters the study."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.widgets.labels import Words
from tarnwater.errors import GridError, TarnwaterError
from tarnwater.formats.raster import ElevationImport, bounds_in
from tarnwater.formats.tiles import read_tiles
from tarnwater.progress import Progress

#: Units of heights by their words.
HEIGHTS = (
    ("as the file says", None), ("metres", "m"), ("feet", "ft"), ("US survey feet", "us-ft"), ("kilometres", "km"),
    ("decimetres", "dm"), ("centimetres", "cm"), ("millimetres", "mm"),
)  # fmt: skip


class ImportTerrain(QDialog):
    """Shows system, cells, heights and assumptions; fields correct wrong guesses."""

    def __init__(self, parent: QWidget, desk: Desk, paths: Sequence[Path]) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Open a terrain")
        self.setMinimumWidth(520)
        self.desk, self.paths = desk, list(paths)
        self.found: ElevationImport | None = None
        self._reading: Progress | None = None
        self._system = QLineEdit()
        self._system.setAccessibleName("Coordinate system")
        self._system.setPlaceholderText("as the file says; otherwise EPSG:…")
        self._heights = QComboBox()
        self._heights.setAccessibleName("Unit of the heights")
        for words, unit in HEIGHTS:
            self._heights.addItem(words, unit)
        self._no_data = QLineEdit()
        self._no_data.setAccessibleName("Value that is no data")
        self._no_data.setPlaceholderText("as the file says; otherwise a number, as -9999")
        self._no_data.editingFinished.connect(self._read)
        self._part = QLineEdit()
        self._part.setAccessibleName("Part to cut out")
        self._part.setPlaceholderText("all of it; otherwise west, south, east, north")
        self._part.editingFinished.connect(self._read)
        self._degrees = QCheckBox("Reproject from degrees to metres")
        self._told = Words("")
        self._told.setWordWrap(True)
        self._told.setMinimumHeight(130)
        self._buttons = QDialogButtonBox()
        take = self._buttons.addButton("Import", QDialogButtonBox.ButtonRole.AcceptRole)
        leave = self._buttons.addButton("Leave it", QDialogButtonBox.ButtonRole.RejectRole)
        assert take is not None
        assert leave is not None
        self.take = take
        self._buttons.accepted.connect(self._take)
        self._buttons.rejected.connect(self.reject)
        grid = QGridLayout()
        grid.addWidget(Words("Coordinate system", quiet=True), 0, 0)
        grid.addWidget(self._system, 0, 1)
        grid.addWidget(Words("Heights are in", quiet=True), 1, 0)
        grid.addWidget(self._heights, 1, 1)
        grid.addWidget(Words("No data is", quiet=True), 2, 0)
        grid.addWidget(self._no_data, 2, 1)
        grid.addWidget(Words("Part to cut out", quiet=True), 3, 0)
        grid.addWidget(self._part, 3, 1)
        grid.addWidget(self._degrees, 4, 1)
        layout = QVBoxLayout(self)
        layout.addWidget(Words(self.name, bold=True, size=11))
        layout.addWidget(self._told)
        layout.addLayout(grid)
        layout.addWidget(self._buttons)
        self._system.editingFinished.connect(self._read)
        self._heights.activated.connect(self._read)
        self._degrees.toggled.connect(self._read)
        self._read()

    def _read(self) -> None:
        """Read the files in a thread, with the options given so far."""
        if self._reading is not None:
            self.desk.aside.cancel(self._reading)
        self.found = None
        self.take.setEnabled(False)
        self._told.setText("reading …")
        crs = self._system.text().strip() or None
        height_unit = self._heights.currentData()
        reproject = "auto" if self._degrees.isChecked() else None

        try:
            no_data = float(self._no_data.text()) if self._no_data.text().strip() else None
        except ValueError:
            self._reading = None
            self._told.setText(
                f"“{self._no_data.text().strip()}” is no number. Type the value that is no data, as -9999."
            )
            return
        try:
            within = bounds_in(self._part.text()) if self._part.text().strip() else None
        except GridError as error:
            self._reading = None
            self._told.setText(str(error))
            return

        def work(progress: Progress) -> ElevationImport:
            return read_tiles(
                self.paths,
                crs=crs,
                height_unit=height_unit,
                reproject=reproject,
                no_data=no_data,
                within=within,
                progress=progress,
            )

        self._reading = self.desk.aside.run(work, self._show, self._failed, f"Reading {self.name}")

    @property
    def name(self) -> str:
        """Name of the file, or of the first one with the number of the others."""
        others = f" and {len(self.paths) - 1} more" if len(self.paths) > 1 else ""
        return f"{self.paths[0].name}{others}"

    def _show(self, found: ElevationImport) -> None:
        self._reading = None
        self.found = found
        self._told.setText(told_of(found, self.desk.study.units))
        self.take.setEnabled(True)
        self.take.setFocus()

    def _failed(self, error: BaseException) -> None:
        self._reading = None
        self._told.setText(str(error))
        if not isinstance(error, TarnwaterError):
            self.desk.fault(error)

    def _take(self) -> None:
        if self.found is not None:
            self.desk.ground.take_in(self.found, self.name)
            self.accept()


def told_of(found: ElevationImport, system: units.System) -> str:
    """Description of an imported grid, in words."""
    grid = found.grid
    rows, columns = grid.shape
    cell = f"{units.show(grid.dx, 'length', system)} × {units.show(grid.dy, 'length', system)}"
    ground = np.isfinite(grid.heights)
    low, high = float(np.nanmin(grid.heights)), float(np.nanmax(grid.heights))
    lines = [
        f"Coordinate system: {grid.crs[:60]}",
        f"Cells: {columns} across, {rows} down, each {cell}",
        f"Ground: {units.show(float(ground.sum()) * grid.cell_area, 'area', system)}, "
        f"{100 * (~ground).mean():.1f} % without data",
        f"Heights: {units.show(low, 'height', system)} to {units.show(high, 'height', system)}",
        f"North-west corner {units.show_place(grid.west, grid.north)}",
        *found.notes,
    ]
    return "\n".join(lines)
