"""The rational method as one act, with its rain, its durations and its step."""

import numpy as np
import pytest

from tarnwater.errors import EditRefused
from tarnwater.network.elements import Catchment, Outfall, Surface
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.patterns import Huff, Uniform
from tarnwater.rain.storms import StormFamily
from tarnwater.runoff.losses import CurveNumber, NoLoss, Proportional, RunoffCoefficient
from tarnwater.runoff.timing.kinematic_time import KinematicTime
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.answers.asked import storms_asked
from tarnwater.study.checks import check_results
from tarnwater.study.document import Study
from tarnwater.study.edits.history import History
from tarnwater.study.edits.rational import rational_by_numbers, reckon_rationally
from tarnwater.study.reckonings import explain

HOUR, MINUTE = 3600.0, 60.0
TABLE = DepthTable(durations=(300.0, 900.0, HOUR, 6 * HOUR), return_periods=(2.0, 100.0),
                   depths=((6.0, 14.0), (11.0, 26.0), (20.0, 45.0), (35.0, 80.0)), series="annual maxima")  # fmt: skip


def study_of(*lands, pattern=None):
    made = edits.add_element(Study(title="Yard"), Outfall(name="Outlet"))
    for land in lands:
        made = edits.add_draining(made, land.refreshed())
    made = edits.set_table(made, "t", TABLE)
    family = StormFamily(name="Design", table="t", return_periods=(2.0, 50.0), durations=(900.0, HOUR),
                         pattern=pattern or Huff())  # fmt: skip
    return edits.set_family(made, "f", family)


def yard(**own):
    known = {"area": 4e4, "concentration": 20 * MINUTE, "surfaces": (Surface(loss=Proportional(coefficient=0.6)),)}
    return Catchment(name="Yard", **(known | own))


def test_one_act_gives_transform_losses_rain_durations_and_step():
    history = History(study_of(yard()))
    before = history.study.as_text()
    after = history.do(reckon_rationally, [("", "yard")])
    land = after.elements["yard"]
    assert land.transform.tag() == "rational"
    assert land.surfaces[0].loss.coefficient.typed_value == 0.6
    assert [(f.name, f.counted) for f in after.families.values()] == [("Design", False), ("Even storms", True)]
    assert after.families["even-storms"].pattern == Uniform()
    assert after.run.step.value == MINUTE
    history.undo()
    assert history.study.as_text() == before


def test_the_peak_is_c_i_a_at_the_time_of_concentration():
    study = reckon_rationally(study_of(yard()), [("", "yard")])
    results = compute_cases(study)
    for period, share in ((2.0, 0.6), (50.0, 0.6 * 1.2)):
        answer = results.answer("existing", "outlet", period)
        assert answer.result.case.storm.duration == 20 * MINUTE
        assert answer.bracketed
        depth = answer.result.rain_depth("yard")
        if period == 2.0:
            # straight between 11 mm in 15 min and 20 mm in 1 h on logarithmic axes
            assert depth == pytest.approx(11 * (20 / 11) ** (np.log(4 / 3) / np.log(4)), rel=1e-9)
        assert answer.figures.peak.ordinate == pytest.approx(share * depth / 1000 / (20 * MINUTE) * 4e4, rel=1e-9)
        assert answer.figures.peak.time == 20 * MINUTE
    assert not [f for f in check_results(results) if f.code in ("governing-at-end", "rain-not-even")]


def test_the_reckoning_of_a_rational_peak_gives_it():
    study = reckon_rationally(study_of(yard()), [("", "yard")])
    case = compute_cases(study).answer("existing", "outlet", 50.0).result
    node = explain(study, case, "yard", "peak")
    assert node.evaluate(*(i.value for i in node.inputs)) == pytest.approx(node.value, rel=1e-12)
    (flow,) = node.inputs
    again = flow.evaluate(*(i.value for i in flow.inputs))
    assert np.array_equal(again.flow, flow.value.flow)


@pytest.mark.parametrize("concentration", [1037.28, 612.0, 75 * MINUTE])
def test_a_time_of_concentration_between_steps_peaks_at_c_i_a(concentration):
    study = reckon_rationally(study_of(yard(concentration=concentration)), [("", "yard")])
    answer = compute_cases(study).answer("existing", "outlet", 2.0)
    duration = answer.result.case.storm.duration
    assert duration == np.ceil(concentration)
    depth = answer.result.rain_depth("yard")
    assert answer.figures.peak.ordinate == pytest.approx(0.6 * depth / 1000 / duration * 4e4, rel=1e-9)


def test_a_time_that_follows_from_the_rain_makes_the_duration_that_makes_it():
    timed = yard(concentration={}, flow_length=90.0, path_slope=0.03, timing=KinematicTime(roughness=0.1))
    study = reckon_rationally(study_of(timed), [("", "yard")])
    results = compute_cases(study)
    lengths = []
    for period in (2.0, 50.0):
        case = next(r for r in results.cases if r.case.event == period and r.case.storm.own)
        lengths.append(case.case.storm.duration)
        # the storm is of whole seconds
        assert case.element("yard").concentration.value == pytest.approx(case.case.storm.duration, abs=1.0)
    assert lengths[1] < lengths[0]


def test_rain_that_is_not_even_is_doubted():
    study = edits.choose(study_of(yard()), "yard", "transform", yard().transform)
    study = reckon_rationally(study, [("", "yard")])
    families = {k: f.model_copy(update={"counted": k == "f"}) for k, f in study.families.items()}
    study = edits.set_family(edits.set_family(study, "f", families["f"]), "even-storms", families["even-storms"])
    (doubt,) = [f for f in check_results(compute_cases(study)) if f.code == "rain-not-even"]
    assert "times the mean" in doubt.text
    assert doubt.element == "yard"


def test_other_catchments_keep_their_storms_counted():
    other = Catchment(name="Hask", area=2e6, lag=HOUR, surfaces=(Surface(loss=CurveNumber(curve_number=75)),))
    study = reckon_rationally(study_of(yard(), other), [("", "yard")])
    assert [f.counted for f in study.families.values()] == [True, True]
    assert study.elements["hask"].transform.tag() != "rational"


def test_impervious_land_stays_and_a_curve_number_asks_for_a_coefficient():
    surfaces = (Surface(share=0.4, loss=NoLoss()), Surface(share=0.6, loss=CurveNumber(curve_number=75)))
    study = rational_by_numbers(study_of(yard(surfaces=surfaces)), [])
    losses = [surface.loss for surface in study.elements["yard"].surfaces]
    assert isinstance(losses[0], NoLoss)
    assert isinstance(losses[1], RunoffCoefficient)
    assert "surfaces/1/loss/coefficient" in [one.field for one in study.elements["yard"].missing()]


def test_in_one_condition_the_others_stay():
    study = edits.add_condition(study_of(yard()), "Built")
    study = rational_by_numbers(study, ["Yard"], condition="Built")
    results = compute_cases(study)
    cases = {r.case.condition: r for r in results.cases if r.case.event == 2.0 and r.standing == "counted"}
    assert cases["existing"].network.elements["yard"].transform.tag() != "rational"
    assert cases["built"].network.elements["yard"].transform.tag() == "rational"


def test_a_typed_step_stays():
    study = rational_by_numbers(edits.set_step(study_of(yard()), 5 * MINUTE), [])
    assert study.run.step.value == 5 * MINUTE


def test_only_catchments_are_reckoned_so():
    with pytest.raises(EditRefused, match="no catchment"):
        rational_by_numbers(study_of(yard()), ["Outlet"])


def test_the_storm_of_the_time_of_concentration_can_be_asked_for():
    study = rational_by_numbers(study_of(yard()), [])
    results = compute_cases(study, **storms_asked(study, ["50/20min"]))
    assert {r.case.storm.duration for r in results.cases} == {20 * MINUTE}
