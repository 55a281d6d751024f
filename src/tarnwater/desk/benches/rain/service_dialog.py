"""Asking a design rainfall service: its answer, its source and the weights of its cells, before they are used."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QGridLayout,
    QLineEdit,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.answers import keep_or_leave
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.listing import Listing
from tarnwater.errors import BadInput, TarnwaterError
from tarnwater.progress import Progress
from tarnwater.study.edits import slug
from tarnwater.study.edits.rain import set_depths
from tarnwater.study.rain.catchments import rained_on

#: Files that hold what a service answers.
FILE_SUFFIXES, CELL_FILES = (".geojson", ".json"), "Cells (*.geojson *.json);;All files (*)"

STAND_IN = "the stand-in of this program (invented depths)"


@dataclass(frozen=True)
class _Place:
    """A place that can be asked for: its name, and its shape in the coordinates of the study."""

    name: str
    shape: Any


class ServiceDialog(QDialog):
    """Address, collection and place; the depths and the cells they are the mean of."""

    taken = pyqtSignal(str)

    def __init__(self, parent: QWidget, desk: Desk) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Ask a design rainfall service")
        self.resize(820, 560)
        self.desk = desk
        self.found: Any = None
        self._own: Any = None
        self._asking: Progress | None = None
        self.address = QComboBox()
        self.address.setEditable(True)
        self.address.addItem(STAND_IN)
        self.collection = QLineEdit("depths")
        self.place = QComboBox()
        self.point = QLineEdit()
        self.point.setPlaceholderText("a point as longitude, latitude, in place of the catchment")
        self.ask = QPushButton("Ask")
        self.ask.clicked.connect(self._ask)
        self.ask.setDefault(True)
        self.file = QPushButton("File …")
        self.file.clicked.connect(self._open_file)
        self.depths = Listing("Depths of the answer", ("duration",))
        self.cells = Listing("Cells of the answer", ("cell", "share"), right=(1,))
        self.told = Words("OGC API - Features: each feature is a depth of a cell.", size=8.5)
        self.told.setWordWrap(True)
        self.buttons = keep_or_leave(self, "Use these depths")
        self.take = next(b for b in self.buttons.findChildren(QPushButton) if b.text() == "Use these depths")
        self.take.setEnabled(False)
        for widget, name in (
            (self.address, "Address of the service"), (self.collection, "Collection of the service"),
            (self.place, "Place that is asked for"), (self.point, "Point that is asked for"),
            (self.ask, "Ask the service"), (self.file, "Open a file of cells"),
        ):  # fmt: skip
            widget.setAccessibleName(name)
        self._places = self._places_there()
        for place in self._places:
            self.place.addItem(place.name)
        self._lay_out()

    def _places_there(self) -> list[_Place]:
        import shapely

        study, blobs = self.desk.study, self.desk.file.blobs
        outlines = []
        for key in rained_on(study):
            outline = blobs.shape(getattr(study.all_elements[key], "outline", None))
            if outline is not None:
                outlines.append(_Place(study.name_of(key), outline))
        if not study.map_crs:
            return []
        if len(outlines) > 1:
            whole = shapely.union_all([place.shape for place in outlines])
            return [_Place("all catchments", whole), *outlines]
        return outlines

    def _lay_out(self) -> None:
        grid = QGridLayout()
        rows = (
            ("Service", self.address), ("Collection", self.collection), ("For", self.place), ("or a point", self.point),
        )  # fmt: skip
        for number, (words, widget) in enumerate(rows):
            grid.addWidget(Words(words, quiet=True), number, 0)
            grid.addWidget(widget, number, 1)
        grid.addWidget(self.ask, 0, 2)
        grid.addWidget(self.file, 1, 2)
        grid.setColumnStretch(1, 1)
        shown = QSplitter(Qt.Orientation.Horizontal)
        shown.addWidget(self.depths)
        shown.addWidget(self.cells)
        shown.setSizes([560, 220])
        layout = QVBoxLayout(self)
        layout.addLayout(grid)
        layout.addWidget(self.told)
        layout.addWidget(shown, 1)
        layout.addWidget(self.buttons)

    def _ask(self) -> None:
        if self._asking is not None:
            return
        try:
            place = self._asked_place()
        except TarnwaterError as error:
            self.told.setText(str(error))
            return
        file = self._file()
        url = "" if file is not None else self._address()
        collection = self.collection.text().strip()
        self.ask.setEnabled(False)
        self.told.setText("asking …")

        def work(progress: Progress) -> Any:
            from tarnwater.feeds.design_rain import averaged, depths_at, depths_in_file

            if file is None:
                answer = depths_at(url, collection, place.bounds, progress=progress)
            else:
                answer = depths_in_file(file)
            return averaged(answer, place.shape, place.to_place)

        self._asking = self.desk.aside.run(work, self._show, self._failed, "Asking the service", self._cancelled)

    def _asked_place(self) -> Any:
        """The point that is typed, or the catchment that is chosen."""
        from tarnwater.feeds.design_rain import point_at, polygon_in

        text = self.point.text().strip()
        if text:
            parts = [units.parse(part, "coordinate") for part in text.split(",")]
            if len(parts) != 2:
                raise BadInput("a point has two coordinates.", remedy="Type longitude, latitude.")
            return point_at(parts[0], parts[1])
        if not 0 <= self.place.currentIndex() < len(self._places):
            raise BadInput("there is no catchment on the map.", remedy="Type a point.")
        return polygon_in(self._places[self.place.currentIndex()].shape, self.desk.study.map_crs)

    def _file(self) -> Path | None:
        """The file that is named in place of an address, if one is."""
        text = self.address.currentText().strip()
        return Path(text) if Path(text).suffix.lower() in FILE_SUFFIXES and "://" not in text else None

    def _open_file(self) -> None:
        """Choose a file with cells in place of a service, and read it."""
        name, _ = QFileDialog.getOpenFileName(
            self, "Open a file of cells", "", CELL_FILES, options=QFileDialog.Option.DontUseNativeDialog
        )
        if name:
            self.address.setEditText(name)
            self._ask()

    def _address(self) -> str:
        text = self.address.currentText().strip()
        if text != STAND_IN:
            return text
        if self._own is None:
            from tarnwater.feeds.design_rain.server import StandIn

            self._own = StandIn()
        return str(self._own.url)

    def _cancelled(self) -> None:
        self._asking = None
        self.ask.setEnabled(True)
        self.told.setText("cancelled.")

    def _failed(self, error: BaseException) -> None:
        self._asking = None
        self.ask.setEnabled(True)
        if isinstance(error, TarnwaterError):
            self.told.setText(str(error))
        else:
            self.told.setText("the answer could not be used.")
            self.desk.fault(error)

    def _show(self, found: Any) -> None:
        self._asking = None
        self.ask.setEnabled(True)
        self.found = found
        table, system = found.table, self.desk.study.units
        unit = units.display_unit("rain", max(max(row) for row in table.depths), system)
        heads = [f"{unit}", *(f"1 in {t:g}" for t in table.return_periods)]
        self.depths.setColumnCount(len(heads))
        self.depths.setHorizontalHeaderLabels(heads)
        self.depths.show_rows(
            [
                [units.show_duration(d), *(units.rounded(units.to_unit(v, unit, "rain")) for v in row)]
                for d, row in zip(table.durations, table.depths, strict=True)
            ]
        )
        shares = [units.show(float(s), "share") for s in found.shares]
        self.cells.show_rows(list(zip(found.cells, shares, strict=True)))
        self.told.setText(f"{table.source} · {table.series}")
        self.take.setEnabled(True)

    def keep(self) -> None:
        """Take the depths into the study."""
        if self.found is None:
            return
        key = slug("service", self.desk.study.tables)
        if self.desk.do(set_depths, key, self.found.table, "take depths of a service"):
            self.taken.emit(key)
            self.accept()

    def done(self, result: int) -> None:
        """Close; work is left, and the own service stopped."""
        if self._asking is not None:
            self.desk.aside.cancel(self._asking)
        if self._own is not None:
            self._own.close()
        super().done(result)
