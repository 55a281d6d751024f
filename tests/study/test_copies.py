"""Duplicates of elements, and new ones with the methods of another."""

import pytest

from tarnwater.network.elements import Catchment, Reach, Surface
from tarnwater.routing.reaches import Muskingum
from tarnwater.runoff.losses import InitialConstant
from tarnwater.runoff.timing import ByHand
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.document.conditions import resolve

BRIDGE = "pellowford-outlet"


def test_a_duplicate_has_every_figure_of_the_other_one_and_nothing_of_the_map(demo_study):
    study = edits.duplicate(demo_study, "hask")
    old, new = study.elements["hask"], study.elements["hask-1"]
    assert new.name == "Hask 1"
    assert (new.outline, new.flow_path, new.counts, new.land) == (None, None, None, None)
    for field in ("area", "flow_length", "mean_slope", "lag", "concentration", "relief"):
        assert getattr(new, field).value == getattr(old, field).value, field
    assert new.area.typed.note == "measured for Hask"
    assert new.curve_number == pytest.approx(old.curve_number, rel=1e-15)
    assert new.baseflow == old.baseflow
    below = {link.down for link in study.links.values() if link.up == "hask"}
    assert {link.down for link in study.links.values() if link.up == "hask-1"} == below


def test_a_duplicate_has_the_flow_of_the_other_one(demo_study):
    study = edits.duplicate(demo_study, "hask")
    results = compute_cases(study, points=[BRIDGE], return_periods=[100.0])
    case = next(case for case in results.cases if case.case.point == BRIDGE)
    # the areal rain of both is that of the point
    assert case.figures("hask-1").peak.ordinate == pytest.approx(case.figures("hask").peak.ordinate, rel=1e-12)


def test_settings_in_conditions_go_along(demo_study):
    study = edits.type_values(demo_study, [("hask", "lag", 1800.0)], condition="yard-surfaced")
    study = edits.duplicate(study, "hask", "Twin")
    assert resolve(study, "yard-surfaced").elements["twin"].lag.typed_value == 1800.0
    assert resolve(study, "existing").elements["twin"].lag.typed is None


def test_a_duplicate_of_a_reach_keeps_its_length_and_its_parts(demo_study):
    key, old = next((k, e) for k, e in demo_study.elements.items() if isinstance(e, Reach))
    study = edits.duplicate(demo_study, key, "Twin")
    twin = study.elements["twin"]
    assert twin.path is None
    assert twin.length.typed.note == f"measured for {old.name}"
    assert (twin.length.value, twin.method.travel_time.value, twin.method.parts.value) == (
        old.length.value, old.method.travel_time.value, old.method.parts.value,
    )  # fmt: skip


def test_a_new_element_has_the_methods_of_the_selected_one_but_not_its_typed_values(demo_study):
    loss = InitialConstant(initial=12.0, constant=3.0)
    hask = demo_study.elements["hask"].model_copy(
        update={"land": None, "surfaces": (Surface(name="whole", loss=loss),), "timing": ByHand()}
    )
    made = edits.another_like(hask, "Next")
    assert (made.name, made.area.value, made.lag.value) == ("Next", None, None)
    assert isinstance(made.surfaces[0].loss, InitialConstant)
    assert (made.timing.tag(), made.transform.tag(), made.baseflow) == ("typed", hask.transform.tag(), hask.baseflow)
    reach = next(e for e in demo_study.elements.values() if isinstance(e, Reach))
    typed = reach.model_copy(update={"method": Muskingum(travel_time=100.0, weight=0.4, parts=3)})
    new = edits.another_like(typed, "Next")
    assert (new.method.weight, new.method.travel_time.value, new.method.parts.value) == (0.4, None, None)


def test_a_duplicate_of_a_hand_made_catchment_is_equal_but_for_its_name():
    old = Catchment(name="Old", area=1e6, lag=1800.0).refreshed()
    new = edits.duplicate_of(old, "New")
    assert new == old.model_copy(update={"name": "New"})
