"""Cover and soil of the selected catchment: its table, what it makes, the rules for the rest, and a rain's runoff."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.cover.land import CatchmentLand, LandPatch
from tarnwater.cover.soils import DUAL_GROUPS, GROUPS
from tarnwater.desk.benches.ground.land_choices import library_of
from tarnwater.desk.benches.ground.land_table import LandTableModel, LandTableView
from tarnwater.desk.desk import Desk
from tarnwater.desk.land import LandOnMaps
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.quantity_field import QuantityField
from tarnwater.errors import TarnwaterError
from tarnwater.network.elements import Catchment
from tarnwater.study.answers.land import runoff_of_rain
from tarnwater.study.document.entry_units import entry_unit
from tarnwater.study.edits.cover import set_land_rules, use_land
from tarnwater.study.file.kept import read_kept

#: Width of the rules beside the table, in pixels.
RULES_WIDTH = 330

USES = (("a surface for each row", "surfaces"), ("one composite", "composite"))


def _in_line(*widgets: QWidget) -> QHBoxLayout:
    line = QHBoxLayout()
    line.setSpacing(5)
    for widget in widgets:
        line.addWidget(widget)
    line.addStretch(1)
    return line


class LandView(QWidget):
    """The table under the map, with what can be done with it above, and rules and runoff beside it."""

    bring_asked = pyqtSignal()
    maps_asked = pyqtSignal()
    classes_asked = pyqtSignal()

    def __init__(self, desk: Desk, theme: Theme, work: LandOnMaps) -> None:
        super().__init__()
        self.desk, self._land = desk, work
        self.model = LandTableModel(desk, theme)
        self.model.kept = read_kept()
        self.view = LandTableView(self.model)
        self.told = Words("", size=8.5)
        self.nothing = Words("", quiet=True)
        self.nothing.setWordWrap(True)
        self.uses = QComboBox()
        self.bring = self._button("Bring in a map …", "Bring in cover or soil", self.bring_asked.emit)
        self.maps = self._button("Maps …", "Maps of cover and soil", self.maps_asked.emit)
        self.classes = self._button("Classes …", "Classes of cover", self.classes_asked.emit)
        self.from_map = self._button("From the maps", "Take cover and soil from the maps", self._take_from_maps)
        self.by_hand = self._button("By hand", "Make cover and soil by hand", self._make_by_hand)
        self.add_row = self._button("Add a row", "Add a row", self._add_row)
        self.fill_rest = self._button("Fill the remainder", "Let the row take the remainder", self._fill_rest)
        self.cover, self.soil = QComboBox(), QComboBox()
        self.drained = QCheckBox("wet land is drained")
        self.rain = QuantityField("", self._rain_typed, desk.told.emit, "rain")
        self.period = QuantityField("", self._period_typed, desk.told.emit, "return period of the coefficients")
        self._rain_unit, self._runoff = Words("", quiet=True, size=8.5), Words("", size=8.5)
        self._name_all()
        self._lay_out()

    def _button(self, words: str, name: str, act: Callable[[], object]) -> QPushButton:
        button = QPushButton(words)
        button.setAccessibleName(name)
        button.clicked.connect(lambda _=False: act())
        return button

    def _name_all(self) -> None:
        for widget, name in (
            (self.uses, "What the catchment gets"),
            (self.cover, "Default cover"),
            (self.soil, "Default soil group"),
            (self.drained, "Wet land is drained"),
        ):
            widget.setAccessibleName(name)
        for words, uses in USES:
            self.uses.addItem(words, uses)
        self.soil.addItem("none", "")
        for group in (*GROUPS, *DUAL_GROUPS):
            self.soil.addItem(group, group)
        self.uses.activated.connect(lambda _: self._use(str(self.uses.currentData())))
        self.cover.activated.connect(lambda _: self._rule(default_cover=str(self.cover.currentData())))
        self.soil.activated.connect(lambda _: self._rule(default_soil=str(self.soil.currentData())))
        self.drained.clicked.connect(lambda on: self._rule(drained=on))
        self.drained.setToolTip("Land of the groups A/D, B/D and C/D counts by its first letter if it is drained.")

    def _lay_out(self) -> None:
        line = QHBoxLayout()
        line.addWidget(self.told)
        line.addWidget(self.uses)
        line.addStretch(1)
        for button in (self.add_row, self.fill_rest, self.from_map, self.by_hand, self.bring, self.maps, self.classes):
            line.addWidget(button)
        rules = QGridLayout()
        rules.setContentsMargins(8, 0, 0, 0)
        rules.setVerticalSpacing(2)
        rules.addWidget(Words("default cover", quiet=True, size=8.5), 0, 0)
        rules.addWidget(self.cover, 0, 1)
        self.cover.setMinimumContentsLength(8)
        self.cover.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        rules.addWidget(Words("default soil", quiet=True, size=8.5), 1, 0)
        rules.addLayout(_in_line(self.soil, self.drained), 1, 1)
        rules.addWidget(Words("rain", quiet=True, size=8.5), 2, 0)
        self.rain.setFixedWidth(58)
        self.period.setFixedWidth(48)
        rarely = Words("C for 1 in", quiet=True, size=8.5), self.period, Words("years", quiet=True, size=8.5)
        rules.addLayout(_in_line(self.rain, self._rain_unit, *rarely), 2, 1)
        self._runoff.setWordWrap(True)
        rules.addWidget(self._runoff, 3, 0, 1, 2)
        rules.setRowStretch(4, 1)
        rules.setColumnStretch(1, 1)
        self._side = QWidget()
        self._side.setFixedWidth(RULES_WIDTH)
        self._side.setLayout(rules)
        self._shown = QStackedWidget()
        self._shown.addWidget(self.view)
        empty = QWidget()
        column = QVBoxLayout(empty)
        column.addWidget(self.nothing)
        column.addStretch(1)
        self._shown.addWidget(empty)
        beside = QHBoxLayout()
        beside.addWidget(self._shown, 1)
        beside.addWidget(self._side)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(3)
        layout.addLayout(line)
        layout.addLayout(beside, 1)

    # showing

    def refresh(self) -> None:
        """Show the selected catchment as the condition in view has it."""
        desk, model = self.desk, self.model
        model.show(desk.selection)
        catchment, land = model.catchment, model.land
        self._show_words(catchment, land)
        mapped = bool(desk.study.land_layers) and catchment is not None and catchment.outline is not None
        self.from_map.setVisible(mapped and (land is None or land.by_hand))
        self.by_hand.setVisible(catchment is not None and not model.by_hand)
        for button in (self.add_row, self.fill_rest):
            button.setVisible(model.by_hand)
        self.maps.setVisible(bool(desk.study.land_layers))
        self.uses.setVisible(land is not None)
        self._shown.setCurrentIndex(0 if land is not None else 1)
        self._show_rules(catchment)
        if model.lines:
            self.view.resizeColumnsToContents()
            self.view.setColumnWidth(0, min(self.view.columnWidth(0), 300))

    def _show_words(self, catchment: Catchment | None, land: CatchmentLand | None) -> None:
        desk = self.desk
        if catchment is None:
            self.told.setText("No catchment is selected")
            self.nothing.setText("Click a catchment on the map, or find it with Ctrl+K, to see its cover and soil.")
            return
        way = "surfaces made by hand" if land is None else "rows made by hand" if land.by_hand else "from the maps"
        self.told.setText(f"{catchment.name}, {desk.study.conditions[desk.condition].name} · {way}")
        if land is not None:
            self.uses.setCurrentIndex(self.uses.findData(land.uses))
            return
        maps = "take them from the maps" if desk.study.land_layers else "bring in maps of cover and soil"
        self.nothing.setText(
            f"The surfaces of {catchment.name} are made in the ledger: {len(catchment.surfaces)} now. "
            f"To have them from cover and soil, {maps}, or type the rows by hand."
        )

    def _show_rules(self, catchment: Catchment | None) -> None:
        study, rules = self.desk.study, self.desk.study.land_rules
        names = list(library_of(study, self.model.kept))
        if [self.cover.itemData(i) for i in range(1, self.cover.count())] != names:
            self.cover.clear()
            self.cover.addItem("none", "")
            for name in names:
                self.cover.addItem(name, name)
        self.cover.setCurrentIndex(max(self.cover.findData(rules.default_cover), 0))
        self.cover.setToolTip(self.cover.currentText())
        self.soil.setCurrentIndex(max(self.soil.findData(rules.default_soil), 0))
        self.drained.setChecked(rules.drained)
        unit = entry_unit(study, "rain", "rain")
        self.rain.show_value(units.rounded(units.to_unit(rules.rain, unit, "rain"), 4))
        self._rain_unit.setText(unit)
        self.period.show_value(f"{self.model.return_period:g}")
        self._runoff.setText("" if catchment is None else self._runoff_words(study.land_rules.rain))

    def _runoff_words(self, rain: float) -> str:
        found = runoff_of_rain(self.desk.study, self.desk.network, self.model.key, rain)
        system = self.desk.study.units
        told = []
        for depth, how in ((found.by_parts, "by rows"), (found.by_number, "by composite CN")):
            volume = found.volume(depth)
            if depth is not None and volume is not None:
                told.append(f"{units.show(depth, 'rain', system)}, {units.show(volume, 'volume', system)} {how}")
        return "runs off: " + "\nor ".join(told) if told else "no runoff: a curve number is missing"

    # acts

    def _use(self, uses: str) -> None:
        """Change what the chosen catchments get."""
        chosen = [key for key in self.desk.chosen if isinstance(self.desk.elements.get(key), Catchment)]
        self.desk.do(use_land, chosen or [self.model.key], uses)

    def _rule(self, **rule: object) -> None:
        name = str(rule.get("default_cover", ""))
        known = self.desk.study.cover_classes
        library = library_of(self.desk.study, self.model.kept)
        classes = {name: library[name]} if name and name not in known and name in library else None
        self.desk.do(set_land_rules, classes=classes, **rule)

    def _rain_typed(self, text: str) -> str:
        try:
            rain = units.parse(text, "rain", default=entry_unit(self.desk.study, "rain", "rain"))
        except TarnwaterError as error:
            return str(error)
        return "" if self.desk.do(set_land_rules, rain=rain) else "the rain was refused."

    def _period_typed(self, text: str) -> str:
        try:
            period = units.parse(text, "return period", default="years")
        except TarnwaterError as error:
            return str(error)
        if not 1 < period <= 1e6:
            return "Type a return period above 1 year."
        self.model.return_period = period
        self.refresh()
        return ""

    def _take_from_maps(self) -> None:
        key = self.model.key
        name = self.desk.study.name_of(key)
        self._land.measure(f"take the cover and soil of {name} from the maps", keys=[key])

    def _make_by_hand(self) -> None:
        """Begin with the rows that there are, or with one row that takes everything."""
        table, land = self.model.table, self.model.land
        rows = () if table is None or land is None else land.patches
        self.model.put(rows or (LandPatch(label="land"),))
        self.view.setFocus()

    def _add_row(self) -> None:
        land = self.model.land
        if land is not None:
            rest = any(patch.takes_rest for patch in land.patches)
            self.model.put((*land.patches, LandPatch(label="new row", share=0.0 if rest else None)))
            self.view.setCurrentIndex(self.model.index(len(land.patches), 0))
            self.view.setFocus()

    def _fill_rest(self) -> None:
        """Let the present row take the remainder, and fix the extent of the one that took it."""
        model, here = self.model, self.view.currentIndex().row()
        if model.land is None or not 0 <= here < len(model.land.patches):
            return
        patches = list(model.land.patches)
        for number, patch in enumerate(patches):
            if patch.takes_rest and number != here:
                row = model.lines[number].row
                area = row.area if row is not None else 0.0
                patches[number] = patch.model_copy(update={"area": area})
        patches[here] = patches[here].model_copy(update={"area": None, "share": None})
        model.put(patches)
