"""Inflow beside outflow: delay and attenuation of a reach, and peaks of parts that do not add up."""

import numpy as np
import pytest

from tarnwater.network.elements import Reach
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.edits.assignments import assign
from tarnwater.study.pictures.passage import passage_plot
from tarnwater.units import show_duration

BRIDGE = "pellowford-outlet"


def case_of(results):
    return next(c for c in results.cases if c.case.point == BRIDGE and c.case.event == 100.0)


def reach_of(study):
    return next(k for k, e in study.elements.items() if isinstance(e, Reach) and e.name == "Mill Fold to Pellowford")


def test_a_reach_tells_delay_and_attenuation_of_the_figures_that_are_drawn(demo_study, demo_results):
    key, case = reach_of(demo_study), case_of(demo_results)
    plot = passage_plot(demo_results, case, key)
    inflow, outflow = plot.curves
    peaks = inflow.y.max(), outflow.y.max()
    times = inflow.x[inflow.y.argmax()], outflow.x[outflow.y.argmax()]
    later, lower = round((times[1] - times[0]) * 60), 100 * (1 - peaks[1] / peaks[0])
    assert f"{later} min later, {lower:.3g} % lower" in plot.title
    assert f"inflow {peaks[0]:.4g} m³/s" in plot.title
    assert peaks[1] == pytest.approx(case.peak(key).ordinate, rel=1e-12)


def test_a_pure_lag_arrives_a_travel_time_later_and_no_lower(demo_study):
    key = reach_of(demo_study)
    # sixteen steps of 2 min
    study = assign(demo_study, key, {"method": "pure-lag", "method.travel_time": "32min"})
    results = compute_cases(study, points=[BRIDGE], return_periods=[100.0])
    assert "32 min later, 0 % lower" in passage_plot(results, case_of(results), key).title


def test_peaks_of_parts_add_up_to_more_than_the_peak_of_their_sum(demo_results):
    case = case_of(demo_results)
    plot = passage_plot(demo_results, case, BRIDGE)
    *parts, whole = plot.curves
    assert len(parts) == 4
    assert np.sum([part.y for part in parts], axis=0) == pytest.approx(whole.y, rel=1e-12)
    added = sum(part.y.max() for part in parts)
    assert added > whole.y.max()
    times = [round(3600 * part.x[part.y.argmax()]) for part in parts]
    when = f"{show_duration(min(times))} and {show_duration(max(times))}"
    assert f"peaks of 4 parts between {when} add up to {added:.4g} m³/s" in plot.title
    assert f"together they reach {whole.y.max():.4g} m³/s" in plot.title
    # an outfall changes nothing
    assert "outflow" not in plot.title
    assert plot.marks[0].text.startswith("Mill Fold to Pellowford ")


def test_a_catchment_has_no_inflow(demo_results):
    assert passage_plot(demo_results, case_of(demo_results), "hask") is None


def test_a_reach_without_routing_passes_its_inflow_on(demo_study):
    key = reach_of(demo_study)
    results = compute_cases(assign(demo_study, key, {"method": "none"}), points=[BRIDGE], return_periods=[100.0])
    assert passage_plot(results, case_of(results), key).title == "passes its inflow on"


def test_what_is_dry_has_no_attenuation(demo_study):
    study = edits.type_values(demo_study, [("hask", "baseflow/flow", 0.0)])
    study = assign(study, "hask", {"loss": "initial-constant", "loss.initial": "500mm", "loss.constant": "0"})
    study = edits.type_values(study, [("hask", "lag", 1800.0)])
    results = compute_cases(study, points=[BRIDGE], return_periods=[100.0])
    key = next(k for k, e in study.elements.items() if e.name == "Hask to Mill Fold")
    assert passage_plot(results, case_of(results), key).title == "passes its inflow on"
