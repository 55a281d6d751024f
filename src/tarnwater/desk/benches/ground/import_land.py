"""Bringing in a map of cover or soil: a preview of its values and what they mean, before anything enters the study."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.cover import CoverClass
from tarnwater.desk.benches.ground.land_choices import library_of, options_for
from tarnwater.desk.benches.ground.shapes_preview import ShapesPreview, Shown
from tarnwater.desk.benches.ground.values_table import ValueRow, ValuesTable
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.answers import keep_or_leave
from tarnwater.desk.land import LandOnMaps
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.labels import Words
from tarnwater.errors import TarnwaterError
from tarnwater.formats.class_grid import is_class_grid
from tarnwater.formats.joining import KeyedTable, joined, key_in_both, read_keyed_table
from tarnwater.formats.shapes import is_drawing, lines_of, metres_per_unit, read_shapes, shape_layers
from tarnwater.formats.vector import Rejected, VectorLayer
from tarnwater.progress import Progress
from tarnwater.study.document import Study
from tarnwater.study.document.cover import HOLDS, LEFT_OPEN, Holds, LandLayer
from tarnwater.study.edits.cover import (
    LandOffer,
    layer_of_offer,
    offer_of,
    proposed_attribute,
    proposed_meaning,
    with_layer,
)
from tarnwater.study.file.kept import read_kept, write_kept

#: Polygons that the preview draws, at most; more would be slow to draw and no clearer.
MOST_DRAWN = 4000

#: Notes that are shown.
MOST_NOTES = 4


@dataclass(frozen=True, eq=False)
class ReadLand:
    """What was read: the layer in the system of the map with joined columns, and what its attribute offers."""

    layer: VectorLayer
    offer: LandOffer


class ImportLand(QDialog):
    """What the map tells, its attribute, a table beside it, and what each value means; drawn with what is left out."""

    brought_in = pyqtSignal(str)

    def __init__(self, parent: QWidget, desk: Desk, theme: Theme, work: LandOnMaps, path: Path) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Bring in cover or soil")
        self.resize(1080, 660)
        self.desk, self.path, self._theme, self._land = desk, path, theme, work
        self.kept = read_kept()
        self.library: dict[str, CoverClass] = library_of(desk.study, self.kept)
        self.found: ReadLand | None = None
        self._reading: Progress | None = None
        self._table: KeyedTable | None = None
        self._typed: dict[tuple[Holds, str], str] = {}
        self._order: list[str] = []
        self._first: list[int] = []
        self._asked_attribute = ""
        self._asked_holds = False
        self.holds, self.layer, self.attribute = QComboBox(), QComboBox(), QComboBox()
        self.condition, self.key, self.column = QComboBox(), QComboBox(), QComboBox()
        self.system, self.swap = QLineEdit(), QCheckBox("Swap the axes")
        self.join_button = QPushButton("Join a table …")
        self.up_button, self.down_button = QPushButton("Up   Alt+↑"), QPushButton("Down   Alt+↓")
        self.remember = QCheckBox("Keep what the values mean for other studies")
        self.remember.setChecked(True)
        self.told = Words("", size=8.5)
        self.told.setWordWrap(True)
        self.preview = ShapesPreview(theme)
        self.values = ValuesTable(theme, lambda: options_for(self._holds, self.library), "Values of the map")
        self.buttons = keep_or_leave(self, "Bring in")
        self.take = next(b for b in self.buttons.findChildren(QPushButton) if b.text() == "Bring in")
        self._name_all()
        self._lay_out()
        self._connect()
        self._show_layers()

    def _name_all(self) -> None:
        for widget, name in (
            (self.holds, "What the map tells"),
            (self.layer, "Layer"),
            (self.attribute, "Attribute"),
            (self.condition, "Condition"),
            (self.key, "Key of the map"),
            (self.column, "Key of the table"),
            (self.system, "Coordinate system"),
            (self.swap, "Swap the axes"),
            (self.join_button, "Join a table"),
            (self.up_button, "Move the value up"),
            (self.down_button, "Move the value down"),
            (self.remember, "Keep what the values mean"),
        ):
            widget.setAccessibleName(name)
        for holds in HOLDS:
            self.holds.addItem({"cover": "land cover"}.get(holds, holds), holds)
        self.condition.addItem("all conditions", "")
        for key, one in self.desk.study.conditions.items():
            self.condition.addItem(f"{one.name} and those below it", key)
        self.system.setPlaceholderText("as the file says; otherwise EPSG:…")

    def _lay_out(self) -> None:
        grid = QGridLayout()
        self._key_label, self._column_label = Words("Key of the map", quiet=True), Words("Key of the table", quiet=True)
        rows: tuple[tuple[Words, QWidget, Words, QWidget], ...] = (
            (Words("It tells", quiet=True), self.holds, Words("Holds in", quiet=True), self.condition),
            (Words("Layer", quiet=True), self.layer, Words("Table beside it", quiet=True), self.join_button),
            (Words("Attribute", quiet=True), self.attribute, self._key_label, self.key),
            (Words("Coordinate system", quiet=True), self.system, self._column_label, self.column),
            (Words("", quiet=True), self.swap, Words("", quiet=True), QWidget()),
        )
        for number, widgets in enumerate(rows):
            for column, widget in enumerate(widgets):
                grid.addWidget(widget, number, column)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        self._show_keys()
        orders = QHBoxLayout()
        orders.addWidget(Words("Where values overlap, the higher one counts.", quiet=True, size=8.5), 1)
        orders.addWidget(self.up_button)
        orders.addWidget(self.down_button)
        left = QVBoxLayout()
        left.addWidget(self.values, 1)
        left.addLayout(orders)
        shown = QHBoxLayout()
        shown.addLayout(left, 3)
        shown.addWidget(self.preview, 2)
        layout = QVBoxLayout(self)
        layout.addWidget(Words(self.path.name, bold=True, size=11))
        layout.addLayout(grid)
        layout.addWidget(self.told)
        layout.addLayout(shown, 1)
        layout.addWidget(self.remember)
        layout.addWidget(self.buttons)

    def _show_keys(self) -> None:
        for widget in (self._key_label, self.key, self._column_label, self.column):
            widget.setVisible(self._table is not None)

    def _connect(self) -> None:
        self.layer.activated.connect(self._read_anew)
        self.holds.activated.connect(self._holds_chosen)
        self.attribute.activated.connect(self._attribute_chosen)
        self.key.activated.connect(self._attribute_gone)
        self.column.activated.connect(self._attribute_gone)
        self.system.editingFinished.connect(self._read_if_new)
        self._system_read = ""
        self.swap.toggled.connect(self.read)
        self.join_button.clicked.connect(lambda: self.join())
        self.up_button.clicked.connect(lambda: self.values.move_row(-1))
        self.down_button.clicked.connect(lambda: self.values.move_row(1))
        # later, when the cell has closed: the rows are shown anew
        self.values.meaning_chosen.connect(self._meaning_chosen, type=Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]
        self.values.order_changed.connect(self._order_chosen)
        self.values.currentCellChanged.connect(lambda row, *_: self._lead_to(row))

    @property
    def _holds(self) -> Holds:
        holds: Holds = self.holds.currentData()
        return holds

    # reading

    def _show_layers(self) -> None:
        grid = is_class_grid(self.path)
        try:
            layers = (self.path.stem,) if grid else shape_layers(self.path)
        except TarnwaterError as error:
            self.told.setText(str(error))
            self.take.setEnabled(False)
            return
        if is_drawing(self.path) and len(layers) != 1:
            self.layer.addItem("all layers", "")
        for layer in layers:
            self.layer.addItem(layer, "" if grid else layer)
        self._read_anew()

    def _read_anew(self) -> None:
        self._asked_attribute, self._order = "", []
        self.read()

    def _read_if_new(self) -> None:
        if self.system.text().strip() != self._system_read:
            self.read()

    def read(self) -> None:
        """Read the file in a thread, with what is chosen so far."""
        if self._reading is not None:
            self.desk.aside.cancel(self._reading)
        self.found = None
        self.take.setEnabled(False)
        self.told.setText("reading …")
        self._reading = self.desk.aside.run(self._work(), self._show, self._failed, f"Reading {self.path.name}")

    def _work(self) -> Callable[[Progress], ReadLand]:
        study, path, layer = self.desk.study, self.path, str(self.layer.currentData() or "")
        crs, swap = self.system.text().strip(), self.swap.isChecked()
        self._system_read = crs
        table, key, column = self._table, str(self.key.currentText()), str(self.column.currentText())
        attribute, holds = self._asked_attribute, self._holds

        def work(progress: Progress) -> ReadLand:
            progress.tell("reading the map", 0.0)
            found = read_shapes(path, layer, into=study.map_crs, crs=crs, swap_axes=swap, grids=True)
            if table is not None and key in found.fields and column in table.columns:
                found = joined(found, table, key, column)
            chosen = attribute if attribute in found.fields else proposed_attribute(found, holds)
            progress.tell("sorting its values", 0.6)
            system = study.map_crs or found.crs
            return ReadLand(found, offer_of(found, chosen, metres_per_unit(system) if system else 1.0))

        return work

    def _failed(self, error: BaseException) -> None:
        self._reading = None
        self.told.setText(str(error))
        self.values.show_rows([])
        self.preview.show_shapes([], None)
        if not isinstance(error, TarnwaterError):
            self.desk.fault(error)

    def join(self, path: Path | None = None) -> None:
        """Ask for a table and join it by the key that it has in common with the map."""
        if path is None:
            chosen, _ = QFileDialog.getOpenFileName(
                self,
                "Join a table",
                "",
                "Tables (*.csv *.tsv *.txt);;All files (*)",
                options=QFileDialog.Option.DontUseNativeDialog,
            )
            if not chosen:
                return
            path = Path(chosen)
        if self.found is None:
            return
        try:
            table = read_keyed_table(path)
        except TarnwaterError as error:
            self.told.setText(str(error))
            return
        field, column = key_in_both(self.found.layer, table)
        self._table = table
        self.join_button.setText(f"{table.name}: {len(table)} rows …")
        for chooser, names, name in ((self.key, self.found.layer.fields, field), (self.column, table.columns, column)):
            chooser.clear()
            chooser.addItems(list(names))
            chooser.setCurrentText(name)
        self._show_keys()
        self._attribute_gone()

    # showing

    def _show(self, found: ReadLand) -> None:
        self._reading = None
        self.found = found
        self.attribute.clear()
        self.attribute.addItems(list(found.layer.fields))
        self.attribute.setCurrentText(found.offer.attribute)
        if not self._asked_holds:
            self._propose_holds(found)
        self._show_values()
        self.take.setEnabled(bool(found.offer.shapes))

    def _propose_holds(self, found: ReadLand) -> None:
        """Propose what the map tells, by the words of its values; the person may choose another."""
        self._asked_holds = True
        known = {holds: sum(bool(self._meaning(value, holds)) for value in found.offer.shapes) for holds in HOLDS}
        best = max(HOLDS, key=lambda holds: known[holds])
        if known[best] > known[self._holds]:
            self.holds.setCurrentIndex(self.holds.findData(best))
        elif not known[self._holds]:
            # a field that is not proposed for cover may well tell soils
            for holds in HOLDS[1:]:
                name = proposed_attribute(found.layer, holds)
                if name and any(self._meaning(str(v or ""), holds) for v in found.layer.fields[name]):
                    self.holds.setCurrentIndex(self.holds.findData(holds))
                    self._attribute_gone()
                    return

    def _meaning(self, value: str, holds: Holds) -> str:
        if (holds, value) in self._typed:
            return self._typed[holds, value]
        return proposed_meaning(value, holds, self.kept.of(holds), self.library)

    def _show_values(self) -> None:
        found = self.found
        if found is None:
            return
        system, offer = self.desk.study.units, found.offer
        known = [value for value in self._order if value in offer.shapes]
        rest = sorted((value for value in offer.shapes if value not in known), key=lambda value: offer.areas[value])
        rows = [
            ValueRow(
                value,
                self._meaning(value, self._holds),
                f"{len(offer.shapes[value])}",
                units.show(offer.areas[value], "area", system),
            )
            for value in (*known, *rest)
        ]
        unknown = [row for row in rows if not row.means]
        rows += [ValueRow(f"row {one.number}", f"left out: it {one.what}", "", "", True) for one in offer.rejected]
        self.values.show_rows(rows)
        self._draw(found)
        self.told.setText(self._words_of(found, unknown))

    def _words_of(self, found: ReadLand, unknown: list[ValueRow]) -> str:
        system = self.desk.study.units
        count = sum(len(shapes) for shapes in found.offer.shapes.values())
        crs = self.desk.study.map_crs or found.layer.crs or "none stated; places are taken as they are"
        parts = [f"{count} polygons, {units.show(found.offer.area, 'area', system)} · coordinate system {crs[:60]}"]
        if unknown:
            area = units.show(sum(found.offer.areas[row.value] for row in unknown), "area", system)
            parts.append(f"{len(unknown)} of {len(found.offer.shapes)} values are unknown, {area}: say what they are")
        if found.offer.rejected:
            parts.append(f"{len(found.offer.rejected)} rows are left out")
        notes = list(found.offer.notes)
        more = f" · and {len(notes) - MOST_NOTES} more notes" if len(notes) > MOST_NOTES else ""
        return " · ".join(parts) + ("\n" + " · ".join(notes[:MOST_NOTES]) + more if notes else "")

    def _draw(self, found: ReadLand) -> None:
        """Draw the polygons of each value in the colour of its class, and a cross for each row that is left out."""
        self._first = []
        shown: list[Shown] = []
        for row in reversed(self.values.rows):
            shapes = found.offer.shapes.get(row.value, ()) if not row.left_out else ()
            self._first.append(len(shown) if shapes else -1)
            fill = self._colour(row.means)
            shown += [Shown(lines_of(one), closed=True, fill=fill) for one in shapes[: MOST_DRAWN - len(shown)]]
        self._first.reverse()
        crosses = {f"row {one.number}": len(shown) + i for i, one in enumerate(self._placed(found))}
        shown += [Shown((np.array([one.place]),), closed=False, left_out=True) for one in self._placed(found)]
        self._first = [
            crosses.get(row.value, -1) if row.left_out else at
            for row, at in zip(self.values.rows, self._first, strict=True)
        ]
        self.preview.show_shapes(shown, self._terrain_extent())

    @staticmethod
    def _placed(found: ReadLand) -> list[Rejected]:
        return [one for one in found.offer.rejected if one.place is not None]

    def _colour(self, means: str) -> QColor | None:
        if not means or means == LEFT_OPEN:
            return None
        if self._holds == "cover":
            return QColor(self.library[means].colour) if means in self.library else None
        options = options_for(self._holds, self.library)
        share = options.index(means) / max(len(options) - 1, 1) if means in options else 0.0
        return QColor.fromHsvF(0.09 + 0.5 * share, 0.35, 0.85)

    def _lead_to(self, row: int) -> None:
        if 0 <= row < len(self._first):
            self.preview.choose(self._first[row])

    def _terrain_extent(self) -> tuple[float, float, float, float] | None:
        picture = self.desk.ground.picture
        return None if picture is None else (
            picture.extent.west, picture.extent.south, picture.extent.east, picture.extent.north
        )  # fmt: skip

    # choosing

    def _holds_chosen(self) -> None:
        self._asked_holds = True
        self._attribute_gone()

    def _attribute_chosen(self) -> None:
        self._asked_attribute, self._order = self.attribute.currentText(), []
        self.read()

    def _attribute_gone(self) -> None:
        """Something else is asked of the map: its attribute is proposed again."""
        self._asked_attribute, self._order = "", []
        self.read()

    def _meaning_chosen(self, value: str, means: str) -> None:
        options = options_for(self._holds, self.library)
        refused = bool(means) and means not in options
        if not refused:
            self._typed[self._holds, value] = means
        self._order = self.values.order
        self._show_values()
        if refused:
            self.told.setText(f"{value}: there is no “{means}” to choose. Choose one of the list, or clear it.")

    def _order_chosen(self) -> None:
        self._order = self.values.order
        if self.found is not None:
            self._draw(self.found)

    # taking in

    def keep(self) -> None:
        """Store the shapes, and measure the catchments on the study's maps and this one, as one act."""
        found, desk = self.found, self.desk
        if found is None:
            return
        holds, meanings, order = self._holds, self.values.meanings, self.values.order
        condition, name = str(self.condition.currentData() or ""), self._layer_name()
        made = layer_of_offer(
            found.offer,
            desk.file.blobs,
            name=name,
            holds=holds,
            meanings=meanings,
            order=order,
            condition=condition,
            source=self.path.name,
        )
        used = set(meanings.values()) - {"", LEFT_OPEN}
        classes = {key: self.library[key] for key in used if holds == "cover"}

        def change(study: Study) -> dict[str, LandLayer]:
            return with_layer(study, made)[1]

        if self.remember.isChecked():
            self._keep_meanings(holds, meanings)
        self._land.measure(f"bring in {name}", change=change, classes=classes)
        self.brought_in.emit(holds)
        self.accept()

    def _keep_meanings(self, holds: Holds, meanings: dict[str, str]) -> None:
        chosen = {value: means for value, means in meanings.items() if means and means.casefold() != value.casefold()}
        try:
            write_kept(read_kept().with_meanings(holds, chosen))
        except TarnwaterError as error:
            self.desk.fault(error)

    def _layer_name(self) -> str:
        layer = str(self.layer.currentData() or "")
        return f"{self.path.stem}: {layer}" if self.layer.count() > 1 and layer else self.path.stem
