"""Peaks over a threshold: the windows of each duration that none near them exceeds, and that exceed a threshold."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from tarnwater.arrays import Floats, Integers
from tarnwater.errors import OutOfRange
from tarnwater.frozen import FrozenDict
from tarnwater.parameters import Model, parameter
from tarnwater.progress import Progress
from tarnwater.rain.records.maxima import BETWEEN_FLOODS, YearRule, YearsOfRecord, corrections, refuse_short
from tarnwater.rain.records.record import Record
from tarnwater.units import show_duration

#: Mean length of a year, s.
YEAR = 365.2425 * 86400

#: Dry time between two windows from which they are of two storms, s.
BETWEEN_STORMS = 86400


class PeaksRule(Model):
    """Which windows are peaks: how many a year, or over which threshold, and how far those of rain are apart.

    ``thresholds`` (mm, or m3/s) are by duration in whole seconds, as text; a duration without one has the threshold
    that leaves ``rate`` peaks a year.
    """

    rate: float = parameter("factor", "peaks a year", above=0, most=100, usual=(1, 5), default=3.0)
    thresholds: FrozenDict[float] = FrozenDict()
    between_storms: float = parameter(
        "time", "time between two storms", least=0, most=366 * 86400, default=float(BETWEEN_STORMS)
    )


@dataclass(frozen=True)
class PeakSet:
    """Peaks (n,) of one duration, as measured, mm or m3/s, with their moments, in order of time.

    Corrected for fixed steps they are over the ``threshold``.
    """

    threshold: float
    values: Floats
    begins: Integers
    ends: Integers


@dataclass(frozen=True, eq=False, kw_only=True)
class PeaksOver(YearsOfRecord):
    """Peaks over a threshold by duration, from the years that are used."""

    sets: tuple[PeakSet, ...]

    @property
    def exposure(self) -> float:
        """Years with data from which the peaks are."""
        return float(self.complete[self.used].sum())

    def of(self, duration: int) -> PeakSet:
        """The peaks of a duration."""
        return self.sets[self.durations.index(duration)]

    def rate(self, duration: int) -> float:
        """Peaks a year of a duration."""
        return len(self.of(duration).values) / self.exposure

    def sample(self, duration: int) -> Floats:
        """Corrected peaks of a duration, (n,), in order of time."""
        return np.asarray(self.of(duration).values * self.factors[self.durations.index(duration)])

    def threshold(self, duration: int) -> float:
        """The threshold of a duration, mm or m3/s."""
        return self.of(duration).threshold

    def years_of(self, duration: int) -> Floats:
        """When the peaks of a duration begin, in years, (n,)."""
        return np.asarray(self.of(duration).begins / YEAR)

    def columns(self, duration: int) -> Integers:
        """The place in ``years`` of each peak of a duration, (n,)."""
        edges = self.rule.edges(self.years, self.record.offset)
        return np.searchsorted(edges, last_begins(self.record, self.of(duration).ends), side="right") - 1

    def counts(self, duration: int) -> Integers:
        """Peaks of a duration in each year that is used, (used,)."""
        return np.bincount(self.columns(duration), minlength=len(self.years))[self.used]


def peaks_over(
    record: Record,
    durations: Sequence[int],
    rule: PeaksRule,
    years: YearRule | None = None,
    *,
    corrected: bool = True,
    between_floods: int = BETWEEN_FLOODS,
    by_hand: Mapping[int, bool] | None = None,
    progress: Progress | None = None,
) -> PeaksOver:
    """Peaks of a record of rain for durations (s), or of a record of flow.

    A peak is a window without a gap that no window nearer than the time between two peaks exceeds; of equal ones the
    first counts. It belongs to the year in which its last interval begins, and counts where that year is used. Raises
    `OutOfRange` where there are too few peaks for the rate, or none over the threshold.
    """
    years = years or YearRule()
    if record.quantity == "flow":
        durations = (0,)
    refuse_short(record, durations)
    touched, complete = years.completeness(record)
    edges = years.edges(touched, record.offset)
    of_years = partial(
        PeaksOver,
        record=record,
        rule=years,
        durations=tuple(durations),
        years=touched,
        complete=complete,
        factors=corrections(record, durations, corrected),
        by_hand=by_hand or {},
    )
    between = between_floods if record.quantity == "flow" else round(rule.between_storms)
    bare, sets = of_years(sets=()), []
    for done, duration in enumerate(durations, start=1):
        sets.append(_peaks_of(bare, edges, duration, rule, between))
        if progress is not None:
            progress.tell("peaks", done / len(durations))
    return of_years(sets=tuple(sets))


def _peaks_of(over: PeaksOver, edges: Integers, duration: int, rule: PeaksRule, between: int) -> PeakSet:
    """The peaks of a duration in the years that are used."""
    from tarnwater.rain.records import _kernels

    record = over.record
    ends, values = _windows(record, duration)
    tops = np.flatnonzero(_kernels.greatest_within(ends, values, duration + between))
    year = np.searchsorted(edges, last_begins(record, ends[tops]), side="right") - 1
    tops = tops[over.used[year]]
    typed = rule.thresholds.get(str(duration))
    where = show_duration(duration) if duration else ""
    corrected = values[tops] * over.factors[over.durations.index(duration)]
    threshold = _threshold(corrected, rule.rate, over.exposure, where) if typed is None else typed
    tops = tops[corrected > threshold]
    if not len(tops):
        raise OutOfRange("no peak is over the threshold.", where=where, remedy="Choose a lower threshold.")
    return PeakSet(threshold, values[tops], ends[tops] - duration, ends[tops])


def _threshold(tops: Floats, rate: float, exposure: float, where: str) -> float:
    """The greatest value that is no peak, so that a rate is kept; equal values below may leave fewer peaks."""
    wanted = round(rate * exposure)
    wet = np.sort(tops[tops > 0])[::-1]
    if wanted < 1 or wanted >= len(wet):
        raise OutOfRange(
            f"{rate:g} peaks a year would be {wanted} in {exposure:.4g} years; there are {len(wet)}.",
            where=where,
            remedy="Take fewer peaks a year, more years, or less time between them.",
        )
    return float(wet[wanted])


def last_begins(record: Record, ends: Integers) -> Integers:
    """When the last intervals of windows that end at some moments (n,) begin; of flow, the moments themselves."""
    if record.quantity == "flow":
        return ends
    at = np.searchsorted(record.ends, ends, side="left")
    return record.begins[np.minimum(at, len(record) - 1)]


def _windows(record: Record, duration: int) -> tuple[Integers, Floats]:
    """Ends (n,), rising, of the windows among which the greatest are, and their values; NaN for one with a gap.

    Rain is even within an interval, so that the greatest windows begin or end where an interval does.
    """
    if record.quantity == "flow":
        return record.ends, record.values
    ends = record.ends
    if record.tips:
        ends = np.union1d(ends, record.stretches[:, 0] + duration)
    elif not (record.equal and duration % record.step == 0):
        ends = np.union1d(ends, record.begins + duration)
    fallen = record.fallen_by(ends) - record.fallen_by(ends - duration)
    # equal windows stay equal whatever their running sums were rounded to
    return ends, np.where(record.whole_between(ends - duration, ends), np.round(fallen, 9), np.nan)


def typed_thresholds(known: Mapping[str, float], duration: int, threshold: float | None) -> FrozenDict[float]:
    """Thresholds with that of a duration (s) set, or taken away for None."""
    kept = {key: value for key, value in known.items() if key != str(duration)}
    return FrozenDict(kept if threshold is None else {**kept, str(duration): threshold})
