"""A depth table while it is typed: text that cannot be read stays, with the reason."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from tarnwater import units
from tarnwater.errors import TableError, TarnwaterError, UnitError
from tarnwater.formats.tables import years_text
from tarnwater.rain.depth_table import DepthTable
from tarnwater.units import System

#: Larger than any depth table: pasting a whole record here is a mistake.
MOST_ROWS, MOST_COLUMNS = 400, 60


def brings_heads(block: Sequence[Sequence[str]]) -> bool:
    """Whether a block is a table with return periods across its top and durations, with units, down its side.

    >>> brings_heads([["", "2", "10"], ["1 h", "16", "26"]]), brings_heads([["16", "26"]])
    (True, False)
    """
    if len(block) < 2 or len(block[0]) < 2 or _reads(years_text(block[0][0]), "return period"):
        return False
    across = [cell for cell in block[0][1:] if cell.strip()]
    down = [row[0] for row in block[1:] if row and row[0].strip()]
    timed = all(not cell.strip().replace(".", "").isdigit() and _reads(cell, "time") for cell in down)
    return bool(across and down) and timed and all(_reads(years_text(cell), "return period") for cell in across)


def _reads(text: str, kind: str) -> bool:
    try:
        units.parse(text, kind)
    except UnitError:
        return False
    return True


@dataclass
class Cell:
    """A text as typed, or an exact value in the base unit (``known``) that is shown rounded."""

    text: str = ""
    known: float | None = None


@dataclass
class DepthDraft:
    """Cells of a depth table: row 0 holds return periods, column 0 durations, the rest depths in ``unit``.

    >>> draft = DepthDraft()
    >>> draft.put(0, 0, [["", "2", "100"], ["1 h", "16.4", "43"], ["6 h", "31", "88"]])
    >>> draft.table().depths
    ((16.4, 43.0), (31.0, 88.0))
    """

    unit: str = "mm"
    cells: list[list[Cell]] = field(default_factory=lambda: [[Cell()]])
    source: str = ""

    @classmethod
    def of(cls, table: DepthTable | None, system: System) -> DepthDraft:
        """A draft that shows a table, exact, in the unit of a system."""
        unit = units.display_unit("rain", 1.0, system)
        if table is None:
            return cls(unit)
        head = [Cell(), *(Cell(known=period) for period in table.return_periods)]
        rows = [
            [Cell(known=duration), *(Cell(known=depth) for depth in depths)]
            for duration, depths in zip(table.durations, table.depths, strict=True)
        ]
        return cls(unit, [head, *rows], table.source)

    @property
    def rows(self) -> int:
        """Number of rows in use, with the head."""
        return len(self.cells)

    @property
    def columns(self) -> int:
        """Number of columns in use, with the durations."""
        return len(self.cells[0])

    def shown(self, row: int, column: int) -> str:
        """Text of a cell; empty beyond what is typed."""
        if row >= self.rows or column >= self.columns:
            return ""
        cell = self.cells[row][column]
        if cell.known is None:
            return cell.text
        if row == 0:
            return f"{cell.known:g}"
        if column == 0:
            return units.show_duration(cell.known)
        return units.rounded(units.to_unit(cell.known, self.unit, "rain"))

    def exact(self, row: int, column: int) -> str:
        """Text of a cell with all its digits, as it is copied."""
        cell = self.cells[row][column] if row < self.rows and column < self.columns else Cell()
        if cell.known is not None and row and column:
            return repr(units.to_unit(cell.known, self.unit, "rain"))
        return self.shown(row, column)

    def put(self, row: int, column: int, block: Sequence[Sequence[str]]) -> None:
        """Type a block from a cell on; `TableError` where it is larger than any table."""
        tall, wide = row + len(block), column + max((len(r) for r in block), default=0)
        if tall > MOST_ROWS or wide > MOST_COLUMNS:
            raise TableError(
                f"the pasted block has {len(block)} rows and {wide - column} columns; nothing was pasted.",
                where="depth table",
                remedy=f"A depth table has at most {MOST_ROWS} durations and {MOST_COLUMNS} return periods.",
            )
        self._grow(tall, wide)
        for r, texts in enumerate(block):
            for c, text in enumerate(texts):
                if text.strip() != self.shown(row + r, column + c):
                    self.cells[row + r][column + c] = Cell(text.strip())
        self._trim()

    def put_whole(self, block: Sequence[Sequence[str]]) -> None:
        """Type a whole table with heads, in place of the present one."""
        self.cells, self.source = [[Cell()]], ""
        self.put(0, 0, block)

    def _grow(self, rows: int, columns: int) -> None:
        wide = max(columns, self.columns)
        for cells in self.cells:
            cells += [Cell() for _ in range(wide - len(cells))]
        self.cells += [[Cell() for _ in range(wide)] for _ in range(rows - self.rows)]

    def _trim(self) -> None:
        """Remove empty rows and columns at the ends."""
        kept_rows = [r for r in range(self.rows) if r == 0 or any(self.shown(r, c) for c in range(self.columns))]
        kept_columns = [c for c in range(self.columns) if c == 0 or any(self.shown(r, c) for r in range(self.rows))]
        self.cells = [[self.cells[r][c] for c in kept_columns] for r in kept_rows]

    def value(self, row: int, column: int) -> float:
        """Value of a cell in the base unit; raises the reason if it cannot be read."""
        cell = self.cells[row][column]
        if cell.known is not None:
            return cell.known
        if not cell.text:
            raise TableError("the cell is empty.", remedy="Type a value.")
        if row == 0:
            return units.parse(years_text(cell.text), "return period", default="years")
        if column == 0:
            if cell.text.replace(".", "").isdigit():
                raise TableError(f"“{cell.text}” has no unit.", remedy=f"Write {cell.text} min or {cell.text} h.")
            return units.parse(cell.text, "time")
        return units.parse(cell.text, "rain", default=self.unit)

    def fault(self, row: int, column: int) -> str:
        """Reason why a cell cannot be read; empty if it can, and for the corner."""
        if (row, column) == (0, 0) or row >= self.rows or column >= self.columns:
            return ""
        try:
            self.value(row, column)
        except TarnwaterError as error:
            return str(error)
        return ""

    def faults(self) -> list[str]:
        """Every cell that cannot be read, with its place."""
        places = [(r, c) for r in range(self.rows) for c in range(self.columns)]
        return [f"{self._place(r, c)}: {told}" for r, c in places if (told := self.fault(r, c))]

    @property
    def merely_unfinished(self) -> bool:
        """Whether the only faults are empty cells."""
        places = [(r, c) for r in range(self.rows) for c in range(self.columns) if self.shown(r, c)]
        return not any(self.fault(r, c) for r, c in places)

    def _place(self, row: int, column: int) -> str:
        if row == 0:
            return f"return period {column}"
        if column == 0:
            return f"duration {row}"
        return f"{self.shown(row, 0) or f'row {row}'}, 1 in {self.shown(0, column) or f'column {column}'}"

    def table(self) -> DepthTable:
        """The table, sorted; `TableError` lists the cells that cannot be read."""
        if faults := self.faults():
            raise TableError(
                f"{len(faults)} cell{'s'[: len(faults) > 1]} cannot be read; the table in the study is unchanged.",
                where="depth table",
                remedy="They are marked; correct them.",
                rows=faults[:12],
            )
        rows = sorted(range(1, self.rows), key=lambda r: self.value(r, 0))
        columns = sorted(range(1, self.columns), key=lambda c: self.value(0, c))
        return DepthTable(
            durations=tuple(self.value(r, 0) for r in rows),
            return_periods=tuple(self.value(0, c) for c in columns),
            depths=tuple(tuple(self.value(r, c) for c in columns) for r in rows),
            source=self.source,
        )
