"""The panel of the map's layers: shown or hidden, alone, more or less opaque, and in which order."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QAction, QKeyEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QSlider,
    QVBoxLayout,
)

from tarnwater import units
from tarnwater.desk.benches.ground.contours import Contours
from tarnwater.desk.benches.ground.hand import SELECTABLE
from tarnwater.desk.benches.ground.layers import BACKGROUND, Layers
from tarnwater.desk.benches.ground.themes import QUANTITIES, Themes
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import desk_font
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.quantity_field import QuantityField
from tarnwater.errors import OutOfRange, TarnwaterError
from tarnwater.study.document.entry_units import entry_unit
from tarnwater.study.pictures.labels import LABEL_FIELDS

WIDTH = 236

KEYS = "Space shows · Enter alone · Alt+↑ ↓ order"


class LayerList(QListWidget):
    """The layers, the highest first; keys act on the present one."""

    isolate_asked = pyqtSignal()
    move_asked = pyqtSignal(int)
    remove_asked = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Enter shows a layer alone, Alt with an arrow moves it, Delete removes a background."""
        if event is None:
            return
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.isolate_asked.emit()
        elif alt and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.move_asked.emit(1 if event.key() == Qt.Key.Key_Up else -1)
        elif event.key() == Qt.Key.Key_Delete:
            self.remove_asked.emit()
        else:
            super().keyPressEvent(event)


def _entry(menu: QMenu, words: str, act: Callable[[], None]) -> QAction:
    """An entry of a menu that is ticked or not."""
    entry = menu.addAction(words)
    assert entry is not None
    entry.setCheckable(True)
    entry.triggered.connect(lambda _: act())
    return entry


class LayersPanel(QFrame):
    """A list of the layers from the highest down, with what can be done to the present one."""

    remove_asked = pyqtSignal(str)
    add_asked = pyqtSignal()
    find_asked = pyqtSignal(str)
    save_asked = pyqtSignal()
    forget_asked = pyqtSignal(str)
    view_asked = pyqtSignal(str)
    fields_chosen = pyqtSignal(list)
    selects_chosen = pyqtSignal(list)
    labels_back_asked = pyqtSignal()

    def __init__(self, desk: Desk, layers: Layers, contours: Contours, themes: Themes) -> None:
        super().__init__()
        self.desk, self.layers, self._contours = desk, layers, contours
        self.colour = QComboBox()
        self.colour.setAccessibleName("What colours the catchments")
        self.colour.addItem("not coloured", "")
        for quantity in QUANTITIES:
            self.colour.addItem(quantity.words, quantity.key)
        themes.changed.connect(lambda: self.colour.setCurrentIndex(max(self.colour.findData(themes.chosen), 0)))
        self.colour.activated.connect(lambda _: themes.choose(str(self.colour.currentData())))
        self.setProperty("panel", True)
        self.setAccessibleName("Layers of the map")
        self.setFixedWidth(WIDTH)
        self.list = LayerList()
        self.list.setAccessibleName("Layers, the highest first")
        self.list.setFont(desk_font(9))
        self.alone_button = QPushButton("Alone")
        self.alone_button.setCheckable(True)
        self.alone_button.setAccessibleName("Show the layer alone")
        self.up_button, self.down_button = QPushButton("Up"), QPushButton("Down")
        self.up_button.setAccessibleName("Move the layer up")
        self.down_button.setAccessibleName("Move the layer down")
        self.opacity = QSlider(Qt.Orientation.Horizontal)
        self.opacity.setRange(0, 100)
        self.opacity.setPageStep(10)
        self.opacity.setAccessibleName("How opaque the layer is, %")
        self._percent = Words("", quiet=True, size=8)
        self.interval = QuantityField("", self._typed_interval, desk.told.emit, "contour interval")
        self.interval.setFixedWidth(70)
        self._unit = Words("", quiet=True, size=8)
        self.add_button, self.find_button = QPushButton("Background …"), QPushButton("Find file …")
        self.add_button.setAccessibleName("Lay a picture or lines under the map")
        self.find_button.setAccessibleName("Say where the file of the background is")
        self.views = QComboBox()
        self.views.setAccessibleName("Saved views")
        self.save_button, self.forget_button = QPushButton("Save view …"), QPushButton("Forget")
        self.save_button.setAccessibleName("Save the view")
        self.forget_button.setAccessibleName("Forget the saved view")
        self.add_button.clicked.connect(self.add_asked)
        self.find_button.clicked.connect(lambda: self.find_asked.emit(self.background))
        self.save_button.clicked.connect(self.save_asked)
        self.forget_button.clicked.connect(lambda: self.forget_asked.emit(str(self.views.currentData() or "")))
        self.views.activated.connect(lambda _: self.view_asked.emit(str(self.views.currentData() or "")))
        self._lay_out()
        self.list.itemChanged.connect(self._ticked)
        self.list.currentRowChanged.connect(lambda _: self._show_present())
        self.list.isolate_asked.connect(self._isolate)
        self.list.move_asked.connect(self._move)
        self.list.remove_asked.connect(self._ask_removal)
        self.alone_button.clicked.connect(self._isolate)
        self.up_button.clicked.connect(lambda: self._move(1))
        self.down_button.clicked.connect(lambda: self._move(-1))
        self.opacity.valueChanged.connect(self._faded)
        layers.changed.connect(self.refresh)
        self.refresh()

    def _make_choices(self) -> None:
        """Menus for what the labels tell, and for what a click selects."""
        self.labels_button, self.selects_button = QPushButton("Labels …"), QPushButton("Click selects …")
        self.labels_button.setAccessibleName("What the labels tell")
        self.selects_button.setAccessibleName("What a click selects")
        labels, selects = QMenu(self), QMenu(self)
        self.fields: dict[str, QAction] = {}
        for one in LABEL_FIELDS:
            self.fields[one.key] = _entry(labels, one.words, self._tell_fields)
        labels.addSeparator()
        back = labels.addAction("Put the moved labels back")
        assert back is not None
        back.triggered.connect(lambda: self.labels_back_asked.emit())
        self.selects: dict[str, QAction] = {}
        for kind in SELECTABLE:
            self.selects[kind] = _entry(selects, kind, self._tell_selects)
            self.selects[kind].setChecked(True)
        self.labels_button.setMenu(labels)
        self.selects_button.setMenu(selects)

    def _tell_fields(self) -> None:
        self.fields_chosen.emit([key for key, entry in self.fields.items() if entry.isChecked()])

    def _tell_selects(self) -> None:
        self.selects_chosen.emit([key for key, entry in self.selects.items() if entry.isChecked()])

    def _lay_out(self) -> None:
        self._make_choices()
        buttons = QHBoxLayout()
        for button in (self.alone_button, self.up_button, self.down_button):
            buttons.addWidget(button)
        fading = QHBoxLayout()
        fading.addWidget(Words("opaque", quiet=True, size=8))
        fading.addWidget(self.opacity, 1)
        fading.addWidget(self._percent)
        spacing = QHBoxLayout()
        spacing.addWidget(Words("contours every", quiet=True, size=8))
        spacing.addWidget(self.interval)
        spacing.addWidget(self._unit)
        spacing.addStretch(1)
        files = QHBoxLayout()
        files.addWidget(self.add_button)
        files.addWidget(self.find_button)
        views = QHBoxLayout()
        views.addWidget(self.views, 1)
        views.addWidget(self.forget_button)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.setSpacing(5)
        column.addWidget(self.list, 1)
        column.addLayout(fading)
        column.addLayout(buttons)
        column.addWidget(Words(KEYS, quiet=True, size=7.5))
        coloured = QHBoxLayout()
        coloured.addWidget(Words("colour by", quiet=True, size=8))
        coloured.addWidget(self.colour, 1)
        column.addLayout(coloured)
        menus = QHBoxLayout()
        menus.addWidget(self.labels_button, 1)
        menus.addWidget(self.selects_button, 1)
        column.addLayout(menus)
        column.addLayout(spacing)
        column.addLayout(files)
        column.addLayout(views)
        column.addWidget(self.save_button)

    @property
    def present(self) -> str:
        """Key of the present layer."""
        item = self.list.currentItem()
        return "relief" if item is None else str(item.data(Qt.ItemDataRole.UserRole))

    def refresh(self) -> None:
        """Show the layers as they are now."""
        present = self.present if self.list.count() else ""
        self.list.blockSignals(True)
        self.list.clear()
        for layer in reversed(list(self.layers)):
            alone = " · alone" if layer.key == self.layers.alone else ""
            item = QListWidgetItem(self.layers.titles[layer.key] + alone)
            item.setData(Qt.ItemDataRole.UserRole, layer.key)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if layer.shown else Qt.CheckState.Unchecked)
            self.list.addItem(item)
            if layer.key == present:
                self.list.setCurrentItem(item)
        if self.list.currentRow() < 0:
            self.list.setCurrentRow(0)
        self.list.blockSignals(False)
        self.list.setFixedHeight(self.list.count() * self.list.sizeHintForRow(0) + 8)
        for key, entry in self.fields.items():
            entry.setChecked(key in self.desk.study.map_labels.fields)
        self._show_present()
        self._show_views()
        self.adjustSize()

    def _show_views(self) -> None:
        views, chosen = self.desk.study.map_views, self.views.currentData()
        self.views.clear()
        self.views.addItem("saved views" if views else "no saved view", "")
        for key, view in views.items():
            self.views.addItem(view.name, key)
        self.views.setCurrentIndex(max(self.views.findData(chosen), 0))
        self.views.setEnabled(bool(views))
        self.forget_button.setEnabled(bool(views))
        unit = entry_unit(self.desk.study, "length", "length")
        interval = self._contours.interval(self.layers.contours)
        self.interval.show_value(units.rounded(units.to_unit(interval, unit, "length")) if interval else "")
        self._unit.setText(unit)

    def _typed_interval(self, text: str) -> str:
        unit = entry_unit(self.desk.study, "length", "length")
        try:
            interval = units.parse(text, "length", default=unit)
            if interval <= 0:
                raise OutOfRange("the contour interval must be greater than 0.", remedy="Type it, for example 10 m.")
        except TarnwaterError as error:
            return str(error)
        self.layers.set_contours(interval)
        return ""

    @property
    def background(self) -> str:
        """Key of the present background; empty if the present layer is none."""
        return self.present.removeprefix(BACKGROUND) if self.present.startswith(BACKGROUND) else ""

    def _show_present(self) -> None:
        layer = self.layers[self.present]
        self.opacity.blockSignals(True)
        self.opacity.setValue(round(100 * layer.opacity))
        self.opacity.blockSignals(False)
        self._percent.setText(f"{round(100 * layer.opacity)} %")
        self.alone_button.setChecked(self.layers.alone == layer.key)
        self.find_button.setEnabled(bool(self.background))

    def _ticked(self, item: QListWidgetItem) -> None:
        self.layers.show(str(item.data(Qt.ItemDataRole.UserRole)), item.checkState() == Qt.CheckState.Checked)

    def _isolate(self) -> None:
        self.layers.isolate(self.present)

    def _move(self, up: int) -> None:
        self.layers.move(self.present, up)

    def _faded(self, percent: int) -> None:
        self.layers.fade(self.present, percent / 100)

    def _ask_removal(self) -> None:
        if self.background:
            self.remove_asked.emit(self.background)
