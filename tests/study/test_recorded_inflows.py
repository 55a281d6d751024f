"""Inflows from records of flow: at their own time, followed, and never zero where flow is missing."""

from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from tarnwater.errors import EditRefused
from tarnwater.network.elements import Catchment, Confluence, Inflow, Outfall
from tarnwater.rain.given import RecordedStorm, TypedStorm
from tarnwater.rain.records.raw import RawSeries
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.checks import check_results
from tarnwater.study.document import DesignPoint, Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.history import History
from tarnwater.study.edits.records import add_gauges, cut_inflow, remove_gauge

HOUR = 3600
FIRST = datetime(2031, 5, 12, 6, tzinfo=UTC)
BEGIN = int(FIRST.timestamp())
#: Flow each hour: it rises for a day and falls for another.
FLOWS = np.concatenate([np.linspace(1.0, 9.0, 25), np.linspace(8.7, 0.05, 24)])


@pytest.fixture
def blobs():
    return Blobs()


def with_record(blobs, flows=FLOWS):
    hask = Catchment(name="Hask", area=2e6, lag=1800.0, surfaces=({"loss": {"method": "none"}},)).refreshed()
    study = edits.add_element(Study(title="Weir"), hask)
    study = edits.add_element(edits.add_element(study, Confluence(name="Meet")), Outfall(name="Bridge"))
    study = edits.connect(edits.connect(study, "hask", "meet"), "meet", "bridge")
    raw = RawSeries(BEGIN + HOUR * np.arange(len(flows)), np.array(flows), form="flow")
    return add_gauges(study, blobs, {"Weir": raw}, "Weir")


def raining(study, begins, hours=3):
    storm = RecordedStorm(name="May", step=HOUR, origin=begins, rain={"hask": (4.0,) * hours})
    study = edits.set_storm(study, "may", storm)
    return edits.set_design_points(study, ["bridge"], DesignPoint())


def cut(study, blobs, first=0, last=48, name="Upper", into="meet"):
    return cut_inflow(study, blobs, "weir", name, BEGIN + HOUR * first, BEGIN + HOUR * last, into=into)


def case_of(study):
    results = compute_cases(study)
    assert not results.withheld
    return results, next(r for r in results.cases if r.case.event == "may")


def test_the_flow_enters_at_its_own_time(blobs):
    study = raining(cut(with_record(blobs), blobs), FIRST + timedelta(hours=5))
    _, case = case_of(study)
    flow = case.flow("upper")
    hours = 5 + np.arange(len(flow)) * case.step / HOUR
    assert flow == pytest.approx(np.interp(hours, np.arange(len(FLOWS)), FLOWS, right=0.0), rel=1e-12)
    # what figures tell of it is counted from the start of the run
    figures = case.figures("bridge")
    let_in = case.hydrograph("upper").volume[0, : round(figures.receded / case.step)].sum()
    assert figures.given_volume == pytest.approx(let_in, rel=1e-12)


def test_a_storm_before_the_record_fails_with_the_date_and_is_never_zero(blobs):
    study = raining(cut(with_record(blobs), blobs), FIRST - timedelta(hours=5))
    results = compute_cases(study)
    assert not [r for r in results.cases if r.case.event == "may"]
    (reason,) = {w.reason for w in results.withheld}
    assert "begins on 12 May 2031 06:00" in reason
    assert "12 May 2031 01:00" in reason


def test_a_storm_without_a_date_takes_it_from_its_start_which_is_noted(blobs):
    study = cut(with_record(blobs), blobs)
    study = edits.set_storm(study, "may", TypedStorm(name="May", step=HOUR, depths=(4.0, 9.0)))
    study = edits.set_design_points(study, ["bridge"], DesignPoint())
    results, case = case_of(study)
    assert case.flow("upper")[0] == FLOWS[0]
    (note,) = [f for f in check_results(results) if f.code == "inflow-undated"]
    assert note.severity == "note"
    assert note.element == "upper"


def test_a_record_that_ends_high_inside_the_run_is_doubted(blobs):
    study = raining(cut(with_record(blobs), blobs, last=30), FIRST + timedelta(hours=5))
    results, _ = case_of(study)
    (doubt,) = [f for f in check_results(results) if f.code == "inflow-ends"]
    assert "13 May 2031 12:00" in doubt.text
    assert "m³/s" in doubt.text
    whole, _ = case_of(raining(cut(with_record(blobs), blobs), FIRST + timedelta(hours=5)))
    assert not [f for f in check_results(whole) if f.code == "inflow-ends"]


def test_missing_flow_is_refused_with_its_time(blobs):
    flows = FLOWS.copy()
    flows[10:13] = np.nan
    study = with_record(blobs, flows)
    with pytest.raises(EditRefused, match="missing in the stretch, from about 12 May 2031 16:00"):
        cut(study, blobs)
    assert "upper" in cut(study, blobs, first=13).elements


def test_a_stretch_without_flow_is_refused(blobs):
    with pytest.raises(EditRefused, match="has 1 flows"):
        cut(with_record(blobs), blobs, first=3, last=3)


def test_it_follows_its_record_until_it_is_typed_over(blobs):
    flows = FLOWS.copy()
    flows[20] = 900.0
    study = cut(with_record(blobs, flows), blobs)
    assert max(study.elements["upper"].flows) == 900.0
    with pytest.raises(EditRefused, match="made from it"):
        remove_gauge(study, blobs, "weir")
    typed = edits.type_table(study, "upper", "", {"times": (0.0, HOUR), "flows": (1.0, 2.0)})
    assert typed.elements["upper"].cut is None
    assert typed.elements["upper"].origin == FIRST


def test_another_stretch_replaces_the_first_and_is_undone(blobs):
    history = History(cut(with_record(blobs), blobs))
    before = history.study.as_text()
    history.do(cut_inflow, blobs, "weir", "Upper", BEGIN, BEGIN + 6 * HOUR)
    assert len(history.study.elements["upper"].times) == 7
    assert len([e for e in history.study.elements.values() if isinstance(e, Inflow)]) == 1
    history.undo()
    assert history.study.as_text() == before


def test_what_is_no_inflow_is_not_replaced(blobs):
    with pytest.raises(EditRefused, match="no inflow"):
        cut(with_record(blobs), blobs, name="Hask")
