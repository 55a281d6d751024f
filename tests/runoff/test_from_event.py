"""Unit hydrographs from events: found again from what they made, refused where an event cannot tell."""

import numpy as np
import pytest

from tarnwater.errors import BadInput
from tarnwater.runoff.transforms import TypedUnitHydrograph
from tarnwater.runoff.transforms.from_event import averaged, unit_from_event

HOUR, AREA = 3600.0, 50e6
SHAPE = np.array([4.0, 12.0, 20.0, 16.0, 10.0, 6.0, 3.0, 1.0])
UNIT = SHAPE * 0.001 * AREA / (SHAPE.sum() * HOUR)  # m3/s per mm


def event(rain=(8.0, 14.0, 4.0), loss=3.0, base=(2.0, 2.0), noise=0.0):
    excess = np.maximum(np.array(rain) - loss, 0)
    direct = np.concatenate([[0.0], np.convolve(excess, UNIT), [0.0]])
    rng = np.random.default_rng(0)
    flow = np.linspace(*base, len(direct)) + direct + noise * rng.standard_normal(len(direct)) * (direct > 0.5)
    return list(rain), list(np.maximum(flow, 0.0))


def test_the_unit_hydrograph_of_an_event_is_the_one_that_made_it():
    found = unit_from_event(*event(), AREA, HOUR)
    assert np.array(found.unit.flows) / 10 == pytest.approx([*UNIT, 0.0], rel=1e-6, abs=1e-8)
    assert found.loss_rate == pytest.approx(3.0)
    assert found.excess == pytest.approx([5.0, 11.0, 1.0])
    assert found.depth == pytest.approx(17.0)
    assert found.forward / 10 == pytest.approx([*UNIT, 0.0], rel=1e-6, abs=1e-8)
    assert found.misfit < 1e-9
    assert found.unit.own_area == pytest.approx(AREA, rel=1e-9)


def test_baseflow_that_rises_is_taken_off_by_a_straight_line():
    found = unit_from_event(*event(base=(2.0, 5.0)), AREA, HOUR)
    assert np.array(found.unit.flows) / 10 == pytest.approx([*UNIT, 0.0], rel=1e-6, abs=1e-8)
    assert (found.base[0], found.base[-1]) == (2.0, 5.0)


def test_from_rounded_data_least_squares_stay_above_zero_and_forward_division_swings():
    rain, flow = event(noise=1.5)
    found = unit_from_event(rain, flow, AREA, HOUR)
    assert min(found.unit.flows) >= 0
    assert found.forward.min() < 0
    assert found.unit.own_area == pytest.approx(AREA, rel=1e-9)
    assert 0 < found.misfit < 0.1


def test_the_loss_is_exact_where_some_steps_lose_all():
    found = unit_from_event(*event(rain=(2.0, 9.0, 1.0, 12.0)), AREA, HOUR)
    assert found.excess == pytest.approx([0.0, 6.0, 0.0, 9.0])
    assert found.loss_rate == pytest.approx(3.0)


def test_two_unit_hydrographs_are_averaged_at_the_mean_time_of_their_peaks():
    early = TypedUnitHydrograph(duration=HOUR, times=(HOUR, 2 * HOUR, 4 * HOUR), flows=(6.0, 12.0, 0.0))
    late = TypedUnitHydrograph(duration=HOUR, times=(3 * HOUR, 4 * HOUR, 6 * HOUR), flows=(6.0, 12.0, 0.0))
    mean = averaged([early, late])
    assert mean.times[int(np.argmax(mean.flows))] == 3 * HOUR
    assert mean.own_area == pytest.approx((early.own_area + late.own_area) / 2, rel=0.02)
    with pytest.raises(BadInput, match="durations"):
        averaged([early, early.model_copy(update={"duration": 1800.0})])


def test_an_event_with_less_runoff_than_baseflow_is_refused():
    # the flow recedes below the line from its first to its last value
    with pytest.raises(BadInput, match="less runoff than baseflow"):
        unit_from_event((5.0, 5.0), (9.0, 6.0, 4.0, 2.0), AREA, HOUR)


@pytest.mark.parametrize(
    ("rain", "flow", "words"),
    [
        ((0.0, 0.0), (1.0, 5.0, 1.0), "no rain"),
        ((1.0,), (0.0, 500.0, 300.0, 0.0), "ran off, but"), ((5.0, 5.0, 5.0), (1.0, 2.0), "steps of rain need"),
        ((5.0, -1.0), (1.0, 9.0, 1.0), "below zero"), ((5.0, float("nan")), (1.0, 9.0, 1.0), "below zero or none"),
        ((5.0, 1.0), (1.0, -9.0, 1.0), "flow of the event"),
    ],
)  # fmt: skip
def test_an_event_that_cannot_tell_is_refused_with_the_reason(rain, flow, words):
    with pytest.raises(BadInput, match=words):
        unit_from_event(rain, flow, AREA, HOUR)
