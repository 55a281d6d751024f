"""Importing shapes: a preview of a vector file or drawing before anything enters the study."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.desk.benches.ground.shapes_preview import ShapesPreview, Shown
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.answers import keep_or_leave
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.labels import Words
from tarnwater.errors import TarnwaterError
from tarnwater.formats.shapes import is_drawing, lie_swapped, lines_of, metres_per_unit, read_shapes, shape_layers
from tarnwater.formats.vector import Rejected, VectorLayer
from tarnwater.progress import Progress
from tarnwater.study.document import Outlet, Study
from tarnwater.study.document.feature_lines import line_of
from tarnwater.study.document.map import Background
from tarnwater.study.edits.ground import features_from, with_features
from tarnwater.study.edits.map import add_background, path_for
from tarnwater.study.edits.outlets import outlets_from
from tarnwater.study.edits.polygons import (
    Drains,
    Fields,
    Offer,
    Plan,
    offer,
    plan,
    proposed_fields,
    take_polygons,
    words_of_fault,
)
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.features import GroundFeature

CATCHMENTS, OUTLETS, LINES = "catchments", "outlets", "lines"

#: Ways of draining, with their words.
WAYS: tuple[tuple[Drains, str], ...] = (
    ("terrain", "as the terrain leads"),
    ("named", "into the one named by a field"),
    ("one outfall", "all into one outfall"),
    ("an outfall each", "each into its own outfall"),
)

#: Units of a drawing, with the metres in one.
DRAWN_IN: tuple[tuple[str, float | None], ...] = (
    ("as the drawing says", None), ("metres", 1.0), ("millimetres", 0.001), ("centimetres", 0.01), ("feet", 0.3048),
    ("US survey feet", 1200 / 3937), ("inches", 0.0254), ("kilometres", 1000.0),
)  # fmt: skip

HEADS = ("take", "row", "name", "size", "drains to", "CN", "remark")


@dataclass(frozen=True, eq=False)
class Read:
    """What was read: the layer in the system of the map, and what becomes of it."""

    layer: VectorLayer
    offered: Offer | None = None
    planned: Plan | None = None
    outlets: dict[str, Outlet] = field(default_factory=dict)
    features: dict[str, GroundFeature] = field(default_factory=dict)
    lines: dict[str, Floats] = field(default_factory=dict)
    rejected: tuple[Rejected, ...] = ()
    notes: tuple[str, ...] = ()
    swapped: bool = False


class ImportShapes(QDialog):
    """Layer, use, fields and system are chosen; the rows are listed and drawn, with those that are left out."""

    def __init__(self, parent: QWidget, desk: Desk, theme: Theme, path: Path) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Import shapes")
        self.resize(1040, 640)
        self.desk, self.path = desk, path
        self.found: Read | None = None
        self._reading: Progress | None = None
        self._fields_of = ""
        self._left_out: set[int] = set()
        self.layer, self.use, self.ways = QComboBox(), QComboBox(), QComboBox()
        self.system, self.swap = QLineEdit(), QCheckBox("Swap the axes")
        self.unit = QComboBox()
        self.name, self.curve_number, self.area, self.downstream = (QComboBox() for _ in range(4))
        self.area_unit = QComboBox()
        self.mend_up_to = QLineEdit()
        self.mend_up_to.setPlaceholderText("none; otherwise an area, as 50 m²")
        self.told = Words("", size=8.5)
        self.told.setWordWrap(True)
        self.preview = ShapesPreview(theme)
        self.table = QTableWidget(0, len(HEADS))
        self.buttons = keep_or_leave(self, "Import")
        self.take = next(b for b in self.buttons.findChildren(QPushButton) if b.text() == "Import")
        self._theme = theme
        self._fill_choices()
        self._lay_out()
        self._connect()
        self._show_layers()

    def _fill_choices(self) -> None:
        for widget, name in (
            (self.layer, "Layer"),
            (self.use, "What the shapes are"),
            (self.ways, "Where they drain"),
            (self.system, "Coordinate system"),
            (self.unit, "Unit of the drawing"),
            (self.name, "Field of the names"),
            (self.curve_number, "Field of the curve numbers"),
            (self.area, "Field of the areas"),
            (self.area_unit, "Unit of the areas"),
            (self.downstream, "Field of the downstream names"),
            (self.mend_up_to, "Gaps and overlaps to mend"),
            (self.table, "Rows of the file"),
        ):
            widget.setAccessibleName(name)
        self.swap.setAccessibleName("Swap the axes")
        self.use.addItem("catchments", CATCHMENTS)
        mapped = self.desk.study.terrain is not None
        if mapped:
            self.use.addItem("outlets", OUTLETS)
            for tag, model in GroundFeature.known.items():
                self.use.addItem(f"{model.title}s", tag)
        self.use.addItem("lines under the map", LINES)
        for way, words in WAYS:
            if way != "terrain" or mapped:
                self.ways.addItem(words, way)
        for words, metres in DRAWN_IN:
            self.unit.addItem(words, metres)
        self.area_unit.addItems(units.units_of("area", self.desk.study.units))
        self.system.setPlaceholderText("as the file says; otherwise EPSG:…")
        self.table.setHorizontalHeaderLabels(HEADS)
        self.table.setFont(desk_font(9))
        self.table.setTabKeyNavigation(False)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        rows, head = self.table.verticalHeader(), self.table.horizontalHeader()
        if rows is not None and head is not None:
            rows.hide()
            head.setHighlightSections(False)
            head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            head.setStretchLastSection(True)

    def _lay_out(self) -> None:
        grid = QGridLayout()
        rows: tuple[tuple[str, QWidget, str, QWidget], ...] = (
            ("Layer", self.layer, "Names", self.name),
            ("They are", self.use, "Curve numbers", self.curve_number),
            ("Coordinate system", self.system, "Areas", self._pair(self.area, self.area_unit)),
            ("", self.swap, "Drain", self.ways),
            ("Drawn in", self.unit, "Mend boundaries up to", self.mend_up_to),
            ("", QWidget(), "Downstream names", self.downstream),
        )
        self._labels: dict[QWidget, Words] = {}
        for number, (left, first, right, second) in enumerate(rows):
            for column, words, widget in ((0, left, first), (2, right, second)):
                label = Words(words, quiet=True)
                self._labels[widget] = label
                grid.addWidget(label, number, column)
                grid.addWidget(widget, number, column + 1)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        shown = QHBoxLayout()
        shown.addWidget(self.table, 3)
        shown.addWidget(self.preview, 2)
        layout = QVBoxLayout(self)
        layout.addWidget(Words(self.path.name, bold=True, size=11))
        layout.addLayout(grid)
        layout.addWidget(self.told)
        layout.addLayout(shown, 1)
        layout.addWidget(self.buttons)

    @staticmethod
    def _pair(one: QWidget, other: QWidget) -> QWidget:
        both = QWidget()
        line = QHBoxLayout(both)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(one, 1)
        line.addWidget(other)
        return both

    def _connect(self) -> None:
        for chooser in (self.layer, self.unit):
            chooser.activated.connect(self._read_anew)
        for chooser in (
            self.use, self.ways, self.name, self.curve_number, self.area, self.area_unit, self.downstream,
        ):  # fmt: skip
            chooser.activated.connect(self.read)
        self.system.editingFinished.connect(self.read)
        self.mend_up_to.editingFinished.connect(self.read)
        self.swap.toggled.connect(self.read)
        self.table.currentCellChanged.connect(lambda row, *_: self.preview.choose(row))
        self.table.itemChanged.connect(self._ticked)

    # reading

    def _show_layers(self) -> None:
        try:
            layers = shape_layers(self.path)
        except TarnwaterError as error:
            self.told.setText(str(error))
            self.take.setEnabled(False)
            return
        drawn = is_drawing(self.path)
        if drawn and len(layers) != 1:
            self.layer.addItem("all layers", "")
        for layer in layers:
            self.layer.addItem(layer, layer)
        self.unit.setVisible(drawn)
        self._labels[self.unit].setVisible(drawn)
        self._read_anew()

    def _read_anew(self) -> None:
        """Read another layer: its fields are proposed again, and no row is left out by hand."""
        self._fields_of = ""
        self._left_out = set()
        self.read()

    @property
    def _use(self) -> str:
        return str(self.use.currentData())

    def read(self) -> None:
        """Read the file in a thread, with what is chosen so far."""
        if self._reading is not None:
            self.desk.aside.cancel(self._reading)
        self.found = None
        self.take.setEnabled(False)
        self.told.setText("reading …")
        self._show_choices()
        self._reading = self.desk.aside.run(self._work(), self._show, self._failed, f"Reading {self.path.name}")

    def _work(self) -> Callable[[Progress], Read]:
        study, drainage, blobs = self.desk.study, self.desk.ground.drainage, self.desk.file.blobs
        layer, use, path = str(self.layer.currentData() or ""), self._use, self.path
        crs, unit = self.system.text().strip(), self.unit.currentData()
        swap = self.swap.isChecked()
        fields = self._chosen_fields() if self._fields_of else None
        drains: Drains = self.ways.currentData()
        left_out = set(self._left_out)
        closing = self.mend_up_to.text().strip()
        area_unit = units.units_of("area", study.units)[0]

        def work(progress: Progress) -> Read:
            progress.tell("reading the shapes", 0.0)
            found = read_shapes(path, layer, into=study.map_crs, crs=crs, unit=unit, swap_axes=swap)
            swapped = False
            if drainage is not None and not swap:
                grid = drainage.grid
                east, south = grid.west + grid.shape[1] * grid.width, grid.north - grid.shape[0] * grid.height
                swapped = lie_swapped(found, grid.west, south, east, grid.north)
            named = proposed_fields(found) if fields is None else fields
            if use == CATCHMENTS:
                up_to = units.parse(closing, "area", default=area_unit) if closing else 0.0
                return _as_catchments(study, found, named, drains, drainage, left_out, swapped, up_to, progress)
            if use == OUTLETS:
                assert drainage is not None
                made, rejected = outlets_from(study, drainage, found, name_field=named.name)
                new = {key: outlet for key, outlet in made.items() if key not in study.outlets}
                return Read(found, outlets=new, rejected=rejected, notes=found.notes, swapped=swapped)
            if use == LINES:
                return Read(found, rejected=found.rejected, notes=found.notes, swapped=swapped)
            features, rejected = features_from(study, use, found, blobs, name_field=named.name)
            lines = {key: line_of(feature, blobs) for key, feature in features.items()}
            return Read(found, None, None, {}, features, lines, rejected, found.notes, swapped)

        return work

    def _chosen_fields(self) -> Fields:
        return Fields(
            name=str(self.name.currentData() or ""),
            curve_number=str(self.curve_number.currentData() or ""),
            area=str(self.area.currentData() or ""),
            area_unit=self.area_unit.currentText(),
            downstream=str(self.downstream.currentData() or ""),
        )

    def _failed(self, error: BaseException) -> None:
        self._reading = None
        self.told.setText(str(error))
        self.table.setRowCount(0)
        self.preview.show_shapes([], None)
        if not isinstance(error, TarnwaterError):
            self.desk.fault(error)

    # showing

    def _show_choices(self) -> None:
        """Show the choices that matter for the use."""
        for widget in (self.curve_number, self.ways, self.mend_up_to):
            widget.setVisible(self._use == CATCHMENTS)
            self._labels[widget].setVisible(self._use == CATCHMENTS)
        area = self.area.parentWidget()
        assert area is not None
        area.setVisible(self._use == CATCHMENTS)
        self._labels[area].setVisible(self._use == CATCHMENTS)
        named = self._use == CATCHMENTS and self.ways.currentData() == "named"
        self.downstream.setVisible(named)
        self._labels[self.downstream].setVisible(named)

    def _show(self, found: Read) -> None:
        self._reading = None
        self.found = found
        if not self._fields_of:
            self._fill_fields(found.layer)
        if found.swapped:
            found = self.found = replace(found, notes=(*found.notes, SWAPPED))
        self._show_rows(found)
        self.told.setText(self._words_of(found))
        self._allow()

    def _fill_fields(self, layer: VectorLayer) -> None:
        proposed = proposed_fields(layer)
        self._fields_of = layer.name or "drawing"
        for chooser, field_name in (
            (self.name, proposed.name),
            (self.curve_number, proposed.curve_number),
            (self.area, proposed.area),
            (self.downstream, proposed.downstream),
        ):
            chooser.clear()
            chooser.addItem("none", "")
            for name in layer.fields:
                chooser.addItem(name, name)
            chooser.setCurrentIndex(max(chooser.findData(field_name), 0))

    def _words_of(self, found: Read) -> str:
        count = len(_rows_of(found, "SI"))
        system = self.desk.study.map_crs or found.layer.crs or "none stated; places are taken as they are"
        head = f"{count} of {count + len(found.rejected)} rows can be taken · coordinate system {system[:60]}"
        notes = list(found.notes)
        more = f"\n… and {len(notes) - MOST_NOTES} more" if len(notes) > MOST_NOTES else ""
        return head + "".join(f"\n{note}" for note in notes[:MOST_NOTES]) + more

    def _show_rows(self, found: Read) -> None:
        rows = _rows_of(found, self.desk.study.units)
        self.table.blockSignals(True)
        self.table.setRowCount(0)
        faults = _fault_rows(found, self.desk.study)
        self.table.setRowCount(len(rows) + len(found.rejected) + len(faults))
        for number, (row, cells) in enumerate(rows):
            self._put(number, cells, taken=row not in self._left_out, key=row)
        for number, one in enumerate(found.rejected, start=len(rows)):
            self._put(number, (str(one.number), "", "", "", "", f"left out: it {one.what}"), taken=None, key=-1)
        for number, (words, _) in enumerate(faults, start=len(rows) + len(found.rejected)):
            self._put(number, ("", "", "", "", "", words), taken=None, key=-1)
        self.table.blockSignals(False)
        shown = [*_drawn(found), *(_cross(one, found) for one in found.rejected), *(one for _, one in faults)]
        self.preview.show_shapes(shown, self._terrain_extent())

    def _put(self, row: int, cells: Sequence[str], *, taken: bool | None, key: int) -> None:
        tick = QTableWidgetItem()
        if taken is not None:
            tick.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsUserCheckable)
            tick.setCheckState(Qt.CheckState.Checked if taken else Qt.CheckState.Unchecked)
        tick.setData(Qt.ItemDataRole.UserRole, key)
        self.table.setItem(row, 0, tick)
        for column, text in enumerate(cells, start=1):
            item = QTableWidgetItem(text)
            if column in (1, 3, 5):
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            if taken is None:
                item.setForeground(self._theme.colour("limit"))
            item.setToolTip(text)
            self.table.setItem(row, column, item)

    def _terrain_extent(self) -> tuple[float, float, float, float] | None:
        picture = self.desk.ground.picture
        return None if picture is None else (
            picture.extent.west, picture.extent.south, picture.extent.east, picture.extent.north
        )  # fmt: skip

    def _ticked(self, item: QTableWidgetItem) -> None:
        if item.column() != 0:
            return
        row = int(item.data(Qt.ItemDataRole.UserRole))
        if item.checkState() == Qt.CheckState.Checked:
            self._left_out.discard(row)
        else:
            self._left_out.add(row)
        if self._use == CATCHMENTS:
            self.read()
        else:
            self._allow()

    def _allow(self) -> None:
        found = self.found
        some = found is not None and len(_rows_of(found, "SI")) > len(self._left_out)
        self.take.setEnabled(some)

    # taking in

    def keep(self) -> None:
        """Enter the shapes into the study, as one act."""
        found, desk = self.found, self.desk
        if found is None:
            return
        if found.planned is not None:
            crs = desk.study.map_crs or found.layer.crs
            by, at = desk.stamp()["by"], desk.stamp()["at"]
            if not desk.do(take_polygons, found.planned, desk.file.blobs, self.path.name, crs=crs, by=by, at=at):
                return
        elif self._use == LINES:
            layer = str(self.layer.currentData() or "")
            name = f"{self.path.stem}: {layer}" if self.layer.count() > 1 and layer else self.path.stem
            kept = path_for(desk.file.path, self.path)
            crs = self.system.text().strip()
            if not desk.do(add_background, Background(name=name, path=kept, kind="lines", layer=layer, crs=crs)):
                return
        elif found.outlets:
            chosen = {key: o for i, (key, o) in enumerate(found.outlets.items()) if i not in self._left_out}
            desk.ground.place_outlets(chosen, f"import the outlets of {self.path.name}")
        else:
            self._take_features(found)
        self.accept()

    def _take_features(self, found: Read) -> None:
        chosen = [one for i, one in enumerate(found.features.values()) if i not in self._left_out]
        title = GroundFeature.of_tag(self._use).title
        act = f"import the {title}s of {self.path.name}"
        self.desk.ground.reshape(act, change=lambda study: with_features(study, chosen))


#: Said where the axes seem to be swapped.
SWAPPED = "they lie beside the terrain, but would lie on it with their axes swapped"

#: Notes that are shown.
MOST_NOTES = 5


def _as_catchments(
    study: Study,
    layer: VectorLayer,
    fields: Fields,
    drains: Drains,
    drainage: Drainage | None,
    left_out: set[int],
    swapped: bool,
    mend_up_to: float,
    progress: Progress,
) -> Read:
    crs = study.map_crs or layer.crs
    offered = offer(study, layer, fields, metres_per_unit(crs) if crs else 1.0, mend_up_to=mend_up_to)
    chosen = [one for index, one in enumerate(offered.candidates) if index not in left_out]
    threshold = study.terrain.stream_threshold if study.terrain is not None else None
    planned = plan(chosen, drains, drainage, progress, threshold=threshold) if chosen else None
    notes = (*offered.notes, *(planned.notes if planned is not None else ()))
    return Read(layer, offered, planned, rejected=offered.rejected, notes=notes, swapped=swapped)


def _rows_of(found: Read, system: units.System) -> list[tuple[int, tuple[str, ...]]]:
    """Position and cells of each row that can be taken."""
    rows: list[tuple[int, tuple[str, ...]]] = []
    if found.offered is not None:
        targets = {} if found.planned is None else {
            one.number: found.planned.target(index) for index, one in enumerate(found.planned.candidates)
        }  # fmt: skip
        for index, one in enumerate(found.offered.candidates):
            number = "" if one.curve_number is None else f"{one.curve_number:g}"
            stated = "" if one.stated_area is None else f"stated {units.show(one.stated_area, 'area', system)}"
            cells = (
                str(one.number), one.name, units.show(one.area, "area", system), targets.get(one.number, ""), number,
                stated,
            )  # fmt: skip
            rows.append((index, cells))
        return rows
    for index, outlet in enumerate(found.outlets.values()):
        x, y = outlet.asked
        rows.append((index, ("", outlet.name, units.show_place(x, y), "", "", "")))
    for index, feature in enumerate(found.features.values()):
        size = "" if not feature.size else units.show(getattr(feature, feature.size), "length", system)
        rows.append((index, ("", feature.name, size, "", "", feature.title)))
    if not rows:
        for index, shape in enumerate(found.layer.shapes):
            rows.append((index, (str(found.layer.numbers[index]), "", "", "", "", shape.geom_type.lower())))
    return rows


def _drawn(found: Read) -> list[Shown]:
    """What is drawn of each row that can be taken, in their order."""

    if found.offered is not None:
        return [Shown(lines_of(one.shape), closed=True) for one in found.offered.candidates]
    if found.outlets:
        return [Shown((np.array([outlet.asked]),), closed=False) for outlet in found.outlets.values()]
    if found.features:
        return [Shown((found.lines[key],), closed=False) for key in found.features]
    return [Shown(lines_of(shape), closed=False) for shape in found.layer.shapes]


def _fault_rows(found: Read, study: Study) -> list[tuple[str, Shown]]:
    """Words and shape of each gap and overlap that is left."""
    if found.offered is None:
        return []
    crs = study.map_crs or found.layer.crs
    metres = metres_per_unit(crs) if crs else 1.0
    return [
        (
            words_of_fault(fault, found.offered.candidates, study.units, metres),
            Shown(lines_of(fault.shape), closed=True, left_out=True),
        )
        for fault in found.offered.faults
    ]


def _cross(one: Rejected, found: Read) -> Shown:
    """A cross at the place of a row that is left out; at the first shape if its place is not known."""
    import shapely

    place = one.place
    if place is None:
        first = found.layer.shapes[0] if found.layer.shapes else None
        place = (0.0, 0.0) if first is None else tuple(shapely.get_coordinates(first)[0].tolist())
    return Shown((np.array([place]),), closed=False, left_out=True)
