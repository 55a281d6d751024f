"""The table of cover and soil of one catchment, with its totals; made by hand it can be typed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtWidgets import QHeaderView, QWidget

from tarnwater import units
from tarnwater.brief.land import HEADS, area_unit, cells_of, total_of
from tarnwater.cover import CoverClass, soil_group_in, soil_textures
from tarnwater.cover.classes import COMMON
from tarnwater.cover.land import CatchmentLand, LandPatch, LandRow, LandTable
from tarnwater.cover.soils import DUAL_GROUPS, GROUPS
from tarnwater.desk.benches.ground.land_choices import library_of
from tarnwater.desk.benches.ground.values_table import MeaningDelegate, meant_by
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.grid_view import GridView, clipboard_rows, put_on_clipboard
from tarnwater.errors import EditRefused, TarnwaterError
from tarnwater.network.elements import Catchment
from tarnwater.study.answers.land import table_of
from tarnwater.study.edits.cover import set_land
from tarnwater.study.file.kept import Kept

COVER, SOIL, AREA, SHARE, NUMBER, PRODUCT, COEFFICIENT, _, REMARK = range(len(HEADS))

#: Columns that can be typed in a table made by hand.
TYPED = (COVER, SOIL, AREA, SHARE, NUMBER, COEFFICIENT)

#: What a column takes, said where something else was typed.
RANGES = {
    2: "Type an area of 0 or more, or “rest”.",
    3: "Type a share from 0 to 100 %, or “rest”.",
    NUMBER: "Type a number from 1 to 100.",
    COEFFICIENT: "Type a coefficient from 0 to 1.",
}

#: Hints of the heads that are letters.
MEANINGS = {
    NUMBER: "curve number in the average condition",
    COEFFICIENT: "runoff coefficient for the return period beside the table",
}

#: Written where a row takes the remainder.
REST = ("rest", "remainder", "")


@dataclass(frozen=True)
class Line:
    """One line of the table: its cells, the row of which it is made, and whether it is the total."""

    cells: tuple[str, ...]
    row: LandRow | None = None
    total: bool = False
    number_typed: bool = False


class LandTableModel(QAbstractTableModel):
    """Rows of the selected catchment in the condition in view; the last line is the total."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.desk, self.theme = desk, theme
        self.key = ""
        self.lines: list[Line] = []
        self.table: LandTable | None = None
        self.return_period = COMMON
        self.library: dict[str, CoverClass] = {}
        self.kept = Kept()
        self._refused: dict[tuple[int, int], tuple[str, str]] = {}

    # showing

    @property
    def catchment(self) -> Catchment | None:
        """The catchment as the condition in view has it."""
        element = self.desk.elements.get(self.key)
        return element if isinstance(element, Catchment) else None

    @property
    def land(self) -> CatchmentLand | None:
        """Its land; None without one."""
        return None if self.catchment is None else self.catchment.land

    @property
    def by_hand(self) -> bool:
        """Whether its rows can be typed."""
        return self.land is not None and self.land.by_hand

    def show(self, key: str) -> None:
        """Show a catchment, or its present values again."""
        study = self.desk.study
        if key != self.key:
            self._refused.clear()
        self.key = key
        self.library = library_of(study, self.kept)
        catchment = self.catchment
        self.table = None if catchment is None else table_of(study, catchment)
        lines = self._lines()
        if len(lines) == len(self.lines):
            self.lines = lines
            if lines:
                self.dataChanged.emit(self.index(0, 0), self.index(len(lines) - 1, len(HEADS) - 1))
            return
        self.beginResetModel()
        self.lines = lines
        self.endResetModel()

    def _lines(self) -> list[Line]:
        table = self.table
        if table is None:
            return []
        unit, period = area_unit(table, self.desk.study.units), self.return_period
        rows = self._rows_by_hand() if self.by_hand else list(table.rows)
        shown = [Line(cells_of(row, table, unit, period), row, number_typed=row.number_typed) for row in rows]
        total = total_of(table, unit, period)
        typed = self._typed_composite()
        if typed is not None:
            total = (*total[:-1], ", ".join(part for part in (total[-1], f"typed {typed:g} is used") if part))
        return [*shown, Line(total, total=True)]

    def _typed_composite(self) -> float | None:
        catchment = self.catchment
        if catchment is None or self.land is None or self.land.uses != "composite":
            return None
        number = catchment.surfaces[0].loss.number
        return None if number is None else number.typed_value

    def _rows_by_hand(self) -> list[LandRow]:
        """One row for each that was typed, a mix in one, so that it can be typed again."""
        assert self.land is not None
        assert self.table is not None
        study, found = self.desk.study, []
        area = self.table.area
        for patch, extent in zip(self.land.patches, self.land.extents(area), strict=True):
            own = patch.model_copy(update={"area": extent, "share": None})
            part = study.library.table(CatchmentLand(patches=(own,), by_hand=True), area)
            first = part.rows[0]
            cover = self.library.get(patch.cover)
            title = patch.label or (cover.name if cover else "")
            found.append(
                replace(
                    first, cover=cover or first.cover, area=extent, share=extent / area if area else 0.0,
                    number=part.curve_number, connected=False, label=title,
                    typed_coefficient=part.coefficient(self.return_period),
                    remainder=patch.takes_rest, number_typed=patch.number is not None,
                )
            )  # fmt: skip
        return found

    def rowCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Number of lines."""
        return len(self.lines)

    def columnCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Number of columns."""
        return len(HEADS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:  # noqa: N802
        """Heads of the columns, over their figures; what the letters mean as a hint."""
        if orientation != Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return HEADS[section]
        if role == Qt.ItemDataRole.ToolTipRole:
            return MEANINGS.get(section)
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if AREA <= section < REMARK else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        return None

    def may_be_typed(self, index: QModelIndex) -> bool:
        """Whether a cell can be typed: by hand most of them, otherwise the curve number of a surface."""
        line = self.lines[index.row()]
        if line.total:
            return False
        if self.by_hand:
            return index.column() in TYPED
        return index.column() == NUMBER and self.land is not None and self.land.uses == "surfaces"

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        """Flags of a cell."""
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return flags | Qt.ItemFlag.ItemIsEditable if self.may_be_typed(index) else flags

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Texts, figures to the right; the total bold, what was typed bold and blue."""
        line = self.lines[index.row()]
        refused = self._refused.get((index.row(), index.column()))
        if refused is not None and role in _REFUSED:
            return (refused[0], refused[0], refused[0], refused[1], self.theme.colour("limit"))[_REFUSED.index(role)]
        match role:
            case Qt.ItemDataRole.DisplayRole | Qt.ItemDataRole.EditRole | Qt.ItemDataRole.UserRole:
                text = line.cells[index.column()]
                return "" if text == "–" and role != Qt.ItemDataRole.DisplayRole else text
            case Qt.ItemDataRole.TextAlignmentRole:
                side = Qt.AlignmentFlag.AlignRight if AREA <= index.column() < REMARK else Qt.AlignmentFlag.AlignLeft
                return side | Qt.AlignmentFlag.AlignVCenter
            case Qt.ItemDataRole.FontRole:
                return desk_font(9, bold=line.total or (line.number_typed and index.column() == NUMBER))
            case Qt.ItemDataRole.ForegroundRole if line.number_typed and index.column() == NUMBER:
                return self.theme.colour("water")
            case Qt.ItemDataRole.ToolTipRole:
                return self._hint(index.column(), line)
        return None

    def _hint(self, column: int, line: Line) -> str:
        if column == COVER and line.row is not None and line.row.cover is not None:
            cover = line.row.cover
            numbers = ", ".join("–" if n is None else f"{n:g}" for n in cover.numbers)
            return f"{cover.name}\ncurve numbers on A, B, C, D: {numbers}"
        return line.cells[column]

    # typing

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:  # noqa: N802
        """Type one cell; a text that cannot be read stays in it with the reason."""
        text, line = str(value).strip(), self.lines[index.row()]
        if text == line.cells[index.column()] or line.row is None:
            return False
        try:
            if self.by_hand:
                self._type_patch(index.row(), index.column(), text)
            else:
                self._type_number(line.row, text)
        except TarnwaterError as error:
            self._refused[index.row(), index.column()] = text, str(error)
            self.desk.fault(error)
            self.dataChanged.emit(index, index)
            return True
        self._refused.pop((index.row(), index.column()), None)
        return True

    def _type_number(self, row: LandRow, text: str) -> None:
        """Type the curve number of the surface that was made of a row, or clear it."""
        catchment = self.catchment
        assert catchment is not None
        number = next(n for n, one in enumerate(catchment.surfaces) if one.name == row.name)
        loss = catchment.surfaces[number].loss
        if not loss.number_name:
            raise EditRefused(f"the loss {loss.title} has no curve number.", where=row.name, remedy="Choose another.")
        path = f"surfaces/{number}/loss/{loss.number_name}"
        if text:
            self.desk.type_values([(self.key, path, units.parse(text, "curve number"))], texts={path: text})
        else:
            self.desk.give_back([(self.key, path)])

    def _type_patch(self, row: int, column: int, text: str) -> None:
        land = self.land
        assert land is not None
        patch = self.typed(land.patches[row], column, text)
        self.put(replace_at(land.patches, row, patch))

    def typed(self, patch: LandPatch, column: int, text: str) -> LandPatch:
        """A row with another text in a column; `TarnwaterError` with the reason if it cannot be read."""
        update: dict[str, Any]
        match int(column):
            case 0:
                means = meant_by(text, list(self.library))
                update = {"cover": means, "label": ""} if means in self.library else {"cover": "", "label": text}
            case 1:
                soil, texture = _soil_in(text)
                update = {"soil": soil, "texture": texture}
            case 2:
                unit = area_unit(self.table, self.desk.study.units) if self.table is not None else "m²"
                rest = text.casefold() in REST
                update = {"share": None, "area": None if rest else units.parse(text, "area", default=unit)}
            case 3:
                rest = text.casefold() in REST
                update = {"area": None, "share": None if rest else _share_in(text)}
            case 4:
                update = {"number": units.parse(text, "curve number") if text else None}
            case _:
                update = {"coefficient": units.parse(text, "factor") if text else None}
        try:
            return LandPatch(**{**patch.model_dump(), **update})
        except ValueError as error:
            raise EditRefused(
                f"“{text}” cannot be the {MEANINGS.get(column, HEADS[column])} of a row.",
                where=patch.cover or patch.label,
                remedy=RANGES.get(column, "Type another."),
            ) from error

    def put(self, patches: Sequence[LandPatch]) -> None:
        """Give the catchment other rows by hand, where edits apply."""
        land = self.land
        uses = "surfaces" if land is None else land.uses
        new = CatchmentLand(patches=tuple(patches), by_hand=True, uses=uses)
        classes = {p.cover: self.library[p.cover] for p in patches if p.cover and p.cover in self.library}
        self.desk.do(set_land, self.key, new, condition=self.desk.scope_of(self.key), classes=classes)

    def remove(self, rows: Sequence[int]) -> None:
        """Remove typed rows; in a table from the maps clear the typed curve numbers."""
        forgotten = [place for place in self._refused if place[0] in rows]
        for place in forgotten:
            del self._refused[place]
        if forgotten:
            self.show(self.key)
            return
        if self.by_hand and self.land is not None:
            kept = [patch for number, patch in enumerate(self.land.patches) if number not in rows]
            if len(kept) < len(self.land.patches):
                self.put(kept)
            return
        for number in rows:
            row = self.lines[number].row
            if row is not None and row.number_typed:
                self._type_number(row, "")

    def options(self, column: int) -> Sequence[str]:
        """What a cell may hold, for the columns that have a list."""
        return list(self.library) if column == COVER else [*GROUPS, *DUAL_GROUPS, *soil_textures()]


def replace_at(patches: Sequence[LandPatch], number: int, patch: LandPatch) -> tuple[LandPatch, ...]:
    """The rows with one replaced."""
    return (*patches[:number], patch, *patches[number + 1 :])


def _soil_in(text: str) -> tuple[str, str]:
    """Soil group and texture in a text such as ``B``, ``Loam`` or ``C/D · Silt loam``."""
    soil = texture = ""
    textures = {name.casefold(): name for name in soil_textures()}
    for part in (one.strip() for one in text.replace(",", "·").split("·")):
        if not part:
            continue
        if found := soil_group_in(part):
            soil = found
        elif part.casefold() in textures:
            texture = textures[part.casefold()]
        else:
            raise EditRefused(
                f"“{part}” is no soil group and no texture.", where="soil", remedy="Type A, B, C, D, C/D or a texture."
            )
    return soil, texture


def _share_in(text: str) -> float:
    """A share; a plain number is in per cent, as the column shows it."""
    return units.parse(text, "share", default="%")


#: Roles of a cell whose text was refused.
_REFUSED = (
    Qt.ItemDataRole.DisplayRole,
    Qt.ItemDataRole.EditRole,
    Qt.ItemDataRole.UserRole,
    Qt.ItemDataRole.ToolTipRole,
    Qt.ItemDataRole.ForegroundRole,
)


class LandDelegate(MeaningDelegate):
    """Lists for cover and soil, plain cells for figures."""

    def __init__(self, parent: QWidget, model: LandTableModel) -> None:
        super().__init__(parent, tuple)
        self._model = model

    def column_has_list(self, column: int) -> bool:
        """Whether a cell is chosen from a list."""
        return column in (COVER, SOIL)

    def options_at(self, column: int) -> Sequence[str]:
        """The list of a column."""
        return self._model.options(column)


class LandTableView(GridView):
    """The table; Delete removes typed rows, Ctrl+V pastes rows into a table made by hand, F1 asks for a figure."""

    def __init__(self, model: LandTableModel) -> None:
        super().__init__("Table of cover and soil")
        self.land = model
        self.setModel(model)
        self.setItemDelegate(LandDelegate(self, model))
        head, side = self.horizontalHeader(), self.verticalHeader()
        if head is not None and side is not None:
            side.hide()
            side.setDefaultSectionSize(self.fontMetrics().height() + 6)
            head.setHighlightSections(False)
            head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
            head.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
            head.setStretchLastSection(True)

    def asked(self) -> tuple[str, str] | None:
        """What F1 asks here: the composite coefficient in its columns, otherwise the composite curve number."""
        if not self.land.lines:
            return None
        column = self.currentIndex().column()
        rare = f"land/coefficient/{self.land.return_period:g}"
        return self.land.key, rare if column in (COEFFICIENT, COEFFICIENT + 1) else "land/curve_number"

    def copy(self) -> None:
        """Copy the block as text."""
        rows: dict[int, list[str]] = {}
        for index in self.block():
            rows.setdefault(index.row(), []).append(str(index.data() or ""))
        put_on_clipboard(rows.values())

    def paste(self) -> None:
        """Paste rows from the present cell on; new rows are added below the last."""
        model, here, block = self.land, self.currentIndex(), clipboard_rows()
        if not model.by_hand or model.land is None or not here.isValid():
            self.land.desk.told.emit("Rows can be pasted into a table made by hand.")
            return
        patches = list(model.land.patches)
        try:
            for down, cells in enumerate(block):
                number = here.row() + down
                if number >= len(patches):
                    patches.append(LandPatch(share=0.0))
                    number = len(patches) - 1
                for across, text in enumerate(cells):
                    if here.column() + across in TYPED:
                        patches[number] = model.typed(patches[number], here.column() + across, text.strip())
        except TarnwaterError as error:
            model.desk.told.emit(f"Nothing was pasted. {error}")
            return
        model.put(patches)

    def clear_block(self) -> None:
        """Remove the rows of the block, or clear their typed curve numbers."""
        self.land.remove(sorted({index.row() for index in self.block() if index.row() < len(self.land.lines) - 1}))
