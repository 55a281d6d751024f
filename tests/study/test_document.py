"""The document: one door, typed over derived, undo to the byte, conditions, design points."""

import json
import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tarnwater.errors import BadInput, EditRefused, OutOfRange, UnitError, UnknownName
from tarnwater.frozen import FrozenDict
from tarnwater.network.elements import Catchment, CoverReference, Inflow, Link, Outfall, Reach, Surface
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.storms import StormFamily
from tarnwater.runoff.losses import CurveNumber
from tarnwater.runoff.timing import Kirpich, NrcsLag
from tarnwater.study import edits
from tarnwater.study.document import Condition, DesignPoint, Limit, RunSettings, Series, Study, study_from
from tarnwater.study.document.changes import applied, changes_between, reversed_changes
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.history import History


def base():
    study = Study(title="Test")
    catchment = Catchment(
        name="Hask", area=3e6, flow_length=2500.0, path_slope=0.04, mean_slope=0.1, timing=NrcsLag(),
        surfaces=(
            Surface(name="grass", share=0.8, cover=CoverReference(title="Meadow", group="C")),
            Surface(name="wood", share=0.2, cover=CoverReference(title="Woods, good", group="B")),
        ),
    )  # fmt: skip
    study = edits.add_element(study, catchment)
    study = edits.add_element(study, Reach(name="Beck", length=1500.0, celerity=1.5))
    study = edits.add_element(study, Outfall(name="Bridge"))
    study = edits.connect(study, "hask", "beck")
    study = edits.connect(study, "beck", "bridge")
    table = DepthTable(durations=(900.0, 86400.0), return_periods=(2.0, 100.0), depths=((9.0, 24.0), (57.0, 146.0)))
    study = edits.set_table(study, "t", table)
    study = edits.set_family(study, "f", StormFamily(table="t", return_periods=(2.0,), durations=(3600.0,)))
    return edits.add_condition(study, "Built")


@pytest.fixture
def study():
    return base()


def test_derived_values_follow_their_sources(study):
    hask = study.elements["hask"]
    assert hask.surfaces[0].loss.curve_number.value == 71
    assert hask.curve_number == pytest.approx(0.8 * 71 + 0.2 * 55)
    changed = edits.choose(study, "hask", "surfaces/0/cover", CoverReference(title="Meadow", group="D"))
    assert changed.elements["hask"].surfaces[0].loss.abstraction.value < hask.surfaces[0].loss.abstraction.value
    assert changed.elements["hask"].lag.value < hask.lag.value
    assert study.elements["beck"].method.travel_time.value == 1000.0


def test_a_typed_value_remembers_who_when_and_why_and_goes_back(study):
    typed = edits.type_values(study, [("hask", "lag", "50 min")], by="E. M.", at="2026-01-02", note="by eye")
    lag = typed.elements["hask"].lag
    assert (lag.value, lag.typed.by, lag.typed.at, lag.typed.note) == (3000.0, "E. M.", "2026-01-02", "by eye")
    assert lag.derived == study.elements["hask"].lag.value
    assert edits.type_values(typed, [("hask", "lag", None)]).elements["hask"].lag == study.elements["hask"].lag


def test_a_study_never_changes_in_place(study):
    for change in (
        lambda: study.elements.update({}),
        lambda: study.elements.__setitem__("x", None),
        lambda: setattr(study, "title", "x"),
    ):
        with pytest.raises((TypeError, ValueError)):
            change()


@pytest.mark.parametrize(
    ("field", "value", "error", "said"),
    [
        ("lag", "-3 h", OutOfRange, "Hask, lag: .*cannot be −3.000 h. It must be at least 1 s"),
        ("lag", "0", OutOfRange, "at least 1 s"),
        ("area", "0", OutOfRange, "greater than 0 km²"),
        ("mean_slope", "0", EditRefused, "mean slope cannot be zero"),
        ("path_slope", "0", EditRefused, "path slope cannot be zero"),
        ("surfaces/0/loss/curve_number", "0", OutOfRange, "at least 1 and at most 100"),
        ("surfaces/0/loss/curve_number", "101", OutOfRange, "cannot be 101"),
        ("lag", "25,400", UnitError, "Hask, lag: .*Type 25.400"),
        ("lag", "3 ha", UnitError, "measures an area, not a time"),
        ("leg", "3", UnknownName, "Did you mean “lag”"),
        ("surfaces/4/share", "1", UnknownName, "There are: 0, 1"),
        ("name", "x", EditRefused, "holds no quantity"),
    ],
    ids=["negative lag", "zero lag", "zero area", "zero slope", "zero path slope", "CN 0", "CN 101", "thousands",
         "wrong kind", "unknown field", "unknown surface", "no quantity"],
)  # fmt: skip
def test_bad_values_are_refused_with_what_where_and_what_to_do(study, field, value, error, said):
    before = study.as_text()
    with pytest.raises(error, match=said):
        edits.type_values(study, [("hask", field, value)])
    assert study.as_text() == before


def test_names_are_unique_and_unknown_ones_bring_the_nearest(study):
    with pytest.raises(EditRefused, match="already an element “bridge”"):
        edits.rename_element(study, "hask", "bridge")
    with pytest.raises(UnknownName, match="Did you mean “Hask”"):
        study.key_of("Haks")
    with pytest.raises(UnknownName, match="Did you mean “Built”"):
        study.condition_of("Build")


def test_loops_are_refused_with_the_reason(study):
    study = edits.disconnect(study, "beck-to-bridge")
    with pytest.raises(EditRefused, match="Beck to Hask: the links form a loop"):
        edits.connect(study, "beck", "hask")
    with pytest.raises(EditRefused, match="outfall is an end"):
        edits.connect(study, "bridge", "hask")


def test_a_catchment_drains_one_way_and_changing_it_is_one_act(study):
    study = edits.add_element(study, Outfall(name="Other"))
    study = edits.connect(study, "hask", "other")
    assert [(link.up, link.down) for link in study.links.values() if link.up == "hask"] == [("hask", "other")]


def test_a_locked_study_refuses_every_edit_but_unlocking(study):
    locked = edits.lock(study)
    with pytest.raises(EditRefused, match="the study is locked"):
        edits.type_values(locked, [("hask", "lag", "1 h")])
    assert not edits.unlock(locked).locked


def test_a_removed_element_takes_its_links_and_mentions_along(study):
    study = edits.set_design_point(study, "beck", DesignPoint())
    study = edits.type_values(study, [("beck", "celerity", "2 m/s")], condition="Built")
    gone = edits.remove_element(study, "beck")
    assert not gone.links
    assert not gone.design_points
    assert not gone.conditions["built"].settings


def test_the_step_is_proposed_once_and_then_held(study):
    assert study.run.step.derived == 300.0
    quick = edits.type_values(study, [("hask", "lag", "10 min")])
    assert quick.run.step.value == 300.0
    assert edits.set_step(quick, 120.0).run.step.value == 120.0
    with pytest.raises(EditRefused, match="Choose one of 1, 2, 5, 10, 15, 30, 60 min"):
        edits.set_step(quick, 100.0)


def test_a_condition_changes_a_setting_leaves_out_an_element_and_changes_a_link(study):
    study = edits.type_values(study, [("hask", "surfaces/0/loss/curve_number", "90")], condition="Built", note="paved")
    study = edits.leave_out(study, "Built", "beck")
    study = edits.change_link(study, "Built", "hask-to-beck", Link(up="hask", down="bridge"))
    existing, built = resolve(study, "existing"), resolve(study, "built")
    assert set(existing.elements) - set(built.elements) == {"beck"}
    assert built.downstream["hask"] == ("bridge",)
    assert existing.elements["hask"].surfaces[0].loss.curve_number.value == 71
    changed = built.elements["hask"]
    assert changed.surfaces[0].loss.curve_number.typed.note == "paved"
    assert changed.lag.value < existing.elements["hask"].lag.value
    back = edits.type_values(study, [("hask", "surfaces/0/loss/curve_number", None)], condition="Built")
    assert resolve(back, "built").elements["hask"].curve_number == existing.elements["hask"].curve_number


def test_conditions_inherit_and_may_add_elements(study):
    study = edits.type_values(study, [("hask", "lag", "20 min")], condition="Built")
    study = edits.add_condition(study, "Built with pond", parent="Built")
    study = edits.add_in_condition(study, "Built with pond", Reach(name="Swale", length=100.0, celerity=1.0))
    resolved = resolve(study, "Built with pond")
    assert resolved.elements["hask"].lag.value == 1200.0
    assert resolved.elements["swale"].method.travel_time.value == 100.0
    assert "swale" not in resolve(study, "Built").elements


def test_a_condition_refuses_what_its_element_would_refuse(study):
    with pytest.raises(OutOfRange):
        edits.type_values(study, [("hask", "lag", "-1 h")], condition="Built")
    with pytest.raises(UnknownName):
        edits.type_values(study, [("hask", "lag", "1 h")], condition="Bilt")


def test_a_condition_cannot_inherit_from_itself(study):
    circle = FrozenDict({**study.conditions, "built": Condition(name="Built", parent="built")})
    with pytest.raises(EditRefused, match="inherit from itself"):
        study_from(study.as_dict() | {"conditions": {k: c.model_dump(exclude_none=True) for k, c in circle.items()}})


def test_a_limit_has_one_source():
    with pytest.raises(EditRefused, match="a flow or another condition"):
        Limit(return_period=10.0)
    with pytest.raises(EditRefused, match="a flow or another condition"):
        Limit(return_period=10.0, flow=1.0, of_condition="existing")


def test_observed_series_hang_on_an_element(study):
    series = FrozenDict({"q": Series(name="Gauge", kind="flow", digest="0" * 32)})
    study = study.model_copy(update={"series": series})
    study = edits.choose(study, "bridge", "observed", ("q",))
    assert study_from(study.as_dict()).elements["bridge"].observed == ("q",)


def test_an_inflow_needs_rising_times():
    with pytest.raises(EditRefused, match="increasing times"):
        Inflow(name="In", times=(0.0, 0.0), flows=(1.0, 2.0))


def test_unknown_fields_are_refused_not_ignored(study):
    data = study.as_dict()
    data["elements"]["hask"]["aera"] = 1.0
    with pytest.raises(EditRefused, match="aera"):
        study_from(data)


def test_the_text_of_a_study_reads_back_to_the_same_text(study, demo_study):
    for one in (study, demo_study, edits.lock(study)):
        assert study_from(json.loads(one.as_text())).as_text() == one.as_text()


# random edits ---------------------------------------------------------------------------------


def type_in_built(study, values):
    return edits.type_values(study, values, condition="Built")


def random_act(rng):
    """One edit with its arguments; some of them will be refused."""
    name = rng.choice(["Hask", "Beck", "Bridge", "New", "Other"])
    key = rng.choice(["hask", "beck", "bridge", "new", "other", "nothing"])
    other = rng.choice(["hask", "beck", "bridge", "new", "other"])
    soil = Surface(share=1.0, loss=CurveNumber(curve_number=70))
    return rng.choice([
        (edits.type_values, [(key, "lag", rng.uniform(-10, 9000))]),
        (edits.type_values, [(key, "area", rng.uniform(0, 1e7))]),
        (edits.type_values, [(key, "surfaces/0/loss/curve_number", rng.uniform(-5, 120))]),
        (edits.type_values, [(key, "celerity", rng.uniform(0.1, 4))]),
        (edits.type_values, [(key, "method/parts", rng.choice([1, 2.5, 7]))]),
        (edits.type_values, [(key, rng.choice(["lag", "area", "celerity"]), None)]),
        (edits.rename_element, key, name),
        (edits.add_element, Catchment(name=name, area=1e6, lag=600.0, surfaces=(soil,))),
        (edits.add_element, Reach(name=name)),
        (edits.remove_element, key),
        (edits.connect, key, other),
        (edits.disconnect, rng.choice(["hask-to-beck", "beck-to-bridge", "none"])),
        (edits.choose, key, "timing", rng.choice([NrcsLag(), Kirpich()])),
        (type_in_built, [(key, "lag", rng.uniform(-10, 9000))]),
        (type_in_built, [(key, "lag", None)]),
        (edits.leave_out, "Built", key),
        (edits.change_link, "Built", "x", rng.choice([None, Link(up=key, down=other)])),
        (edits.add_condition, rng.choice(["One", "Two", "Built"])),
        (edits.set_design_point, key, rng.choice([None, DesignPoint()])),
        (edits.set_study, "units", rng.choice(["SI", "US"])),
        (edits.set_study, "title", name),
        (edits.set_run, RunSettings(recession_share=0.02)),
        (edits.lock,),
        (edits.unlock,),
    ])  # fmt: skip


@settings(deadline=None, max_examples=15)
@given(st.integers(0, 10**9))
def test_two_hundred_random_edits_undone_give_the_document_to_the_byte(seed):
    rng = random.Random(seed)
    history = History(base())
    texts = [history.study.as_text()]
    for function, *arguments in (random_act(rng) for _ in range(200)):
        try:
            history.do(function, *arguments)
        except BadInput:
            continue
        if history.study.as_text() != texts[-1]:
            texts.append(history.study.as_text())
    assert len(history.past) == len(texts) - 1
    for text in reversed(texts[:-1]):
        assert history.undo().as_text() == text
    for text in texts[1:]:
        assert history.redo().as_text() == text


@settings(deadline=None, max_examples=25)
@given(st.integers(0, 10**9))
def test_what_was_typed_stays_whatever_else_is_edited(seed):
    rng = random.Random(seed)
    study = edits.type_values(base(), [("hask", "lag", 1234.0)], by="me", note="held")
    for function, *arguments in (random_act(rng) for _ in range(40)):
        typing = function is edits.type_values and any(field == "lag" for _, field, _ in arguments[0])
        if typing or function in (edits.remove_element, edits.lock):
            continue
        try:
            study = function(study, *arguments)
        except BadInput:
            continue
    assert study.elements["hask"].lag.typed.value == 1234.0
    assert study.elements["hask"].lag.typed.note == "held"


def test_a_step_of_undo_bears_the_name_of_its_act(study):
    history = History(study)
    history.do(edits.type_values, [("hask", "lag", "1 h")])
    history.do(edits.type_values, [("hask", "lag", "2 h")], condition="Built")
    assert [s.label for s in history.past] == ["type lag of Hask", "type lag of Hask in Built"]
    history.publish("nothing", history.study)
    assert len(history.past) == 2


def test_a_new_edit_after_an_undo_leaves_nothing_to_redo(study):
    history = History(study)
    history.do(edits.type_values, [("hask", "lag", "1 h")])
    history.undo()
    assert [s.label for s in history.future] == ["type lag of Hask"]
    history.do(edits.type_values, [("hask", "lag", "2 h")])
    assert history.future == []
    assert history.redo().elements["hask"].lag.value == 7200.0


def test_named_points_are_compared_and_restored(study):
    history = History(study)
    history.keep("before", comment="as surveyed")
    history.do(edits.type_values, [("hask", "lag", "1 h")])
    history.keep("after")
    (change,) = [c for c in history.compare("before", "after") if c[0][-1] == "typed"]
    assert change[0] == ["elements", "hask", "lag", "typed"]
    assert history.restore("before") == study
    assert history.undo().elements["hask"].lag.value == 3600.0
    with pytest.raises(UnknownName, match="Did you mean “before”"):
        history.restore("befor")


def test_an_edit_that_cannot_be_kept_changes_nothing(study):
    def full(*_):
        raise BadInput("the disk is full.")

    history = History(study, committed=full)
    with pytest.raises(BadInput):
        history.do(edits.type_values, [("hask", "lag", "1 h")])
    assert history.study is study
    assert not history.past


json_values = st.recursive(
    st.none() | st.integers() | st.text(max_size=5),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=3), inner, max_size=3),
    max_leaves=12,
)
documents = st.dictionaries(st.text(max_size=3), json_values, max_size=5)


@given(documents, documents)
def test_changes_lead_there_and_back(one, other):
    changes = changes_between(one, other)
    assert json.dumps(applied(one, changes)) == json.dumps(other)
    assert json.dumps(applied(other, reversed_changes(changes))) == json.dumps(one)


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("width", 0.0),
        ("width", -5.0),
        ("width", float("inf")),
        ("contours", -1.0),
        ("opacity", 1.5),
        ("opacity", float("nan")),
    ],
)
def test_views_of_the_map_that_cannot_be_are_refused(field, value):
    layer = {"key": "relief"} | ({"opacity": value} if field == "opacity" else {})
    view = {"name": "Whole", "middle": (0.0, 0.0), "width": 100.0, "layers": [layer]}
    view |= {} if field == "opacity" else {field: value}
    with pytest.raises(BadInput):
        study_from(Study().as_dict() | {"map_views": {"whole": view}})
