"""Values that follow from the storm: times by the kinematic equation, coefficients by return period."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tarnwater.errors import EditRefused
from tarnwater.network.elements import Catchment, Inflow, OneStorm, Outfall, Surface
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.given import TypedStorm
from tarnwater.rain.patterns import Huff, Uniform
from tarnwater.rain.storms import Rain, StormFamily
from tarnwater.runoff.losses import NoLoss, RunoffCoefficient
from tarnwater.runoff.timing import kinematic_concentration
from tarnwater.runoff.timing.kinematic_time import NOMINAL_RATE, KinematicTime, rate_over_own_time
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.document import Study
from tarnwater.study.reckonings import explain
from tarnwater.study.reckonings.steps import loss_steps

HOUR, MINUTE = 3600.0, 60.0


def study_of(land, pattern=None, periods=(2.0, 50.0)):
    made = edits.add_element(edits.add_element(Study(title="Yard"), land.refreshed()), Outfall(name="Outlet"))
    made = edits.connect(made, "yard", "outlet")
    table = DepthTable(durations=(600.0, HOUR, 6 * HOUR), return_periods=(2.0, 100.0),
                       depths=((10.0, 24.0), (20.0, 45.0), (35.0, 80.0)), series="annual maxima")  # fmt: skip
    made = edits.set_table(made, "t", table)
    family = StormFamily(name="Design", table="t", return_periods=periods, durations=(1800.0, 2 * HOUR),
                         pattern=pattern or Huff())  # fmt: skip
    return edits.set_step(edits.set_family(made, "f", family), MINUTE)


def yard(**own):
    known = {"area": 4e4, "flow_length": 120.0, "path_slope": 0.02, "timing": KinematicTime(roughness=0.2),
             "surfaces": (Surface(loss=NoLoss()),)}  # fmt: skip
    return Catchment(name="Yard", **(known | own))


# the kinematic equation


def test_the_kinematic_equation_by_hand():
    # (0.2 x 120)^0.6 = 6.7317, 50^-0.4 = 0.20913, 0.02^-0.3 = 3.2336
    assert kinematic_concentration(0.2, 120.0, 50.0, 0.02) / 60 == pytest.approx(
        6.98 * 6.7317 * 0.20913 * 3.2336, rel=1e-4
    )


def test_outside_of_a_storm_it_has_the_time_of_a_nominal_rate():
    land = yard().refreshed()
    assert land.concentration.value == pytest.approx(kinematic_concentration(0.2, 120.0, NOMINAL_RATE, 0.02))


@given(st.integers(0, 10_000), st.floats(0.05, 30.0))
@settings(max_examples=50, deadline=None)
def test_the_rate_is_the_greatest_mean_rate_over_its_own_time(seed, at_one):
    rng = np.random.default_rng(seed)
    depths = np.where(rng.random(60) < 0.4, rng.gamma(0.7, 3.0, 60), 0.0)
    depths[7] += 1.0
    rate = rate_over_own_time(depths, 1 / 30, at_one)
    window = at_one * rate**-0.4
    fallen, edges = np.concatenate([[0], np.cumsum(depths)]), np.arange(61) / 30
    starts = np.arange(-window, 2, 1e-3)
    greatest = (np.interp(starts + window, edges, fallen) - np.interp(starts, edges, fallen)).max()
    # windows are tried at every 3.6 s only, so that the greatest of them may be a little less
    assert rate * window == pytest.approx(greatest, rel=2e-2)
    assert rate * window >= greatest - 1e-9


def test_a_time_longer_than_the_storm_has_all_its_depth():
    rate = rate_over_own_time(np.array([3.0, 3.0]), 0.1, 5.0)
    assert rate * (5.0 * rate**-0.4) == pytest.approx(6.0, rel=1e-9)


def test_without_rain_there_is_no_rate():
    assert rate_over_own_time(np.zeros(9), 0.1, 5.0) is None


def test_each_storm_has_its_own_time_and_the_case_says_it():
    results = compute_cases(study_of(yard(), Uniform()))
    times = {}
    for case in results.cases:
        land = case.element("yard")
        rain = case.rain_on("yard")
        hours = land.concentration.value / HOUR
        # even rain of a duration: its mean rate, or all its depth over the time
        rate = rain.sum() / max(hours, case.case.storm.duration / HOUR)
        assert hours * HOUR == pytest.approx(kinematic_concentration(0.2, 120.0, rate, 0.02), rel=1e-6)
        times[case.case.storm.return_period, case.case.storm.duration] = hours
        alone = study_of(yard(timing={"method": "typed"}, concentration=hours * HOUR), Uniform())
        other = next(c for c in compute_cases(alone).cases if c.case.storm.mark == case.case.storm.mark
                     and c.case.event == case.case.event)  # fmt: skip
        assert case.peak("yard").ordinate == pytest.approx(other.peak("yard").ordinate, rel=1e-9)
    assert times[50.0, 1800.0] < times[2.0, 1800.0] < times[2.0, 2 * HOUR]


def test_the_reckoning_of_a_peak_goes_back_to_the_rain_of_its_storm():
    study = study_of(yard())
    case = compute_cases(study).cases[0]
    node = explain(study, case, "yard", "peak")
    nodes, waiting = {}, [node]
    while waiting:
        one = waiting.pop()
        nodes[one.title] = one
        waiting += one.inputs
        if one.evaluate is not None and one.inputs:
            again = one.evaluate(*(i.value for i in one.inputs))
            if isinstance(again, float):
                assert again == pytest.approx(one.value, rel=1e-9)
    assert nodes["greatest rain of the storm in Tc"].value > 0
    assert nodes["time of concentration of Yard"].value == case.element("yard").concentration.value


def test_a_typed_rate_or_time_holds_in_every_storm():
    typed = yard(timing=KinematicTime(roughness=0.2, rate=80.0))
    assert not typed.refreshed().by_storm
    assert not yard(lag=600.0).refreshed().by_storm
    results = compute_cases(study_of(typed))
    assert {case.element("yard").lag.value for case in results.cases} == {typed.refreshed().lag.value}


def test_the_kinematic_time_needs_a_roughness():
    assert "timing/roughness" in [one.field for one in yard(timing=KinematicTime()).refreshed().missing()]


# the runoff coefficient


def coefficient(**own):
    return yard(timing={"method": "typed"}, lag=600.0, surfaces=(Surface(loss=RunoffCoefficient(**own)),))


@pytest.mark.parametrize(("years", "factor"), [(2, 1.0), (10, 1.0), (25, 1.1), (50, 1.2), (100, 1.25), (500, 1.25)])
def test_a_coefficient_grows_by_the_published_factors(years, factor):
    storm = OneStorm(Rain(np.array([[5.0]]), 600.0), float(years))
    used = coefficient(coefficient=0.6).refreshed().in_storm(storm).surfaces[0].loss.used.value
    assert used == pytest.approx(0.6 * factor, rel=1e-12)


def test_a_coefficient_never_exceeds_one():
    storm = OneStorm(Rain(np.array([[5.0]]), 600.0), 100.0)
    assert coefficient(coefficient=0.9).refreshed().in_storm(storm).surfaces[0].loss.used.value == 1.0


def test_typed_coefficients_hold_up_to_their_return_periods():
    land = coefficient(return_periods=(5.0, 30.0), coefficients=(0.4, 0.55)).refreshed()
    storm = Rain(np.array([[5.0]]), 600.0)
    found = [land.in_storm(OneStorm(storm, y)).surfaces[0].loss.used.value for y in (2.0, 5.0, 30.0, 200.0)]
    assert found == [0.4, 0.4, 0.55, 0.55]


@pytest.mark.parametrize("wrong", [
    {"return_periods": (5.0, 2.0), "coefficients": (0.4, 0.5)}, {"return_periods": (5.0,), "coefficients": ()},
    {"return_periods": (5.0, 30.0), "coefficients": (0.6, 0.5)},
])  # fmt: skip
def test_coefficients_out_of_order_are_refused(wrong):
    with pytest.raises(EditRefused):
        RunoffCoefficient(**wrong)


def test_the_cover_gives_its_coefficient_by_return_period():
    surface = Surface(cover={"title": "Open space (lawns and parks), poor", "group": "C"}, loss=RunoffCoefficient())
    land = yard(timing={"method": "typed"}, lag=600.0, surfaces=(surface,)).refreshed()
    own = land.surfaces[0].loss
    assert own.used.value == own.coefficient.value
    rare = land.in_storm(OneStorm(Rain(np.array([[5.0]]), 600.0), 50.0)).surfaces[0].loss
    assert rare.used.value == pytest.approx(min(1.2 * own.coefficient.value, 1.0))


def test_the_runoff_of_a_case_goes_by_its_return_period():
    study = study_of(coefficient(coefficient=0.5))
    for case in compute_cases(study).cases:
        share = 0.5 if case.case.event == 2.0 else 0.6
        assert case.figures("yard").share_of_rain == pytest.approx(share, rel=1e-12)
        table = loss_steps(case, "yard")
        excess = next(column for column in table.columns if column.head == "excess")
        assert excess.values.sum() == pytest.approx(share * case.rain_on("yard").sum(), rel=1e-12)
        node = explain(study, case, "yard", "runoff depth")
        assert node.value == pytest.approx(case.figures("yard").runoff_depth, rel=1e-12)


def test_a_storm_without_a_return_period_has_the_coefficient_of_ten_years():
    study = edits.set_storm(
        study_of(coefficient(coefficient=0.5)), "may", TypedStorm(name="May", step=600.0, depths=(4.0,))
    )
    case = next(c for c in compute_cases(study).cases if c.case.event == "may")
    assert case.figures("yard").share_of_rain == pytest.approx(0.5, rel=1e-12)


def test_elements_without_values_of_storms_stay_as_they_are():
    storm = OneStorm(Rain(np.array([[5.0]]), 600.0), 50.0)
    tap = Inflow(name="Tap", times=(0.0, 1.0), flows=(0.0, 1.0))
    assert tap.in_storm(storm) is tap
    assert tap.storm_values(storm) == {}
