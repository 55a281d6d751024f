"""Studies of recorded and typed storms: own rain for each catchment, clocks, start states, other outfalls."""

import csv
import io
import json
import math
import pickle

import numpy as np
import pytest
from tests.study.test_cases import equal

from tarnwater.brief.answers import answer_rows, withheld_lines
from tarnwater.brief.elements import passing_by_element
from tarnwater.brief.tables import _csv, balance_rows, hydrograph_rows, peak_rows
from tarnwater.errors import ComputationFailed, EditRefused, UnknownName
from tarnwater.network.elements import Catchment, Inflow, Outfall, Reach, Surface
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.given import RecordedStorm, TypedStorm
from tarnwater.rain.storms import StormFamily
from tarnwater.routing.reaches import Muskingum
from tarnwater.runoff.baseflow import ConstantBaseflow
from tarnwater.runoff.losses import CurveNumber
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases, points_of
from tarnwater.study.answers.asked import storms_asked
from tarnwater.study.answers.figures import case_title, shown_figure
from tarnwater.study.answers.storms import event_title, in_order
from tarnwater.study.checks import check, check_results
from tarnwater.study.document import DesignPoint, RunSettings, Study, study_from
from tarnwater.study.pictures.hydrographs import flow_plot, rain_plot
from tarnwater.study.reckonings import FIGURES, explain
from tarnwater.study.reckonings.asked import reckoning_asked
from tarnwater.units import show

HOUR = 3600.0
MAY = "2031-05-12T06:00:00+01:00"
UP = (1.0, 4.0, 9.0, 14.0, 8.0, 3.0, 0.0, 1.0)
DOWN = (0.0, 2.0, 12.0, 20.0, 6.0, 2.0, 2.0, 0.0)


def catchment(name, area, lag, number=80.0, **known):
    return Catchment(
        name=name, area=area, lag=lag, surfaces=(Surface(share=1.0, loss=CurveNumber(curve_number=number)),), **known
    )


@pytest.fixture
def valley():
    """Two catchments to one outfall, the upper through a reach; another one by itself to a second outfall."""
    study = edits.add_element(Study(title="Recorded"), Outfall(name="Bridge"))
    study = edits.add_element(study, Outfall(name="Mill"))
    study = edits.add_draining(
        study, Reach(name="Beck", method=Muskingum(travel_time=1800.0, weight=0.2, parts=2)), into="bridge"
    )
    study = edits.add_draining(study, catchment("Upper", 3e6, 3000.0), into="beck")
    study = edits.add_draining(study, catchment("Lower", 1e6, 1500.0, 85.0), into="bridge")
    study = edits.add_draining(study, catchment("Side", 2e6, 2000.0, baseflow=ConstantBaseflow(flow=0.05)), into="mill")
    return edits.set_run(study, RunSettings(step={"typed": {"value": 300.0}}))


def recorded(rain=None, name="May", **known):
    rain = rain or {"upper": UP, "lower": DOWN, "side": DOWN}
    return RecordedStorm(name=name, **({"step": 900.0, "origin": MAY, "rain": rain} | known))


@pytest.fixture
def may(valley):
    return edits.set_storm(valley, "may", recorded())


@pytest.fixture
def results(may):
    return compute_cases(may)


def flow_of(study, storm, element, point="bridge"):
    return compute_cases(study, storms=[storm], points=[point]).governing("existing", point, storm).flow(element)


def test_a_study_of_recorded_storms_only_has_answers_and_no_stops(may, results):
    assert [f for f in check(may) if f.severity == "stop"] == []
    assert [(a.result.case.point, a.result.case.event) for a in results.answers()] == [
        ("bridge", "may"),
        ("mill", "may"),
    ]
    answer = results.answer("existing", "bridge", "may")
    assert answer.bracketed
    assert answer.limit is None
    assert answer.whole
    assert results.withheld == ()
    assert results.events_of("existing", "bridge") == ["may"]


def test_each_catchment_has_its_own_rain(valley, results):
    case = results.governing("existing", "bridge", "may")
    assert case.rain_depth("upper") == pytest.approx(sum(UP), rel=1e-12)
    assert case.rain_depth("lower") == pytest.approx(sum(DOWN), rel=1e-12)
    # the mean over both, by area
    assert case.figures("bridge").rain_depth == pytest.approx((3 * sum(UP) + sum(DOWN)) / 4, rel=1e-12)
    # each gives what it gives under the same rain typed for all
    for key, depths in (("upper", UP), ("lower", DOWN)):
        alone = edits.set_storm(valley, "typed", TypedStorm(name="Typed", step=900.0, depths=depths))
        assert case.flow(key) == pytest.approx(flow_of(alone, "typed", key)[: len(case.flow(key))], rel=1e-12)
    assert case.flow("bridge") == pytest.approx(case.flow("beck") + case.flow("lower"), rel=1e-12)


def test_the_water_of_a_recorded_storm_balances(results):
    for case in results.cases:
        assert np.abs(case.run.balance.error).max() < 1e-12
    figures = results.governing("existing", "bridge", "may").figures("bridge")
    # runoff of both catchments, less the hundredth that has not receded
    assert figures.volume == pytest.approx(figures.runoff_depth * 0.001 * 4e6, rel=0.01)
    assert figures.share_of_rain == figures.runoff_depth / figures.rain_depth


def test_a_typed_storm_falls_everywhere_alike(valley):
    study = edits.set_storm(valley, "typed", TypedStorm(name="Typed", step=900.0, depths=UP))
    case = compute_cases(study).governing("existing", "bridge", "typed")
    assert case.origin is None
    assert case.rain_depth("upper") == case.rain_depth("lower") == case.rain_depth("bridge")
    assert case.when(5400.0) == "1 h 30 min"


def test_steps_that_do_not_divide_each_other_keep_every_depth(valley):
    study = edits.set_storm(valley, "odd", recorded(step=420.0))
    case = compute_cases(study).governing("existing", "bridge", "odd")
    for key, depths in (("upper", UP), ("lower", DOWN)):
        assert case.rain_depth(key) == pytest.approx(sum(depths), rel=1e-12)
    assert np.abs(case.run.balance.error).max() < 1e-12


def test_time_has_dates_in_the_zone_of_the_record(results):
    case = results.governing("existing", "bridge", "may")
    assert case.when(2 * HOUR) == "12 May 2031 08:00"
    assert case.moment(0.0).isoformat() == MAY
    plot = flow_plot(results, [case], "bridge", rained=True)
    assert plot.x.title == "from 12 May 2031, UTC+01:00"
    assert plot.marks[0].text.endswith(case.when(case.peak("bridge").time))
    assert plot.as_table()[1][0] == MAY
    assert rain_plot(results, case, "upper").x.origin == case.origin
    after = shown_figure(case.peak("bridge").time, "time", "SI", case)
    assert after.startswith("12 May 2031 ")
    assert after.endswith(" min)") or after.endswith(" h)")


def test_a_catchment_that_drains_elsewhere_is_shown_with_the_storm_of_its_own_outfall(results):
    shown = results.showing("side", "existing", "bridge", "may")
    assert shown.case.point == "mill"
    assert "made for Mill" in case_title(results, shown, "side")
    assert results.showing("upper", "existing", "bridge", "may").case.point == "bridge"
    heads, table = passing_by_element(results, "bridge")
    assert heads == [("existing", "may")]
    (side,) = table["side"]
    assert side.made_for == "mill"
    assert side.peak == results.governing("existing", "mill", "may").peak("side").ordinate


def test_an_element_whose_own_case_is_withheld_is_not_shown_with_the_storm_of_another_point(valley):
    both = edits.set_design_point(edits.set_design_point(valley, "upper", DesignPoint()), "bridge", DesignPoint())
    study = edits.set_storm(both, "gap", recorded({"upper": UP, "side": UP}, name="Gap"))
    results = compute_cases(study)
    assert results.governing("existing", "upper", "gap") is not None
    assert results.showing("upper", "existing", "upper", "gap").case.point == "upper"
    # the lower catchment has no rain, so that nothing is known at the bridge
    assert results.showing("upper", "existing", "bridge", "gap") is None
    assert results.showing("side", "existing", "bridge", "gap").case.point == "mill"
    # a condition that came after these results
    assert results.showing("side", "built", "bridge", "gap") is None


def test_a_network_that_only_lets_water_in_has_no_rain_and_no_fault(valley):
    study = edits.add_element(edits.add_element(Study(title="Inflow"), Outfall(name="End")), Outfall(name="Other"))
    inflow = Inflow(name="Spring", times=(0.0, HOUR, 2 * HOUR), flows=(0.0, 2.0, 0.0))
    study = edits.add_draining(study, inflow, into="end")
    study = edits.add_draining(study, catchment("Far", 1e6, 1500.0), into="other")
    study = edits.set_storm(study, "may", recorded({"far": UP}))
    figures = compute_cases(study).governing("existing", "end", "may").figures("end")
    assert (figures.peak.ordinate, figures.rain_depth, figures.runoff_depth) == (2.0, 0.0, 0.0)


def test_a_catchment_above_no_design_point_has_its_answers_too(may):
    chosen = edits.set_design_point(may, "upper", DesignPoint())
    assert points_of(chosen, "existing") == ["upper", "bridge", "mill"]
    # an end that only what is answered drains to is no answer wanted
    both = edits.set_design_point(chosen, "lower", DesignPoint())
    assert points_of(both, "existing") == ["upper", "lower", "mill"]


def with_family(study, **known):
    table = DepthTable(durations=(HOUR, 6 * HOUR, 24 * HOUR), return_periods=(2.0, 100.0),
                       depths=((16.0, 43.0), (30.0, 88.0), (57.0, 146.0)), series="annual maxima")  # fmt: skip
    family = StormFamily(name="Design", table="t", return_periods=(2.0, 100.0), durations=(HOUR, 6 * HOUR), **known)
    return edits.set_family(edits.set_table(study, "t", table), "design", family)


def test_design_and_given_storms_stand_side_by_side(may):
    study = with_family(edits.set_storm(may, "typed", TypedStorm(name="Typed", step=600.0, depths=(5.0, 10.0))))
    results = compute_cases(study)
    assert results.events_of("existing", "bridge") == [2.0, 100.0, "may", "typed"]
    assert [event_title(study, e) for e in in_order(study, ["typed", 100.0, "may"])] == ["1 in 100", "May", "Typed"]
    only = compute_cases(study, storms=["may"])
    assert {r.case.event for r in only.cases} == {"may"}
    assert {r.case.event for r in compute_cases(study, return_periods=[2.0]).cases} == {2.0}
    both = compute_cases(study, return_periods=[2.0], storms=["Typed"])
    assert {r.case.event for r in both.cases} == {2.0, "typed"}
    assert storms_asked(study, ["May", "100"])["storms"] == ["may"]
    assert storms_asked(study, ["May", "100"])["return_periods"] == [100.0]
    with pytest.raises(UnknownName, match="There are: Design, May, Typed|There are: May"):
        storms_asked(study, ["June"])


def test_a_storm_and_a_family_cannot_share_a_name(may):
    with pytest.raises(EditRefused, match="already a storm “Design”"):
        edits.set_storm(with_family(may), "other", recorded(name="design"))


def test_missing_rain_withholds_the_cases_that_it_touches_and_no_others(valley):
    study = edits.set_storm(valley, "gap", recorded({"upper": (1.0, None, 3.0), "side": (1.0, 2.0, 3.0)}, name="Gap"))
    results = compute_cases(study)
    assert [r.case.point for r in results.cases] == ["mill"]
    (held,) = results.withheld
    assert (held.element, held.field) == ("upper", "storms/gap")
    (line,) = withheld_lines(results)
    assert line.startswith("withheld at Bridge (Existing): Gap · 45 min: “Gap” on Upper: its rain is missing in 1 of 3")
    stops = [f for f in check(study) if f.code == "rain-missing"]
    assert [f.element for f in stops] == ["lower", "upper"] or [f.element for f in stops] == ["upper", "lower"]


# start states


def test_a_storm_that_begins_after_another_goes_on_where_that_one_is(valley):
    gap = 4  # dry steps between the two
    first = recorded(dict.fromkeys(("upper", "lower", "side"), UP), name="First")
    later = "2031-05-12T09:00:00+01:00"
    second = recorded(dict.fromkeys(("upper", "lower", "side"), DOWN), name="Second", origin=later, after="first")
    whole = recorded(dict.fromkeys(("upper", "lower", "side"), UP + (0.0,) * gap + DOWN), name="Whole")
    study = valley
    for key, storm in (("first", first), ("second", second), ("whole", whole)):
        study = edits.set_storm(study, key, storm)
    offset = round((len(UP) + gap) * 900.0 / 300.0)
    for point, elements in (("bridge", ("upper", "beck", "bridge")), ("mill", ("side", "mill"))):
        in_one = compute_cases(study, storms=["whole"]).governing("existing", point, "whole")
        cut = compute_cases(study, storms=["second"]).governing("existing", point, "second")
        assert cut.case.start == "first"
        for key in elements:
            whole_flow, cut_flow = in_one.flow(key)[offset:], cut.flow(key)
            shared = min(len(whole_flow), len(cut_flow))
            # the same recursions cut in two; an FFT rounds otherwise over another length
            assert cut_flow[:shared] == pytest.approx(whole_flow[:shared], rel=1e-9, abs=1e-12)
        assert np.abs(cut.run.balance.error).max() < 1e-12


def test_without_a_clock_a_storm_begins_at_the_end_of_the_others_run(valley):
    study = edits.set_storm(valley, "wet", TypedStorm(name="Wet", step=900.0, depths=UP))
    study = edits.set_storm(study, "then", TypedStorm(name="Then", step=900.0, depths=UP, after="wet"))
    results = compute_cases(study)
    rest, then = (results.governing("existing", "bridge", e) for e in ("wet", "then"))
    # the ground holds no more of it: more of the same rain runs off
    assert then.figures("bridge").runoff_depth > 1.2 * rest.figures("bridge").runoff_depth
    assert then.flow("bridge")[0] == pytest.approx(rest.flow("bridge")[-1], rel=1e-12)
    assert event_title(study, "then") == "Then"
    assert case_title(results, then) == "Existing · Then · 2 h, after Wet"


def test_design_storms_may_begin_after_a_given_one(valley):
    study = edits.set_storm(valley, "wet", TypedStorm(name="Wet", step=900.0, depths=UP))
    dry, wet = with_family(study), with_family(study, after="wet")
    peaks = [compute_cases(s).answer("existing", "bridge", 100.0).figures.peak.ordinate for s in (dry, wet)]
    assert peaks[1] > 1.1 * peaks[0]
    answer = compute_cases(wet).answer("existing", "bridge", 100.0)
    assert answer.result.case.start == "wet"
    # every duration of the batch begins from the same state
    for case in compute_cases(wet).of("existing", "bridge", 100.0):
        alone = compute_cases(wet, return_periods=[100.0], durations=[case.case.storm.duration])
        assert alone.of("existing", "bridge", 100.0)[0].peak("bridge") == case.peak("bridge")


@pytest.mark.parametrize(
    ("origin", "said"),
    [
        ("2031-05-12T07:00:00+01:00", "before the rain of “May”"),
        ("2031-05-12T09:02:00+01:00", "between two steps of 5 min"),
        ("2033-05-12T09:00:00+01:00", "more than 366 d"),
    ],
)
def test_a_storm_that_cannot_begin_then_is_withheld(may, origin, said):
    study = edits.set_storm(may, "next", recorded(name="Next", origin=origin, after="may"))
    results = compute_cases(study)
    assert {r.case.event for r in results.cases} == {"may"}
    assert {w.case.event for w in results.withheld} == {"next"}
    assert all(said in w.reason for w in results.withheld), results.withheld[0].reason


def test_what_withholds_the_storm_before_withholds_the_next(valley):
    study = edits.set_storm(valley, "gap", recorded({"upper": (1.0, None, 3.0)}, name="Gap"))
    study = edits.set_storm(study, "next", recorded(name="Next", origin="2031-05-13T06:00:00+01:00", after="gap"))
    (held,) = (w for w in compute_cases(study, storms=["next"], points=["bridge"]).withheld)
    assert held.reason.startswith("it begins after “Gap”: “Gap” on Upper: its rain is missing")


def test_a_storm_cannot_begin_after_itself_nor_after_what_is_not_there(may):
    with pytest.raises(EditRefused, match="after itself"):
        edits.set_storm(may, "may", recorded(after="may"))
    study = edits.set_storm(may, "next", recorded(name="Next", after="may"))
    with pytest.raises(EditRefused, match="after itself"):
        edits.set_storm(study, "may", recorded(after="next"))
    with pytest.raises(UnknownName, match="storm to begin after"):
        edits.set_storm(may, "may", recorded(after="june"))
    with pytest.raises(EditRefused, match="Next begin after it"):
        edits.remove_storm(study, "may")
    assert not edits.remove_storm(edits.remove_storm(study, "next"), "may").storms


def test_an_edit_of_the_storm_before_changes_what_follows(may):
    study = edits.set_storm(may, "next", recorded(name="Next", origin="2031-05-12T12:00:00+01:00", after="may"))
    before = compute_cases(study).answer("existing", "bridge", "next").figures.peak.ordinate
    dry = edits.set_storm(study, "may", recorded(dict.fromkeys(("upper", "lower", "side"), (0.0,) * 8)))
    assert compute_cases(dry).answer("existing", "bridge", "next").figures.peak.ordinate < before


def test_the_peak_at_half_the_step_is_that_of_the_same_storm_from_rest(may):
    coarse = edits.set_step(may, 600.0)
    study = edits.set_storm(coarse, "next", recorded(name="Next", origin="2031-05-12T12:00:00+01:00", after="may"))
    notes = [f for f in check_results(compute_cases(study)) if f.code == "peak-at-half-step"]
    assert {f.element for f in notes} == {"lower", "side"}
    halved = compute_cases(edits.set_step(study, 300.0)).answer("existing", "mill", "may").result.peak("side").ordinate
    (side,) = (f for f in notes if f.element == "side")
    # all but its constant baseflow is in both runs
    assert f"would be {show(halved, 'flow')} at half the step" in side.text
    assert side.text.startswith("May · 2 h")


def test_remedies_of_a_reach_are_not_reckoned_from_another_state(valley):
    harsh = edits.choose(valley, "beck", "method", Muskingum(travel_time=7200.0, weight=0.45, parts=1))
    study = edits.set_storm(harsh, "wet", TypedStorm(name="Wet", step=900.0, depths=UP))
    alone = [f for f in check_results(compute_cases(study)) if f.code == "negative-flow"]
    assert any("peak " in remedy.text for remedy in alone[0].remedies)
    then = edits.set_storm(study, "then", TypedStorm(name="Then", step=900.0, depths=(0.0,) * 8 + UP, after="wet"))
    results = compute_cases(then, storms=["then"])
    for finding in (f for f in check_results(results) if f.code == "negative-flow"):
        assert not any("peak " in remedy.text for remedy in finding.remedies)


# everywhere else


def test_a_document_of_storms_goes_through_json_and_pickle(may):
    text = may.as_text()
    assert json.loads(text)["storms"]["may"]["origin"] == MAY
    assert study_from(json.loads(text)) == may
    assert pickle.loads(pickle.dumps(compute_cases(may))).answers()[0].figures.peak == (
        compute_cases(may).answers()[0].figures.peak
    )
    assert study_from({"title": "Old"}).storms == {}


def test_tables_name_the_storm_its_date_and_what_it_begins_after(may):
    study = edits.set_storm(may, "next", recorded(name="Next", origin="2031-05-12T12:00:00+01:00", after="may"))
    results = compute_cases(study)
    peaks = list(csv.DictReader(io.StringIO(_csv(peak_rows(results)))))
    assert [(r["family"], r["return_period_years"], r["after"]) for r in peaks[:2]] == [
        ("May", "", ""),
        ("Next", "", "May"),
    ]
    assert peaks[0]["begins"] == MAY
    assert float(peaks[0]["peak_m3_per_s"]) == results.answer("existing", "bridge", "may").figures.peak.ordinate
    flows = list(csv.DictReader(io.StringIO(_csv(hydrograph_rows(results)))))
    assert (flows[1]["time_h"], flows[1]["date"]) == (repr(300 / 3600), "2031-05-12T06:05:00+01:00")
    assert {r["family"] for r in csv.DictReader(io.StringIO(_csv(balance_rows(results))))} == {"May", "Next"}
    _, *rows = answer_rows(results, "bridge")
    assert [row[2:4] for row in rows] == [["", "May, 2 h"], ["", "Next, 2 h"]]


@pytest.mark.parametrize("storm", ["may", "typed", "next", "then"])
def test_every_figure_of_a_given_storm_follows_from_its_inputs(may, storm):
    study = edits.set_storm(may, "typed", TypedStorm(name="Typed", step=420.0, depths=UP))
    study = edits.set_storm(study, "next", recorded(name="Next", origin="2031-05-12T12:00:00+01:00", after="may"))
    study = edits.set_storm(study, "then", TypedStorm(name="Then", step=900.0, depths=DOWN, after="typed"))
    results = compute_cases(study, storms=[storm])
    case = results.governing("existing", "bridge", storm)
    for key in ("upper", "beck", "bridge"):
        for figure in sorted(set(FIGURES) - {"limit", "fitted peak"}):
            try:
                root = explain(study, case, key, figure, results=results)
            except (UnknownName, ComputationFailed):
                continue
            assert event_title(study, storm) in root.head
            for node in root.walk():
                again = node.recomputed()
                assert again is node.value or equal(again, node.value), (key, figure, node.title)


def test_a_reckoning_is_asked_by_name(may):
    root = reckoning_asked(may, "Bridge", "peak", "", "May", "")
    assert root.value == compute_cases(may).answer("existing", "bridge", "may").figures.peak.ordinate
    assert root.head == "Existing · May · 2 h · made for Bridge"
    depth = reckoning_asked(may, "Bridge", "rain depth", "", "May", "")
    told = "\n".join(depth.lines())
    assert "recorded from 12 May 2031 06:00" in told
    assert math.isclose(depth.value, (3 * sum(UP) + sum(DOWN)) / 4, rel_tol=1e-12)
