"""Depth tables, patterns, areal reduction and storms."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import integrate

from tarnwater.errors import OutOfRange, TableError
from tarnwater.rain.areal import ArealReduction, areal_factor
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.depths import DepthCurve, annual_return_period, reduced_variate
from tarnwater.rain.patterns import AlternatingBlock, Huff, Triangular, TwentyFourHour
from tarnwater.rain.patterns.alternating_block import alternate
from tarnwater.rain.storms import Rain, StormFamily, heaviest_window

HOUR = 3600.0
TABLE = DepthTable(
    durations=(900.0, HOUR, 6 * HOUR, 24 * HOUR),
    return_periods=(2.0, 10.0, 100.0),
    depths=((9.0, 14.0, 24.0), (16.0, 26.0, 43.0), (34.0, 53.0, 88.0), (57.0, 90.0, 146.0)),
)
CURVE = DepthCurve(TABLE, 10.0)
PATTERNS = [
    *(Huff(quartile=q) for q in ("first", "second", "third", "fourth")),
    Triangular(),
    *(Triangular(peak_position=r) for r in (0.0, 0.8, 1.0)),
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
    ("duration", "period", "said"), [(48 * HOUR, 10.0, "end at 24 h"), (HOUR, 200.0, "1 in 200 was")]
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
    assert table.falling("US")[0] == "1 h, 1 in 2: 0.2756 in is less than 0.3543 in in 15 min"


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
    rain = pattern.increments(CURVE, duration, step)
    assert rain.sum() == pytest.approx(float(TABLE.depth(duration, 10.0)), rel=1e-12)
    assert (rain >= 0).all()


def test_every_duration_about_the_peak_of_alternating_blocks_holds_its_depth():
    rain = AlternatingBlock().increments(CURVE, 6 * HOUR, 900.0)
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
    rain = TwentyFourHour(type=kind).increments(DepthCurve(TABLE, 2.0), 24 * HOUR, 1800.0)
    assert rain[:20].sum() / 57.0 == pytest.approx(share, abs=1e-12)


def test_falling_depths_make_no_alternating_block_storm():
    table = DepthTable(durations=(900.0, HOUR), return_periods=(2.0,), depths=((9.0,), (7.0,)))
    with pytest.raises(TableError, match="depths fall with duration"):
        AlternatingBlock().increments(DepthCurve(table, 2.0), HOUR, 300.0)


def test_the_areal_factor_falls_with_area_and_rises_with_duration():
    assert areal_factor(0.0, HOUR) == 1.0
    assert areal_factor(100e6, HOUR) == pytest.approx(1 - np.exp(-1.1) + np.exp(-1.1 - 0.386))
    assert areal_factor(100e6, HOUR) < areal_factor(100e6, 24 * HOUR) < 1
    assert ArealReduction(method="leclerc-schaake").factor(0.5e6, HOUR) == 1.0
    assert ArealReduction().factor(500e6, HOUR) == 1.0


def test_rain_keeps_its_depth_from_step_to_step():
    rain = Rain(np.array([[1.0, 2.0, 3.0]]), 900.0)
    assert np.array_equal(rain.at_step(1800.0).depths, [[3.0, 3.0]])
    assert rain.at_step(300.0).depths.sum() == pytest.approx(6.0)
    with pytest.raises(ValueError, match="cannot be laid over"):
        rain.at_step(700.0)


REDUCED = ArealReduction(method="leclerc-schaake")


def family(**known):
    whole = {"table": "t", "return_periods": (10.0,), "durations": (HOUR, 6 * HOUR), "areal": REDUCED}
    return StormFamily(**whole | known).refreshed(TABLE)


def test_a_new_family_is_not_nested_counted_and_not_reduced():
    new = StormFamily(table="t", return_periods=(10.0,), durations=(HOUR,))
    assert (new.pattern.nested, new.counted, new.areal.method, new.searches) == (False, True, "none", True)


def test_a_storm_that_is_not_nested_is_reduced_as_a_whole():
    point = family().increments(TABLE, 10.0, HOUR, area=0.0, step=900.0)
    over = family().increments(TABLE, 10.0, HOUR, area=50e6, step=900.0)
    assert over == pytest.approx(point * areal_factor(50e6, HOUR))


def test_a_nested_storm_is_reduced_in_each_of_its_durations():
    rain = family(pattern=AlternatingBlock()).increments(TABLE, 10.0, 6 * HOUR, area=50e6, step=900.0)
    top = int(np.argmax(rain))
    for blocks in (1, 3, 5, 23):
        window = rain[top - (blocks - 1) // 2 : top + blocks // 2 + 1].sum()
        depth = float(TABLE.depth(blocks * 900.0, 10.0) * areal_factor(50e6, blocks * 900.0))
        assert window == pytest.approx(depth, rel=1e-12)


def test_below_the_shortest_duration_the_reduced_depth_is_spread_evenly():
    rain = family(pattern=AlternatingBlock()).increments(TABLE, 10.0, HOUR, area=50e6, step=300.0)
    top = int(np.argmax(rain))
    assert np.sort(rain)[-3:] == pytest.approx([14.0 * areal_factor(50e6, 900.0) / 3] * 3, rel=1e-12)
    assert rain[top] == rain.max()


def test_a_nested_family_has_one_length_and_shows_half_and_twice_it():
    nested = family(pattern=AlternatingBlock())
    assert nested.tried == (24 * HOUR,)
    assert nested.lengths_beside(TABLE) == (12 * HOUR,)
    wide = TABLE.model_copy(update={"extrapolate": True})
    assert nested.lengths_beside(wide) == (12 * HOUR, 48 * HOUR)
    short = DepthTable(durations=(900.0, 6 * HOUR), return_periods=(10.0,), depths=((9.0,), (34.0,)))
    assert family(pattern=TwentyFourHour()).refreshed(short).tried == (6 * HOUR,)
    assert family(pattern=AlternatingBlock(), length=2 * HOUR).tried == (2 * HOUR,)
    assert not nested.searches


def test_a_prescribed_family_is_not_searched():
    rule = family(prescribed=True, source="county rule 4")
    assert not rule.searches
    assert family(pattern=AlternatingBlock(), prescribed=True).lengths_beside(TABLE) == ()


def test_blocks_stand_in_the_order_of_their_durations_and_a_heavier_window_is_found():
    # more falls between 1 and 2 h than between 15 min and 1 h: the second block is the heavier one
    odd = DepthTable(durations=(HOUR, 2 * HOUR, 3 * HOUR), return_periods=(2.0,), depths=((10.0,), (22.0,), (24.0,)))
    curve = DepthCurve(odd, 2.0)
    rain = AlternatingBlock().increments(curve, 3 * HOUR, HOUR)
    assert rain == pytest.approx([2.0, 10.0, 12.0])
    assert heaviest_window(rain, curve, HOUR) == pytest.approx((HOUR, 12.0, 10.0))
    assert odd.steepening() == ["1 in 2: 12 mm/h between 1 h and 2 h, 10 mm/h in the interval before"]


@pytest.mark.parametrize(("quartile", "half"), [("first", 0.82), ("second", 0.70), ("third", 0.38), ("fourth", 0.28)])
def test_a_huff_storm_follows_its_table(quartile, half):
    rain = Huff(quartile=quartile).increments(CURVE, 6 * HOUR, 1080.0)
    assert rain[:10].sum() / 53.0 == pytest.approx(half, rel=1e-12)
    assert len(rain) == 20


@pytest.mark.parametrize("position", [0.0, 0.375, 1.0])
def test_a_triangular_storm_is_the_integral_of_its_triangle(position):
    depth, step = 53.0, 360.0
    rain = Triangular(peak_position=position).increments(CURVE, 6 * HOUR, step)

    def intensity(t):
        rising = t / position if position else 1.0
        falling = (1 - t) / (1 - position) if position < 1 else 1.0
        return 2 * depth * (rising if t < position else falling)

    for k in (0, 21, 22, 23, 59):
        inside = [position] if k / 60 < position < (k + 1) / 60 else None
        expected, _ = integrate.quad(intensity, k / 60, (k + 1) / 60, points=inside)
        assert rain[k] == pytest.approx(expected, rel=1e-9)


def test_peaks_over_a_threshold_are_read_as_years_between_annual_maxima():
    partial = TABLE.model_copy(update={"series": "peaks over threshold"})
    # 1/T_annual = 1 - exp(-1/T_partial): 2 years between peaks are 2.54 between annual maxima
    assert annual_return_period(2.0) == pytest.approx(2.5415, abs=1e-4)
    assert partial.depth(HOUR, annual_return_period(10.0)) == pytest.approx(26.0)
    assert partial.depth(HOUR, 10.0) < 26.0
    with pytest.raises(OutOfRange, match="of 1 in 2.541 to"):
        partial.depth(HOUR, 2.0)
    assert TABLE.depth(HOUR, 10.0) == 26.0


@pytest.mark.parametrize(
    ("duration", "period", "count"), [(HOUR, 10.0, 1), (2 * HOUR, 10.0, 2), (HOUR, 50.0, 2), (2 * HOUR, 50.0, 4)]
)
def test_the_entries_between_which_a_depth_is_read_are_known(duration, period, count):
    assert len(TABLE.entries_for(duration, period)) == count
