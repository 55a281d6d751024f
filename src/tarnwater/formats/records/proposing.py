"""Proposing how a file of records is read, from its head and from rows all over it."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tarnwater import units
from tarnwater.formats.records.dates import Order, moment_of_stamp, proposed_order
from tarnwater.formats.records.reading import (
    MISSING,
    MISSING_NUMBERS,
    TRACE,
    Column,
    Decimal,
    Reading,
    Role,
    Thousands,
)
from tarnwater.formats.records.sheets import Sheet, open_sheet
from tarnwater.rain.records.raw import Form, Stamp

#: Rows of which a proposal is made, and of which the first are shown.
SAMPLE = 1500

#: Share of a column that must read as numbers to be taken as such, and as dates where no other column does better.
MOSTLY, SOME = 0.7, 0.05

_UNIT = re.compile(
    r"[\[(]\s*([^\])]+?)\s*[\])]|(?:^|[\s_,])((?:mm|in|m3|m³|ft3|l|cm)(?:/\w+)?|cfs|cumecs?)\s*$", re.IGNORECASE
)
_NUMBER = re.compile(r"[+-]?[\d.,' ]*\d[\d.,]*(?:[eE][+-]?\d+)?")


@dataclass(frozen=True)
class Proposal:
    """A proposed reading, the rows of which it was made, and what about it is not certain, in words."""

    reading: Reading
    rows: tuple[tuple[str, ...], ...]
    doubts: tuple[str, ...]
    sheets: tuple[str, ...] = ()


def propose(path: Path, *, sheet: str = "", encoding: str = "", delimiter: str = "") -> Proposal:
    """How a file is read most probably; `TableError` if it holds no rows."""
    source = open_sheet(path, sheet=sheet, encoding=encoding, delimiter=delimiter)
    head = source.head()
    first = _first_row(head)
    probed = [row for row in source.probes() if any(row)]
    sample = [row for row in head[first : first + SAMPLE] if any(row)]
    lengths = Counter(len(row) for row in sample)
    width = max(lengths, key=lambda length: (lengths[length], length), default=0)
    rows = [row + [""] * (width - len(row)) for row in [*sample, *probed] if len(row) <= width]
    names = _names(head[:first], width)
    roles, order, certain = _roles(rows, names)
    doubts = [] if certain else ["days and months cannot be told apart in these rows."]
    values = [n for n, role in enumerate(roles) if role == "value"]
    texts = [row[n] for row in rows for n in values]
    decimal, thousands, sure = _marks(texts)
    if not sure:
        doubts.append("a comma could part decimals or thousands.")
    missing = tuple(
        code for code, count in Counter(texts).items() if code in MISSING_NUMBERS and _odd(code, texts, count)
    )
    columns = tuple(
        Column(name=name, role=role, unit=_unit(name) if role == "value" else "")
        for name, role in zip(names, roles, strict=True)
    )
    reading = Reading(
        sheet=getattr(source, "sheet", ""),
        encoding=source.encoding,
        delimiter=source.delimiter,
        first_row=first,
        columns=columns,
        order=order,
        decimal=decimal,
        thousands=thousands,
        missing=missing,
        stamp=_stamp(names),
    )
    form = _form(reading, sample, names, values)
    reading = reading.model_copy(update={"form": form, "columns": _with_units(columns, form)})
    return Proposal(reading, tuple(tuple(row) for row in sample), tuple(doubts), _sheets(source))


def _sheets(source: Sheet) -> tuple[str, ...]:
    return tuple(getattr(source, "names", ()))


def _first_row(head: Sequence[Sequence[str]]) -> int:
    """The first row of data: after the heads, the first with both a date and as many cells as most rows."""
    for number, row in enumerate(head):
        if row and not row[0].startswith("#") and any(_is_stamp(cell) for cell in row):
            return number
    return 0


def _is_stamp(cell: str) -> bool:
    from tarnwater.formats.records.dates import day_of, split_stamp

    day = split_stamp(cell)[0]
    return any(day_of(day, order) is not None for order in ("year first", "day first", "month first"))


def _names(above: Sequence[Sequence[str]], width: int) -> list[str]:
    """Names of the columns: the last row above the data with as many cells, or their numbers."""
    for row in reversed(above):
        if len(row) >= min(width, 2) and any(row) and not (len(row) == 1 and width > 1):
            cells = [cell.lstrip("# ") for cell in row[:width]]
            return [name or f"column {n}" for n, name in enumerate(cells + [""] * (width - len(cells)), start=1)]
    return [f"column {n}" for n in range(1, width + 1)]


def _roles(rows: Sequence[Sequence[str]], names: Sequence[str]) -> tuple[list[Role], Order, bool]:
    """What each column holds, the order of dates, and whether that is certain."""
    columns = [[row[n] for row in rows] for n in range(len(names))]
    roles: list[Role] = ["ignored"] * len(names)
    order: Order = "year first"
    certain, dated, most = False, -1, SOME
    for n, cells in enumerate(columns):
        told = [cell for cell in cells if cell]
        if not told or (_share_of_numbers(told) > MOSTLY and not _dates_by_name(names[n], told)):
            continue
        proposed, sure = proposed_order(told)
        read = sum(moment_of_stamp(cell, proposed) is not None for cell in told) / len(told)
        if read >= most:
            most, order, certain, dated = read, proposed, sure, n
    if dated >= 0:
        roles[dated] = "date and time"
    stamps = [n for n, role in enumerate(roles) if role == "date and time"]
    for n, cells in enumerate(columns):
        told = [cell for cell in cells if cell]
        if n in stamps or not told:
            continue
        if stamps and _only_dates(columns[stamps[0]]) and n == stamps[0] + 1 and _are_times(told, names[n]):
            roles[stamps[0]], roles[n] = "date", "time"
        elif _share_of_numbers(told) >= MOSTLY and not _is_flag(names[n]):
            roles[n] = "value"
    return roles, order, certain


def _dates_by_name(name: str, cells: Sequence[str]) -> bool:
    """Whether numbers are dates: days of a spreadsheet, seconds, or dates without marks, under a name that says so."""
    told = bool(re.search(r"date|time|stamp|day", name, re.IGNORECASE))
    compact = all(re.fullmatch(r"(19|20)\d{6}(\d{4}(\d{2})?)?", cell) for cell in cells[:50])
    return told or compact


def _only_dates(cells: Sequence[str]) -> bool:
    from tarnwater.formats.records.dates import split_stamp

    return all(not split_stamp(cell)[1] for cell in cells if cell)


def _are_times(cells: Sequence[str], name: str) -> bool:
    from tarnwater.formats.records.dates import time_of

    marked = ":" in cells[0] or bool(re.search(r"time|hour|hh", name, re.IGNORECASE))
    return marked and sum(time_of(cell) is not None for cell in cells) >= MOSTLY * len(cells)


def _is_flag(name: str) -> bool:
    return bool(re.search(r"flag|quality|qual|code|station|number|\bid\b", name, re.IGNORECASE))


def _share_of_numbers(cells: Sequence[str]) -> float:
    fitting = sum(bool(_NUMBER.fullmatch(cell)) or cell.lower() in MISSING or cell.lower() in TRACE for cell in cells)
    return fitting / len(cells)


def _marks(texts: Sequence[str]) -> tuple[Decimal, Thousands, bool]:
    """Marks of decimals and thousands in numbers, and whether they are certain."""
    both = [text for text in texts if "," in text and "." in text]
    if both:
        comma_last = sum(text.rfind(",") > text.rfind(".") for text in both) > len(both) / 2
        return (",", ".", True) if comma_last else (".", ",", True)
    spaced: Thousands = " " if any(re.fullmatch(r"\d{1,3}( \d{3})+([.,]\d+)?", text) for text in texts) else ""
    commas = [text for text in texts if "," in text]
    if commas:
        thousands = [text for text in commas if re.fullmatch(r"[+-]?[1-9]\d{0,2}(,\d{3})+", text)]
        if len(thousands) < len(commas):
            return ",", spaced, True
        return ".", ",", False
    return ".", spaced, True


def _odd(code: str, texts: Sequence[str], count: int) -> bool:
    """Whether a number of a missing value is one here: negative, or far above all others and more than once."""
    if code.startswith("-"):
        return True
    numbers = [float(t) for t in texts if t != code and re.fullmatch(r"\d+(\.\d+)?", t)]
    return count > 1 and float(code) > 10 * max(numbers, default=0.0)


def _unit(name: str) -> str:
    found = _UNIT.search(name)
    if not found:
        return ""
    text = (found[1] or found[2]).strip()
    unit = units.spelled({"mm/hr": "mm/h", "cumecs": "m³/s", "cumec": "m³/s"}.get(text.lower(), text))
    kinds = ("rain", "rain rate", "flow")
    return unit if any(unit in units.kind(kind).units for kind in kinds) else ""


def _stamp(names: Sequence[str]) -> Stamp:
    return "start" if any(re.search(r"start|begin|from", name, re.IGNORECASE) for name in names) else "end"


def _form(reading: Reading, rows: Sequence[Sequence[str]], names: Sequence[str], values: Sequence[int]) -> Form:
    """What the values are: by their unit and name, or by how they run."""
    if not values:
        return "tips"
    words = " ".join(names[n] for n in values).lower()
    unit = next((reading.columns[n].unit for n in values if reading.columns[n].unit), "")
    if (unit and unit in units.kind("flow").units) or re.search(r"\bflow|discharge|\bq\b", words):
        return "flow"
    if (unit and unit in units.kind("rain rate").units) or re.search(r"rate|intensity", words):
        return "rate"
    if re.search(r"\btips?\b|bucket", words):
        return "tips"
    if re.search(r"cumul|accum|\btotal", words):
        return "cumulative"
    numbers = np.array([_number(row[values[0]], reading) for row in rows if len(row) > values[0]])
    numbers = numbers[~np.isnan(numbers)]
    rises = np.diff(numbers)
    if len(rises) > 20 and (rises >= 0).mean() > 0.98 and numbers[-1] > numbers[0] and (numbers > 0).mean() > 0.9:
        return "cumulative"
    if len(rises) > 20 and numbers[0] > 0 and (rises == 0).all():
        return "tips"
    return "incremental"


def _number(text: str, reading: Reading) -> float:
    plain = text.replace(reading.thousands, "") if reading.thousands else text
    try:
        found = float(plain.replace(reading.decimal, "."))
    except ValueError:
        return float("nan")
    return float("nan") if text in reading.missing else found


def _with_units(columns: Sequence[Column], form: Form) -> tuple[Column, ...]:
    """The columns, those of values without a unit with the metric one of the form."""
    usual = {"flow": "m³/s", "rate": "mm/h"}.get(form, "mm")
    return tuple(c if c.role != "value" or c.unit else c.model_copy(update={"unit": usual}) for c in columns)
