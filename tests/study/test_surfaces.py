"""Shares of the surfaces of a catchment: typed, by area, and one that takes the remainder."""

import pytest

from tarnwater.errors import BadInput
from tarnwater.network.elements import Catchment, Surface, impervious_land
from tarnwater.runoff.losses import CurveNumber, Proportional
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.assignments import assign
from tarnwater.study.reckonings import explain, explain_setting

FIELD, YARD, ROOF = (
    Surface(name=name, loss=CurveNumber(curve_number=number))
    for name, number in (("field", 70.0), ("yard", 90.0), ("roof", 98.0))
)


def of(share=None, area=None, surface=YARD):
    return Surface.model_validate({**surface.model_dump(), "share": {} if share is None else share, "area": area})


@pytest.fixture
def study(demo_study):
    return edits.choose(demo_study, "hask", "surfaces", (FIELD, of(0.3), of(0.1, surface=ROOF)))


def shares(study, condition="existing"):
    return resolve(study, condition).elements["hask"].weights


def test_one_surface_takes_the_remainder(study):
    assert shares(study) == pytest.approx((0.6, 0.3, 0.1), abs=1e-15)
    more = edits.type_values(study, [("hask", "surfaces/1/share", 0.45)])
    assert shares(more) == pytest.approx((0.45, 0.45, 0.1), abs=1e-15)
    assert more.elements["hask"].surfaces[0].share.derived == shares(more)[0]


def test_a_catchment_has_one_surface_that_takes_all_of_it():
    catchment = Catchment(name="Hask").refreshed()
    assert catchment.weights == (1.0,)
    assert catchment.surfaces[0].share.typed is None


def test_two_remainders_are_refused_and_nothing_is_lost(study):
    with pytest.raises(BadInput, match="“field” and “yard” would each take the remainder"):
        edits.type_values(study, [("hask", "surfaces/1/share", None)])
    assert shares(study)[1] == 0.3


def test_a_share_and_an_area_are_refused():
    with pytest.raises(BadInput, match="a share and an area"):
        of(0.3, area=100.0)


def test_an_area_gives_its_share_of_the_catchment(study):
    whole = study.elements["hask"].area.value
    by_area = edits.choose(study, "hask", "surfaces", (FIELD, of(area=whole / 5)))
    assert shares(by_area) == pytest.approx((0.8, 0.2), rel=1e-14)
    node = explain_setting(by_area, "existing", "hask", "surfaces/1/share")
    assert node.recomputed() == node.value == shares(by_area)[1]
    assert [one.value for one in node.inputs] == [whole / 5, whole]


def test_the_remainder_works_out_from_the_other_shares(study):
    node = explain_setting(study, "existing", "hask", "surfaces/0/share")
    assert node.equation == "w1 = 1 − w2 − w3"
    assert node.recomputed() == node.value == shares(study)[0]
    assert [one.origin for one in node.inputs] == ["typed", "typed"]
    only = explain_setting(edits.choose(study, "hask", "surfaces", (FIELD,)), "existing", "hask", "surfaces/0/share")
    assert (only.value, only.origin) == (1.0, "the only surface")


def test_a_share_is_typed_in_a_condition_by_the_name_of_the_surface(study):
    denser = assign(study, "hask", {"surfaces.yard.share": "50%"}, condition="yard-surfaced")
    assert shares(denser, "yard-surfaced") == pytest.approx((0.4, 0.5, 0.1), abs=1e-15)
    assert shares(denser) == shares(study)


def test_the_impervious_share_is_typed_by_its_name(study):
    land = edits.choose(study, "hask", "surfaces", (FIELD, impervious_land(0.1)))
    assert shares(assign(land, "hask", {"impervious": "20%"})) == pytest.approx((0.8, 0.2), abs=1e-15)


def test_impervious_land_is_made_where_its_share_is_typed(study):
    for made in (
        assign(study, "hask", {"impervious": "20%"}),
        edits.type_values(study, [("hask", "impervious", "20%"), ("hask", "lag", "1 h")]),
    ):
        assert shares(made) == pytest.approx((0.4, 0.3, 0.1, 0.2), abs=1e-15)
        assert made.elements["hask"].surfaces[3].connected_impervious
        # a second number is typed in the same land
        again = edits.type_values(made, [("hask", "impervious", 0.25)])
        assert shares(again) == pytest.approx((0.35, 0.3, 0.1, 0.25), abs=1e-15)
    assert made.elements["hask"].lag.typed.value == 3600


def test_impervious_land_of_one_condition_is_made_there(study):
    made = assign(study, "hask", {"impervious": "20%"}, condition="yard-surfaced")
    assert shares(made, "yard-surfaced") == pytest.approx((0.4, 0.3, 0.1, 0.2), abs=1e-15)
    assert shares(made) == shares(study)


def test_impervious_land_that_is_refused_is_not_made(study):
    with pytest.raises(BadInput, match="share"):
        edits.type_values(study, [("hask", "impervious", "120%")])
    assert edits.type_values(study, [("hask", "impervious", None)]).elements == study.elements
    bare = edits.choose(study, "hask", "surfaces", (FIELD,))
    with pytest.raises(BadInput, match="no field “impervious”"):
        assign(bare, "hask", {"impervious": "derived"})


def test_surfaces_from_cover_and_soil_take_no_other_impervious_land(demo_study):
    assert demo_study.elements["sallow-tarn"].land is not None
    with pytest.raises(BadInput, match="no field “impervious”"):
        assign(demo_study, "sallow-tarn", {"impervious": "20%"})


def test_the_excess_is_that_of_the_shares_that_are_shown(study):
    surfaces = (of(surface=FIELD), of(0.25))
    losses = [Proportional(coefficient=0.2), Proportional(coefficient=0.8)]
    surfaces = tuple(s.model_copy(update={"loss": loss}) for s, loss in zip(surfaces, losses, strict=True))
    # these losses have no curve number, from which the lag of the demo is derived
    study = edits.type_values(edits.choose(study, "hask", "surfaces", surfaces), [("hask", "lag", 3600.0)])
    results = compute_cases(study)
    case = next(c for c in results.cases if c.case.point == "pellowford-outlet")
    # 0.75 x 0.2 + 0.25 x 0.8; the figure rounds in its sums only
    assert case.figures("hask").share_of_rain == pytest.approx(0.35, rel=1e-9)
    node = explain(study, case, "hask", "excess")
    assert [one.value for one in node.inputs[::2]] == pytest.approx([0.75, 0.25], abs=1e-15)
