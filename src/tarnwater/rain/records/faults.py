"""The faults of a series as it was read: what a person should look at before its figures are used."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal
from weakref import WeakKeyDictionary

import numpy as np

from tarnwater.arrays import Flags, Floats, Integers
from tarnwater.rain.records.raw import NEAR_STEP, RawSeries
from tarnwater.rain.records.record import Quantity

FaultKind = Literal["disorder", "duplicate", "crowded", "gap", "negative", "reset", "spike", "stuck", "total after gap"]

#: What can be done about a fault.
Remedy = Literal[
    "keep", "missing", "zero", "value", "neighbours", "line", "first", "last", "greatest", "sum", "spread", "from zero",
    "in order",
]  # fmt: skip

#: Remedies by the kind of fault; the first stands until a person chooses.
REMEDIES: dict[FaultKind, tuple[Remedy, ...]] = {
    "disorder": ("in order", "missing"),
    "duplicate": ("missing", "first", "last", "greatest", "sum"),
    "crowded": ("missing", "first", "last", "greatest", "sum"),
    "gap": ("missing", "zero", "neighbours"),
    "negative": ("missing", "zero", "value", "neighbours"),
    "reset": ("from zero", "missing", "neighbours"),
    "spike": ("keep", "missing", "value", "neighbours"),
    "stuck": ("keep", "missing", "zero", "neighbours"),
    "total after gap": ("keep", "missing", "spread"),
}

#: Of flow: a straight line takes the place of what a neighbour, or nothing, would be of rain.
OF_FLOW: dict[FaultKind, tuple[Remedy, ...]] = {
    "gap": ("missing", "line"),
    "spike": ("keep", "missing", "value", "line"),
    "stuck": ("keep", "missing", "line"),
}

#: Faults whose first remedy is safe or the only one meant; the others are open until a person chooses.
SETTLED_BY_ITSELF: frozenset[FaultKind] = frozenset({"disorder"})

#: Times the usual greatest step of a year above which a lonely step is a spike, and the share its neighbours may hold.
SPIKE, LONELY = 2.5, 0.2

#: Equal values in a row from which they are stuck: of more than ``COARSE`` times the resolution, and of any size.
STUCK, STUCK_SMALL, COARSE = 6, 24, 3

#: Days without rain from which a dry spell may be a dead gauge, and times the next spells that it must exceed.
DRY_DAYS, DRY_TIMES = 45, 2.0

MONTH, YEAR = 30 * 86400, 365.25 * 86400


@dataclass(frozen=True)
class Fault:
    """A fault from one moment to another (s since 1970): of ``count`` rows, or of a value; ``same`` if they agree."""

    kind: FaultKind
    begin: int
    end: int
    count: int = 1
    value: float = float("nan")
    same: bool = False

    def remedies(self, quantity: Quantity = "rain") -> tuple[Remedy, ...]:
        """What can be done; the first stands until a person chooses."""
        usual = OF_FLOW.get(self.kind, REMEDIES[self.kind]) if quantity == "flow" else REMEDIES[self.kind]
        return ("first", *(r for r in usual if r != "first")) if self.same else usual

    @property
    def settled(self) -> bool:
        """Whether it needs no choice: rows out of order are put in order, equal rows of one stamp are one row."""
        return self.kind in SETTLED_BY_ITSELF or self.same


def world_record(seconds: Floats) -> Floats:
    """Greatest rain ever observed in durations (s), mm: 425 D^0.47, D in h (World Meteorological Organization 2009)."""
    return np.asarray(425.0 * (seconds / 3600) ** 0.47)


@dataclass(frozen=True, eq=False)
class Laid:
    """A series laid out in intervals in order of time, one of each stamp: ends, lengths and depths (m,).

    ``rows`` (m,) is the position of each in the series in order of time; ``held`` (m,) how many rows share its stamp.
    """

    ends: Integers
    spans: Integers
    values: Floats
    rows: Integers
    held: Integers


def laid_out(raw: RawSeries) -> Laid:
    """The intervals of a series.

    In a series of steps the distance to the neighbouring stamp is the length of an interval, or one step where it is
    longer; else an interval reaches from stamp to stamp. Rows of one stamp are one interval, with the value of the
    first; of stamps that are crowded, each holds the time to its neighbour.
    """
    stamps, values = raw.stamps[raw.order], raw.values[raw.order]
    rows = np.flatnonzero(np.diff(stamps, prepend=stamps[:1] - 1) > 0) if raw.form != "tips" else np.arange(len(stamps))
    held = np.diff(rows, append=len(stamps))
    stamps, values = stamps[rows], values[rows]
    apart = np.diff(stamps)
    if raw.form == "tips":
        return Laid(stamps, np.zeros(len(stamps), np.int64), values, rows, held)
    at_start = raw.stamp == "start" and raw.form not in ("flow", "cumulative")
    spans = np.append(apart, raw.step or 1) if at_start else np.append(raw.step or 1, apart)
    if raw.regular and raw.form != "cumulative":
        spans = np.where(spans > (1 + NEAR_STEP) * raw.step, raw.step, spans)
    ends = stamps + spans if at_start else stamps
    if raw.form == "rate":
        values = values * spans / 3600
    if raw.form == "cumulative":
        ends, spans, rows, held = ends[1:], spans[1:], rows[1:], held[1:]
        values = _increments(values)
    return Laid(ends, spans, values, rows, held)


def _increments(totals: Floats) -> Floats:
    """Rain between the entries of a running total; one that falls has begun again from zero."""
    fallen = np.diff(totals)
    return np.where(fallen < 0, totals[1:], fallen)


#: Faults of series that were looked at, while the series live.
_FOUND: WeakKeyDictionary[RawSeries, tuple[Fault, ...]] = WeakKeyDictionary()


def faults_of(raw: RawSeries) -> list[Fault]:
    """Faults of a series, in order of time; a series is looked through once."""
    known = _FOUND.get(raw)
    if known is None:
        known = _FOUND[raw] = tuple(_faults_of(raw))
    return list(known)


def _faults_of(raw: RawSeries) -> list[Fault]:
    laid = laid_out(raw)
    found = [*_disorder(raw), *_shared_stamps(raw), *_crowded(raw, laid), *_gaps(raw, laid)]
    if raw.form == "cumulative":
        found += _resets(raw)
    if raw.quantity == "rain":
        found += _negatives(raw, laid)
    if raw.form != "tips":
        found += [*_spikes(raw, laid), *_stuck(raw, laid)]
        found += _totals_after_gaps(raw, laid) if raw.quantity == "rain" else []
    return sorted(found, key=lambda fault: (fault.begin, fault.end, fault.kind))


def groups(flags: Flags) -> Iterable[tuple[int, int]]:
    """First and last position of each run of true flags."""
    edges = np.diff(flags.astype(np.int8), prepend=0, append=0)
    begins, ends = np.flatnonzero(edges == 1), np.flatnonzero(edges == -1) - 1
    return zip(begins.tolist(), ends.tolist(), strict=True)


def _disorder(raw: RawSeries) -> list[Fault]:
    return [
        Fault("disorder", int(raw.stamps[a : b + 1].min()), int(raw.stamps[a : b + 1].max()), b - a + 1)
        for a, b in groups(raw.late)
    ]


def _shared_stamps(raw: RawSeries) -> list[Fault]:
    """Stamps of more than one row, runs of them together; they are settled where all rows of a stamp agree."""
    if raw.form == "tips":
        return []
    stamps, values = raw.stamps[raw.order], raw.values[raw.order]
    again = np.diff(stamps, prepend=stamps[:1] - 1) == 0
    if not again.any():
        return []
    first = np.maximum.accumulate(np.where(again, 0, np.arange(len(stamps))))
    same = (values == values[first]) | (np.isnan(values) & np.isnan(values[first]))
    kept = np.flatnonzero(~again)
    agree = np.logical_and.reduceat(same, kept)
    held = np.diff(kept, append=len(stamps))
    found = []
    for agrees in (True, False):
        for a, b in groups((held > 1) & (agree == agrees)):
            begin, end = int(stamps[kept[a]]), int(stamps[kept[b]])
            found.append(Fault("duplicate", begin, end, int(held[a : b + 1].sum()), same=agrees))
    return found


def _crowded(raw: RawSeries, laid: Laid) -> list[Fault]:
    """Stamps closer to each other than the step of a series of steps."""
    if not raw.regular or len(laid.ends) < 2:
        return []
    stamps = raw.stamps[raw.order][laid.rows]
    close = np.diff(stamps) < (1 - NEAR_STEP) * raw.step
    return [Fault("crowded", int(stamps[a]), int(stamps[b + 1]), b - a + 2) for a, b in groups(close)]


def _gaps(raw: RawSeries, laid: Laid) -> list[Fault]:
    """Time without values: missing rows, and time that no interval covers."""
    begins = laid.ends - laid.spans
    missing = np.isnan(laid.values)
    stretches = [(int(begins[a]), int(laid.ends[b])) for a, b in groups(missing)]
    if raw.form != "tips":
        open_time = np.flatnonzero(begins[1:] > laid.ends[:-1])
        stretches += zip(laid.ends[open_time].tolist(), begins[open_time + 1].tolist(), strict=True)
    joined: list[list[int]] = []
    for begin, end in sorted(stretches):
        if joined and begin <= joined[-1][1]:
            joined[-1][1] = max(end, joined[-1][1])
        else:
            joined.append([begin, end])
    step = raw.step or 1
    return [Fault("gap", begin, end, max(1, round((end - begin) / step))) for begin, end in joined]


def _one_by_one(kind: FaultKind, laid: Laid, flags: Flags) -> list[Fault]:
    begins = laid.ends - laid.spans
    at = np.flatnonzero(flags)
    return [
        Fault(kind, begin, end, 1, value)
        for begin, end, value in zip(begins[at].tolist(), laid.ends[at].tolist(), laid.values[at].tolist(), strict=True)
    ]


def _in_runs(kind: FaultKind, laid: Laid, flags: Flags) -> list[Fault]:
    """Faults of neighbouring intervals together; the value is the first one's."""
    begins = laid.ends - laid.spans
    return [Fault(kind, int(begins[a]), int(laid.ends[b]), b - a + 1, float(laid.values[a])) for a, b in groups(flags)]


def _negatives(raw: RawSeries, laid: Laid) -> list[Fault]:
    return _in_runs("negative", laid, laid.values < 0)


def _resets(raw: RawSeries) -> list[Fault]:
    totals = raw.values[raw.order][np.concatenate([[True], np.diff(raw.stamps[raw.order]) > 0])]
    return _one_by_one("reset", laid_out(raw), np.diff(totals) < 0)


def usual_greatest(laid: Laid) -> float:
    """The median of the greatest values of the years of a record, infinite in one of less than a month.

    In one of less than three years it is the third greatest of its days.
    """
    fine = ~np.isnan(laid.values)
    values, ends = laid.values[fine], laid.ends[fine]
    if not len(values) or ends[-1] - ends[0] < MONTH:
        return float("inf")
    years = np.floor_divide(ends - ends[0], int(YEAR))
    if years[-1] < 3:
        return float(np.sort(_greatest_by(np.floor_divide(ends - ends[0], 86400), values))[-3:].min())
    return float(np.median(_greatest_by(years, values)))


def _greatest_by(number: Integers, values: Floats) -> Floats:
    """The greatest value of each number; numbers rise."""
    begins = np.flatnonzero(np.diff(number, prepend=number[0] - 1))
    return np.asarray(np.maximum.reduceat(values, begins))


def _neighbours(values: Floats) -> Floats:
    """The greater of the two values beside each one; a missing one is nothing."""
    known = np.nan_to_num(values, nan=0.0)
    return np.asarray(np.maximum(np.append(0.0, known[:-1]), np.append(known[1:], 0.0)))


def _spikes(raw: RawSeries, laid: Laid) -> list[Fault]:
    values, usual = laid.values, usual_greatest(laid)
    beside = _neighbours(values)
    if raw.quantity == "flow":
        return _one_by_one("spike", laid, (values > SPIKE * usual) & (beside < values / 3))
    lonely = (values > SPIKE * usual) & (beside <= LONELY * values) & (usual > 0)
    return _one_by_one("spike", laid, lonely | (values > world_record(laid.spans.astype(float))))


def _stuck(raw: RawSeries, laid: Laid) -> list[Fault]:
    values = laid.values
    if len(values) < STUCK:
        return []
    joined = laid.ends[:-1] == laid.ends[1:] - laid.spans[1:]
    begins = np.flatnonzero(np.append(True, (values[1:] != values[:-1]) | ~joined))
    lengths = np.diff(begins, append=len(values))
    held = values[begins]
    positive = values[values > 0]
    resolution = float(positive.min()) if len(positive) else 0.0
    if raw.quantity == "flow":
        stuck = (lengths >= STUCK_SMALL) & (held > usual_greatest(laid) / 2)
    else:
        stuck = (held > 0) & ((lengths >= STUCK_SMALL) | ((lengths >= STUCK) & (held > COARSE * resolution)))
        stuck |= _dead(laid, begins, lengths, held)
    starts = laid.ends - laid.spans
    return [
        Fault("stuck", int(starts[a]), int(laid.ends[a + count - 1]), int(count), float(value))
        for a, count, value in zip(begins[stuck], lengths[stuck], held[stuck], strict=True)
    ]


def _dead(laid: Laid, begins: Integers, lengths: Integers, held: Floats) -> Flags:
    """Dry spells that are long and much longer than the others of the record."""
    ends = laid.ends[begins + lengths - 1]
    days = np.where(held == 0, (ends - (laid.ends - laid.spans)[begins]) / 86400, 0.0)
    others = np.sort(days)[-5] if len(days) >= 5 else 0.0
    found: Flags = (days >= DRY_DAYS) & (days > DRY_TIMES * others)
    return found


def _totals_after_gaps(raw: RawSeries, laid: Laid) -> list[Fault]:
    """Great lonely values just after a gap: the rain that fell in it, perhaps."""
    values, begins = laid.values, laid.ends - laid.spans
    if len(values) < 3:
        return []
    after = np.append(False, np.isnan(values[:-1]) | (begins[1:] > laid.ends[:-1]))
    if raw.form == "cumulative":
        after |= laid.spans > (1 + NEAR_STEP) * raw.step
    great = values >= usual_greatest(laid) / 2
    following = np.append(np.nan_to_num(values[1:], nan=0.0), 0.0)
    return _one_by_one("total after gap", laid, after & great & (values > 0) & (following <= LONELY * values))
