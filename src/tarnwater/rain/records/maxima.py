"""Annual maxima of a record: the greatest window of each duration in each year."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import cached_property, partial

import numpy as np

from tarnwater.arrays import Flags, Floats, Integers
from tarnwater.errors import OutOfRange
from tarnwater.parameters import Model, parameter
from tarnwater.progress import Progress
from tarnwater.rain.records.record import Record, moment_of
from tarnwater.units import show_duration

#: Steps in a duration from which a window at fixed steps needs no correction (Weiss 1964).
ENOUGH_STEPS = 24

#: Time between two flood peaks from which they are of two events, s.
BETWEEN_FLOODS = 5 * 86400

_NONE = np.empty((0, 2), np.int64)


class YearRule(Model):
    """The years over which maxima are taken: their first month, and the data that one needs.

    A year that does not begin in January is named by both its calendar years.
    """

    first_month: int = parameter("count", "first month of the year", least=1, most=12, default=1)
    least_complete: float = parameter(
        "share", "share of a year with data from which it is used", label="completeness", least=0, most=1, default=0.9
    )

    def years_of(self, record: Record) -> range:
        """Years (by the calendar year in which they begin) that a record touches."""
        if not len(record):
            return range(0)
        # a flow is of its moment, rain of the time before it
        first = int(record.ends[0]) if record.quantity == "flow" else record.first
        return range(self._year_at(record, first), self._year_at(record, max(first, record.last - 1)) + 1)

    def _year_at(self, record: Record, seconds: int) -> int:
        when = record.moment(seconds)
        return when.year if when.month >= self.first_month else when.year - 1

    def edges(self, years: range, offset: int) -> Integers:
        """Moments at which years begin in a zone of an offset (s), and the last one ends, (years + 1,)."""
        starts = [datetime(year, self.first_month, 1, tzinfo=UTC) for year in [*years, years.stop]]
        return np.array([int(start.timestamp()) - offset for start in starts], np.int64)

    def completeness(self, record: Record) -> tuple[range, Floats]:
        """Years that a record touches, and the share of each with data, (year,)."""
        years = self.years_of(record)
        edges = self.edges(years, record.offset)
        return years, np.asarray(record.covered_between(edges) / np.diff(edges))

    def enough(self, complete: Floats) -> Flags:
        """Whether shares with data (year,) are enough."""
        found: Flags = complete >= self.least_complete - 1e-12
        return found

    def name(self, year: int) -> str:
        """The name of a year.

        >>> YearRule(first_month=10).name(1999)
        '1999/00'
        """
        return f"{year}" if self.first_month == 1 else f"{year}/{(year + 1) % 100:02d}"


def fixed_step_correction(duration: float, step: float) -> float:
    """8n / (8n - 1), n steps in the duration (Weiss 1964); 1 from 24 steps on, and for tips (step 0).

    >>> round(fixed_step_correction(3600, 3600), 4)
    1.1429
    """
    steps = duration / step if step else np.inf
    return 1.0 if steps >= ENOUGH_STEPS else 8 * steps / (8 * steps - 1)


@dataclass(frozen=True)
class Maximum:
    """The greatest window of one year: depth in mm (or flow in m3/s), and when it begins and ends."""

    year: int
    value: float
    begins: datetime
    ends: datetime


@dataclass(frozen=True, eq=False, kw_only=True)
class YearsOfRecord:
    """The years of a record from which extremes are taken, for durations (s).

    ``complete`` (year,) is the share of each year with data. ``factors`` (duration,) correct for fixed steps;
    ``by_hand`` says of years whether they are used, whatever data they have.
    """

    record: Record
    rule: YearRule
    durations: tuple[int, ...]
    years: range
    complete: Floats
    factors: Floats
    by_hand: Mapping[int, bool] = field(default_factory=dict)

    @cached_property
    def used(self) -> Flags:
        """Years with enough data, and those chosen by hand, without those left out by hand, (year,)."""
        enough = self.rule.enough(self.complete)
        chosen = [self.by_hand.get(year, bool(one)) for year, one in zip(self.years, enough, strict=True)]
        return np.array(chosen, bool)

    @property
    def left_out(self) -> dict[str, float]:
        """Years that are not used, by name, with the share of data that they have."""
        return {
            self.rule.name(year): float(share)
            for year, share, used in zip(self.years, self.complete, self.used, strict=True)
            if not used
        }


@dataclass(frozen=True, eq=False, kw_only=True)
class AnnualMaxima(YearsOfRecord):
    """Greatest windows by duration and year.

    ``values`` (duration, year) are as measured, mm or m3/s, NaN where no window of a year is without a gap; ``begins``
    and ``ends`` (duration, year) are their moments, s.
    """

    values: Floats
    begins: Integers
    ends: Integers

    def sample(self, duration: int) -> Floats:
        """Corrected maxima of the years that are used, (years,), in order of time."""
        row = self.durations.index(duration)
        chosen = self.used & ~np.isnan(self.values[row])
        found: Floats = self.values[row][chosen] * self.factors[row]
        return found

    def years_of(self, duration: int) -> Floats:
        """The years of its sample, (years,)."""
        row = self.durations.index(duration)
        return np.asarray(np.array(self.years, float)[self.used & ~np.isnan(self.values[row])])

    def of(self, duration: int) -> Iterator[Maximum]:
        """Maxima of a duration as measured, of all years that have one."""
        row, offset = self.durations.index(duration), self.record.offset
        for column, year in enumerate(self.years):
            if not np.isnan(self.values[row, column]):
                begin, end = int(self.begins[row, column]), int(self.ends[row, column])
                yield Maximum(year, float(self.values[row, column]), moment_of(begin, offset), moment_of(end, offset))


def annual_maxima(
    record: Record,
    durations: Sequence[int] = (),
    rule: YearRule | None = None,
    *,
    corrected: bool = True,
    apart: int = BETWEEN_FLOODS,
    by_hand: Mapping[int, bool] | None = None,
    progress: Progress | None = None,
) -> AnnualMaxima:
    """Greatest windows of a record of rain for durations (s), or greatest flows of a record of flow.

    A window slides in continuous time and holds no gap. It belongs to the year in which its last interval begins. Two
    maxima of neighbouring years that overlap (floods: that are less than ``apart`` s from each other) are of one
    event: the greater stays, and the other year takes its greatest window that keeps clear of it. Raises `OutOfRange`
    for a duration shorter than the step of the record.
    """
    rule = rule or YearRule()
    if record.quantity == "flow":
        durations = (0,)
    refuse_short(record, durations)
    years, complete = rule.completeness(record)
    edges = rule.edges(years, record.offset)
    _prepare(record)
    search = partial(_of_duration, record, edges, apart)
    with ThreadPoolExecutor(2) as pool:
        found = []
        for done, one in enumerate(pool.map(search, durations), start=1):
            found.append(one)
            if progress is not None:
                progress.tell("maxima", done / len(durations))
    shape = (len(durations), len(years))
    return AnnualMaxima(
        record=record,
        rule=rule,
        durations=tuple(durations),
        years=years,
        values=np.array([f[0] for f in found], float).reshape(shape),
        begins=np.array([f[1] for f in found], np.int64).reshape(shape),
        ends=np.array([f[2] for f in found], np.int64).reshape(shape),
        complete=complete,
        factors=corrections(record, durations, corrected),
        by_hand=by_hand or {},
    )


def corrections(record: Record, durations: Sequence[int], corrected: bool) -> Floats:
    """Factors (duration,) of windows of a record at fixed steps; 1 for flow, and where none are wanted."""
    wanted = corrected and record.quantity == "rain"
    return np.array([fixed_step_correction(d, record.step) if wanted else 1.0 for d in durations], float)


def refuse_short(record: Record, durations: Sequence[int]) -> None:
    """Raise `OutOfRange` for a duration (s) shorter than the step of a record of rain."""
    if record.quantity == "rain" and (short := [d for d in durations if d < max(record.step, 1)]):
        raise OutOfRange(
            f"{show_duration(short[0])} is shorter than the step of the record, {show_duration(record.step)}.",
            where="durations",
            remedy="Leave it out, or bring a finer record.",
        )


def _prepare(record: Record) -> None:
    """Compute what all durations share before the threads begin."""
    _ = record.sums, record.equal, record.stretches


@dataclass(frozen=True)
class _Window:
    value: float
    begin: int
    end: int


def _of_duration(record: Record, edges: Integers, apart: int, duration: int) -> tuple[Floats, Integers, Integers]:
    reaches = np.searchsorted(record.begins if record.quantity == "rain" else record.ends, edges)
    spans = [(int(a), int(b) - 1) for a, b in itertools.pairwise(reaches)]
    windows = [_greatest(record, duration, span, _NONE, apart) for span in spans]
    _one_event_once(record, duration, spans, windows, apart)
    values = np.array([np.nan if w is None else _exact(record, w) for w in windows])
    begins = np.array([0 if w is None else w.begin for w in windows], np.int64)
    ends = np.array([0 if w is None else w.end for w in windows], np.int64)
    return values, begins, ends


def _greatest(record: Record, duration: int, span: tuple[int, int], avoided: Integers, apart: int) -> _Window | None:
    """The greatest window that ends in a span of intervals and keeps clear of others; None if there is none."""
    from tarnwater.rain.records import _kernels

    first, last = span
    if record.quantity == "flow":
        found = _kernels.greatest_moment(record.ends, record.values, first, last, avoided, apart)
    elif record.tips:
        found = _kernels.greatest_of_tips(
            record.ends, record.sums, record.runs, record.stretches, first, last, duration, avoided
        )
    elif record.equal and duration % record.step == 0:
        count = duration // record.step
        found = _kernels.greatest_in_equal_steps(
            record.ends, record.sums, record.runs, first, last, count, record.step, avoided
        )
    else:
        found = _kernels.greatest_in_any_steps(
            record.ends, record.spans, record.values, record.sums, record.runs, first, last, duration, avoided
        )
    value, begin, end = found
    return None if value < 0 else _Window(float(value), int(begin), int(end))


def _one_event_once(
    record: Record, duration: int, spans: list[tuple[int, int]], windows: list[_Window | None], apart: int
) -> None:
    """Give a year whose maximum is of an event that a neighbour counts its next greatest window.

    The greatest of all is settled first, then the next: what is settled is not moved again.
    """
    from tarnwater.rain.records import _kernels

    between = apart if record.quantity == "flow" else 0
    settled: set[int] = set()
    while open_years := [y for y, w in enumerate(windows) if w is not None and y not in settled]:
        year = max(open_years, key=lambda y: (windows[y].value, -y))  # type: ignore[union-attr]
        window = windows[year]
        assert window is not None
        near = [windows[y] for y in (year - 1, year + 1) if y in settled]
        avoided = np.array([(w.begin, w.end) for w in near if w is not None], np.int64).reshape(-1, 2)
        if len(avoided) and not _kernels.apart_from(window.begin, window.end, avoided, between):
            windows[year] = _greatest(record, duration, spans[year], avoided, between)
            # it may now be less than another that is still open
            if windows[year] is not None and not _overlaps(windows[year], avoided, between):
                continue
        settled.add(year)


def _overlaps(window: _Window | None, avoided: Integers, between: int) -> bool:
    from tarnwater.rain.records import _kernels

    return window is not None and not _kernels.apart_from(window.begin, window.end, avoided, between)


def _exact(record: Record, window: _Window) -> float:
    """The rain of a window summed from its own values, so that it has no rounding of a long running sum."""
    if record.quantity == "flow" or record.tips:
        return window.value
    first = int(np.searchsorted(record.ends, window.begin, side="right"))
    last = int(np.searchsorted(record.ends, window.end, side="left"))
    ends, spans, values = (part[first : last + 1] for part in (record.ends, record.spans, record.values))
    inside = np.minimum(ends, window.end) - np.maximum(ends - spans, window.begin)
    return float((values * (inside / spans)).sum())
