"""Remedies for the faults of a series, and the record that they leave.

The series as it was read is never changed: a record is made of it and of the remedies each time, so that each remedy
can be taken back.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from tarnwater.arrays import Flags, Floats, Integers
from tarnwater.errors import EditRefused
from tarnwater.parameters import Model, parameter
from tarnwater.rain.records.faults import Fault, FaultKind, Remedy, faults_of, laid_out
from tarnwater.rain.records.raw import RawSeries
from tarnwater.rain.records.record import Record


class Mend(Model):
    """A remedy that a person chose for one fault, or for all of a kind where it has no moments.

    ``begin`` and ``end`` are the moments of the fault, s since 1970 in universal time; ``value`` is a typed depth in mm
    (or flow in m3/s).
    """

    fault: FaultKind
    begin: int | None = None
    end: int | None = None
    remedy: Remedy
    value: float | None = None
    by: str = ""
    at: str = ""
    note: str = ""

    def is_for(self, fault: Fault) -> bool:
        """Whether it is for a fault."""
        return self.fault == fault.kind and (self.begin is None or (self.begin, self.end) == (fault.begin, fault.end))


class Neighbour(Model):
    """A gauge that fills gaps: its share of the filled depth, and the factor on its rain."""

    weight: float = parameter("factor", "weight of the gauge", symbol="w", above=0)
    factor: float = parameter("factor", "factor on its rain", symbol="f", above=0, most=100, default=1.0)


@dataclass(frozen=True)
class Treated:
    """What was done about a fault: the remedy, whether a person chose it, and what it filled.

    ``depth`` is the rain that it brought into intervals without a value, mm; ``lacking`` how many of them stay missing
    because no neighbour has rain there.
    """

    fault: Fault
    remedy: Remedy
    mend: Mend | None = None
    depth: float = 0.0
    lacking: int = 0

    @property
    def open(self) -> bool:
        """Whether a person should still choose."""
        return self.mend is None and not self.fault.settled


@dataclass(frozen=True, eq=False)
class Mended:
    """The record that remedies leave of a series, and what was done about each fault."""

    raw: RawSeries
    record: Record
    treated: tuple[Treated, ...]

    @cached_property
    def open(self) -> tuple[Treated, ...]:
        """Faults about which a person should still choose."""
        return tuple(one for one in self.treated if one.open)


@dataclass
class _Neighbours:
    """Rain of neighbours: that of each one over the sum of the weights of those that have it."""

    records: Mapping[str, Record] = field(default_factory=dict)
    terms: Mapping[str, Neighbour] = field(default_factory=dict)

    def rain(self, begins: Integers, ends: Integers) -> Floats:
        """Rain in intervals (m,), mm, Σ w f P / Σ w over the gauges that have it; NaN where none has."""
        sums, weights = np.zeros(len(begins)), np.zeros(len(begins))
        for key, term in self.terms.items():
            record = self.records.get(key)
            if record is None or not len(record):
                continue
            whole = record.whole_between(begins, ends)
            depth = record.fallen_by(ends) - record.fallen_by(begins)
            sums += np.where(whole, term.weight * term.factor * depth, 0.0)
            weights += np.where(whole, term.weight, 0.0)
        return np.asarray(np.divide(sums, weights, out=np.full(len(begins), np.nan), where=weights > 0))


def mended(
    raw: RawSeries,
    mends: Sequence[Mend] = (),
    neighbours: Mapping[str, Neighbour] | None = None,
    records: Mapping[str, Record] | None = None,
    faults: Sequence[Fault] | None = None,
) -> Mended:
    """The record that is left of a series by remedies; ``records`` are those of the neighbours by their keys.

    A fault about which nobody chose has its first remedy: what cannot be right is missing, what may be right is kept.
    """
    chosen = [_chosen(fault, mends, raw) for fault in (faults_of(raw) if faults is None else faults)]
    laid = laid_out(_one_row_a_stamp(raw, chosen))
    around = _Neighbours(records or {}, neighbours or {})
    intervals = _Intervals(laid.ends, laid.spans, laid.values.copy())
    treated = [intervals.treat(one, raw, around) for one in chosen]
    return Mended(raw, intervals.record(raw), tuple(treated))


def _chosen(fault: Fault, mends: Sequence[Mend], raw: RawSeries) -> Treated:
    """The remedy of a fault: the last that was chosen for it alone, or for its kind, or its first."""
    remedies = fault.remedies(raw.quantity)
    own = [m for m in mends if m.is_for(fault) and m.remedy in remedies]
    best = max(enumerate(own), key=lambda one: (one[1].begin is not None, one[0]), default=None)
    return Treated(fault, remedies[0]) if best is None else Treated(fault, best[1].remedy, best[1])


def count_open(raw: RawSeries, mends: Sequence[Mend]) -> int:
    """Number of faults about which a person should still choose."""
    return sum(_chosen(fault, mends, raw).open for fault in faults_of(raw))


def refuse_mend(mend: Mend, fault: Fault | None, raw: RawSeries) -> None:
    """Raise `EditRefused` for a remedy that its fault does not have, or a typed value without a number."""
    if fault is None:
        raise EditRefused("there is no such fault.", remedy="Choose one that the record lists.")
    remedies = fault.remedies(raw.quantity)
    if mend.remedy not in remedies:
        raise EditRefused(
            f"a {fault.kind} cannot be mended by “{mend.remedy}”.", remedy=f"Choose {', '.join(remedies)}."
        )
    if mend.remedy == "value" and (mend.value is None or mend.value < 0):
        raise EditRefused("a typed value needs a depth of at least zero.", remedy="Type the depth.")


# rows that share a stamp, or stand closer than the step


def _one_row_a_stamp(raw: RawSeries, chosen: Sequence[Treated]) -> RawSeries:
    order = raw.order
    stamps, values, late = raw.stamps[order], raw.values[order], raw.late[order]
    if raw.form == "tips":
        return replace(raw, stamps=stamps, values=values)
    keep = np.ones(len(stamps), bool)
    values = values.copy()
    for one in chosen:
        rows = slice(*np.searchsorted(stamps, [one.fault.begin, one.fault.end + 1]).tolist())
        if one.fault.kind == "disorder" and one.remedy == "missing":
            values[rows][late[rows]] = np.nan
        elif one.fault.kind == "duplicate":
            _reduce_equal(stamps, values, keep, rows, one.remedy)
        elif one.fault.kind == "crowded":
            _reduce_crowd(values, keep, rows, one.remedy)
    return replace(raw, stamps=stamps[keep], values=values[keep])


def _reduce_equal(stamps: Integers, values: Floats, keep: Flags, rows: slice, remedy: Remedy) -> None:
    """Leave the first row of each stamp, with the value that the remedy makes of all."""
    own, held = stamps[rows], values[rows]
    begins = np.flatnonzero(np.diff(own, prepend=own[0] - 1))
    lasts = np.append(begins[1:], len(own)) - 1
    held[begins] = _reduced(held, begins, lasts, remedy)
    keep[rows] = False
    keep[rows.start + begins] = True


def _reduced(held: Floats, begins: Integers, lasts: Integers, remedy: Remedy) -> Floats:
    if remedy == "first":
        return held[begins]
    if remedy == "last":
        return held[lasts]
    if remedy == "greatest":
        return np.asarray(np.fmax.reduceat(held, begins))
    if remedy == "sum":
        return np.asarray(np.add.reduceat(held, begins))
    return np.full(len(begins), np.nan)


def _reduce_crowd(values: Floats, keep: Flags, rows: slice, remedy: Remedy) -> None:
    """Leave one row of a crowd: the first for “first”, the last with the reduced value for the others."""
    at = np.flatnonzero(keep[rows]) + rows.start
    if len(at) < 2:
        return
    value = float(_reduced(values[at], np.array([0]), np.array([len(at) - 1]), remedy)[0])
    stays = at[0] if remedy == "first" else at[-1]
    keep[at] = False
    keep[stays] = True
    values[stays] = value


# intervals


class _Intervals:
    """Intervals while they are mended; new ones are collected and put in order at the end."""

    def __init__(self, ends: Integers, spans: Integers, values: Floats) -> None:
        self.ends, self.spans, self.values = ends, spans, values
        self.gone = np.zeros(len(ends), bool)
        self.new: list[tuple[Integers, Integers, Floats]] = []

    def treat(self, one: Treated, raw: RawSeries, around: _Neighbours) -> Treated:
        """Apply a remedy; returns it with what it filled."""
        if one.fault.kind in ("disorder", "duplicate", "crowded"):
            return one
        if one.fault.kind == "gap":
            return self._fill(one, raw, around)
        if one.remedy in ("keep", "from zero"):
            return one
        if one.remedy == "spread":
            return self._spread(one)
        rows = self._rows(one.fault)
        if one.remedy == "missing":
            self.values[rows] = np.nan
        elif one.remedy == "zero":
            self.values[rows] = 0.0
        elif one.remedy == "value":
            assert one.mend is not None
            self.values[rows] = one.mend.value
        elif one.remedy == "line":
            self.values[rows] = self._on_line(self.ends[rows], one.fault)
        else:
            self.values[rows] = around.rain(self.ends[rows] - self.spans[rows], self.ends[rows])
        return self._told(one, self.values[rows])

    def _told(self, one: Treated, filled: Floats) -> Treated:
        lacking = int(np.isnan(filled).sum()) if one.remedy in ("neighbours", "line") else 0
        return replace(one, depth=float(np.nansum(filled)), lacking=lacking)

    def _rows(self, fault: Fault) -> slice:
        """Intervals that end within a fault; one of no length may end as it begins."""
        first = np.searchsorted(self.ends, fault.begin, side="right" if fault.end > fault.begin else "left")
        return slice(int(first), int(np.searchsorted(self.ends, fault.end, side="right")))

    def _spread(self, one: Treated) -> Treated:
        """Spread the depth of an interval evenly back to the last one that has a value."""
        rows = self._rows(one.fault)
        if rows.stop <= rows.start:
            return one
        at = rows.start
        before = at - 1
        while before >= 0 and (np.isnan(self.values[before]) or self.gone[before]):
            self.gone[before] = True
            before -= 1
        if before >= 0:
            self.spans[at] = self.ends[at] - self.ends[before]
        return replace(one, depth=float(self.values[at]))

    def _fill(self, one: Treated, raw: RawSeries, around: _Neighbours) -> Treated:
        if one.remedy == "missing":
            return one
        fault, step = one.fault, max(raw.step, 1)
        # rows of missing values in the gap give way to steps over the whole of it
        rows = self._rows(fault)
        self.gone[rows] |= np.isnan(self.values[rows])
        ends = np.arange(fault.begin + step, fault.end + step, step, dtype=np.int64)
        ends = np.minimum(ends, fault.end)
        spans = np.diff(ends, prepend=fault.begin)
        if one.remedy == "zero":
            values = np.zeros(len(ends))
        elif one.remedy == "line":
            values = self._on_line(ends, fault)
        else:
            values = around.rain(ends - spans, ends)
        self.new.append((ends, spans, values))
        return self._told(one, values)

    def _on_line(self, ends: Integers, fault: Fault) -> Floats:
        """Values on the straight line between the values before and after a fault; NaN where one is missing."""
        before = int(np.searchsorted(self.ends, fault.begin, side="right")) - 1
        after = int(np.searchsorted(self.ends, fault.end, side="right"))
        if before < 0 or after >= len(self.ends):
            return np.full(len(ends), np.nan)
        places, values = self.ends[[before, after]], self.values[[before, after]]
        return np.asarray(np.interp(ends, places, values))

    def record(self, raw: RawSeries) -> Record:
        """The record of what is left and what was added."""
        stays = ~self.gone
        parts = [(self.ends[stays], self.spans[stays], self.values[stays]), *self.new]
        ends, spans, values = (np.concatenate([part[n] for part in parts]) for n in range(3))
        if self.new:
            order = np.argsort(ends, kind="stable")
            ends, spans, values = ends[order], spans[order], values[order]
        if raw.form != "tips":
            # stamps that are nearly a step apart: the interval reaches to the one before it
            before = np.append(ends[:1] - spans[:1], ends[:-1])
            spans = np.minimum(spans, ends - before)
        return Record(ends, spans, values, raw.quantity, raw.offset)


def ratio_of_totals(own: Record, other: Record) -> float:
    """Rain of a gauge over that of another in the time that both have, in days; NaN if there is none.

    The normal-ratio factor of a neighbour (Paulhus and Kohler 1952, Monthly Weather Review 80).
    """
    if not len(own) or not len(other):
        return float("nan")
    begin, end = max(own.first, other.first), min(own.last, other.last)
    days = (end - begin) // 86400
    if days < 1:
        return float("nan")
    a, b = (record.in_steps(begin, begin + days * 86400, 86400) for record in (own, other))
    both = ~np.isnan(a) & ~np.isnan(b)
    total = float(b[both].sum())
    return float(a[both].sum()) / total if total > 0 else float("nan")
