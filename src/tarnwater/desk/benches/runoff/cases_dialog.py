"""The hydrographs of one element under the conditions, events and durations that are ticked."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.desk.widgets.ticked_list import TickedList
from tarnwater.study.answers.storms import event_title
from tarnwater.study.pictures.ticked import durations_of, events_of, ticked_cases, ticked_plot

#: What stands in the list of durations for the governing one of each event.
GOVERNING = "governing"


class CasesDialog(QDialog):
    """Three lists to tick, and the plot that follows each tick."""

    def __init__(self, parent: QWidget, desk: Desk, theme: Theme, key: str) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._desk, self._key = desk, key
        self.setWindowTitle(f"Hydrographs of {desk.study.name_of(key)}")
        self.resize(940, 600)
        self.plot = PlotView("Hydrographs as ticked", theme)
        study, results, view = desk.study, desk.results, desk.view
        assert results is not None
        assert view is not None
        self.conditions = self._list("Conditions", [(c.name, k) for k, c in study.conditions.items()], [view.condition])
        events = events_of(results, key)
        self.events = self._list("Events", [(event_title(study, e), e) for e in events], events)
        lengths = [(units.show_duration(d), d) for d in durations_of(results, key)]
        self.durations = self._list("Durations", [(GOVERNING, GOVERNING), *lengths], [GOVERNING])
        left = QVBoxLayout()
        for words, listed in (("Conditions", self.conditions), ("Events", self.events), ("Durations", self.durations)):
            left.addWidget(Words(words, bold=True))
            left.addWidget(listed, 1)
        left.addWidget(Words("Space ticks; Ctrl+A ticks or clears a list.", quiet=True, size=8.5))
        layout = QHBoxLayout(self)
        layout.addLayout(left)
        layout.addWidget(self.plot, 1)
        self._show()

    def _list(self, name: str, rows: Sequence[tuple[str, Any]], ticked: Sequence[Any]) -> QListWidget:
        """A list of rows that can be ticked."""
        listed = TickedList()
        listed.setAccessibleName(f"{name} that are drawn")
        listed.setMaximumWidth(230)
        for words, value in rows:
            item = QListWidgetItem(words, listed)
            item.setData(Qt.ItemDataRole.UserRole, value)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if value in ticked else Qt.CheckState.Unchecked)
        listed.setCurrentRow(0)
        listed.itemChanged.connect(lambda _: self._show())
        return listed

    @staticmethod
    def _ticked(listed: QListWidget) -> list[Any]:
        items = [listed.item(row) for row in range(listed.count())]
        return [
            item.data(Qt.ItemDataRole.UserRole)
            for item in items
            if item is not None and item.checkState() == Qt.CheckState.Checked
        ]

    def _show(self) -> None:
        desk = self._desk
        if not hasattr(self, "durations") or desk.results is None or desk.view is None:
            return
        durations = self._ticked(self.durations)
        cases = ticked_cases(
            desk.results, self._key, desk.view.point, self._ticked(self.conditions), self._ticked(self.events),
            [d for d in durations if d != GOVERNING], governing=GOVERNING in durations,
        )  # fmt: skip
        self.plot.show_plot(
            ticked_plot(desk.results, cases, self._key) if cases else None,
            "Tick a condition, an event and a duration; cases that are not computed are left out.",
        )
