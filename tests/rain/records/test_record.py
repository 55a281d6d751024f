"""Records: sums, gaps, steps, and the greatest windows of years against brute force."""

from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tarnwater.errors import BadInput, OutOfRange
from tarnwater.rain.records import Record
from tarnwater.rain.records.maxima import YearRule, annual_maxima, fixed_step_correction

HOUR = 3600
BEGIN = int(datetime(2001, 1, 1, tzinfo=UTC).timestamp())


def hourly(values, begin=BEGIN):
    return Record.regular(begin, HOUR, np.array(values, float))


def test_a_missing_value_is_a_gap_and_never_nothing():
    record = hourly([1, np.nan, 3, 0])
    steps = record.in_steps(BEGIN, BEGIN + 4 * HOUR, 2 * HOUR)
    assert np.isnan(steps[0])
    assert steps[1] == 3
    assert record.covered == 3 * HOUR


def test_rain_is_even_within_an_interval_and_a_tip_belongs_to_one_step():
    assert hourly([6, 0]).in_steps(BEGIN, BEGIN + 2 * HOUR, 1800).tolist() == [3, 3, 0, 0]
    tips = Record(BEGIN + np.array([600, 1800, 5400]), np.zeros(3), np.full(3, 0.2))
    assert tips.in_steps(BEGIN + 600, BEGIN + 600 + 4800, 1200).tolist() == pytest.approx([0.2, 0, 0, 0.2])


def test_intervals_that_overlap_are_refused():
    with pytest.raises(BadInput, match="overlap"):
        Record(np.array([BEGIN, BEGIN + 1800]), np.array([HOUR, HOUR]), np.ones(2))


def test_running_sums_keep_what_a_plain_sum_loses():
    values = np.full(2_000_000, 0.1)
    # a plain running sum is off by 1e-6 here; the true total is 200,000 mm to the last digit or two
    assert Record.regular(BEGIN, 300, values).total == pytest.approx(200_000, abs=1e-9)


def greatest_by_hand(record, duration, year, avoided=()):
    """The greatest window by trying every one that begins or ends where an interval does, in exact seconds."""
    begins, ends = record.begins.tolist(), record.ends.tolist()
    best = (-1.0, 0)
    for place in sorted({*begins, *(e - duration for e in ends)}):
        stop = place + duration
        depth, covered, last = 0.0, 0, None
        for b, e, v in zip(begins, ends, record.values.tolist(), strict=True):
            inside = min(e, stop) - max(b, place)
            if inside > 0:
                if np.isnan(v):
                    break
                depth += v * inside / (e - b)
                covered += inside
                last = b
        else:
            clear = all(stop <= a or place >= z for a, z in avoided)
            if covered == duration and record.moment(last).year == year and clear and depth > best[0] + 1e-9:
                best = (depth, place)
    return best


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 2**32 - 1), st.sampled_from([HOUR, 5400, 3 * HOUR, 5 * HOUR, 26 * HOUR]), st.booleans())
def test_maxima_of_random_records_with_gaps_are_those_by_hand(seed, duration, uneven):
    """Two years meet in the middle of the record, so that windows cross them; uneven steps take the general way."""
    rng = np.random.default_rng(seed)
    count = 60
    values = np.round(rng.gamma(0.4, 3.0, count), 1)
    values[rng.random(count) < 0.08] = np.nan
    spans = rng.choice([1200, 1800, HOUR], count) if uneven else np.full(count, HOUR)
    if uneven and duration < HOUR:
        return
    begin = int(datetime(2002, 1, 1, tzinfo=UTC).timestamp()) - int(spans[:30].sum())
    gaps = np.where(rng.random(count) < 0.05, 7200, 0)
    ends = begin + np.cumsum(spans + gaps)
    record = Record(ends, spans, values)
    found = annual_maxima(record, [duration], YearRule(least_complete=0), corrected=False)
    for row in range(len(found.years)):
        own = found.values[0, row]
        near = [
            (int(found.begins[0, other]), int(found.ends[0, other]))
            for other in (row - 1, row + 1)
            if 0 <= other < len(found.years) and not found.values[0, other] <= own
        ]
        expected, place = greatest_by_hand(record, duration, found.years[row], near)
        if expected < 0:
            assert np.isnan(own)
        else:
            # sums of at most a hundred depths
            assert own == pytest.approx(expected, abs=1e-9)
            assert found.begins[0, row] == place


def test_a_window_may_cross_midnight_and_the_end_of_the_year_and_counts_once():
    values = np.zeros(2 * 8760)
    values[8758:8762] = [10, 20, 30, 5]  # the last two hours of 2001 and the first two of 2002
    values[9000] = 12
    found = annual_maxima(hourly(values), [2 * HOUR, 4 * HOUR], corrected=False)
    # 20 + 30 begins in 2001 and its last hour in 2002, so it belongs to 2002; 2001 has what keeps clear of it
    assert found.values[0].tolist() == [10, 50]
    assert found.values[1].tolist() == [0, 65]


def test_maxima_belong_to_the_year_of_the_zone_and_to_water_years():
    values = np.zeros(8760 * 2)
    values[8759] = 7  # the last hour of 2001 in universal time
    late = Record.regular(BEGIN, HOUR, values, offset=2 * HOUR)
    calendar = annual_maxima(late, [HOUR], corrected=False)
    assert [(m.year, m.value) for m in calendar.of(HOUR) if m.value] == [(2002, 7)]
    water = annual_maxima(late, [HOUR], YearRule(first_month=10), corrected=False)
    assert [water.rule.name(m.year) for m in water.of(HOUR) if m.value] == ["2001/02"]


def test_years_without_enough_data_are_left_out_and_told():
    values = np.zeros(3 * 8760)
    values[100:2000] = np.nan
    values[8760 + 5 : 8760 + 100] = np.nan
    values[[3000, 9000, 20000]] = [4, 5, 6]
    found = annual_maxima(hourly(values), [HOUR], corrected=False)
    assert list(found.left_out) == ["2001"]
    assert found.left_out["2001"] == pytest.approx((8760 - 1900) / 8760)
    assert found.sample(HOUR).tolist() == [5, 6]


def test_fixed_steps_are_corrected_up_to_twenty_three_of_them():
    assert fixed_step_correction(HOUR, HOUR) == pytest.approx(8 / 7)
    assert fixed_step_correction(23 * HOUR, HOUR) == pytest.approx(184 / 183)
    assert fixed_step_correction(24 * HOUR, HOUR) == 1
    assert fixed_step_correction(HOUR, 0) == 1


def test_a_corrected_maximum_is_the_measured_one_times_its_factor():
    found = annual_maxima(hourly(np.arange(8760.0)), [HOUR, 2 * HOUR])
    assert found.factors.tolist() == pytest.approx([8 / 7, 16 / 15])
    assert found.sample(HOUR)[0] == pytest.approx(8759 * 8 / 7)


def test_a_duration_shorter_than_the_step_is_refused():
    with pytest.raises(OutOfRange, match="shorter than the step"):
        annual_maxima(hourly([1, 2]), [900])


def test_tips_are_counted_in_any_window_and_not_across_an_outage():
    stamps = BEGIN + np.array([0, 600, 1100, 1700, 9000, 9300, 20000])
    tips = Record(stamps, np.zeros(7), np.full(7, 0.2))
    found = annual_maxima(tips, [600, 1200, 1800], YearRule(least_complete=0))
    # a window holds its begin and not its end: 600 and 1100 s, then 0 to 1100, then 0 to 1700
    assert found.values[:, 0].tolist() == pytest.approx([0.4, 0.6, 0.8])
    spans = np.array([0, 0, 300, 0, 0, 0, 0])
    broken = Record(stamps, spans, np.where(spans > 0, np.nan, 0.2))
    assert annual_maxima(broken, [1800], YearRule(least_complete=0)).values[0, 0] == pytest.approx(0.4)


def test_floods_of_one_event_in_two_years_count_once():
    day = 86400
    stamps = BEGIN + day * np.arange(1, 731)
    flow = np.ones(730)
    flow[[363, 366, 500]] = [40, 60, 20]  # 30 December and 2 January
    flow[100] = 15
    record = Record(stamps, np.full(730, day), flow, "flow")
    found = annual_maxima(record)
    assert found.values[0].tolist() == [15, 60]
    assert annual_maxima(record, apart=day).values[0].tolist() == [40, 60]


def test_a_record_all_missing_has_no_maximum():
    found = annual_maxima(hourly([np.nan] * 100), [HOUR])
    assert np.isnan(found.values).all()
    assert not found.used.any()
