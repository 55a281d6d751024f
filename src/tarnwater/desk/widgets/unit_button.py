"""A button that shows the unit of a quantity and opens the possible units."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMenu, QPushButton, QWidget

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.study import edits
from tarnwater.study.document.entry_units import quantity_of

WIDTH = 46


class UnitButton(QPushButton):
    """Shows the unit of entry of a quantity; choosing another one is an edit, and converts what is shown."""

    def __init__(self, desk: Desk, path: str, kind: str, name: str) -> None:
        super().__init__()
        self.desk, self.kind, self.quantity = desk, kind, quantity_of(path)
        self.unit = ""
        self.setProperty("flat", True)
        self.setProperty("small", True)
        self.setFixedWidth(WIDTH)
        self.setAccessibleName(f"unit of {name}")
        self.clicked.connect(self._choose)

    def show_unit(self, unit: str) -> None:
        """Show a unit; one without units cannot be chosen."""
        self.unit = unit
        self.setText(unit)
        self.setEnabled(len(choices(self.kind, self.desk)) > 1)
        self.setToolTip("the unit in which it is shown and typed; a click chooses another" if unit else "")

    def _choose(self) -> None:
        menu = unit_menu(self, self.desk, self.quantity, self.kind, self.unit)
        menu.popup(self.mapToGlobal(self.rect().bottomLeft()))


def choices(kind: str, desk: Desk) -> list[str]:
    """Units of a kind, those of the study's system first."""
    own = list(units.units_of(kind, desk.study.units))
    return [u for u in dict.fromkeys((*own, *units.kind(kind).units)) if u]


def unit_menu(parent: QWidget, desk: Desk, quantity: str, kind: str, present: str) -> QMenu:
    """A menu of the units of a quantity."""
    menu = QMenu(parent)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    for unit in choices(kind, desk):
        act = menu.addAction(unit)
        assert act is not None
        act.setCheckable(True)
        act.setChecked(unit == present)
        act.triggered.connect(lambda _=False, u=unit: desk.do(edits.set_entry_unit, quantity, kind, u))
    return menu
