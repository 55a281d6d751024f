"""The unit hydrograph of the travel times over the ground."""

import numpy as np
import pytest

from tarnwater.errors import EditRefused
from tarnwater.runoff.transforms import Clark, TravelTimeUnitHydrograph

AREA = 4e6


def method(**own):
    known = {"arrival_times": (0.0, 1200.0, 3600.0), "area_shares": (0.0, 0.5, 1.0)}
    return TravelTimeUnitHydrograph(**(known | own))


@pytest.mark.parametrize("step", [60.0, 300.0, 900.0, 7200.0])
@pytest.mark.parametrize("storage", [0.0, 1800.0])
def test_it_has_unit_volume_at_every_step(step, storage):
    unit = method(storage=storage).unit_hydrograph(AREA, 0.0, step)
    assert unit.volumes.sum() == pytest.approx(0.001 * AREA, rel=1e-9)


def test_without_storage_it_is_the_area_by_travel_time():
    unit = method().unit_hydrograph(AREA, 0.0, 300.0)
    # half of the area arrives within four steps, the other half within the next eight
    expected = np.array([0.5 / 4] * 4 + [0.5 / 8] * 8) * 0.001 * AREA / 300
    assert unit.ordinates[:12] == pytest.approx(expected, rel=1e-9)
    assert unit.ordinates[12:] == pytest.approx(0.0, abs=1e-12)


def test_with_storage_it_is_that_of_a_time_area_curve_and_a_reservoir():
    shares = {"time_shares": (0.0, 1 / 3, 1.0), "area_shares": (0.0, 0.5, 1.0), "storage": 1500.0}
    other = Clark(**shares).unit_hydrograph(AREA, 0.6 * 3600.0, 300.0)
    own = method(storage=1500.0).unit_hydrograph(AREA, 0.0, 300.0)
    assert own.ordinates == pytest.approx(other.ordinates, rel=1e-9)


def test_its_delay_is_the_mean_travel_time_and_the_storage():
    assert method(storage=100.0).delay == pytest.approx(0.5 * 600 + 0.5 * 2400 + 100)
    assert TravelTimeUnitHydrograph().delay is None


def test_times_that_are_not_measured_are_missing():
    assert [one.field for one in TravelTimeUnitHydrograph().missing()] == ["arrival_times"]
    assert method().missing() == []


@pytest.mark.parametrize("wrong", [
    {"arrival_times": (0.0, 1200.0, 600.0)}, {"area_shares": (0.0, 0.6, 0.5)}, {"area_shares": (0.0, 1.0)},
])  # fmt: skip
def test_times_or_areas_that_fall_are_refused(wrong):
    with pytest.raises(EditRefused):
        method(**wrong)


def test_areas_may_stay_level():
    assert method(area_shares=(0.0, 0.0, 1.0)).delay == pytest.approx(2400)


def test_much_time_at_a_limit_of_velocity_is_doubted_with_the_cells():
    (doubt,) = method(limited=0.2, at_least=40, at_most=3).doubts(AREA, 1800.0, [60.0])
    assert doubt.code == "travel-at-limit"
    assert "20.00 % of the travel time" in doubt.told("SI")
    assert "40 cells" in doubt.told("SI")
    assert not method(limited=0.04).doubts(AREA, 1800.0, [60.0])


def test_times_measured_for_another_lag_or_rule_are_doubted():
    fitted = method(measured_by=(0.0, 0.5, 0.5, 0.02, 2.0, 1800.0))
    assert not fitted.doubts(AREA, 1800.0, [60.0])
    assert [d.code for d in fitted.doubts(AREA, 2000.0, [60.0])] == ["travel-times-stale"]
    faster = fitted.model_copy(update={"fastest": 3.0})
    assert [d.code for d in faster.doubts(AREA, 1800.0, [60.0])] == ["travel-times-stale"]
    typed = fitted.with_values(("reference",), (0.3,))
    assert [d.code for d in typed.doubts(AREA, 1800.0, [60.0])] == ["travel-times-stale"]
