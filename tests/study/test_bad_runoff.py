"""What goes wrong with storms, steps and sizes: each is computed rightly or refused clearly, and nothing is lost."""

import pickle

import numpy as np
import pytest

from tarnwater.errors import ComputationFailed, EditRefused, OutOfRange, TarnwaterError
from tarnwater.network.elements import Catchment, Outfall, Reach, Surface
from tarnwater.parameters import derived
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.given import TypedStorm
from tarnwater.rain.patterns import Huff
from tarnwater.rain.storms import StormFamily
from tarnwater.routing.reaches import Muskingum
from tarnwater.runoff.losses import InitialConstant, NoLoss
from tarnwater.runoff.transforms import Cascade, Clark, NrcsUnitHydrograph, SnyderUnitHydrograph
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases, computing
from tarnwater.study.checks import check, check_results
from tarnwater.study.document import Study
from tarnwater.study.edits.by_numbers import set_by_numbers

HOUR, MINUTE = 3600.0, 60.0


def study_of(land=None, **storms):
    made = edits.add_element(Study(title="Limits"), Outfall(name="Outlet"))
    made = edits.add_draining(made, (land or catchment()).refreshed())
    for key, storm in storms.items():
        made = edits.set_storm(made, key, storm)
    return made


def catchment(**own):
    return Catchment(**({"name": "Hask", "area": 2e6, "lag": HOUR, "surfaces": (Surface(loss=NoLoss()),)} | own))


def volume_of(case):
    return float(case.hydrograph("hask").total[0] + case.balance("hask").end_storage[0])


def test_zero_area_is_refused_and_a_missing_one_stops_with_its_place():
    with pytest.raises(OutOfRange, match="greater than 0"):
        catchment(area=0.0)
    with pytest.raises(OutOfRange):
        edits.type_values(study_of(), [("hask", "area", "0 km2")])
    bare = study_of(catchment(area={}), may=TypedStorm(name="May", step=600.0, depths=(9.0,)))
    assert ("stop", "area") in [(f.severity, f.field) for f in check(bare) if f.element == "hask"]
    (withheld,) = compute_cases(bare).withheld
    assert (withheld.element, withheld.field) == ("hask", "area")


@pytest.mark.parametrize(
    ("system", "told"),
    [
        ("SI", "first capacity of 20 mm/h is below the last of 30 mm/h"),
        ("US", "of 0.787402 in/h is below the last of 1.1811 in/h"),
    ],
)
def test_what_an_edit_is_refused_for_is_told_in_the_units_of_the_study(system, told):
    study = study_of().model_copy(update={"units": system})
    with pytest.raises(EditRefused, match=told) as caught:
        set_by_numbers(study, "Hask", {"loss": "horton", "loss.first": "20 mm/h", "loss.last": "30 mm/h"})
    # as it comes back from another process
    assert str(pickle.loads(pickle.dumps(caught.value))) == str(caught.value)


def test_zero_slope_is_refused_where_typed_and_raised_to_the_least_where_measured():
    with pytest.raises(EditRefused, match="the timing equations divide by it"):
        catchment(path_slope=0.0)
    with pytest.raises(EditRefused, match="divide by it"):
        edits.type_values(study_of(catchment(path_slope=0.02)), [("hask", "path_slope", "0 %")])
    flat = Catchment(name="Hask", area=2e6, flow_length=1500.0, path_slope=derived(0.0), timing={"method": "kirpich"},
                     surfaces=(Surface(loss=NoLoss()),)).refreshed()  # fmt: skip
    # the least slope that equations take is 0.01 %
    assert flat.concentration.value == pytest.approx(60 * 0.0195 * 1500**0.77 * 1e-4**-0.385, rel=1e-9)


def test_a_single_step_storm_is_the_unit_hydrograph():
    study = edits.set_step(study_of(may=TypedStorm(name="May", step=600.0, depths=(1.0,))), 600.0)
    (case,) = compute_cases(study).cases
    unit = case.element("hask").transform.unit_hydrograph(2e6, HOUR, 600.0)
    count = min(len(unit.ordinates), len(case.flow("hask")) - 1)
    assert case.flow("hask")[1 : count + 1] == pytest.approx(unit.ordinates[:count], rel=1e-9)


def test_a_storm_shorter_than_a_step_keeps_its_depth_and_its_loss():
    land = catchment(surfaces=(Surface(loss=InitialConstant(initial=2.0, constant=0.0)),))
    study = study_of(land, may=TypedStorm(name="May", step=120.0, depths=(1.0, 4.0, 1.0)))
    (case,) = compute_cases(edits.set_step(study, 1800.0)).cases
    assert case.figures("hask").rain_depth == pytest.approx(6.0, rel=1e-12)
    assert case.figures("hask").runoff_depth == pytest.approx(4.0, rel=1e-12)
    assert volume_of(case) == pytest.approx(4.0 * 2e3, rel=1e-9)


@pytest.mark.parametrize(
    "transform", [NrcsUnitHydrograph(), Clark(storage=30.0), Cascade(), SnyderUnitHydrograph(coefficient=0.6)]
)
def test_a_step_longer_than_the_response_keeps_the_volume_and_is_doubted(transform):
    land = catchment(lag=120.0, transform=transform)
    study = edits.set_step(study_of(land, may=TypedStorm(name="May", step=HOUR, depths=(5.0, 12.0, 3.0))), HOUR)
    (case,) = compute_cases(study).cases
    assert volume_of(case) == pytest.approx(20.0 * 2e3, rel=1e-9)
    # no flow can exceed the excess that falls in a step
    assert case.peak("hask").ordinate <= 12.0e-3 * 2e6 / HOUR * (1 + 1e-9)
    assert abs(case.run.balance.error[0]) < 1e-9
    assert any(f.element == "hask" and f.severity == "doubt" for f in check(study))


def test_a_hundred_thousand_steps_balance():
    rng = np.random.default_rng(3)
    depths = np.round(np.where(rng.random(100_000) < 0.02, rng.gamma(0.6, 2.0, 100_000), 0.0), 2)
    study = edits.add_element(study_of(may=TypedStorm(name="May", step=600.0, depths=tuple(depths))),
                              Reach(name="Beck", method=Muskingum(travel_time=1800.0, parts=3)))  # fmt: skip
    study = edits.connect(edits.connect(study, "hask", "beck"), "beck", "outlet")
    (case,) = compute_cases(edits.set_step(study, 600.0)).cases
    assert case.run.batch.steps >= 100_000
    assert case.rain_depth("hask") == pytest.approx(depths.sum(), rel=1e-12)
    assert abs(case.run.balance.error[0]) < 1e-9


@pytest.mark.parametrize(("weight", "fits"), [(0.0, True), (0.49, True), (0.5, False), (-0.1, False)])
def test_a_muskingum_weight_outside_its_bounds_is_refused(weight, fits):
    if fits:
        Muskingum(travel_time=HOUR, weight=weight)
    else:
        with pytest.raises(OutOfRange):
            Muskingum(travel_time=HOUR, weight=weight)


def test_muskingum_outside_the_bounds_of_its_step_is_noted_and_never_clipped():
    study = edits.add_element(
        study_of(), Reach(name="Beck", method=Muskingum(travel_time=8 * HOUR, weight=0.45, parts=1))
    )
    study = edits.connect(edits.connect(study, "hask", "beck"), "beck", "outlet")
    table = DepthTable(durations=(HOUR, 6 * HOUR), return_periods=(2.0, 100.0), depths=((20.0, 45.0), (35.0, 80.0)),
                       series="annual maxima")  # fmt: skip
    study = edits.set_table(study, "t", table)
    family = StormFamily(name="Design", table="t", return_periods=(100.0,), durations=(HOUR,), pattern=Huff())
    study = edits.set_step(edits.set_family(study, "f", family), 600.0)
    results = compute_cases(study)
    (doubt,) = [f for f in check_results(results) if f.code == "negative-flow"]
    assert doubt.element == "beck"
    assert results.cases[0].lowest("beck") < 0
    assert abs(results.cases[0].run.balance.error[0]) < 1e-9


def test_a_refused_value_leaves_the_study_as_it_was():
    study = study_of()
    before = study.as_text()
    for field, text in (("area", "-3 km2"), ("lag", "0 min"), ("area", "three"), ("lag", "nan")):
        with pytest.raises(TarnwaterError):
            edits.type_values(study, [("hask", field, text)])
    assert study.as_text() == before


def test_a_case_that_fails_is_withheld_with_its_reason_and_takes_no_other_with_it(monkeypatch):
    table = DepthTable(durations=(HOUR, 6 * HOUR), return_periods=(2.0, 100.0), depths=((20.0, 45.0), (35.0, 80.0)),
                       series="annual maxima")  # fmt: skip
    study = edits.set_table(study_of(), "t", table)
    family = StormFamily(name="Design", table="t", return_periods=(2.0, 10.0, 50.0, 100.0), durations=(HOUR, 6 * HOUR),
                         pattern=Huff())  # fmt: skip
    study = edits.set_step(edits.set_family(study, "f", family), 600.0)
    whole = compute_cases(study)
    honest = computing.compute

    def failing(batch, **known):
        if (batch.rain.total > 79.0).any():
            raise ComputationFailed("the levels do not come to rest.", where="Pond")
        return honest(batch, **known)

    monkeypatch.setattr(computing, "compute", failing)
    results = compute_cases(study)
    ((failed,), kept) = results.withheld, results.cases
    assert (failed.case.event, failed.case.storm.duration) == (100.0, 6 * HOUR)
    assert failed.reason == "Pond: the levels do not come to rest."
    assert len(kept) == len(whole.cases) - 1
    for case in kept:
        same = next(c for c in whole.cases if c.case == case.case)
        assert case.peak("hask").ordinate == same.peak("hask").ordinate
    assert results.answer("existing", "outlet", 100.0).computed == 1
