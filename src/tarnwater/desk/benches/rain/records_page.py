"""Records: those of the study, each in its browser, and what it needs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QMenu,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.brief.records import (
    REMEDIES,
    YEAR_REMEDIES,
    FaultRow,
    YearRow,
    counted,
    fault_rows,
    gauge_words,
    year_rows,
)
from tarnwater.desk.benches.rain.import_record import ImportRecord
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.bringing import Bringing
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.listing import Listing
from tarnwater.desk.widgets.quantity_field import QuantityField
from tarnwater.desk.widgets.record_view import RecordView, Stretch
from tarnwater.errors import TarnwaterError
from tarnwater.network.elements import Inflow
from tarnwater.progress import Progress
from tarnwater.rain.records.faults import Fault, Remedy
from tarnwater.rain.records.mending import Mended, Treated
from tarnwater.rain.records.raw import FORMS
from tarnwater.study import edits
from tarnwater.study.edits.records import (
    add_gauges,
    cut_inflow,
    mend_fault,
    place_gauge,
    remove_gauge,
    rename_gauge,
    reread_gauge,
    set_neighbours,
    unmend_fault,
    use_years,
)
from tarnwater.study.rain.records import IncompleteYear, incomplete_years, mended_of, neighbours_of, record_of

RECORD_FILES = "Records (*.csv *.tsv *.txt *.xlsx *.xml *.wml);;All files (*)"


@dataclass(frozen=True, eq=False)
class Looked:
    """What a look at a record found: what was done about its faults, and its years with too little data."""

    mended: Mended
    years: list[IncompleteYear]


class RecordsPage(QWidget):
    """The list of records beside the one that is chosen: its browser, what it needs, and how it is read."""

    chosen = pyqtSignal(str)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.desk, self.theme = desk, theme
        self.key = ""
        self.rows: list[FaultRow | YearRow] = []
        self._working: Progress | None = None
        self._of: tuple[object, ...] = ()
        self.list = Listing("Records", ("record", "holds", "to look at"))
        self.list.row_chosen.connect(self._turn_to)
        self.view = RecordView("Record", theme)
        self.needs = Listing("Faults of the record", ("what", "when", "how much", "done", ""))
        self.needs.row_chosen.connect(self._show_fault)
        self.needs.row_entered.connect(lambda _: self.ask_remedy())
        self.import_button = self._button("Import a record …", "Import a record", lambda: self.import_record())
        self.remove_button = self._button("Remove", "Remove the record", self._remove)
        self.remedy_button = self._button("Remedy …   Enter", "Choose a remedy", lambda: self.ask_remedy())
        self.alike_button = self._button("All alike …", "Choose a remedy for all alike", lambda: self.ask_remedy(True))
        self.back_button = self._button("Take back   Del", "Take the remedy back", self._take_back)
        self.write_button = self._button(
            "Write as WaterML …", "Write the record as WaterML", lambda: self.write_record()
        )
        self.inflow_button = self._button("Let in as an inflow …", "Let the flow in view in", lambda: self.let_in())
        self.inflow_button.setToolTip("an inflow of the network takes the stretch in view")
        self._told = Words("", size=8.5)
        self._message = Words("", size=8.5, role="limit")
        self._message.setWordWrap(True)
        self.name = QuantityField("", self._rename, self._tell, "Name of the record")
        self.place = QuantityField("", self._read_place, self._tell, "Place of the gauge")
        self.form, self.stamp = QComboBox(), QComboBox()
        self.form.setAccessibleName("What the values of the record are")
        self.stamp.setAccessibleName("Where the times of the record stand")
        for form, words in FORMS.items():
            self.form.addItem(words, form)
        for words, stamp in (("at the end of the interval", "end"), ("at its start", "start")):
            self.stamp.addItem(words, stamp)
        self.form.activated.connect(lambda _: self._do(reread_gauge, form=self.form.currentData()))
        self.stamp.activated.connect(lambda _: self._do(reread_gauge, stamp=self.stamp.currentData()))
        self.neighbours = QuantityField("", self._read_neighbours, self._tell, "Neighbours that fill gaps")
        self._empty = Bringing(
            desk,
            "No record yet. Bring years of rain from a gauge (CSV, TSV, XLSX or WaterML): its faults are found\n"
            "and mended, its annual maxima fitted, its events made into storms. Flow gives flood peaks.",
            (("Import a record …", "Import a first record", lambda: self.import_record()),),
        )
        self._lay_out()
        QShortcut(QKeySequence("Delete"), self.needs, self._take_back, context=Qt.ShortcutContext.WidgetShortcut)

    def _button(self, words: str, name: str, act: Callable[[], object]) -> QPushButton:
        button = QPushButton(words)
        button.setAccessibleName(name)
        button.clicked.connect(lambda: act())
        return button

    def _lay_out(self) -> None:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(16, 8, 6, 8)
        column.setSpacing(4)
        head = QHBoxLayout()
        head.addWidget(Words("Records", bold=True, size=10))
        head.addStretch(1)
        head.addWidget(self.import_button)
        head.addWidget(self.remove_button)
        column.addLayout(head)
        column.addWidget(self.list, 1)
        grid = QGridLayout()
        for number, (words, widget) in enumerate(
            (("Name", self.name), ("Place", self.place), ("Values are", self.form), ("Times stand", self.stamp),
             ("Neighbours", self.neighbours))
        ):  # fmt: skip
            grid.addWidget(Words(words, quiet=True, size=8.5), number, 0)
            grid.addWidget(widget, number, 1)
        for field in (self.name, self.place, self.neighbours):
            field.setAlignment(Qt.AlignmentFlag.AlignLeft)
        self.place.setPlaceholderText("x, y on the map")
        self.neighbours.setPlaceholderText("Fell 1, Ford 0.5 (name and weight)")
        column.addLayout(grid)
        column.addWidget(self.write_button)
        column.addWidget(self.inflow_button)
        column.addWidget(self._message)
        right = QWidget()
        below = QVBoxLayout(right)
        below.setContentsMargins(6, 8, 10, 4)
        below.setSpacing(4)
        below.addWidget(self.view, 3)
        line = QHBoxLayout()
        line.addWidget(Words("Faults", bold=True, size=10))
        line.addWidget(self._told)
        line.addStretch(1)
        below.addLayout(line)
        below.addWidget(self.needs, 2)
        acts = QHBoxLayout()
        for button in (self.remedy_button, self.alike_button, self.back_button):
            acts.addWidget(button)
        acts.addStretch(1)
        below.addLayout(acts)
        self._split = QSplitter(Qt.Orientation.Horizontal)
        self._split.addWidget(left)
        self._split.addWidget(right)
        self._split.setSizes([300, 640])
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self._split, 1)
        whole.addWidget(self._empty, 1)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.theme = theme
        self.view.set_theme(theme)
        self._of = ()

    def take_focus(self) -> None:
        """Work begins in the list."""
        (self.list if self.desk.study.gauges else self._empty).setFocus()

    # showing

    def refresh(self) -> None:
        """Show the records of the study, and the one that is chosen."""
        gauges = self.desk.study.gauges
        self._split.setVisible(bool(gauges))
        self._empty.setVisible(not gauges)
        if self.key not in gauges:
            self.key = next(iter(gauges), "")
        if not gauges:
            return
        of = gauges, self.desk.study.units, self.key
        if all(a is b for a, b in zip(of, self._of, strict=False)) and self._of:
            return
        self._of = of
        self._show_form()
        self._mend_all()

    def _show_form(self) -> None:
        gauge = self.desk.study.gauges[self.key]
        self.name.show_value(gauge.name)
        self.place.show_value("" if gauge.place is None else f"{gauge.place[0]:.10g}, {gauge.place[1]:.10g}")
        self.form.setCurrentIndex(self.form.findData(gauge.form))
        self.stamp.setCurrentIndex(self.stamp.findData(gauge.stamp))
        self.stamp.setEnabled(gauge.form in ("incremental", "rate"))
        names = self.desk.study.gauges
        self.neighbours.show_value(", ".join(f"{names[k].name} {n.weight:g}" for k, n in gauge.neighbours.items()))
        self.neighbours.setEnabled(gauge.quantity == "rain")
        self.inflow_button.setVisible(gauge.quantity == "flow")

    def _mend_all(self) -> None:
        """Mend every record in a thread, because the first look at a long one takes a while."""
        if self._working is not None:
            self.desk.aside.cancel(self._working)
        study, blobs = self.desk.study, self.desk.file.blobs

        def work(progress: Progress) -> dict[str, Looked | str]:
            found: dict[str, Looked | str] = {}
            for done, key in enumerate(study.gauges):
                progress.tell("records", done / len(study.gauges))
                try:
                    found[key] = Looked(mended_of(study, blobs, key), incomplete_years(study, blobs, key))
                except TarnwaterError as error:
                    found[key] = str(error)
            return found

        self._working = self.desk.aside.run(work, self._show, self._failed, "Looking at the records")

    def _failed(self, error: BaseException) -> None:
        self._working = None
        self.desk.fault(error)

    def _show(self, found: dict[str, Looked | str]) -> None:
        self._working = None
        gauges = self.desk.study.gauges
        rows, colours = [], []
        for key, gauge in gauges.items():
            one = found.get(key, "")
            looks = one if isinstance(one, str) else f"{len(one.mended.open)}" if one.mended.open else ""
            rows.append((gauge.name, gauge.quantity, looks or "settled"))
            colours.append(self.theme.loss if looks else "")
        self.list.show_rows(rows, colours, row=list(gauges).index(self.key))
        self._show_one(found.get(self.key, ""))

    def _show_one(self, looked: Looked | str) -> None:
        study = self.desk.study
        gauge = study.gauges[self.key]
        if isinstance(looked, str):
            self.view.show_record(None, "", study.units, looked)
            self.rows = []
            self.needs.show_rows([])
            self._told.setText("")
            return
        mended = looked.mended
        self.view.show_record(mended.record, f"{gauge.name}: {gauge_words(gauge, mended.record)}", study.units)
        faults = fault_rows(mended.treated, mended.record, study.units)
        self.rows = [*faults, *year_rows(looked.years)]
        colours = [self.theme.loss if row.open else "" for row in self.rows]
        cells = [(r.what, r.when, r.extent, r.done, "look" if r.open else "settled") for r in self.rows]
        self.needs.show_rows(cells, colours)
        open_ones = sum(row.open for row in self.rows)
        told = f"{open_ones} to look at, {len(self.rows) - open_ones} settled" if self.rows else "none"
        self._told.setText(told)
        self._told.setToolTip(counted(mended.treated))
        gaps = [row.treated.fault for row in faults if row.treated.fault.kind == "gap"]
        self.view.shade([Stretch(fault.begin, fault.end) for fault in gaps])
        for button in (self.remedy_button, self.alike_button, self.back_button):
            button.setEnabled(bool(self.rows))

    def show_gauge(self, key: str, begin: float, end: float) -> None:
        """Show a record at a stretch of time (s since 1970)."""
        if key != self.key and key in self.desk.study.gauges:
            self.key = key
            self._of = ()
            self.refresh()
        self.view.show_record(
            record_of(self.desk.study, self.desk.file.blobs, key),
            self.desk.study.gauges[key].name,
            self.desk.study.units,
        )
        self.view.look_at(begin, end, 2.0)
        self.view.setFocus()

    def _turn_to(self, row: int) -> None:
        keys = list(self.desk.study.gauges)
        if 0 <= row < len(keys) and keys[row] != self.key:
            self.key = keys[row]
            self._of = ()
            self.refresh()
            self.chosen.emit(self.key)

    def _show_fault(self, row: int) -> None:
        if 0 <= row < len(self.rows):
            self.view.look_at(self.rows[row].begin, self.rows[row].end, 1.5)

    # acts

    def _tell(self, words: str) -> None:
        self._message.setText(words)

    def _do(self, edit: Callable[..., object], *args: object, **fields: object) -> bool:
        blobs = self.desk.file.blobs
        return self.desk.do(edit, blobs, self.key, *args, **fields)  # type: ignore[arg-type]

    def let_in(self) -> None:
        """Ask which inflow takes the stretch of the record in view."""
        study, gauge = self.desk.study, self.desk.study.gauges[self.key]
        there = [e.name for e in study.elements.values() if isinstance(e, Inflow)]
        fresh = edits.unused_name(study, f"Flow at {gauge.name}")
        name, taken = QInputDialog.getItem(
            self, "Let in as an inflow", "The flow in view enters by", [fresh, *there], 0, editable=True
        )
        if not taken or not name.strip():
            return
        begin, end = self.view.span
        below = self.desk.selection if self.desk.selection in study.elements else ""
        into = "" if not below or study.elements[below].tag() == "inflow" else below
        blobs = self.desk.file.blobs
        if self.desk.do(cut_inflow, blobs, self.key, name.strip(), int(begin), int(end), into=into, words=gauge.name):
            key = self.desk.study.key_of(name.strip())
            below = ", ".join(self.desk.study.name_of(d) for d in self.desk.network.downstream.get(key, ()))
            self.desk.say(f"{name.strip()} lets the flow in view in" + (f", into {below}." if below else "."))

    def import_record(self, path: Path | None = None) -> None:
        """Ask for a file with a record and show how it is understood."""
        if path is None:
            name, _ = QFileDialog.getOpenFileName(
                self, "Import a record", "", RECORD_FILES, options=QFileDialog.Option.DontUseNativeDialog
            )
            if not name:
                return
            path = Path(name)
        asked = ImportRecord(self, self.desk, self.theme, path)
        asked.accepted.connect(lambda: self._take_in(asked))
        asked.open()

    def _take_in(self, asked: ImportRecord) -> None:
        brought = asked.brought
        if brought is None:
            return
        before = set(self.desk.study.gauges)
        done = self.desk.do(
            add_gauges, self.desk.file.blobs, brought.series, ", ".join(brought.series), source=asked.path.name,
            reading=brought.reading, places=brought.places,
        )  # fmt: skip
        if done:
            self.key = next((k for k in self.desk.study.gauges if k not in before), self.key)
            self._of = ()
            self.refresh()
            if brought.notes:
                self.desk.say(" ".join(brought.notes))

    def write_record(self) -> None:
        """Ask for a file and write the record, with its remedies, to it in a thread."""
        if not self.key:
            return
        study, blobs, key = self.desk.study, self.desk.file.blobs, self.key
        gauge = study.gauges[key]
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Write the record", f"{key}.xml", "WaterML 2.0 (*.xml)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )  # fmt: skip
        if not chosen:
            return
        path = Path(chosen if Path(chosen).suffix else f"{chosen}.xml")

        def work(progress: Progress) -> None:
            from tarnwater.formats.waterml import write_waterml

            places = {} if gauge.place is None else {gauge.name: gauge.place}
            write_waterml(path, {gauge.name: record_of(study, blobs, key)}, places, study.map_crs, progress)

        def failed(error: BaseException) -> None:
            if isinstance(error, (TarnwaterError, OSError)):
                self._tell(f"{path.name} was not written: {error}")
            else:
                self.desk.fault(error)

        self.desk.aside.run(
            work, lambda _: self.desk.say(f"{gauge.name} was written to {path}."), failed, f"Writing {path.name}"
        )

    def _remove(self) -> None:
        if self.key:
            self._do(remove_gauge)

    def _rename(self, text: str) -> str:
        return "" if self._do(rename_gauge, text) else "the name was refused."

    def _read_place(self, text: str) -> str:
        if not text.strip():
            return "" if self._do(place_gauge, None) else "the edit was refused."
        parts = text.replace(";", ",").split(",")
        try:
            x, y = (float(part) for part in parts)
        except ValueError:
            return f"“{text}” is no place. Type its two coordinates on the map, as 411200, 533000."
        return "" if self._do(place_gauge, (x, y)) else "the edit was refused."

    def _read_neighbours(self, text: str) -> str:
        """Read gauges with their weights."""
        study, blobs = self.desk.study, self.desk.file.blobs
        by_name = {g.name.casefold(): k for k, g in study.gauges.items()}
        weights: dict[str, float] = {}
        for part in filter(None, (p.strip() for p in text.replace(";", ",").split(","))):
            name, _, weight = part.rpartition(" ")
            if not name or weight.casefold() in by_name or f"{name} {weight}".casefold() in by_name:
                name, weight = part, "1"
            key = by_name.get(name.casefold())
            if key is None or key == self.key:
                others = ", ".join(g.name for k, g in study.gauges.items() if k != self.key)
                return f"There is no other record “{name}”. There are: {others or 'none'}."
            try:
                weights[key] = units.parse(weight, "factor")
            except TarnwaterError as error:
                return str(error)
        try:
            found = neighbours_of(study, blobs, self.key, weights)
        except TarnwaterError as error:
            return str(error)
        return "" if self._do(set_neighbours, found) else "the edit was refused."

    def ask_remedy(self, alike: bool = False) -> None:
        """Offer the remedies of the chosen fault, or of all alike."""
        row = self.needs.currentRow()
        if not 0 <= row < len(self.rows):
            return
        chosen = self.rows[row]
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        if isinstance(chosen, YearRow):
            self._offer_years(menu, chosen, alike)
        else:
            self._offer_remedies(menu, chosen.treated, alike)
        place = self.needs.visualItemRect(self.needs.item(row, 0)).bottomLeft() if self.needs.item(row, 0) else None
        menu.popup(self.needs.mapToGlobal(place) if place is not None else self.mapToGlobal(self.rect().center()))

    def _offer_years(self, menu: QMenu, row: YearRow, alike: bool) -> None:
        """What can be done about an incomplete year, or all of them."""
        years = [one.year for one in self.rows if isinstance(one, YearRow) and (alike or one is row)]
        for used, words in YEAR_REMEDIES.items():
            entry = menu.addAction(words)
            assert entry is not None
            entry.setCheckable(True)
            entry.setChecked(row.year.chosen and row.year.used == used)
            entry.triggered.connect(partial(self._use_years, years, used))

    def _use_years(self, years: list[IncompleteYear], used: bool | None) -> None:
        names = years[0].name if len(years) == 1 else f"{len(years)} incomplete years"
        act = f"leave {names} to the data" if used is None else f"use {names}" if used else f"leave {names} out"
        self._do(use_years, [one.year for one in years], used, act)

    def _offer_remedies(self, menu: QMenu, treated: Treated, alike: bool) -> None:
        """The remedies of a fault, or of all of its kind."""
        for remedy in treated.fault.remedies(self.desk.study.gauges[self.key].quantity):
            words = REMEDIES[remedy] + (" …" if remedy == "value" else "")
            entry = menu.addAction(words)
            assert entry is not None
            entry.setCheckable(True)
            entry.setChecked(remedy == treated.remedy and treated.mend is not None)
            entry.triggered.connect(partial(self._mend, treated.fault, remedy, alike))

    def _mend(self, fault: Fault, remedy: Remedy, alike: bool) -> None:
        value = None
        if remedy == "value":
            value = self._ask_value()
            if value is None:
                return
        self._do(mend_fault, fault.kind if alike else fault, remedy, value, **self.desk.stamp())

    def _ask_value(self) -> float | None:
        gauge = self.desk.study.gauges[self.key]
        kind = "flow" if gauge.quantity == "flow" else "rain"
        unit = units.units_of(kind, self.desk.study.units)[0]
        text, done = QInputDialog.getText(self, "Typed value", f"Value in place of it, {unit}")
        if not done:
            return None
        try:
            return units.parse(text, kind, default=unit)
        except TarnwaterError as error:
            self.desk.fault(error)
            return None

    def _take_back(self) -> None:
        row = self.needs.currentRow()
        if 0 <= row < len(self.rows):
            chosen = self.rows[row]
            if isinstance(chosen, YearRow):
                self._leave_to_data(chosen.year)
                return
            treated = chosen.treated
            if treated.mend is None:
                self.desk.say("No remedy was chosen for it.")
                return
            alone = treated.mend.begin is not None
            self._do(unmend_fault, treated.fault if alone else treated.fault.kind)

    def _leave_to_data(self, year: IncompleteYear) -> None:
        if year.chosen:
            self._use_years([year], None)
        else:
            self.desk.say("Nothing was chosen for it.")
