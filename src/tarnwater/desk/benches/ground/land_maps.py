"""The maps of cover and soil that the study has: their order, what their values mean, the conditions they hold in."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QListWidget, QPushButton, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.desk.benches.ground.land_choices import library_of, options_for
from tarnwater.desk.benches.ground.values_table import ValueRow, ValuesTable
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.answers import keep_or_leave
from tarnwater.desk.land import LandOnMaps
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.labels import Words
from tarnwater.study.document.cover import LandLayer
from tarnwater.study.file.kept import read_kept


class LandMaps(QDialog):
    """Layers from the highest down, and the values of the chosen one; kept as one act, with all catchments measured."""

    def __init__(self, parent: QWidget, desk: Desk, theme: Theme, work: LandOnMaps) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Maps of cover and soil")
        self.resize(860, 520)
        self.desk, self._land = desk, work
        self.library = library_of(desk.study, read_kept())
        self.layers: dict[str, LandLayer] = dict(desk.study.land_layers)
        self.list = QListWidget()
        self.list.setAccessibleName("Maps, the highest first")
        self.list.setFont(desk_font(9))
        self.condition = QComboBox()
        self.condition.setAccessibleName("Condition of the map")
        self.condition.addItem("all conditions", "")
        for key, one in desk.study.conditions.items():
            self.condition.addItem(f"{one.name} and those below it", key)
        self.values = ValuesTable(theme, self._options, "Values of the chosen map")
        self.told = Words("", size=8.5)
        self.told.setWordWrap(True)
        self.up_button, self.down_button = QPushButton("Up"), QPushButton("Down")
        self.remove_button = QPushButton("Remove   Del")
        for button, name in (
            (self.up_button, "Move the map up"),
            (self.down_button, "Move the map down"),
            (self.remove_button, "Remove the map"),
        ):
            button.setAccessibleName(name)
        self.buttons = keep_or_leave(self)
        self._lay_out()
        self.list.currentRowChanged.connect(lambda _: self._show_layer())
        self.condition.activated.connect(lambda _: self._set(condition=str(self.condition.currentData())))
        # later, when the cell has closed: the rows are shown anew
        self.values.meaning_chosen.connect(self._mean, type=Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]
        self.values.order_changed.connect(self._reorder)
        self.up_button.clicked.connect(lambda: self._move(-1))
        self.down_button.clicked.connect(lambda: self._move(1))
        self.remove_button.clicked.connect(self._remove)
        QShortcut(QKeySequence("Delete"), self.list, self._remove, context=Qt.ShortcutContext.WidgetShortcut)
        self._show_list()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(Words("Where maps overlap, the higher one counts.", quiet=True, size=8.5))
        left.addWidget(self.list, 1)
        moves = QHBoxLayout()
        for button in (self.up_button, self.down_button, self.remove_button):
            moves.addWidget(button)
        left.addLayout(moves)
        held = QHBoxLayout()
        held.addWidget(Words("holds in", quiet=True))
        held.addWidget(self.condition, 1)
        right = QVBoxLayout()
        right.addLayout(held)
        right.addWidget(self.told)
        right.addWidget(self.values, 1)
        right.addWidget(Words("Enter chooses what a value means · Alt+↑, Alt+↓ its priority", quiet=True, size=8.5))
        both = QHBoxLayout()
        both.addLayout(left, 2)
        both.addLayout(right, 3)
        layout = QVBoxLayout(self)
        layout.addLayout(both, 1)
        layout.addWidget(self.buttons)

    @property
    def key(self) -> str:
        """Key of the chosen map; empty without any."""
        item = self.list.currentItem()
        return "" if item is None else str(item.data(Qt.ItemDataRole.UserRole))

    def _options(self) -> Any:
        layer = self.layers.get(self.key)
        return [] if layer is None else options_for(layer.holds, self.library)

    def _show_list(self, key: str = "") -> None:
        self.list.blockSignals(True)
        self.list.clear()
        for one, layer in self.layers.items():
            self.list.addItem(self._words_of(layer))
            item = self.list.item(self.list.count() - 1)
            if item is not None:
                item.setData(Qt.ItemDataRole.UserRole, one)
        self.list.blockSignals(False)
        keys = list(self.layers)
        self.list.setCurrentRow(keys.index(key) if key in keys else 0)
        self._show_layer()

    def _words_of(self, layer: LandLayer) -> str:
        where = f", {self.desk.study.conditions[layer.condition].name}" if layer.condition else ""
        return f"{layer.name} · {layer.holds}{where}"

    def _show_layer(self) -> None:
        layer = self.layers.get(self.key)
        if layer is None:
            self.values.show_rows([])
            self.told.setText("No map is left: the catchments keep the land that they have, by hand.")
            return
        system = self.desk.study.units
        rows = [
            ValueRow(one.value, one.means, str(one.count), units.show(one.area, "area", system)) for one in layer.values
        ]
        self.values.show_rows(rows)
        self.condition.setCurrentIndex(max(self.condition.findData(layer.condition), 0))
        told = f"{layer.source}, attribute {layer.attribute}" if layer.source else layer.attribute
        self.told.setText(" · ".join((told, *layer.notes[:3])))

    def _set(self, **fields: Any) -> None:
        key = self.key
        if key:
            self.layers[key] = self.layers[key].model_copy(update=fields)
            item = self.list.currentItem()
            if item is not None:
                item.setText(self._words_of(self.layers[key]))
            self._show_layer()

    def _mean(self, value: str, means: str) -> None:
        layer = self.layers.get(self.key)
        if layer is None:
            return
        if means and means not in self._options():
            self.told.setText(f"{value}: there is no “{means}” to choose. Choose one of the list, or clear it.")
            means = next(one.means for one in layer.values if one.value == value)
            self.values.show_rows(self.values.rows)
            return
        values = (one.model_copy(update={"means": means}) if one.value == value else one for one in layer.values)
        self._set(values=tuple(values))

    def _reorder(self) -> None:
        by_value = {one.value: one for one in self.layers[self.key].values}
        here = self.values.currentRow()
        self._set(values=tuple(by_value[value] for value in self.values.order))
        self.values.setCurrentCell(here, 1)

    def _move(self, by: int) -> None:
        keys, key = list(self.layers), self.key
        if not key:
            return
        here = keys.index(key)
        there = min(max(here + by, 0), len(keys) - 1)
        keys.insert(there, keys.pop(here))
        self.layers = {one: self.layers[one] for one in keys}
        self._show_list(key)

    def _remove(self) -> None:
        if self.key:
            del self.layers[self.key]
            self._show_list()

    def keep(self) -> None:
        """Take the maps as they are here, and measure the catchments again."""
        layers = self.layers
        if dict(self.desk.study.land_layers) != layers or list(self.desk.study.land_layers) != list(layers):
            used = {one.meant for layer in layers.values() if layer.holds == "cover" for one in layer.values} - {""}
            classes = {name: self.library[name] for name in used}
            self._land.measure("change the maps of cover and soil", change=lambda study: layers, classes=classes)
        self.accept()
