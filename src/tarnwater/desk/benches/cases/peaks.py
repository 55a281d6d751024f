"""The table of peaks: the governing case of every design point, condition and event."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtWidgets import QHeaderView

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import desk_font
from tarnwater.desk.widgets.grid_view import GridView, put_on_clipboard
from tarnwater.study.answers import Answer


@dataclass(frozen=True)
class Head:
    """A column: its title and the kind of its quantity, empty for words."""

    title: str
    kind: str = ""


HEADS = (
    Head("design point"), Head("condition"), Head("1 in", "return period"), Head("family"), Head("storm", "time"),
    Head("peak", "flow"), Head("time", "time"), Head("volume", "volume"), Head("per area", "flow per area"),
    Head("rain", "rain"), Head("runoff", "rain"), Head("of rain", "share"), Head("limit", "flow"), Head("limit is"),
)  # fmt: skip


class PeaksModel(QAbstractTableModel):
    """Rows of answers; a column has one unit, by its largest value."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._rows: list[list[Any]] = []
        self._units = [""] * len(HEADS)

    def refresh(self) -> None:
        """Read the answers again."""
        results = self.desk.results
        self.beginResetModel()
        self._rows = [] if results is None else [self._row(answer) for answer in results.answers()]
        for column, head in enumerate(HEADS):
            known = [row[column] for row in self._rows if isinstance(row[column], float)]
            self._units[column] = units.display_unit(head.kind, known, self.desk.study.units) if head.kind else ""
        self.endResetModel()

    def _row(self, answer: Answer) -> list[str | float | None]:
        case, figures, study = answer.result.case, answer.figures, self.desk.study
        kept = "" if answer.verdict is None else answer.verdict.words
        return [
            study.name_of(case.point), study.conditions[case.condition].name,
            None if isinstance(case.event, str) else case.event,
            case.storm.maker(study), case.storm.duration,
            figures.peak.ordinate, figures.peak.time, figures.volume, figures.per_area,
            figures.rain_depth, figures.runoff_depth, figures.share_of_rain, answer.limit, kept,
        ]  # fmt: skip

    def title(self, column: int) -> str:
        """Title of a column with its unit."""
        head, unit = HEADS[column], self._units[column]
        return head.title if head.title == "1 in" else f"{head.title} {unit}".strip()

    def exact(self, row: int, column: int) -> str:
        """A cell with all its digits, in the unit of its column."""
        value = self._rows[row][column]
        if isinstance(value, float):
            return repr(units.to_unit(value, self._units[column], HEADS[column].kind))
        return "" if value is None else str(value)

    def rowCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Answers."""
        return len(self._rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Columns."""
        return len(HEADS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:  # noqa: N802
        """Titles with units."""
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            head, unit = HEADS[section], self._units[section]
            return f"{head.title}\n{'' if head.title == '1 in' else unit}"
        return None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Words to the left, figures to the right."""
        value, kind = self._rows[index.row()][index.column()], HEADS[index.column()].kind
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if kind else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.DisplayRole:
            if not isinstance(value, float):
                return "" if value is None else value
            unit = self._units[index.column()]
            if kind == "return period":
                return f"{value:g}"
            return units.show(value, kind, unit=unit).removesuffix(unit).strip()
        return None


class PeaksTable(GridView):
    """The table; Ctrl+C copies the block with its heads, exact."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Table of peaks")
        self._peaks = PeaksModel(desk)
        self.setModel(self._peaks)
        head, side = self.horizontalHeader(), self.verticalHeader()
        assert head is not None
        assert side is not None
        side.hide()
        side.setDefaultSectionSize(22)
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setFont(desk_font(8))

    def refresh(self) -> None:
        """Show the answers again."""
        self._peaks.refresh()

    def copy(self) -> None:
        """Copy the block, exact, under its heads."""
        columns = sorted({i.column() for i in self.block()})
        rows = sorted({i.row() for i in self.block()})
        heads = [self._peaks.title(column) for column in columns]
        put_on_clipboard([heads, *([self._peaks.exact(row, column) for column in columns] for row in rows)])
