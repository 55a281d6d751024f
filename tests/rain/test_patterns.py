"""Storm patterns: Chicago against the equations of its authors, balanced by hand, uniform, typed, ensembles."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tarnwater.rain.depth_equation import DepthEquation
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.depths import DepthCurve
from tarnwater.rain.equations import ShiftedPower
from tarnwater.rain.patterns import Balanced, Chicago, Ensemble, MassCurve, Pattern, TypedCurve, Uniform
from tarnwater.rain.storms import StormFamily

HOUR = 3600.0
TABLE = DepthTable(
    durations=(900.0, HOUR, 6 * HOUR, 24 * HOUR),
    return_periods=(2.0, 10.0, 100.0),
    depths=((9.0, 14.0, 24.0), (16.0, 26.0, 43.0), (34.0, 53.0, 88.0), (57.0, 90.0, 146.0)),
)
CURVE = DepthCurve(TABLE, 10.0)
LATE = MassCurve(name="late", times=(0, 0.5, 1), shares=(0, 0.2, 1))
EARLY = MassCurve(name="early", times=(0, 0.25, 1), shares=(0, 0.7, 1))
NEW = [Uniform(), *(Chicago(peak_position=r) for r in (0, 0.375, 1)), Balanced(), Balanced(durations=(HOUR,)),
       TypedCurve(curve=LATE), Ensemble(curves=(LATE, EARLY), member=1)]  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(st.sampled_from(NEW), st.sampled_from([60.0, 300.0, 420.0, 900.0, HOUR]), st.floats(1200, 90_000))
def test_the_total_is_that_of_the_table_at_any_step_and_duration(pattern, step, duration):
    duration = min(duration, 24 * HOUR)
    rain = pattern.increments(CURVE, duration, step)
    assert len(rain) == int(np.ceil(duration / step - 1e-9))
    assert rain.min() >= 0
    # sums of at most a few thousand depths
    assert rain.sum() == pytest.approx(float(CURVE.depth(duration)), rel=1e-11)


def test_uniform_rain_is_the_mean_intensity():
    assert Uniform().increments(CURVE, HOUR, 900.0) == pytest.approx([6.5] * 4)


@pytest.mark.parametrize("position", [0.0, 0.3, 0.375, 0.5, 1.0])
def test_the_chicago_storm_has_the_intensities_of_keifer_and_chu(position):
    """For i = a / (d + b)^c the intensity at a time t from the peak is a [(1 - c) t/r + b] / (t/r + b)^(1 + c)."""
    a, b, c = 1000.0, 10.0, 0.75
    depths = DepthEquation(
        equation=ShiftedPower(coefficients=((a, b, c),), return_periods=(10.0,)), durations=(1.0, 24 * HOUR)
    )
    step, duration = 1.0, 2 * HOUR
    rain = Chicago(peak_position=position).increments(DepthCurve(depths, 10.0), duration, step)
    middle = (np.arange(len(rain)) + 0.5) * step - position * duration
    side = np.where(middle < 0, position, 1 - position)
    t = np.abs(middle) / side / 60
    expected = a * ((1 - c) * t + b) / (t + b) ** (1 + c)
    # a step of a second beside an intensity that changes within minutes; the very first second is spread evenly
    far = np.abs(middle) > 3
    assert (rain / step * 3600)[far] == pytest.approx(expected[far], rel=2e-3)


@pytest.mark.parametrize("pattern", [Chicago(peak_position=0.4), Balanced(peak_position=0.4)])
def test_every_tabled_duration_about_the_peak_has_its_depth(pattern):
    step, duration = 60.0, 24 * HOUR
    rain = pattern.increments(CURVE, duration, step)
    fallen = np.append(0, np.cumsum(rain))
    times = np.arange(len(fallen)) * step
    for d in TABLE.durations:
        ends = 0.4 * duration - 0.4 * d, 0.4 * duration + 0.6 * d
        held = np.diff(np.interp(ends, times, fallen))[0]
        assert held == pytest.approx(float(CURVE.depth(d)), rel=1e-9)


def test_a_balanced_storm_of_two_pairs_by_hand():
    """26 mm in 1 h about the middle of 6 h with 53 mm: 27 mm fall evenly in the other five hours."""
    rain = Balanced(durations=(HOUR,)).increments(CURVE, 6 * HOUR, HOUR / 2)
    assert rain == pytest.approx([2.7] * 5 + [13, 13] + [2.7] * 5)


def test_a_balanced_storm_needs_durations_that_rise():
    with pytest.raises(ValueError, match="rise"):
        Balanced(durations=(HOUR, 900.0))


def test_a_typed_curve_has_its_shares_at_its_times():
    rain = TypedCurve(curve=EARLY).increments(CURVE, 4 * HOUR, HOUR)
    total = float(CURVE.depth(4 * HOUR))
    assert rain == pytest.approx(total * np.array([0.7, 0.1, 0.1, 0.1]))


def test_a_typed_curve_on_another_duration_than_its_own_is_a_doubt():
    own = TypedCurve(curve=LATE, meant_for=HOUR)
    assert own.doubts([HOUR], [60.0]) == []
    (doubt,) = own.doubts([HOUR, 6 * HOUR], [60.0])
    assert "a pattern of 1 h, on 6 h" in doubt.text


@pytest.mark.parametrize(
    ("times", "shares", "what"),
    [
        ((0, 1), (0, 0.9), "end at 1"),
        ((0, 0.5, 1), (0, 0.6, 0.5), "must not fall"),
        ((0, 0.6, 0.5, 1), (0, 0.1, 0.5, 1), "must rise"),
        ((0, 1), (0, 0.5, 1), "as many shares"),
        ((0.1, 1), (0, 1), "begin at 0"),
    ],
)
def test_curves_that_are_no_mass_curve_are_refused(times, shares, what):
    with pytest.raises(ValueError, match=what):
        MassCurve(times=times, shares=shares)


def test_members_of_an_ensemble_are_storms_of_their_own_curves():
    ensemble = Ensemble(curves=(LATE, EARLY))
    one, two = (ensemble.of_member(n).increments(CURVE, 4 * HOUR, HOUR) for n in (0, 1))
    assert one == pytest.approx(TypedCurve(curve=LATE).increments(CURVE, 4 * HOUR, HOUR))
    assert two == pytest.approx(TypedCurve(curve=EARLY).increments(CURVE, 4 * HOUR, HOUR))
    with pytest.raises(ValueError, match="different names"):
        Ensemble(curves=(LATE, LATE))
    with pytest.raises(ValueError, match="2 to 100"):
        Ensemble(curves=(LATE,))


def test_a_climate_factor_multiplies_every_depth_and_dry_time_adds_none():
    family = StormFamily(table="t", return_periods=(10.0,), durations=(HOUR,), climate=1.2, lead=1500, tail=600)
    rain = family.increments(TABLE, 10.0, HOUR, area=0.0, step=600.0)
    assert rain.sum() == pytest.approx(1.2 * 26)
    laid = family.laid(rain, 600.0)
    # 1,500 s are two and a half steps, so three are dry before the rain
    assert laid[:3].tolist() == [0, 0, 0]
    assert laid[3:9].tolist() == rain.tolist()
    assert len(laid) == 10


def test_nested_patterns_are_those_of_one_length():
    assert {p.tag() for p in Pattern.known.values() if p.nested} == {
        "alternating-block", "balanced", "chicago", "twenty-four-hour",
    }  # fmt: skip
