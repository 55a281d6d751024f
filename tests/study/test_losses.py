"""Losses in the study: a burst inside a step, depressions and recovery, and how their figures work out."""

import numpy as np
import pytest

from tarnwater.network.elements import Catchment, Surface
from tarnwater.rain.given import TypedStorm
from tarnwater.runoff.losses import CurveNumber, GreenAmpt, InitialConstant
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.document import RunSettings, Study
from tarnwater.study.edits.assignments import assign
from tarnwater.study.pictures.hydrographs import rain_plot
from tarnwater.study.reckonings import explain

QUARTER = 900.0


def study_of(*surfaces, depths, rain_step=300.0, step=QUARTER):
    land = Catchment(name="Hask", area=2e6, lag=3600.0, surfaces=surfaces)
    study = edits.add_draining(Study(), land)
    study = edits.set_storm(study, "burst", TypedStorm(name="Burst", step=rain_step, depths=depths))
    return edits.set_run(study, RunSettings(step={"typed": {"value": step}}))


def worked_out(node):
    """Every node below one that has an equation gives its value from the values of its inputs."""
    for one in node.inputs:
        worked_out(one)
    if node.evaluate is not None and node.inputs:
        found = node.evaluate(*(one.value for one in node.inputs))
        assert np.asarray(found, float) == pytest.approx(np.asarray(node.value, float), rel=1e-12, abs=1e-12), (
            node.title
        )


def test_a_burst_inside_a_step_is_not_smeared():
    """3 mm in five minutes on a constant loss of 12 mm/h: 2 mm run off, and none if it fell over the quarter hour."""
    surface = Surface(share=1.0, loss=InitialConstant(initial=0.0, constant=12.0))
    (case,) = compute_cases(study_of(surface, depths=(0.0, 3.0, 0.0, 0.0, 0.0, 0.0))).cases
    assert case.loss_depth("hask") == pytest.approx(1.0)
    assert case.rain_on("hask").tolist() == [3.0, 0.0]
    assert case.figures("hask").runoff_depth == pytest.approx(2.0)
    (smeared,) = compute_cases(study_of(surface, depths=(3.0, 0.0), rain_step=QUARTER)).cases
    assert smeared.figures("hask").runoff_depth == pytest.approx(0.0, abs=1e-12)


def test_rain_in_steps_that_do_not_divide_the_run_is_laid_over_parts_of_it():
    surface = Surface(share=1.0, loss=InitialConstant(initial=0.0, constant=12.0))
    (case,) = compute_cases(study_of(surface, depths=(6.0, 0.0, 0.0, 0.0, 0.0), rain_step=360.0)).cases
    # the largest whole part of 900 s that is not above 360 s is 300 s: 5 mm, then 1 mm; 1 mm of each is lost
    assert case.figures("hask").runoff_depth == pytest.approx(4.0)


@pytest.mark.parametrize("rain_step", [300.0, QUARTER])
@pytest.mark.parametrize("depression", [0.0, 1.5])
def test_the_excess_of_each_surface_works_out_with_its_depressions(rain_step, depression):
    surfaces = (
        Surface(name="field", share=0.7, loss=CurveNumber(curve_number=80), depression=depression),
        Surface(name="yard", share=0.3, loss=GreenAmpt(conductivity=2.0, suction=90.0, porosity=0.4)),
    )
    depths = (4.0, 12.0, 30.0, 2.0, 0.0, 8.0)
    study = study_of(*surfaces, depths=depths, rain_step=rain_step)
    (case,) = compute_cases(study).cases
    node = explain(study, case, "hask", "excess")
    worked_out(node)
    runoff = float(np.asarray(node.value).sum())
    assert runoff == pytest.approx(case.figures("hask").runoff_depth, rel=1e-12)
    kept = case.loss_depth("hask") + 0.7 * depression
    assert runoff + kept == pytest.approx(sum(depths), rel=1e-12)
    # the plot of the rain says the same
    lost, *runs_off = rain_plot(compute_cases(study), case, "hask").bars
    assert sum(bars.heights.sum() for bars in runs_off) == pytest.approx(runoff, rel=1e-12)
    assert ["field" in runs_off[0].label, "yard" in runs_off[1].label] == [True, True]
    assert lost.heights.sum() == pytest.approx(kept, rel=1e-12)
    assert abs(case.run.balance.error[0]) < 1e-9


def test_a_storm_after_another_finds_depressions_full_and_the_deficit_recovered():
    surface = Surface(share=1.0, loss=InitialConstant(initial=10.0, constant=0.0), depression=2.0)
    study = study_of(surface, depths=(20.0, 0.0, 0.0), rain_step=QUARTER)
    after = TypedStorm(name="Later", step=QUARTER, depths=(6.0, 0.0), after="burst")
    study = edits.set_storm(study, "later", after)
    later = next(c for c in compute_cases(study).cases if c.case.storm.key == "later")
    assert later.figures("hask").runoff_depth == pytest.approx(6.0)
    assert abs(later.run.balance.error[0]) < 1e-9
    worked_out(explain(study, later, "hask", "excess"))
    # with recovery the long tail of the first storm brings the deficit back
    rested = assign(study, "hask", {"loss.recovery": "5 mm/h", "loss.dry_after": "1 h"})
    later = next(c for c in compute_cases(rested).cases if c.case.storm.key == "later")
    assert later.figures("hask").runoff_depth < 6.0


def test_a_soil_texture_is_chosen_by_name_and_a_typed_figure_stays():
    study = edits.add_draining(Study(), Catchment(name="Hask"))
    study = assign(study, "hask", {"loss": "green-ampt"})
    surface = study.elements["hask"].surfaces[0]
    assert {m.field for m in surface.loss.missing()} == {"conductivity", "suction", "porosity"}
    study = assign(study, "hask", {"surfaces/0/texture": "clay loam"})
    loss = study.elements["hask"].surfaces[0].loss
    assert loss.conductivity.value == 1.0
    assert not loss.missing()
