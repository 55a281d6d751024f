"""What the records of a study give: mended records, maxima, depths by frequency, and events.

Each answer is kept by the identity of what it is made from, since the window asks for it again after every edit.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import partial
from typing import TYPE_CHECKING

from tarnwater.errors import StudyFileError, UnknownName
from tarnwater.progress import Progress
from tarnwater.rain.records.faults import Fault, faults_of
from tarnwater.rain.records.maxima import AnnualMaxima, annual_maxima
from tarnwater.rain.records.mending import Mended, Neighbour, mended, ratio_of_totals
from tarnwater.rain.records.peaks import PeaksOver, peaks_over
from tarnwater.rain.records.raw import RawSeries
from tarnwater.rain.records.record import Record
from tarnwater.study.document import Study, checked
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.rain import Gauge, MaximaRule

if TYPE_CHECKING:
    from tarnwater.rain.frequency.fits import Fit
    from tarnwater.rain.frequency.goodness import Dispersion, Goodness, Trend
    from tarnwater.rain.frequency.growth import DepthFrequency


def gauge_of(study: Study, key: str) -> Gauge:
    """A gauge by its key; `UnknownName` if there is none."""
    if key not in study.gauges:
        raise UnknownName(key, study.gauges, kind="record")
    return study.gauges[key]


def raw_of(study: Study, blobs: Blobs, key: str) -> RawSeries:
    """The series of a gauge as it was read; `StudyFileError` if the study file lost it."""
    from tarnwater.formats.series import series_from_bytes

    gauge = gauge_of(study, key)
    if gauge.series not in blobs:
        raise StudyFileError(
            f"the record “{gauge.name}” is missing from the study file, or damaged.", remedy="Import it again."
        )
    blob = blobs[gauge.series]
    memo = study.memory.of("series as read", 64)
    also = gauge.form, gauge.stamp, gauge.offset
    known: RawSeries | None = memo.get((blob,), also)
    if known is None:
        known = memo.put(
            (blob,), series_from_bytes(blob.data, form=gauge.form, stamp=gauge.stamp, offset=gauge.offset), also
        )
    return known


def faults_in(study: Study, blobs: Blobs, key: str) -> list[Fault]:
    """Faults of a record as it was read, in order of time."""
    raw = raw_of(study, blobs, key)
    memo = study.memory.of("faults of series", 64)
    known: list[Fault] | None = memo.get((raw,))
    return memo.put((raw,), faults_of(raw)) if known is None else known


def mended_of(study: Study, blobs: Blobs, key: str) -> Mended:
    """A record with its remedies; neighbours fill gaps with their own rain, and not with what fills their own gaps."""
    gauge, raw = gauge_of(study, key), raw_of(study, blobs, key)
    faults = faults_in(study, blobs, key)
    around = {name: _alone(study, blobs, name) for name in gauge.neighbours if name in study.gauges}
    memo = study.memory.of("mended records", 64)
    parts = (raw, gauge.mends, gauge.neighbours, *around.values())
    known: Mended | None = memo.get(parts)
    if known is None:
        records = {name: one.record for name, one in around.items()}
        known = memo.put(parts, mended(raw, gauge.mends, gauge.neighbours, records, faults))
    return known


def _alone(study: Study, blobs: Blobs, key: str) -> Mended:
    """A record with its remedies, without the help of neighbours."""
    gauge, raw = gauge_of(study, key), raw_of(study, blobs, key)
    memo = study.memory.of("records without neighbours", 64)
    known: Mended | None = memo.get((raw, gauge.mends))
    if known is None:
        known = memo.put((raw, gauge.mends), mended(raw, gauge.mends, faults=faults_in(study, blobs, key)))
    return known


def neighbours_of(study: Study, blobs: Blobs, key: str, weights: Mapping[str, float]) -> dict[str, Neighbour]:
    """Gauges that fill gaps by their weights; the factor on their rain is the ratio of totals, or 1."""
    own, found = record_of(study, blobs, key), {}
    for name, weight in weights.items():
        ratio = ratio_of_totals(own, record_of(study, blobs, name))
        fields = {"weight": weight, "factor": ratio if ratio > 0 else 1.0}
        found[name] = checked(partial(Neighbour.model_validate, fields), gauge_of(study, name).name)
    return found


def record_of(study: Study, blobs: Blobs, key: str) -> Record:
    """The record of a gauge with its remedies."""
    return mended_of(study, blobs, key).record


def maxima_of(study: Study, blobs: Blobs, key: str, progress: Progress | None = None) -> AnnualMaxima:
    """Annual maxima of a record by its rule; years left out by hand are as if they had no data."""
    gauge, record = gauge_of(study, key), record_of(study, blobs, key)
    rule = gauge.maxima
    memo = study.memory.of("annual maxima", 64)
    also = rule.durations, rule.years, rule.corrected, rule.apart, rule.left_out, rule.taken_in
    known: AnnualMaxima | None = memo.get((record,), also)
    if known is None:
        found = annual_maxima(
            record, rule.durations_for(record.step), rule.years, corrected=rule.corrected, apart=int(rule.apart),
            by_hand=rule.by_hand, progress=progress,
        )  # fmt: skip
        known = memo.put((record,), found, also)
    return known


@dataclass(frozen=True)
class IncompleteYear:
    """A year of a record with too little data: its moments, the share with data, and whether it is used all the same.

    ``chosen`` says whether a person settled that.
    """

    year: int
    name: str
    begin: int
    end: int
    complete: float
    used: bool
    chosen: bool


def incomplete_years(study: Study, blobs: Blobs, key: str) -> list[IncompleteYear]:
    """Years of a record with less data than its rule of maxima asks for."""
    rule, record = gauge_of(study, key).maxima, record_of(study, blobs, key)
    years, complete = rule.years.completeness(record)
    edges, by_hand = rule.years.edges(years, record.offset), rule.by_hand
    return [
        IncompleteYear(
            year, rule.years.name(year), max(int(edges[at]), record.first), min(int(edges[at + 1]), record.last),
            float(complete[at]), by_hand.get(year, False), year in by_hand,
        )
        for at, year in enumerate(years)
        if not rule.years.enough(complete)[at]
    ]  # fmt: skip


def peaks_of(study: Study, blobs: Blobs, key: str, progress: Progress | None = None) -> PeaksOver:
    """Peaks over a threshold of a record by its rule; years left out by hand give none."""
    gauge, record = gauge_of(study, key), record_of(study, blobs, key)
    rule = gauge.maxima
    memo = study.memory.of("peaks over thresholds", 64)
    peaks = rule.peaks.rate, tuple(rule.peaks.thresholds.items()), rule.peaks.between_storms
    also = *peaks, rule.durations, rule.years, rule.corrected, rule.apart, rule.left_out, rule.taken_in
    known: PeaksOver | None = memo.get((record,), also)
    if known is None:
        found = peaks_over(
            record, rule.durations_for(record.step), rule.peaks, rule.years, corrected=rule.corrected,
            between_floods=int(rule.apart), by_hand=rule.by_hand, progress=progress,
        )  # fmt: skip
        known = memo.put((record,), found, also)
    return known


@dataclass(frozen=True, eq=False)
class Frequency:
    """The frequency of the extremes of a record: the depths of all durations, with tests of each fit and of a trend.

    ``goodness``, ``trends`` and the ``dispersions`` of peaks over a threshold are by duration (s).
    """

    maxima: AnnualMaxima | PeaksOver
    depths: DepthFrequency
    goodness: dict[int, tuple[Goodness, Goodness]]
    trends: dict[int, Trend]
    dispersions: dict[int, Dispersion] = field(default_factory=dict)

    def fit(self, duration: int) -> Fit:
        """The fit of a duration (s)."""
        return self.depths.fits[self.depths.durations.index(duration)]

    @property
    def years(self) -> int:
        """Years that were used, the fewest of all durations."""
        return min(self.years_of(d) for d in self.depths.durations)

    def years_of(self, duration: int) -> int:
        """Years that were used for a duration (s); those of peaks by their data, in whole years."""
        if isinstance(self.maxima, PeaksOver):
            return round(self.maxima.exposure)
        return len(self.maxima.sample(duration))


def frequency_of(study: Study, blobs: Blobs, key: str, progress: Progress | None = None) -> Frequency:
    """Fits of the annual maxima of a record, or of its peaks, by its rule, with limits and tests.

    Raises `OutOfRange` where a sample cannot be fitted.
    """
    rule = gauge_of(study, key).maxima
    taken: AnnualMaxima | PeaksOver = (peaks_of if rule.over_threshold else maxima_of)(study, blobs, key, progress)
    memo = study.memory.of("frequency of maxima", 32)
    also = rule.distribution, rule.way, rule.together, rule.return_periods, rule.level, rule.draws
    known: Frequency | None = memo.get((taken,), also)
    if known is None:
        known = memo.put((taken,), _tested(taken, _fitted(taken, rule, progress), progress), also)
    return known


def _fitted(taken: AnnualMaxima | PeaksOver, rule: MaximaRule, progress: Progress | None) -> DepthFrequency:
    from tarnwater.rain.frequency.growth import depth_frequency
    from tarnwater.rain.frequency.over_threshold import Peaks, peak_frequency

    if isinstance(taken, PeaksOver):
        peaks = {d: Peaks(taken.sample(d), taken.threshold(d), taken.rate(d)) for d in taken.durations}
        return peak_frequency(
            peaks, rule.return_periods, way=rule.way, together=rule.together, level=rule.level, draws=rule.draws,
            progress=progress,
        )  # fmt: skip
    samples = {d: taken.sample(d) for d in taken.durations}
    return depth_frequency(
        samples, rule.return_periods, rule.distribution, way=rule.way, together=rule.together, level=rule.level,
        draws=rule.draws, progress=progress,
    )  # fmt: skip


def _tested(taken: AnnualMaxima | PeaksOver, depths: DepthFrequency, progress: Progress | None) -> Frequency:
    from tarnwater.rain.frequency.goodness import dispersion, goodness, mann_kendall

    tests = {d: goodness(fit, progress=progress) for d, fit in zip(depths.durations, depths.fits, strict=True)}
    trends = {d: mann_kendall(taken.sample(d), taken.years_of(d)) for d in depths.durations}
    if not isinstance(taken, PeaksOver):
        return Frequency(taken, depths, tests, trends)
    return Frequency(taken, depths, tests, trends, {d: dispersion(taken.counts(d)) for d in depths.durations})
