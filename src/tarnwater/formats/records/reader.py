"""Reading a file of records by a `Reading`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from tarnwater import units
from tarnwater.arrays import Flags, Floats
from tarnwater.errors import TableError
from tarnwater.formats.records.dates import SPREADSHEET_EPOCH, TimeOfDay, day_of, split_stamp, time_of
from tarnwater.formats.records.reading import (
    MISSING,
    MISSING_NUMBERS,
    TRACE,
    Reading,
    fixed_offset,
    named_zone,
    winter_offset,
)
from tarnwater.formats.records.sheets import CELLS, open_sheet
from tarnwater.progress import Progress
from tarnwater.rain.records.raw import RawSeries
from tarnwater.rain.records.record import moment_of

if TYPE_CHECKING:
    import pandas as pd

#: Rows that are named one by one; the others are counted.
NAMED = 20

#: Share of the time of reading that parting rows and cells takes.
SHARE = 0.95


@dataclass
class BadRows:
    """Rows that cannot be read: how many, and the first of them with their lines and reasons."""

    count: int = 0
    first: list[str] = field(default_factory=list)

    def add(self, lines: Sequence[int], reasons: Sequence[str]) -> None:
        """Add rows by their lines, with their reasons."""
        self.count += len(lines)
        for line, reason in zip(lines[:NAMED], reasons[:NAMED], strict=False):
            if len(self.first) < NAMED:
                self.first.append(f"line {line}: {reason}")

    @property
    def told(self) -> str:
        """How many there are, and the first one, in words."""
        rows = "1 row cannot" if self.count == 1 else f"{self.count:,} rows cannot"
        return f"{rows} be read; the first is {self.first[0]}."


@dataclass(frozen=True)
class ReadRecords:
    """Series by the name of their column, rows that could not be read, and what is worth knowing, in words."""

    series: Mapping[str, RawSeries]
    bad: BadRows
    notes: tuple[str, ...]

    def named(self, stem: str) -> dict[str, RawSeries]:
        """The series by the names of records: that of the file for a single one, else those of the columns."""
        if len(self.series) != 1:
            return dict(self.series)
        return {stem: next(iter(self.series.values()))}


def read_records(
    path: Path, reading: Reading, *, leave_out_bad: bool = False, progress: Progress | None = None
) -> ReadRecords:
    """Read the series of a file.

    Rows whose date or value cannot be read raise a `TableError` that counts them and names the first, unless they are
    left out; the time that they stand for is then missing.
    """
    where = path.name
    reading.refuse_incomplete(where)
    sheet = open_sheet(path, sheet=reading.sheet, encoding=reading.encoding, delimiter=reading.delimiter)
    work = Reader(reading)
    line = reading.first_row + 1
    for share, piece in sheet.chunks(reading.first_row, len(reading.columns), work.columns, work.numbers, work.options):
        work.take(piece, line)
        line += len(piece)
        if progress is not None:
            progress.tell("reading rows", SHARE * min(share, 1.0))
    if not work.stamps or not sum(len(part) for part in work.stamps):
        if work.bad.count:
            raise TableError(work.bad.told, where=where, remedy="Choose how dates are written.", rows=work.bad.first)
        raise TableError("there is no row of data.", where=where, remedy="Check the first row and the columns.")
    if work.bad.count and not leave_out_bad:
        raise TableError(
            work.bad.told,
            where=where,
            remedy="Correct them, change how they are read, or leave them out: their time is then missing.",
            rows=work.bad.first,
        )
    return work.finished()


@dataclass(frozen=True)
class PreviewRow:
    """A row as it was understood: its stamp in words, its values in base units by column, and what is wrong with it."""

    stamp: str
    values: Mapping[int, float]
    wrong: str = ""


def preview(reading: Reading, rows: Sequence[Sequence[str]]) -> list[PreviewRow]:
    """How rows are understood by a reading, by the same code as the whole file."""
    import pandas as pd

    work = Reader(reading)
    if not work.stamp_columns or not rows:
        return [PreviewRow("", {}, "no column holds the date") for _ in rows]
    cells = {c: [row[c] if c < len(row) else "" for row in rows] for c in range(len(reading.columns))}
    piece = pd.DataFrame(cells, dtype=str)
    seconds, written = work.moments(piece)
    columns = {c: work.numbers_in(piece[c]) for c in work.numbers}
    offset = winter_offset(reading.zone)
    found = []
    for n, second in enumerate(seconds.tolist()):
        wrong = [f"no date with the {reading.order}"] if np.isnan(second) else []
        wrong += [f"“{rows[n][c]}” is no number" for c, (_, bad) in columns.items() if bad[n]]
        own = offset if np.isnan(written[n]) else int(written[n])
        stamp = "" if np.isnan(second) else f"{moment_of(int(second) - own, own):%Y-%m-%d %H:%M:%S}"
        values = {c: float(numbers[n]) * work.factors[c] for c, (numbers, _) in columns.items()}
        found.append(PreviewRow(stamp, values, ", ".join(wrong)))
    return found


@dataclass
class Reader:
    """Takes pieces of a file and keeps their stamps and values; `preview` tells what some rows hold."""

    reading: Reading
    stamps: list[Any] = field(default_factory=list)
    values: dict[int, list[Floats]] = field(default_factory=dict)
    bad: BadRows = field(default_factory=BadRows)
    traces: int = 0
    missing: int = 0
    parts_of_seconds: int = 0
    repeated: int = 0

    def __post_init__(self) -> None:
        reading = self.reading
        self.stamp_columns = reading.of_role("date and time", "date", "time")
        self.numbers = reading.of_role("value")
        self.columns = sorted({*self.stamp_columns, *self.numbers})
        codes = {*MISSING, *(m.upper() for m in MISSING), *(m.capitalize() for m in MISSING), *reading.missing}
        # no gauge measures -999; a rare code may be in no row that was looked at
        codes |= {code for code in MISSING_NUMBERS if code.startswith("-")}
        self.codes = codes
        self.options: dict[str, Any] = {"decimal": reading.decimal}
        if self.numbers:
            self.options["na_values"] = {c: sorted(codes) for c in self.numbers}
        if reading.thousands.strip():
            self.options["thousands"] = reading.thousands
        self.factors = {c: self._factor(c) for c in self.numbers}
        self.days: dict[str, int | None] = {}
        self.times: dict[str, TimeOfDay | None] = {}

    def _factor(self, column: int) -> float:
        kind = {"flow": "flow", "rate": "rain rate"}.get(self.reading.form, "rain")
        return units.factor_of(self.reading.columns[column].unit or units.kind(kind).base, kind)

    def take(self, piece: pd.DataFrame, line: int) -> None:
        """Read a piece whose first row stands at a line."""
        seconds, written = self.moments(piece)
        blank = _blank(piece, self.columns, np.isnan(seconds))
        if CELLS in piece and (long := piece[CELLS].to_numpy() > len(self.reading.columns)).any():
            self._tell_bad(piece, line, long, self.columns, f"has more than {len(self.reading.columns)} cells")
            seconds[long], blank[long] = np.nan, True
        no_date = np.isnan(seconds) & ~blank
        self._tell_bad(piece, line, no_date, self.stamp_columns, f"is no date with the {self.reading.order}")
        good = ~blank & ~no_date
        for column in self.numbers:
            numbers, wrong = self.numbers_in(piece[column])
            wrong &= good
            self._tell_bad(piece, line, wrong, [column], "is no number")
            good &= ~wrong
            self.values.setdefault(column, []).append(numbers)
        for column in self.numbers:
            self.values[column][-1] = self.values[column][-1][good] * self.factors[column]
        self.stamps.append((seconds[good], written[good]))

    def _tell_bad(self, piece: pd.DataFrame, line: int, wrong: Flags, columns: Sequence[int], reason: str) -> None:
        at = np.flatnonzero(wrong)
        if len(at):
            first = [" ".join(str(piece[c].iloc[i]) for c in columns).strip() for i in at[:NAMED].tolist()]
            self.bad.add([line + i for i in at.tolist()], [f"“{text[:60]}” {reason}" for text in first])

    def moments(self, piece: pd.DataFrame) -> tuple[Floats, Floats]:
        """Seconds from 1970 to each stamp as written, NaN where unreadable, and the offset written with it, or NaN."""
        import pandas as pd

        if self.reading.order in ("days since 1900", "seconds since 1970"):
            texts = piece[self.stamp_columns[0]].str.replace(",", ".", regex=False)
            numbers = pd.to_numeric(texts, errors="coerce").to_numpy(float)
            if self.reading.order == "days since 1900":
                numbers = (numbers - SPREADSHEET_EPOCH) * 86400
            return self._whole(numbers), np.full(len(numbers), np.nan)
        days, times = self._parted(piece)
        day_codes, day_texts = pd.factorize(days)
        time_codes, time_texts = pd.factorize(times)
        by_day = np.array([self._day(text) for text in day_texts] + [np.nan])
        read = [self._time(text) for text in time_texts]
        seconds = np.array([np.nan if t is None else t.seconds for t in read] + [np.nan])
        offsets = np.array([np.nan if t is None or t.offset is None else t.offset for t in read] + [np.nan])
        return self._whole(by_day[day_codes] * 86400 + seconds[time_codes]), offsets[time_codes]

    def _parted(self, piece: pd.DataFrame) -> tuple[Any, Any]:
        """Texts of the dates and of the times of day."""
        import pandas as pd

        if len(self.stamp_columns) == 2:
            return tuple(piece[self.reading.of_role(role)[0]].fillna("") for role in ("date", "time"))
        texts = piece[self.stamp_columns[0]].fillna("").to_numpy(object)
        widths = np.fromiter(map(len, texts), np.int64, len(texts))
        whole = texts[0] if len(texts) else ""
        day, time = split_stamp(whole)
        cut = whole.rfind(time) if time else len(whole)
        # stamps of one width are parted at one place, which is most of the work in a long file
        if (
            len(texts)
            and (widths == len(whole)).all()
            and all(split_stamp(t) == (t[: len(day)], t[cut:]) for t in texts[:: max(1, len(texts) // 200)])
        ):
            text = pd.Series(texts, dtype=str)
            return text.str[: len(day)], text.str[cut:]
        parts = [split_stamp(text) for text in texts]
        return np.array([p[0] for p in parts], object), np.array([p[1] for p in parts], object)

    def _day(self, text: str) -> float:
        if text not in self.days:
            self.days[text] = day_of(text, self.reading.order)
        found = self.days[text]
        return float("nan") if found is None else float(found)

    def _time(self, text: str) -> TimeOfDay | None:
        if text not in self.times:
            self.times[text] = time_of(text)
        return self.times[text]

    def _whole(self, seconds: Floats) -> Floats:
        rounded = np.rint(seconds)
        self.parts_of_seconds += int(np.nansum(np.abs(seconds - rounded) > 1e-3))
        return np.asarray(rounded)

    def numbers_in(self, column: Any) -> tuple[Floats, Flags]:
        """Numbers of a column, NaN where missing, and the cells that are none."""
        import pandas as pd

        if pd.api.types.is_numeric_dtype(column):
            numbers = column.to_numpy(float)
            self.missing += int(np.isnan(numbers).sum())
            return numbers, ~(np.isfinite(numbers) | np.isnan(numbers))
        texts = column.fillna("").astype(str).str.strip()
        missing = texts.isin(self.codes).to_numpy(bool)
        trace = texts.str.lower().isin(TRACE).to_numpy(bool)
        plain = texts
        if self.reading.thousands:
            plain = plain.str.replace(self.reading.thousands, "", regex=False)
        if self.reading.decimal != ".":
            plain = plain.str.replace(self.reading.decimal, ".", regex=False)
        numbers = pd.to_numeric(plain, errors="coerce").to_numpy(float, copy=True)
        numbers[missing] = np.nan
        numbers[trace] = self.reading.trace
        self.traces += int(trace.sum())
        self.missing += int(missing.sum())
        return numbers, ~np.isfinite(numbers) & ~missing

    def finished(self) -> ReadRecords:
        """The series, in universal time."""
        written = np.concatenate([part[1] for part in self.stamps])
        local = np.concatenate([part[0] for part in self.stamps])
        stamps, known = self._universal(local, written)
        offset = winter_offset(self.reading.zone) if np.isnan(written).any() else int(np.median(written))
        form, stamp = self.reading.form, self.reading.stamp
        if not self.numbers:
            tips = np.full(int(known.sum()), self.reading.tip)
            found = {self.reading.columns[self.stamp_columns[0]].name: RawSeries(stamps, tips, "tips", stamp, offset)}
        else:
            found = {
                self.reading.columns[c].name: RawSeries(
                    stamps, np.concatenate(self.values[c])[known], form, stamp, offset
                )
                for c in self.numbers
            }
        return ReadRecords(found, self.bad, tuple(self._notes()))

    def _universal(self, local: Floats, written: Floats) -> tuple[Any, Flags]:
        """Moments in universal time, and which stamps could be placed."""
        fixed = fixed_offset(self.reading.zone)
        if fixed is not None:
            moments = local - np.where(np.isnan(written), fixed, written)
            return moments.astype(np.int64), np.ones(len(local), bool)
        own = np.isnan(written)
        moments = local - np.where(own, 0.0, written)
        moments[own] = self._of_summer_time(local[own])
        known = ~np.isnan(moments)
        self.repeated = int((~known).sum())
        return moments[known].astype(np.int64), known

    def _of_summer_time(self, local: Floats) -> Floats:
        """Moments of stamps of a clock with summer time; NaN for an hour that the clock leaves out.

        The hour that it repeats is told apart by order: its stamps are of summer time until one goes back.
        """
        import pandas as pd

        clock = pd.DatetimeIndex(local.astype("datetime64[s]"))
        zone = named_zone(self.reading.zone)
        first = _seconds(clock.tz_localize(zone, ambiguous=np.ones(len(local), bool), nonexistent="NaT"))
        second = _seconds(clock.tz_localize(zone, ambiguous=np.zeros(len(local), bool), nonexistent="NaT"))
        twice = (first != second) & ~np.isnan(first)
        if not twice.any():
            return first
        return np.where(twice & _after_going_back(local, twice), second, first)

    def _notes(self) -> list[str]:
        notes = []
        if self.bad.count:
            notes.append(f"{self.bad.told} They are left out, and their time is missing.")
        if self.missing:
            notes.append(f"{self.missing:,} values are missing.")
        if self.traces:
            depth = units.show(self.reading.trace, "rain")
            notes.append(f"{self.traces:,} traces count as {depth}.")
        if self.parts_of_seconds:
            notes.append(f"{self.parts_of_seconds:,} stamps have parts of seconds; they are rounded to whole ones.")
        if self.repeated:
            notes.append(
                f"{self.repeated:,} stamps lie in an hour that the clock of {self.reading.zone} leaves out; "
                "they are left out, and their time is missing."
            )
        return notes


def _after_going_back(local: Floats, twice: Flags) -> Flags:
    """Whether a stamp of a repeated hour stands after one at which the clock went back, (n,)."""
    back = np.append(False, np.diff(local) <= 0) & twice
    begins = twice & ~np.append(False, twice[:-1])
    # count of steps back since the begin of each run of such stamps
    steps = np.cumsum(back)
    at_begin = np.maximum.accumulate(np.where(begins, steps - back, -1))
    found: Flags = twice & (steps > at_begin)
    return found


def _seconds(index: Any) -> Floats:
    values = index.tz_convert("UTC").tz_localize(None).to_numpy("datetime64[s]")
    return np.where(np.isnat(values), np.nan, values.astype(np.int64).astype(float))


def _blank(piece: pd.DataFrame, columns: Sequence[int], asked: Flags) -> Flags:
    """Whether all cells of a row are empty, (n,), for the rows that are asked about."""
    found = np.zeros(len(piece), bool)
    at = np.flatnonzero(asked)
    if len(at):
        found[at] = np.logical_and.reduce([_empty(piece[c].iloc[at]) for c in columns])
    return found


def _empty(column: Any) -> Flags:
    import pandas as pd

    if pd.api.types.is_numeric_dtype(column):
        return np.asarray(column.isna().to_numpy(bool))
    return np.asarray((column.fillna("").str.strip() == "").to_numpy(bool))
