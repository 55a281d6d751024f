"""Surfaces that run off by a timing and a transform of their own."""

import json

import numpy as np
import pytest

from tarnwater.errors import BadInput
from tarnwater.network.elements import Catchment, Confluence, Outfall, Surface
from tarnwater.network.elements.surface_route import ByItself, WithCatchment
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.patterns import Huff
from tarnwater.rain.storms import StormFamily
from tarnwater.runoff.baseflow import RecessionBaseflow
from tarnwater.runoff.losses import CurveNumber, InitialConstant, NoLoss
from tarnwater.runoff.timing import Kirpich, NrcsLag
from tarnwater.runoff.timing.kinematic_time import KinematicTime
from tarnwater.runoff.transforms import Cascade, KinematicPlane, Rational
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.document import Study, study_from
from tarnwater.study.edits.history import History
from tarnwater.study.reckonings import explain
from tarnwater.study.reckonings.steps import convolution_steps

HOUR = 3600.0
MEADOW, ROOFS = CurveNumber(curve_number=72), NoLoss()


def study_of(*lands):
    made = edits.add_element(edits.add_element(Study(title="Yard"), Outfall(name="Outlet")), Confluence(name="Meet"))
    made = edits.connect(made, "meet", "outlet")
    for land in lands:
        made = edits.add_draining(made, land.refreshed(), into="meet")
    table = DepthTable(durations=(600.0, HOUR, 6 * HOUR), return_periods=(2.0, 100.0),
                       depths=((10.0, 24.0), (20.0, 45.0), (35.0, 80.0)), series="annual maxima")  # fmt: skip
    made = edits.set_table(made, "t", table)
    family = StormFamily(name="Design", table="t", return_periods=(2.0, 100.0), durations=(HOUR,), pattern=Huff())
    return edits.set_step(edits.set_family(made, "f", family), 120.0)


def mixed(route, **own):
    surfaces = (
        Surface(name="meadow", share=0.7, loss=MEADOW),
        Surface(name="roofs", share=0.3, loss=ROOFS, route=route),
    )
    return Catchment(**({"name": "Hask", "area": 2e6, "lag": 2400.0, "surfaces": surfaces} | own))


def flow_of(study, key="meet"):
    return compute_cases(study, return_periods=[100.0]).cases[0].flow(key)


@pytest.mark.parametrize("transform", [Cascade(), KinematicPlane(plane_length=50.0, plane_slope=0.02), Rational()])
def test_it_equals_two_catchments_in_the_place_of_two_surfaces(transform):
    together = flow_of(study_of(mixed(ByItself(lag=600.0, transform=transform))))
    meadow = Catchment(name="Meadow", area=1.4e6, lag=2400.0, surfaces=(Surface(loss=MEADOW),))
    roofs = Catchment(name="Roofs", area=6e5, lag=600.0, surfaces=(Surface(loss=ROOFS),), transform=transform)
    apart = flow_of(study_of(meadow, roofs))
    count = min(len(together), len(apart))
    assert together[:count] == pytest.approx(apart[:count], rel=1e-9, abs=1e-9)


def test_with_the_catchment_nothing_changes():
    plain = flow_of(study_of(mixed(WithCatchment())))
    same = flow_of(study_of(mixed(ByItself(lag=2400.0))))
    assert plain == pytest.approx(same, rel=1e-9, abs=1e-12)


def test_its_lag_follows_from_its_own_timing_length_and_slope():
    land = mixed(ByItself(timing=Kirpich(), flow_length=80.0, slope=0.05), flow_length=3000.0, path_slope=0.02)
    route = land.refreshed().surfaces[1].route
    minutes = 0.0195 * 80**0.77 * 0.05**-0.385
    assert route.lag.value == pytest.approx(0.6 * 60 * minutes, rel=1e-9)
    # without its own it has those of the catchment
    inherited = mixed(ByItself(timing=Kirpich()), flow_length=3000.0, path_slope=0.02).refreshed().surfaces[1].route
    assert (inherited.flow_length.value, inherited.slope.value) == (3000.0, 0.02)


def test_the_curve_number_of_its_timing_is_its_own():
    surfaces = (Surface(share=0.5, loss=CurveNumber(curve_number=60)),
                Surface(share=0.5, loss=CurveNumber(curve_number=90), route=ByItself(timing=NrcsLag())))  # fmt: skip
    land = Catchment(name="Hask", area=1e6, lag=900.0, flow_length=800.0, path_slope=0.03, mean_slope=0.04,
                     surfaces=surfaces).refreshed()  # fmt: skip
    retention = 25400 / 90 - 254
    hours = 800**0.8 * (retention / 25.4 + 1) ** 0.7 / (734.4 * 3.0**0.5)
    # the slope of a surface stands for both of the catchment
    assert land.surfaces[1].route.lag.value == pytest.approx(hours * HOUR, rel=1e-3)


def test_where_all_surfaces_run_off_by_themselves_the_catchment_needs_no_lag():
    surfaces = (Surface(loss=ROOFS, route=ByItself(lag=600.0)),)
    land = Catchment(name="Hask", area=2e6, surfaces=surfaces).refreshed()
    assert land.missing() == []
    alone = Catchment(name="Hask", area=2e6, lag=600.0, surfaces=(Surface(loss=ROOFS),))
    assert flow_of(study_of(land)) == pytest.approx(flow_of(study_of(alone)), rel=1e-9, abs=1e-12)


def test_a_lag_that_is_missing_is_named_with_the_surface():
    (lack,) = mixed(ByItself()).refreshed().missing()
    assert lack.field == "surfaces/1/route/lag"
    assert "timing of the surface" in lack.advice


def test_the_reckoning_of_the_peak_has_both_and_gives_it():
    study = study_of(mixed(ByItself(timing=KinematicTime(roughness=0.02), flow_length=60.0, slope=0.02,
                                    transform=Cascade()), baseflow=RecessionBaseflow(flow=0.2)))  # fmt: skip
    case = compute_cases(study).cases[-1]
    titles, waiting = set(), [explain(study, case, "hask", "peak")]
    while waiting:
        node = waiting.pop()
        titles.add(node.title)
        waiting += node.inputs
        if node.evaluate is not None and node.inputs:
            again = node.evaluate(*(i.value for i in node.inputs))
            if isinstance(again, float):
                assert again == pytest.approx(node.value, rel=1e-9), node.title
            elif hasattr(again, "flow"):
                assert again.flow == pytest.approx(node.value.flow, rel=1e-9, abs=1e-12), node.title
    assert {"direct runoff of the catchment", "direct runoff of roofs", "area of roofs"} <= titles
    assert "greatest rain of the storm in Tc" in titles


def test_its_time_follows_from_each_storm():
    land = mixed(ByItself(timing=KinematicTime(roughness=0.1), flow_length=60.0, slope=0.02))
    lags = {c.case.event: c.element("hask").surfaces[1].route.lag.value for c in compute_cases(study_of(land)).cases}
    assert lags[100.0] < lags[2.0]


def test_it_is_written_read_and_undone():
    history = History(study_of(mixed(WithCatchment())))
    before = history.study.as_text()
    after = history.do(edits.choose, "hask", "surfaces/1/route", ByItself(lag=600.0, transform=Cascade(count=2.0)))
    assert study_from(json.loads(after.as_text())) == after
    history.undo()
    assert history.study.as_text() == before


def test_in_one_condition_only():
    study = edits.add_condition(study_of(mixed(WithCatchment())), "Built")
    study = edits.choose(study, "hask", "surfaces/1/route", ByItself(lag=300.0), condition="built")
    peaks = {c.case.condition: c.peak("hask").ordinate for c in compute_cases(study, return_periods=[100.0]).cases}
    assert peaks["built"] != peaks["existing"]


def test_the_convolution_has_what_runs_off_with_the_catchment():
    study = study_of(mixed(ByItself(lag=600.0), surfaces=(
        Surface(name="meadow", share=0.7, loss=InitialConstant(initial=2.0, constant=1.0)),
        Surface(name="roofs", share=0.3, loss=ROOFS, route=ByItself(lag=600.0)),
    )))  # fmt: skip
    table = convolution_steps(compute_cases(study).cases[0], "hask")
    assert "roofs" in table.note
    with pytest.raises(BadInput, match="by itself"):
        convolution_steps(compute_cases(study_of(
            Catchment(name="Hask", area=2e6, surfaces=(Surface(name="roofs", loss=ROOFS, route=ByItself(lag=600.0)),))
        )).cases[0], "hask")  # fmt: skip
    assert np.isfinite(table.unit_flows).all()
