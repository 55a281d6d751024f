"""The faults of a record, the remedies, and that nothing is lost by them."""

import numpy as np
import pytest

from tarnwater.errors import EditRefused
from tarnwater.rain.records import Record
from tarnwater.rain.records.faults import faults_of
from tarnwater.rain.records.mending import Mend, Neighbour, mended, ratio_of_totals, refuse_mend
from tarnwater.rain.records.raw import RawSeries

HOUR = 3600
RNG = np.random.default_rng(4)


def series(values, stamps=None, **known):
    values = np.array(values, float)
    stamps = HOUR * np.arange(1, len(values) + 1) if stamps is None else np.array(stamps)
    return RawSeries(stamps, values, **known)


def year(count=8760 * 4):
    """Hourly rain of four years, in tenths of a mm, the greatest of a year near 15 mm."""
    rng = np.random.default_rng(7)
    return np.round(np.where(rng.random(count) < 0.12, rng.gamma(0.7, 1.6, count), 0.0), 1)


def kinds(raw):
    return [fault.kind for fault in faults_of(raw)]


def test_a_sound_record_has_no_faults():
    assert kinds(series(year())) == []


def test_a_gap_is_found_whether_its_rows_are_missing_or_empty():
    values = year()
    values[100:105] = np.nan
    kept = np.ones(len(values), bool)
    kept[300:310] = False
    stamps = HOUR * np.arange(1, len(values) + 1)
    faults = faults_of(series(values[kept], stamps[kept]))
    assert [(f.kind, f.begin, f.end, f.count) for f in faults] == [
        ("gap", 100 * HOUR, 105 * HOUR, 5),
        ("gap", 300 * HOUR, 310 * HOUR, 10),
    ]


def test_missing_becomes_nothing_only_by_a_choice_that_can_be_taken_back():
    values = year()[:200]
    values[50:53] = np.nan
    raw = series(values)
    assert mended(raw).record.covered == 197 * HOUR
    dry = mended(raw, [Mend(fault="gap", begin=50 * HOUR, end=53 * HOUR, remedy="zero")])
    assert dry.record.covered == 200 * HOUR
    assert dry.open == ()
    assert np.array_equal(mended(raw, []).record.values, values, equal_nan=True)


def test_rows_out_of_order_are_put_in_order_and_told():
    raw = series([1, 2, 4, 3, 5], HOUR * np.array([1, 2, 4, 3, 5]))
    found = mended(raw)
    assert found.record.values.tolist() == [1, 2, 3, 4, 5]
    assert [t.fault.kind for t in found.treated] == ["disorder"]
    left = mended(raw, [Mend(fault="disorder", remedy="missing")])
    assert np.isnan(left.record.values[2])


@pytest.mark.parametrize(
    ("remedy", "expected"), [("first", 2), ("last", 7), ("greatest", 7), ("sum", 9), ("missing", np.nan)]
)
def test_duplicates_that_differ_are_missing_until_a_choice(remedy, expected):
    raw = series([1, 2, 7, 3], HOUR * np.array([1, 2, 2, 3]))
    assert np.isnan(mended(raw).record.values[1])
    assert len(mended(raw).open) == 1
    chosen = mended(raw, [Mend(fault="duplicate", begin=2 * HOUR, end=2 * HOUR, remedy=remedy)])
    assert chosen.record.values.tolist() == pytest.approx([1, expected, 3], nan_ok=True)


def test_rows_that_say_the_same_twice_are_one_row():
    found = mended(series([1, 2, 2, 3], HOUR * np.array([1, 2, 2, 3])))
    assert found.record.values.tolist() == [1, 2, 3]
    assert found.open == ()


def test_two_stamps_a_second_apart_are_a_fault_and_leave_no_second_long_rain():
    stamps = HOUR * np.arange(1, 101)
    stamps = np.sort(np.append(stamps, 50 * HOUR + 1))
    values = np.arange(101) % 7
    raw = series(values, stamps)
    (fault,) = faults_of(raw)
    assert (fault.kind, fault.count) == ("crowded", 2)
    record = mended(raw).record
    assert record.spans.min() > HOUR - 2
    assert np.isnan(record.values).sum() == 1
    kept = mended(raw, [Mend(fault="crowded", remedy="first")]).record
    assert kept.total == values.sum() - values[50]
    assert kept.covered == 100 * HOUR


def test_a_clock_that_drifts_by_a_second_makes_no_gap():
    stamps = HOUR * np.arange(1, 101) + (np.arange(100) % 3 == 0)
    assert kinds(series(np.ones(100) * RNG.random(100), stamps)) == []
    assert mended(series(np.ones(100) * RNG.random(100), stamps)).record.covered == pytest.approx(100 * HOUR, abs=2)


def test_negatives_are_missing_until_a_choice():
    values = year()[:100]
    values[40:42] = -0.5
    raw = series(values)
    assert kinds(raw) == ["negative"]
    # the record itself must never hold them
    assert not (mended(raw).record.values < 0).any()
    assert mended(raw, [Mend(fault="negative", remedy="zero")]).record.values[40:42].tolist() == [0, 0]


def test_a_lonely_great_step_is_a_spike_and_a_storm_is_not():
    values = year()
    values[20000] = 61.2
    values[20001] = values[19999] = 0
    values[9000:9006] = [5, 12, 19, 16, 11, 6]
    raw = series(values)
    (fault,) = faults_of(raw)
    assert (fault.kind, fault.value, fault.end) == ("spike", 61.2, 20001 * HOUR)
    assert mended(raw).record.values[20000] == 61.2
    typed = mended(raw, [Mend(fault="spike", begin=fault.begin, end=fault.end, remedy="value", value=6.12)])
    assert typed.record.values[20000] == 6.12


def test_more_rain_than_ever_fell_anywhere_is_a_spike_in_any_company():
    values = year()
    values[5000:5003] = [200, 450, 200]
    assert [f.value for f in faults_of(series(values)) if f.kind == "spike"] == [450]


def test_stuck_values_are_found_and_drizzle_at_the_resolution_is_not():
    values = year()
    values[1000:1008] = 3.7
    values[3000:3010] = 0.1
    faults = faults_of(series(values))
    assert [(f.kind, f.count, f.value) for f in faults] == [("stuck", 8, 3.7)]


def test_a_gauge_that_is_dry_for_months_is_looked_at():
    values = year()
    values[5000 : 5000 + 90 * 24] = 0
    assert [(f.kind, f.value) for f in faults_of(series(values))] == [("stuck", 0.0)]


def test_a_total_after_a_gap_is_kept_missing_or_spread():
    values = year()
    values[5000:5048] = np.nan
    values[5048:5050] = [38.0, 0.0]
    raw = series(values)
    after = next(f for f in faults_of(raw) if f.kind == "total after gap")
    assert after.value == 38
    assert mended(raw).record.values[5048] == 38
    spread = mended(raw, [Mend(fault="total after gap", remedy="spread")]).record
    begin = 5000 * HOUR
    # 38 mm over 49 hours, and no time lost
    assert spread.in_steps(begin, begin + 49 * HOUR, HOUR) == pytest.approx(np.full(49, 38 / 49))
    assert spread.total == pytest.approx(mended(raw).record.total)


def test_a_running_total_that_resets_begins_again_from_zero():
    raw = series([0.2, 1.0, 3.0, 3.0, 0.4, 0.6], form="cumulative")
    assert kinds(raw) == ["reset"]
    assert mended(raw).record.values.tolist() == pytest.approx([0.8, 2.0, 0.0, 0.4, 0.2])
    left = mended(raw, [Mend(fault="reset", remedy="missing")])
    assert np.isnan(left.record.values[3])


def test_rates_are_depths_of_their_intervals_at_either_end():
    end = mended(series([6.0, 12.0], 600 * np.array([1, 2]), form="rate")).record
    start = mended(series([6.0, 12.0], 600 * np.array([0, 1]), form="rate", stamp="start")).record
    for record in (end, start):
        assert record.values.tolist() == [1, 2]
        assert (record.first, record.last) == (0, 1200)


def test_gaps_are_filled_from_neighbours_by_weights_that_are_stated():
    values = year()[:240]
    one, two = np.roll(values, 1) * 2, np.roll(values, -1)
    two[101] = np.nan
    own = values.copy()
    own[100:103] = np.nan
    records = {"a": Record.regular(0, HOUR, one), "b": Record.regular(0, HOUR, two)}
    weights = {"a": Neighbour(weight=1, factor=0.5), "b": Neighbour(weight=3)}
    mend = Mend(fault="gap", begin=100 * HOUR, end=103 * HOUR, remedy="neighbours")
    found = mended(series(own), [mend], weights, records)
    expected = (0.5 * one[100:103] + 3 * two[100:103]) / 4
    expected[1] = 0.5 * one[101]  # the second gauge has no rain there, so the first stands alone
    assert found.record.values[100:103] == pytest.approx(expected)
    (treated,) = found.treated
    assert treated.depth == pytest.approx(expected.sum())
    assert treated.lacking == 0
    nobody = mended(series(own), [mend], {}, {})
    assert nobody.treated[0].lacking == 3
    assert np.isnan(nobody.record.values[100:103]).all()


def test_the_factor_of_a_neighbour_is_the_ratio_of_totals_in_days_that_both_have():
    values = year()[: 24 * 60]
    other = values * 2
    other[24 * 10 : 24 * 11] = np.nan
    assert ratio_of_totals(Record.regular(0, HOUR, values), Record.regular(0, HOUR, other)) == pytest.approx(0.5)


def test_flow_is_mended_by_straight_lines():
    raw = series([2, 2, np.nan, np.nan, 8, 9], form="flow")
    line = mended(raw, [Mend(fault="gap", remedy="line")]).record
    assert line.values.tolist() == pytest.approx([2, 2, 4, 6, 8, 9])


def test_one_fault_is_mended_apart_from_all_of_its_kind():
    values = year()[:200]
    values[50], values[120] = np.nan, np.nan
    mends = [
        Mend(fault="gap", begin=50 * HOUR, end=51 * HOUR, remedy="missing"),
        Mend(fault="gap", remedy="zero"),
    ]
    assert np.isnan(mended(series(values), mends).record.values).tolist().index(True) == 50
    assert mended(series(values), mends).record.values[120] == 0


def test_remedies_that_a_fault_does_not_have_are_refused():
    raw = series([1, np.nan, 2])
    (fault,) = faults_of(raw)
    with pytest.raises(EditRefused, match="cannot be mended"):
        refuse_mend(Mend(fault="gap", remedy="spread"), fault, raw)
    with pytest.raises(EditRefused, match="no such fault"):
        refuse_mend(Mend(fault="gap", remedy="zero"), None, raw)
    with pytest.raises(EditRefused, match="at least zero"):
        refuse_mend(Mend(fault="negative", remedy="value", value=-1), faults_of(series([1, -1, 2]))[0], raw)


def test_an_irregular_record_reaches_from_stamp_to_stamp():
    stamps = np.cumsum(np.array([3, 10, 25, 7, 60, 11, 5, 90, 13]) * 60)
    record = mended(series(np.ones(9), stamps)).record
    assert record.covered == record.last - record.first
