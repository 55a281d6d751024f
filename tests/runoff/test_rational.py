"""The rational and the modified rational method against their own figures."""

import numpy as np
import pytest

from tarnwater.errors import OutOfRange
from tarnwater.rain.storms import Rain
from tarnwater.runoff.transforms import ExcessOnArea, Rational

MINUTE = 60.0
AREA, TC = 5e4, 20 * MINUTE


def excess(duration, rate, step=MINUTE, before=0):
    """Even excess of a rate (mm/h) over a duration (s), the last step filled as far as it goes."""
    count = int(np.ceil(duration / step - 1e-9))
    steps = np.full(count, rate * step / 3600)
    steps[-1] *= 1 - (count - duration / step)
    return np.concatenate([np.zeros(before), steps])[None, :]


def run(depths, method=None, step=MINUTE, steps=200, **given):
    return (method or Rational()).respond(ExcessOnArea(depths, AREA, step, steps, **given), 0.6 * TC)


def test_a_storm_of_the_time_of_concentration_is_the_triangle():
    flow = run(excess(TC, 36.0)).hydrograph.flow[0]
    # 36 mm/h on 5 ha is 0.5 m3/s
    assert flow.max() == pytest.approx(0.5, rel=1e-12)
    assert flow[[0, 10, 20, 30, 40, 41]] == pytest.approx([0.0, 0.25, 0.5, 0.25, 0.0, 0.0], abs=1e-12)


def test_a_longer_storm_is_a_trapezoid():
    flow = run(excess(50 * MINUTE, 36.0)).hydrograph.flow[0]
    assert flow[[10, 20, 35, 50, 60, 70]] == pytest.approx([0.25, 0.5, 0.5, 0.5, 0.25, 0.0], abs=1e-12)


def test_a_storm_shorter_than_the_time_of_concentration_peaks_lower():
    flow = run(excess(8 * MINUTE, 36.0)).hydrograph.flow[0]
    assert flow.max() == pytest.approx(0.5 * 8 / 20, rel=1e-12)
    assert flow[[8, 14, 20, 28]] == pytest.approx([0.2, 0.2, 0.2, 0.0], abs=1e-12)


@pytest.mark.parametrize("duration", [5.3, 20.0, 17.31, 63.9])
@pytest.mark.parametrize("step", [30.0, 60.0, 300.0])
def test_peak_and_volume_do_not_depend_on_the_step(duration, step):
    found = run(excess(duration * MINUTE, 36.0, step), step=step, steps=400).hydrograph
    assert found.highest.values[0] == pytest.approx(0.5 * min(1, duration / 20), rel=1e-9)
    assert found.total[0] == pytest.approx(36 / 3600 / 1000 * duration * MINUTE * AREA, rel=1e-9)


def test_rise_and_fall_in_multiples_change_the_volume_by_half_their_sum():
    method = Rational(rise=1.0, fall=1.67)
    found = run(excess(TC, 36.0), method)
    flow = found.hydrograph.flow[0]
    assert flow[20] == pytest.approx(0.5)
    assert flow[20 + 33] == pytest.approx(0.5 * (1 - 33 / 33.4), rel=1e-9)
    volume = 0.5 * TC * (1 + 1.67) / 2
    assert found.hydrograph.total[0] == pytest.approx(volume, rel=1e-12)
    assert found.made[0] == pytest.approx(volume - 0.5 * TC, rel=1e-12)
    (doubt,) = method.doubts(AREA, 0.6 * TC, [MINUTE])
    assert "1.33 times the runoff" in doubt.text
    assert method.doubts(AREA, 0.6 * TC, [MINUTE])[0].cures[0].method.doubts(AREA, 0.6 * TC, [MINUTE]) == []
    assert Rational(rise=0.8, fall=1.2).doubts(AREA, 0.6 * TC, [MINUTE]) == []


def test_multiples_that_add_up_to_two_keep_the_volume():
    found = run(excess(50 * MINUTE, 36.0), Rational(rise=0.5, fall=1.5))
    assert found.hydrograph.total[0] == pytest.approx(0.5 * 50 * MINUTE, rel=1e-12)
    assert found.made[0] == pytest.approx(0.0, abs=1e-9)


def test_rain_that_is_not_even_runs_off_by_the_same_linear_response():
    depths = np.array([[0.6, 0.0, 1.2, 0.3]])
    found = run(depths).hydrograph
    parts = [run(np.eye(4)[n : n + 1] * depths[0, n]).hydrograph.flow for n in range(4)]
    assert found.flow == pytest.approx(sum(parts), abs=1e-12)
    assert found.highest.values[0] == found.flow.max()


def test_with_other_multiples_it_counts_as_even_at_its_greatest_rate():
    found = run(np.array([[0.3, 0.6, 0.3]]), Rational(rise=1, fall=2)).hydrograph
    even = run(np.array([[0.6, 0.6]]), Rational(rise=1, fall=2)).hydrograph
    assert found.highest.values[0] == pytest.approx(even.highest.values[0], rel=1e-12)


@pytest.mark.parametrize("method", [Rational(), Rational(rise=0.7, fall=1.3)])
def test_a_run_cut_after_the_rain_equals_the_run_in_one_piece(method):
    depths = excess(30.4 * MINUTE, 36.0)
    whole = run(depths, method, steps=120)
    first = run(depths, method, steps=40)
    second = run(np.zeros((1, 1)), method, steps=80, state=first.state)
    joined = np.concatenate([first.hydrograph.flow, second.hydrograph.flow[:, 1:]], axis=1)
    assert joined == pytest.approx(whole.hydrograph.flow, abs=1e-12)
    stored = method.stored(first.state)[0]
    assert stored == pytest.approx(whole.hydrograph.total[0] - first.hydrograph.total[0], rel=1e-9)
    assert second.hydrograph.total[0] + method.stored(second.state)[0] == pytest.approx(stored, rel=1e-12)


def test_a_run_cut_in_the_rain_equals_the_run_in_one_piece():
    depths = np.full((1, 30), 0.6)
    whole = run(depths, steps=120)
    first = run(depths[:, :12], steps=12)
    second = run(depths[:, 12:], steps=108, state=first.state)
    joined = np.concatenate([first.hydrograph.flow, second.hydrograph.flow[:, 1:]], axis=1)
    assert joined == pytest.approx(whole.hydrograph.flow, abs=1e-12)


def test_cases_together_equal_cases_alone():
    depths = np.zeros((3, 40))
    # two of even rain, one of rain that is not
    depths[0, :20], depths[1, 5:12], depths[2, ::3] = 0.6, 0.4, 0.1
    for method in (Rational(), Rational(rise=1, fall=2)):
        together = run(depths, method)
        for case in range(3):
            alone = run(depths[case : case + 1], method)
            assert np.array_equal(alone.hydrograph.flow[0], together.hydrograph.flow[case])
            assert alone.hydrograph.volume[0] == pytest.approx(together.hydrograph.volume[case], rel=1e-12)
            assert alone.hydrograph.highest.values[0] == together.hydrograph.highest.values[case]
            assert method.stored(alone.state)[0] == pytest.approx(method.stored(together.state)[case], rel=1e-12)


def test_without_excess_there_is_no_flow():
    found = run(np.zeros((2, 5)))
    assert not found.hydrograph.flow.any()
    assert Rain(np.zeros((1, 1)), MINUTE).total[0] == 0


@pytest.mark.parametrize("wrong", [{"rise": 0.0}, {"fall": 0.0}, {"rise": 11.0}])
def test_multiples_outside_their_limits_are_refused(wrong):
    with pytest.raises(OutOfRange, match="cannot be"):
        Rational(**wrong)
