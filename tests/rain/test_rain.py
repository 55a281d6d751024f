"""Depth tables, patterns, areal reduction and storms."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarnwater.errors import OutOfRange, TableError
from tarnwater.rain.areal import ArealReduction, areal_factor
from tarnwater.rain.depth_table import DepthTable, reduced_variate
from tarnwater.rain.patterns import AlternatingBlock, TwentyFourHour
from tarnwater.rain.patterns.alternating_block import alternate
from tarnwater.rain.storms import Rain, StormFamily

HOUR = 3600.0
TABLE = DepthTable(
    durations=(900.0, HOUR, 6 * HOUR, 24 * HOUR),
    return_periods=(2.0, 10.0, 100.0),
    depths=((9.0, 14.0, 24.0), (16.0, 26.0, 43.0), (34.0, 53.0, 88.0), (57.0, 90.0, 146.0)),
)
PATTERNS = [
    AlternatingBlock(),
    AlternatingBlock(peak_position=0.3),
    *(TwentyFourHour(type=t) for t in ("I", "IA", "II", "III")),
]


def test_the_table_is_read_exactly_through_its_entries():
    for d, row in zip(TABLE.durations, TABLE.depths, strict=True):
        for t, depth in zip(TABLE.return_periods, row, strict=True):
            assert TABLE.depth(d, t) == pytest.approx(depth, rel=1e-14)


def test_between_durations_it_is_straight_in_logarithms():
    assert TABLE.depth(np.sqrt(HOUR * 6 * HOUR), 10.0) == pytest.approx(np.sqrt(26.0 * 53.0))


def test_between_return_periods_it_is_straight_on_the_reduced_variate():
    middle = (reduced_variate(10.0) + reduced_variate(100.0)) / 2
    period = 1 / (1 - np.exp(-np.exp(-middle)))
    assert TABLE.depth(HOUR, period) == pytest.approx((26.0 + 43.0) / 2)


def test_below_the_shortest_duration_its_depth_is_spread_evenly():
    assert TABLE.depth(np.array([0.0, 300.0]), 2.0) == pytest.approx([0.0, 3.0])


@pytest.mark.parametrize(
    ("duration", "period", "said"), [(48 * HOUR, 10.0, "ends at 24 h"), (HOUR, 200.0, "1 in 200 was")]
)
def test_beyond_the_table_nothing_is_read_unless_it_is_allowed(duration, period, said):
    with pytest.raises(OutOfRange, match=said):
        TABLE.depth(duration, period)
    assert TABLE.model_copy(update={"extrapolate": True}).depth(duration, period) > 0


def test_extrapolation_goes_on_as_the_last_piece():
    wide = TABLE.model_copy(update={"extrapolate": True})
    assert wide.depth(96 * HOUR, 10.0) == pytest.approx(90.0 * (90.0 / 53.0))


def test_falling_depths_are_named():
    table = DepthTable(durations=(900.0, HOUR), return_periods=(2.0, 10.0), depths=((9.0, 8.0), (7.0, 12.0)))
    assert table.falling() == [
        "1 h, 1 in 2: 7 mm is less than 9 mm in 15 min",
        "15 min, 1 in 10: 8 mm is less than 9 mm at 1 in 2",
    ]


@pytest.mark.parametrize(
    ("durations", "periods", "depths", "said"),
    [
        ((HOUR,), (2.0,), ((9.0,),), "one duration"),
        ((HOUR, 900.0), (2.0,), ((9.0,), (8.0,)), "durations of a depth table must rise"),
        ((900.0, HOUR), (2.0,), ((9.0,), (0.0,)), "not above zero"),
        ((900.0, HOUR), (2.0,), ((9.0,),), "2 rows of 1"),
    ],
    ids=["one duration", "durations fall", "no depth", "ragged"],
)
def test_a_table_that_cannot_be_read_is_refused(durations, periods, depths, said):
    with pytest.raises(TableError, match=said):
        DepthTable(durations=durations, return_periods=periods, depths=depths)


@pytest.mark.parametrize("pattern", PATTERNS, ids=str)
@pytest.mark.parametrize("step", [60.0, 300.0, 900.0, 3600.0, 7000.0])
@pytest.mark.parametrize("duration", [900.0, 6 * HOUR, 24 * HOUR])
def test_a_pattern_never_changes_the_total(pattern, step, duration):
    rain = pattern.increments(TABLE, duration, 10.0, step)
    assert rain.sum() == pytest.approx(float(TABLE.depth(duration, 10.0)), rel=1e-12)
    assert (rain >= 0).all()


def test_every_duration_about_the_peak_of_alternating_blocks_holds_its_depth():
    rain = AlternatingBlock().increments(TABLE, 6 * HOUR, 10.0, 900.0)
    for blocks in (1, 4, 9, 24):
        most = max(rain[k : k + blocks].sum() for k in range(len(rain) - blocks + 1))
        assert most == pytest.approx(float(TABLE.depth(blocks * 900.0, 10.0)), rel=1e-12)


@given(st.lists(st.floats(0, 50), min_size=1, max_size=40), st.floats(0, 1))
def test_arranging_blocks_loses_none(blocks, position):
    falling = np.sort(blocks)[::-1]
    arranged = alternate(falling, position)
    assert np.array_equal(np.sort(arranged), np.sort(blocks))
    peak = max(0, int(np.ceil(position * len(blocks) - 1e-9)) - 1)
    assert arranged[peak] == falling[0]
    assert (np.diff(arranged[: peak + 1]) >= 0).all()
    assert (np.diff(arranged[peak:]) <= 0).all()


@pytest.mark.parametrize(("kind", "share"), [("I", 0.515), ("IA", 0.577), ("II", 0.1808), ("III", 0.189)])
def test_a_24_hour_pattern_follows_its_table(kind, share):
    rain = TwentyFourHour(type=kind).increments(TABLE, 24 * HOUR, 2.0, 1800.0)
    assert rain[:20].sum() / 57.0 == pytest.approx(share, abs=1e-12)


def test_falling_depths_make_no_alternating_block_storm():
    table = DepthTable(durations=(900.0, HOUR), return_periods=(2.0,), depths=((9.0,), (7.0,)))
    with pytest.raises(TableError, match="depths fall with duration"):
        AlternatingBlock().increments(table, HOUR, 2.0, 300.0)


def test_the_areal_factor_falls_with_area_and_rises_with_duration():
    assert areal_factor(0.0, HOUR) == 1.0
    assert areal_factor(100e6, HOUR) == pytest.approx(1 - np.exp(-1.1) + np.exp(-1.1 - 0.386))
    assert areal_factor(100e6, HOUR) < areal_factor(100e6, 24 * HOUR) < 1
    assert ArealReduction().factor(0.5e6, HOUR) == 1.0
    assert ArealReduction(method="none").factor(500e6, HOUR) == 1.0


def test_rain_keeps_its_depth_from_step_to_step():
    rain = Rain(np.array([[1.0, 2.0, 3.0]]), 900.0)
    assert np.array_equal(rain.at_step(1800.0).depths, [[3.0, 3.0]])
    assert rain.at_step(300.0).depths.sum() == pytest.approx(6.0)
    with pytest.raises(ValueError, match="cannot be laid over"):
        rain.at_step(700.0)


def test_a_family_makes_storms_reduced_for_an_area():
    family = StormFamily(table="t", return_periods=(10.0,), durations=(HOUR,))
    point = family.increments(TABLE, 10.0, HOUR, area=0.0, step=900.0)
    over = family.increments(TABLE, 10.0, HOUR, area=50e6, step=900.0)
    assert over == pytest.approx(point * areal_factor(50e6, HOUR))
