"""Words and rows of records: their faults with what was done, their maxima, and their depths by frequency."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from tarnwater import units
from tarnwater.clock import show_day, show_moment
from tarnwater.rain.frequency.fits import doubtful_periods
from tarnwater.rain.records.faults import Fault, FaultKind, Remedy
from tarnwater.rain.records.maxima import AnnualMaxima
from tarnwater.rain.records.mending import Treated
from tarnwater.rain.records.peaks import PeaksOver
from tarnwater.rain.records.record import Record, moment_of
from tarnwater.study.document.rain import Gauge
from tarnwater.study.rain.records import Frequency, IncompleteYear
from tarnwater.units import System

#: Faults in words, one and many.
KINDS: dict[FaultKind, tuple[str, str]] = {
    "gap": ("gap", "gaps"),
    "disorder": ("rows out of order", "rows out of order"),
    "duplicate": ("repeated time", "repeated times"),
    "crowded": ("time closer than the step", "times closer than the step"),
    "negative": ("negative value", "negative values"),
    "reset": ("reset of the total", "resets of the total"),
    "spike": ("spike", "spikes"),
    "stuck": ("stuck value", "stuck values"),
    "total after gap": ("total after a gap", "totals after gaps"),
}

#: Remedies in words, as what is done about a fault.
REMEDIES: dict[Remedy, str] = {
    "keep": "kept as recorded",
    "missing": "missing",
    "zero": "taken as none",
    "value": "typed value",
    "neighbours": "filled from neighbours",
    "line": "on a straight line",
    "first": "the first row counts",
    "last": "the last row counts",
    "greatest": "the greatest counts",
    "sum": "added together",
    "spread": "spread over the gap",
    "from zero": "began again from zero",
    "in order": "put in order",
}


@dataclass(frozen=True)
class FaultRow:
    """A fault in words: what it is, when, how much, what was done, and whether a person should choose."""

    treated: Treated
    what: str
    when: str
    extent: str
    done: str
    open: bool

    @property
    def begin(self) -> int:
        """When it begins, s since 1970."""
        return self.treated.fault.begin

    @property
    def end(self) -> int:
        """When it ends."""
        return self.treated.fault.end


@dataclass(frozen=True)
class YearRow:
    """A year with too little data in words, as a fault; its data settle it until a person chooses."""

    year: IncompleteYear
    what: str
    when: str
    extent: str
    done: str
    open: bool = False

    @property
    def begin(self) -> int:
        """When the record begins in it, s since 1970."""
        return self.year.begin

    @property
    def end(self) -> int:
        """When the record ends in it."""
        return self.year.end


#: What can be done about an incomplete year: whether it is used, in words.
YEAR_REMEDIES = {False: "left out of maxima", True: "used for maxima"}


def year_rows(years: Sequence[IncompleteYear]) -> list[YearRow]:
    """Rows of years with too little data."""
    return [
        YearRow(
            one, "incomplete year", one.name, f"{100 * one.complete:.3g} % with data",
            YEAR_REMEDIES[one.used] + ("" if one.chosen else " by its data"),
        )
        for one in years
    ]  # fmt: skip


def fault_rows(treated: tuple[Treated, ...], record: Record, system: System) -> list[FaultRow]:
    """Rows of the faults of a record; those about which a person should choose come first."""
    rows = [_fault_row(one, record, system) for one in treated]
    return sorted(rows, key=lambda row: not row.open)


def _fault_row(one: Treated, record: Record, system: System) -> FaultRow:
    fault = one.fault
    begin, end = (moment_of(s, record.offset) for s in (fault.begin, fault.end))
    when = (
        show_moment(begin)
        if fault.end - fault.begin <= record.step
        else f"{show_moment(begin)} to {_until(begin, end)}"
    )
    done = REMEDIES[one.remedy]
    kind = "rain" if record.quantity == "rain" else "flow"
    if one.depth and kind == "rain":
        done += f", {units.show(one.depth, 'rain', system)}"
    if one.lacking:
        done += f"; {one.lacking} steps stay missing"
    if one.mend is not None and one.mend.note:
        done += f" ({one.mend.note})"
    return FaultRow(one, KINDS[fault.kind][0], when, _extent(fault, kind, system), done, one.open)


def _until(begin: datetime, end: datetime) -> str:
    return f"{end:%H:%M}" if begin.date() == end.date() else show_moment(end)


def _extent(fault: Fault, kind: str, system: System) -> str:
    length = units.show_duration(fault.end - fault.begin)
    if fault.kind == "gap":
        return length
    if fault.kind in ("spike", "total after gap", "negative", "reset"):
        return units.show(fault.value, kind, system) + (f" in {fault.count} steps" if fault.count > 1 else "")
    if fault.kind == "stuck":
        return f"{units.show(fault.value, kind, system)} for {length}"
    return f"{fault.count} rows"


def counted(treated: tuple[Treated, ...]) -> str:
    """Faults that a person should look at, counted by kind, in words."""
    counts: dict[FaultKind, int] = {}
    for one in treated:
        if one.open:
            counts[one.fault.kind] = counts.get(one.fault.kind, 0) + 1
    return ", ".join(f"{n} {KINDS[kind][n != 1]}" for kind, n in counts.items())


def gauge_words(gauge: Gauge, record: Record) -> str:
    """A record in words: its step, from when to when, and how much of it is there."""
    if not len(record):
        return "no values"
    step = "tips" if record.tips else units.show_duration(record.step)
    share = record.covered / max(record.last - record.first, 1)
    first, last = (moment_of(s, record.offset) for s in (record.first, record.last))
    return f"{step}, {show_day(first)} to {show_day(last)}, {100 * share:.4g} % complete"


# maxima and frequency


@dataclass(frozen=True)
class MaximumRow:
    """A maximum: its year, as measured and corrected, its date, whether it is used, and the moments of its window."""

    year: str
    number: int
    measured: float
    corrected: float
    date: str
    complete: float
    used: bool
    begin: int
    end: int


def maximum_rows(maxima: AnnualMaxima | PeaksOver, duration: int) -> list[MaximumRow]:
    """Rows of all years of a duration (s), or of all its peaks; a year without one has no value (NaN)."""
    return _peak_rows(maxima, duration) if isinstance(maxima, PeaksOver) else _year_rows(maxima, duration)


def _peak_rows(maxima: PeaksOver, duration: int) -> list[MaximumRow]:
    """Rows of the peaks in order of time; a year without a peak, or left out, keeps its row."""
    peaks, factor = maxima.of(duration), float(maxima.factors[maxima.durations.index(duration)])
    rows, columns = [], maxima.columns(duration)
    for column, year in enumerate(maxima.years):
        name, complete = maxima.rule.name(year), float(maxima.complete[column])
        own = np.flatnonzero(columns == column)
        for at in own:
            value, begin = float(peaks.values[at]), int(peaks.begins[at])
            date = show_moment(moment_of(begin, maxima.record.offset))
            rows.append(MaximumRow(name, year, value, value * factor, date, complete, True, begin, int(peaks.ends[at])))
        if not len(own):
            rows.append(MaximumRow(name, year, np.nan, np.nan, "", complete, bool(maxima.used[column]), 0, 0))
    return rows


def _year_rows(maxima: AnnualMaxima, duration: int) -> list[MaximumRow]:
    row, rows = maxima.durations.index(duration), []
    for column, year in enumerate(maxima.years):
        value = float(maxima.values[row, column])
        begin, end = int(maxima.begins[row, column]), int(maxima.ends[row, column])
        date = "" if np.isnan(value) else show_moment(moment_of(begin, maxima.record.offset))
        rows.append(
            MaximumRow(
                maxima.rule.name(year), year, value, value * float(maxima.factors[row]), date,
                float(maxima.complete[column]), bool(maxima.used[column]) and not np.isnan(value), begin, end,
            )
        )  # fmt: skip
    return rows


def frequency_words(frequency: Frequency, gauge: Gauge, duration: int, system: System) -> list[str]:
    """What is worth knowing of a fit: years used and left out, tests, trend, bounds, and return periods too rare."""
    maxima = frequency.maxima
    sample = maxima.sample(duration)
    told = f"{len(sample)} years used"
    if isinstance(maxima, PeaksOver):
        told = f"{len(sample)} peaks in {maxima.exposure:.4g} years with data, {maxima.rate(duration):.3g} a year"
    if left := maxima.left_out:
        told += "; " + ", ".join(f"{name} ({100 * share:.3g} %)" for name, share in left.items()) + " left out"
    words = [told]
    for test in frequency.goodness[duration]:
        against = ": speaks against the fit" if test.speaks_against else ""
        words.append(f"{test.name} {test.statistic:.4g}, p = {test.p:.2g} of {test.draws} samples{against}")
    if duration in frequency.dispersions:
        spread = frequency.dispersions[duration]
        against = ": speaks against a Poisson process" if spread.speaks_against else ""
        words.append(f"dispersion of the peaks of years {spread.index:.3g}, p = {spread.p:.2g}{against}")
    trend = frequency.trends[duration]
    kind = "rain" if gauge.quantity == "rain" else "flow"
    slope = units.show(trend.slope, kind, system)
    there = "a trend" if trend.there else "no trend"
    words.append(f"Mann-Kendall: {there} (p = {trend.p:.2g}), {slope} a year by Sen's slope")
    fit = frequency.fit(duration)
    if fit.at_bound:
        words.append(f"doubt: the search for {', '.join(fit.at_bound)} came to its bound")
    if rare := doubtful_periods(gauge.maxima.return_periods, frequency.years_of(duration)):
        years = ", ".join(f"1 in {t:g}" for t in rare)
        words.append(f"doubt: {years} {'is' if len(rare) == 1 else 'are'} beyond three times the record")
    return words


def fit_words(frequency: Frequency, duration: int) -> str:
    """The distribution with its parameters and how it was fitted, in words."""
    growth, maxima = frequency.depths.growth, frequency.maxima
    fit = growth or frequency.fit(duration)
    parts = ", ".join(f"{s} = {v:.4g}" for s, v in zip(fit.distribution.symbols, fit.parameters, strict=True))
    sign = " (k below zero: heavy tail)" if "k" in fit.distribution.symbols else ""
    what = "excess over its mean" if isinstance(maxima, PeaksOver) else "growth curve over the mean"
    of = what if growth is not None else fit.distribution.equation
    return f"{fit.distribution.title} by {fit.way}, {of}: {parts}{sign}"
