"""Remedies that act: each settles its finding, where it holds, as one act."""

import pytest

from tarnwater.errors import BadInput, EditRefused, UnknownName
from tarnwater.network.elements import Catchment, Outfall, Reach, Surface
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.storms import StormFamily
from tarnwater.routing.reaches import Muskingum
from tarnwater.runoff.losses import CurveNumber
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.checks import check, check_results
from tarnwater.study.checks.mending import acting, mend, named, the_finding
from tarnwater.study.document import Study

HOUR = 3600.0


@pytest.fixture
def study():
    """A sound study of one catchment, one reach and an outfall."""
    soil = Surface(name="whole", share=1.0, loss=CurveNumber(curve_number=75.0))
    made = edits.add_element(Study(title="Sound"), Catchment(name="Hask", area=3e6, lag=3000.0, surfaces=(soil,)))
    made = edits.add_element(made, Reach(name="Beck", method=Muskingum(travel_time=1800.0, weight=0.2, parts=2)))
    made = edits.add_element(made, Outfall(name="Bridge"))
    made = edits.connect(edits.connect(made, "hask", "beck"), "beck", "bridge")
    table = DepthTable(durations=(HOUR, 24 * HOUR), return_periods=(100.0,), depths=((43.0,), (146.0,)),
                       series="annual maxima")  # fmt: skip
    made = edits.set_table(made, "t", table)
    family = StormFamily(table="t", return_periods=(100.0,), durations=(HOUR, 6 * HOUR, 24 * HOUR))
    return edits.set_family(made, "f", family)


def all_found(study):
    return [*check(study), *check_results(compute_cases(study))]


def mended(study, code, place="", condition=""):
    finding = the_finding(study, all_found(study), code, place, condition)
    remedy = acting(finding)[0]
    return mend(study, finding, remedy, named(study, remedy, finding))


def coarse(study):
    return edits.set_step(study, 900.0)


def slow_reach(study):
    return edits.choose(study, "beck", "method", Muskingum(travel_time=10 * HOUR, weight=0.45, parts=1))


def other_ratio(study):
    return edits.type_values(study, [("hask", "surfaces/0/loss/ratio", 0.05)])


def quick(study):
    return edits.type_values(study, [("hask", "lag", 400.0)])


def large(study):
    return edits.type_values(study, [("hask", "area", 40e6)])


@pytest.mark.parametrize(
    ("spoil", "code"),
    [
        (coarse, "step-against-lag"), (slow_reach, "negative-flow"), (other_ratio, "ratio-unconverted"),
        (large, "no-areal-reduction"), (quick, "step-wanted"),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)  # fmt: skip
def test_a_remedy_settles_its_finding(study, spoil, code):
    spoilt = spoil(study)
    assert code in [f.code for f in all_found(spoilt)]
    after = mended(spoilt, code)
    assert code not in [f.code for f in all_found(after)]
    assert after != spoilt


def test_extrapolation_is_allowed_by_its_remedy(study):
    family = study.families["f"].model_copy(update={"durations": (HOUR, 24 * HOUR, 48 * HOUR)})
    study = edits.set_family(study, "f", family)
    after = mended(study, "outside-table")
    severities = [[f.severity for f in check(one) if f.code == "outside-table"] for one in (study, after)]
    assert severities == [["stop"], ["doubt"]]


def test_what_a_condition_set_for_itself_is_mended_there(study):
    study = edits.add_condition(study, "developed")
    study = edits.type_values(study, [("hask", "surfaces/0/loss/ratio", 0.05)], condition="developed")
    after = mended(study, "ratio-unconverted")
    assert after.elements == study.elements
    assert "ratio-unconverted" not in [f.code for f in check(after)]


def test_a_remedy_that_is_left_to_a_person_is_refused(study):
    spoilt = edits.type_values(study, [("hask", "surfaces/0/loss/curve_number", 5.0)])
    with pytest.raises(EditRefused, match="left to a person"):
        mended(spoilt, "unusual-value")
    finding = next(f for f in check(spoilt) if f.code == "unusual-value")
    with pytest.raises(EditRefused, match="Check the value and its unit"):
        mend(spoilt, finding, finding.remedies[0], "mend")


def test_several_places_are_listed(study):
    study = edits.add_draining(
        study, Catchment(name="Fold", area=3e6, lag=3000.0, surfaces=study.elements["hask"].surfaces)
    )
    for key in ("hask", "fold"):
        study = edits.type_values(study, [(key, "surfaces/0/loss/ratio", 0.05)])
    with pytest.raises(BadInput, match=r"2 findings are ratio-unconverted: (Hask; Fold|Fold; Hask)"):
        mended(study, "ratio-unconverted")
    after = mended(study, "ratio-unconverted", "fold")
    assert [f.element for f in check(after) if f.code == "ratio-unconverted"] == ["hask"]
    with pytest.raises(UnknownName):
        mended(study, "ratio-unconvertd")
