"""Limits of a design point: what is allowed at each return period."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.answers import keep_or_leave
from tarnwater.desk.widgets.labels import Words
from tarnwater.errors import TarnwaterError
from tarnwater.study import edits
from tarnwater.study.document import DesignPoint, Limit
from tarnwater.study.document.limits import limit_words, read_limit, with_limits
from tarnwater.units import display_unit


class Limits(QDialog):
    """One field for each return period.

    All are accepted as one act, and text that cannot be read stays, with its reason.
    """

    def __init__(self, parent: QWidget, desk: Desk, element: str) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(f"Limits at {desk.study.name_of(element)}")
        self.setMinimumWidth(440)
        self.desk, self.element = desk, element
        study = desk.study
        self._point = study.design_points.get(element, DesignPoint())
        self._unit = display_unit("flow", [], study.units)
        known = {limit.return_period: limit for limit in self._point.limits}
        periods = sorted({t for family in study.families.values() for t in family.return_periods} | known.keys())
        self.fields: dict[float, QLineEdit] = {}
        self._told: dict[float, Words] = {}
        self._kept = {t: limit_words(study, limit) for t, limit in known.items()}
        grid = QGridLayout()
        for row, period in enumerate(periods):
            field, told = QLineEdit(self._kept.get(period, "")), Words("", role="stop", size=8)
            field.setAccessibleName(f"limit at 1 in {period:g}")
            field.setPlaceholderText("no limit")
            told.setWordWrap(True)
            told.hide()
            grid.addWidget(Words(f"1 in {period:g}"), 2 * row, 0)
            grid.addWidget(field, 2 * row, 1)
            grid.addWidget(told, 2 * row + 1, 1)
            self.fields[period], self._told[period] = field, told
        names = ", ".join(c.name for c in study.conditions.values())
        hint = Words(
            f"A flow (in {self._unit} where no unit is typed), the name of a condition that may not be exceeded "
            f"({names}), or a share of it: 90 % of {next(iter(study.conditions.values())).name}.",
            quiet=True, size=8.5,
        )  # fmt: skip
        hint.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.addWidget(hint if periods else Words("Limits are kept by return period: bring rain first."))
        layout.addLayout(grid)
        layout.addWidget(keep_or_leave(self))

    def keep(self) -> None:
        """Accept what was typed."""
        limits: list[Limit] = []
        wrong = False
        present = {limit.return_period: limit for limit in self._point.limits}
        for period, field in self.fields.items():
            told = self._told[period]
            told.hide()
            if field.text() == self._kept.get(period, ""):
                # what was not typed again stays exact
                limits += [present[period]] if period in present else []
                continue
            try:
                limit = read_limit(self.desk.study, period, field.text(), self._unit)
            except TarnwaterError as error:
                told.setText(str(error))
                told.show()
                wrong = True
            else:
                limits += [limit] if limit is not None else []
        if not wrong and self.desk.do(edits.set_design_point, self.element, with_limits(self._point, limits)):
            self.accept()
