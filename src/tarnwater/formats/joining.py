"""A table beside a map: its columns become fields of the shapes that have the same key."""

from __future__ import annotations

import csv
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from tarnwater.errors import TableError
from tarnwater.formats.opening import first_bytes
from tarnwater.formats.vector import Value, VectorLayer

#: Rows of a table, at most.
MOST_ROWS = 1_000_000


@dataclass(frozen=True)
class KeyedTable:
    """Columns of a table by name, in the order of the file, each with its values (rows,) as text."""

    name: str
    columns: Mapping[str, tuple[str, ...]]

    def __len__(self) -> int:
        return len(next(iter(self.columns.values()), ()))


def read_keyed_table(path: Path) -> KeyedTable:
    """Read delimited text (commas, semicolons or tabs) whose first row names its columns.

    Raises `TableError` for a file that is missing, no text or empty, and for rows of another length.
    """
    where = str(path)
    first_bytes(path, TableError)
    try:
        text = path.read_text(encoding="utf-8-sig")
    except UnicodeDecodeError as error:
        raise TableError("the file holds no text.", where=where, remedy="Save the table as CSV in UTF-8.") from error
    lines = [line for line in text.splitlines() if line.strip() and not line.startswith("#")]
    if not lines or len(lines) > MOST_ROWS:
        what = "the table is empty." if not lines else f"the table has {len(lines):,} rows; 1,000,000 can be read."
        raise TableError(what, where=where, remedy="Give a table with a row for each key.")
    separator = max("\t;,", key=lines[0].count)
    rows = list(csv.reader(lines, delimiter=separator))
    heads = [head.strip() or f"column {number}" for number, head in enumerate(rows[0], 1)]
    faults = [
        f"row {number}: {len(row)} columns, not {len(heads)}"
        for number, row in enumerate(rows[1:], 2)
        if len(row) != len(heads)
    ]
    if faults:
        raise TableError(f"{len(faults)} rows cannot be read.", where=where, remedy="Correct these rows.", rows=faults)
    if len(set(heads)) != len(heads):
        raise TableError("two columns have the same name.", where=where, remedy="Give each its own name.")
    columns = zip(*[[cell.strip() for cell in row] for row in rows[1:]], strict=True)
    values = list(columns) or [()] * len(heads)
    return KeyedTable(path.name, dict(zip(heads, values, strict=True)))


def key_in_both(layer: VectorLayer, table: KeyedTable) -> tuple[str, str]:
    """The field of a layer and the column of a table that share most values; empty ones if none do."""
    best, found = 0, ("", "")
    for field, values in layer.fields.items():
        own = {as_key(value) for value in values} - {""}
        for column, cells in table.columns.items():
            common = len(own & {as_key(cell) for cell in cells})
            if common > best:
                best, found = common, (field, column)
    return found


def joined(layer: VectorLayer, table: KeyedTable, field: str, column: str) -> VectorLayer:
    """A layer with the columns of a table, by the values of a field and a column.

    Notes say how many shapes found no row, and which keys stand twice in the table; of these the first counts. Raises
    `TableError` for a field or a column that does not exist.
    """
    for name, known in ((field, layer.fields), (column, table.columns)):
        if name not in known:
            raise TableError(f"there is no “{name}”.", where=table.name, remedy=f"Name one of {', '.join(known)}.")
    row_of: dict[str, int] = {}
    twice: list[str] = []
    for number, cell in enumerate(table.columns[column]):
        key = as_key(cell)
        if row_of.setdefault(key, number) != number:
            twice.append(key)
    rows = [row_of.get(as_key(value)) for value in layer.fields[field]]
    fields = dict(layer.fields)
    for name, cells in table.columns.items():
        if name != column:
            free = name if name not in fields else f"{name} of {table.name}"
            fields[free] = tuple(None if row is None else cells[row] or None for row in rows)
    lost = sorted({as_key(v) for v, row in zip(layer.fields[field], rows, strict=True) if row is None})
    notes = list(layer.notes)
    if lost:
        notes.append(f"keys that {table.name} does not have: {', '.join(lost[:12])}{' …' if len(lost) > 12 else ''}")
    if twice:
        notes.append(f"keys that stand twice in {table.name}, of which the first row counts: {', '.join(twice[:12])}")
    return replace(layer, fields=fields, notes=tuple(notes))


def in_one_line(text: str, most: int = 60) -> str:
    """Text of a file for a line of output: what is no printed sign is a space, and what is too long is cut.

    >>> in_one_line("wood\\nland"), in_one_line("abcdef", most=4)
    ('wood land', 'abc…')
    """
    told = "".join(sign if sign.isprintable() else " " for sign in text)
    return told if len(told) <= most else told[: most - 1] + "…"


def as_key(value: Value) -> str:
    """A value as a key: text without space around it, whole numbers without a point.

    >>> as_key(12.0), as_key(" A7 "), as_key(None)
    ('12', 'A7', '')
    """
    if value is None:
        return ""
    if isinstance(value, float):
        return f"{value:.10g}"
    text = str(value).strip()
    return text.removesuffix(".0") if text.removesuffix(".0").isdigit() else text
