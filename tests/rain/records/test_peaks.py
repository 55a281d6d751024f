"""Peaks over a threshold: against brute force on records with gaps, and what a rate and a threshold leave."""

from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tarnwater.errors import OutOfRange
from tarnwater.progress import Progress
from tarnwater.rain.records import Record
from tarnwater.rain.records.maxima import YearRule, annual_maxima
from tarnwater.rain.records.peaks import PeaksRule, peaks_over, typed_thresholds

HOUR, DAY = 3600, 86400
BEGIN = int(datetime(2001, 1, 1, tzinfo=UTC).timestamp())
ANY_YEAR = YearRule(least_complete=0)


def hourly(values, begin=BEGIN):
    return Record.regular(begin, HOUR, np.array(values, float))


def over(threshold, duration=HOUR, between=6 * HOUR):
    return PeaksRule(thresholds=typed_thresholds({}, duration, threshold), between_storms=between)


def test_peaks_over_a_threshold_are_of_events_that_stand_apart():
    values = np.zeros(400)
    values[[10, 12, 40, 200]] = [5, 9, 6, 3]
    found = peaks_over(hourly(values), [HOUR], over(4.0), ANY_YEAR, corrected=False).of(HOUR)
    assert found.values.tolist() == [9, 6]
    assert found.begins.tolist() == [BEGIN + 12 * HOUR, BEGIN + 40 * HOUR]
    assert found.ends.tolist() == [BEGIN + 13 * HOUR, BEGIN + 41 * HOUR]
    near = peaks_over(hourly(values), [HOUR], over(4.0, between=0), ANY_YEAR, corrected=False)
    assert near.of(HOUR).values.tolist() == [5, 9, 6]


def peaks_by_hand(record, duration, reach):
    """Windows that none nearer than ``reach`` exceeds, by looking at every pair; of equal ones the first."""
    ends = sorted({*record.ends.tolist(), *(record.begins + duration).tolist()})
    known = []
    for end in ends:
        inside = np.minimum(record.ends, end) - np.maximum(record.begins, end - duration)
        touched = inside > 0
        if inside[touched].sum() == duration and not np.isnan(record.values[touched]).any():
            share = inside[touched] / record.spans[touched]
            known.append((end, round(float((record.values[touched] * share).sum()), 9)))
    return [
        (end, value)
        for end, value in known
        if all(
            v < value or (v == value and e >= end)
            for e, v in known
            if abs(e - end) < reach
        )
    ]  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(st.data())
def test_peaks_are_those_of_every_pair_of_windows(data):
    count = data.draw(st.integers(5, 40))
    values = data.draw(st.lists(st.sampled_from([0.0, 0.2, 0.4, 1.0, 2.5, np.nan]), min_size=count, max_size=count))
    steps = data.draw(st.sampled_from([[600], [600, 1200], [300, 900, 1500]]))
    spans = np.array([steps[n % len(steps)] for n in range(count)])
    record = Record(BEGIN + np.cumsum(spans), spans, np.array(values))
    duration, between = data.draw(st.sampled_from([1800, 2000, 3600])), data.draw(st.sampled_from([0, 1200, 7000]))
    wanted = [(e, v) for e, v in peaks_by_hand(record, duration, duration + between) if v > 0.1]
    rule = over(0.1, duration, between)
    if not wanted:
        with pytest.raises(OutOfRange, match="no peak is over"):
            peaks_over(record, [duration], rule, ANY_YEAR, corrected=False)
        return
    found = peaks_over(record, [duration], rule, ANY_YEAR, corrected=False).of(duration)
    assert list(zip(found.ends.tolist(), found.values.tolist(), strict=True)) == wanted


def test_the_falling_limb_of_a_long_flood_is_no_second_peak():
    flow = np.ones(800)
    flow[100:600] = 80 * np.exp(-np.arange(500) / 200)  # above 5 m3/s for three weeks
    record = Record(BEGIN + HOUR * np.arange(1, 801), np.full(800, HOUR), flow, "flow")
    rule = PeaksRule(thresholds=typed_thresholds({}, 0, 5.0))
    found = peaks_over(record, [], rule, ANY_YEAR, between_floods=2 * DAY)
    assert found.of(0).values.tolist() == [80]


def storms(years=6, seed=3):
    """Years of hourly rain with a storm on some days."""
    rng = np.random.default_rng(seed)
    values = np.zeros(years * 8766)
    at = rng.choice(len(values) // 24 - 1, size=years * 40, replace=False) * 24 + 5
    values[at] = rng.gamma(2.0, 4.0, size=len(at))
    return hourly(values)


def test_a_rate_leaves_as_many_peaks_a_year_above_the_next_lower_one():
    record = storms()
    found = peaks_over(record, [HOUR, 3 * HOUR], PeaksRule(rate=4), ANY_YEAR, corrected=False)
    wanted = round(4 * found.exposure)
    assert found.exposure == pytest.approx(6, rel=1e-3)
    assert len(found.sample(HOUR)) == wanted
    assert found.rate(HOUR) == pytest.approx(wanted / found.exposure)
    all_tops = np.sort(peaks_over(record, [HOUR], over(0.0, between=DAY), ANY_YEAR, corrected=False).sample(HOUR))
    assert found.threshold(HOUR) == all_tops[-wanted - 1]
    assert (np.sort(found.sample(HOUR)) == all_tops[-wanted:]).all()
    assert found.counts(HOUR).sum() == wanted


def test_the_greatest_peaks_of_years_are_their_annual_maxima():
    record = storms()
    peaks = peaks_over(record, [2 * HOUR], PeaksRule(rate=20), ANY_YEAR)
    years = annual_maxima(record, [2 * HOUR], ANY_YEAR)
    columns, sample = peaks.columns(2 * HOUR), peaks.sample(2 * HOUR)
    greatest = [sample[columns == n].max() for n in range(6)]
    assert greatest == pytest.approx(years.sample(2 * HOUR)[:6])
    # the correction for two steps, 16/15, is in the peaks and in their threshold
    assert sample == pytest.approx(peaks.of(2 * HOUR).values * 16 / 15)
    assert (sample > peaks.threshold(2 * HOUR)).all()


def test_years_that_are_not_used_give_no_peaks_and_no_time():
    record = storms()
    values = record.values.copy()
    values[8766:14_000] = np.nan  # most of the second year
    found = peaks_over(record.with_values(values), [HOUR], PeaksRule(rate=4), by_hand={2004: False})
    assert set(found.left_out) == {"2002", "2004", "2007"}  # the last has a few hours
    assert not np.isin(found.columns(HOUR), [1, 3]).any()
    assert found.exposure == pytest.approx(4, rel=2e-3)


@pytest.mark.parametrize("rate", [0.01, 90.0])
def test_a_rate_that_the_record_does_not_hold_is_refused(rate):
    with pytest.raises(OutOfRange, match="peaks a year would be") as caught:
        peaks_over(storms(), [HOUR], PeaksRule(rate=rate), ANY_YEAR)
    assert "there are" in str(caught.value)


def test_tips_give_peaks_that_the_annual_maxima_of_tips_have():
    rng = np.random.default_rng(8)
    stamps = BEGIN + np.sort(rng.choice(np.arange(1000, 300 * DAY, 7), size=900, replace=False))
    tips = Record(stamps, np.zeros(900, int), np.full(900, 0.2))
    found = peaks_over(tips, [DAY], over(0.5, DAY, DAY), ANY_YEAR)
    assert found.sample(DAY).max() == pytest.approx(annual_maxima(tips, [DAY], ANY_YEAR).sample(DAY)[0])
    assert np.diff(found.of(DAY).ends).min() >= 2 * DAY


def test_a_search_for_peaks_can_be_cancelled():
    from tarnwater.errors import Cancelled

    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        peaks_over(storms(), [HOUR, 3 * HOUR], PeaksRule(), ANY_YEAR, progress=progress)


def test_an_empty_threshold_goes_back_to_the_rate():
    known = typed_thresholds(typed_thresholds({}, HOUR, 4.0), 2 * HOUR, 6.0)
    assert dict(known) == {"3600": 4.0, "7200": 6.0}
    assert dict(typed_thresholds(known, HOUR, None)) == {"7200": 6.0}
