"""Every member of every union of the document: each is held, written, read, chosen, computed and told apart.

The unions are found from the document itself, so that a new one, or a new member, comes into the battery by itself or
is named as lacking an example.
"""

import inspect
import json
import pickle
import typing
from datetime import UTC, datetime
from functools import cache

import pytest
from pydantic import ValidationError

from tarnwater.errors import BadInput, StudyFileError
from tarnwater.frozen import FrozenDict
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Method, OneOf
from tarnwater.network.elements import Catchment, Element, Outfall, Pond, Reach, Split, Surface
from tarnwater.network.elements.surface_route import SurfaceRoute
from tarnwater.parameters import Model
from tarnwater.rain.depth_equation import DepthEquation
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.depths import Depths
from tarnwater.rain.equations import Equation, ShiftedPower
from tarnwater.rain.frequency.distributions import Distribution
from tarnwater.rain.given import GivenStorm
from tarnwater.rain.patterns import (
    AlternatingBlock,
    Balanced,
    Chicago,
    Ensemble,
    Huff,
    MassCurve,
    Pattern,
    Triangular,
    TwentyFourHour,
    TypedCurve,
    Uniform,
)
from tarnwater.rain.storms import StormFamily
from tarnwater.routing.channels import Section
from tarnwater.routing.ponds import Prism, StorageForm, Tailwater
from tarnwater.routing.ponds.zones import Zone, ZoneByDepth
from tarnwater.routing.reaches import MuskingumCunge, Routing
from tarnwater.routing.splits import SplitRule
from tarnwater.routing.works import BroadWeir, Conduit, Device, Outlet
from tarnwater.runoff.baseflow import Baseflow
from tarnwater.runoff.losses import Loss
from tarnwater.runoff.timing import Timing
from tarnwater.runoff.transforms import Transform
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.checks import check, check_results
from tarnwater.study.document import Study, changed, study_from
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.conditions import resolve
from tarnwater.study.document.fields import value_at
from tarnwater.study.document.rain import Gauge, MaximaRule
from tarnwater.study.edits.assignments import assign
from tarnwater.study.edits.history import History
from tarnwater.study.file.migrations import study_of_any_format
from tarnwater.study.file.store import create_study, read_study
from tarnwater.study.reckonings import explain
from tarnwater.terrain.features import GroundFeature

HOUR = 3600.0

#: What makes each member, by the tag; whatever has no required quantity needs none.
EXAMPLES = {
    (Loss, "curve-number"): {"curve_number": 71.5, "ratio": 0.15},
    (Loss, "initial-constant"): {"initial": 9.0, "constant": 1.5, "recovery": 0.5},
    (Loss, "initial-proportional"): {"initial": 9.0, "coefficient": 0.35},
    (Loss, "proportional"): {"coefficient": 0.35},
    (Loss, "runoff-coefficient"): {"coefficient": 0.35},
    (Loss, "horton"): {"first": 60.0, "last": 4.0, "decay": 2.5},
    (Loss, "green-ampt"): {"conductivity": 3.4, "suction": 89.0, "porosity": 0.43, "saturation": 0.4},
    (Timing, "kinematic-time"): {"roughness": 0.15},
    (Timing, "snyder-lag"): {"coefficient": 2.1},
    (Timing, "regional-lag"): {"coefficient": 0.8, "exponent": 0.38},
    (Timing, "formula"): {"formula": "0.4 * L^0.7 / S^0.2", "unit": "h", "gives": "lag", "reference": "county manual"},
    (Timing, "segmental"): {
        "sheet_length": 20.0, "sheet_slope": 0.02, "sheet_roughness": 0.15, "two_year_rain": 50.0,
        "shallow_length": 300.0, "shallow_slope": 0.03, "shallow_surface": "Short-grass pasture",
        "channel_length": 900.0, "channel_slope": 0.01, "channel_roughness": 0.04, "channel_radius": 0.4,
    },
    (SurfaceRoute, "by-itself"): {"lag": 600.0},
    (Baseflow, "constant"): {"flow": 0.4},
    (Baseflow, "reservoir"): {"share": 0.3, "storage_time": 10 * 86400.0, "flow": 0.2},
    (Baseflow, "recession"): {"flow": 0.4},
    (Routing, "muskingum"): {"travel_time": 1700.0, "weight": 0.17, "parts": 2},
    (Routing, "pure-lag"): {"travel_time": 1700.0},
    (Routing, "muskingum-cunge"): {"channel_length": 1000.0, "bed_slope": 0.01},
    (Routing, "kinematic-wave"): {"channel_length": 1000.0, "bed_slope": 0.01},
    (Routing, "storage-discharge"): {"outflows": (0.0, 5.0, 40.0), "storages": (0.0, 4000.0, 20000.0), "parts": 2},
    (Section, "surveyed"): {
        "stations": (0.0, 4.0, 7.0, 11.0), "heights": (12.0, 10.0, 10.0, 12.0), "roughness": (0.04, 0.03, 0.04, 0.04),
    },
    (Pattern, "huff"): {"quartile": "third"},
    (Pattern, "triangular"): {"peak_position": 0.4},
    (Pattern, "alternating-block"): {"peak_position": 0.6},
    (Pattern, "twenty-four-hour"): {"type": "II"},
    (Pattern, "chicago"): {"peak_position": 0.3},
    (Pattern, "balanced"): {"peak_position": 0.6, "durations": (HOUR, 6 * HOUR)},
    (Pattern, "typed"): {"curve": MassCurve(name="Late", times=(0, 0.6, 1), shares=(0, 0.3, 1))},
    (Pattern, "ensemble"): {
        "curves": (MassCurve(name="Late", times=(0, 0.6, 1), shares=(0, 0.3, 1)),
                   MassCurve(name="Early", times=(0, 0.2, 1), shares=(0, 0.5, 1))),
        "typical": "median",
    },
    (Depths, "table"): {
        "durations": (HOUR, 24 * HOUR), "return_periods": (10.0, 100.0), "depths": ((28.0, 43.0), (70.0, 120.0)),
        "series": "annual maxima",
    },
    (Depths, "equation"): {
        "equation": ShiftedPower(coefficients=((700, 10, 0.7), (1000, 10, 0.7)), return_periods=(10.0, 100.0)),
        "series": "annual maxima",
    },
    **{(Equation, form): {"coefficients": rows, "return_periods": (10.0, 100.0)} for form, rows in {
        "shifted-power": ((700, 10, 0.7), (1000, 10, 0.7)), "power-and-constant": ((900, 0.9, 6), (1300, 0.9, 6)),
        "shifted-power-of-period": ((400, 0.2, 10, 0.7),), "power-and-constant-of-period": ((500, 0.2, 0.9, 6),),
        "power": ((180, -0.5), (260, -0.5)), "log-polynomial": ((5, -0.3, -0.05, 0), (5.3, -0.3, -0.05, 0)),
    }.items()},
    (Transform, "nrcs-unit-hydrograph"): {"peak_rate_factor": 300.0},
    (Transform, "clark"): {"storage": 4000.0, "time_shares": (0.0, 0.4, 1.0), "area_shares": (0.0, 0.3, 1.0)},
    (Transform, "cascade"): {"count": 2.5},
    (Transform, "snyder-unit-hydrograph"): {"coefficient": 0.55},
    (Transform, "typed-unit-hydrograph"): {
        "duration": 900.0, "times": (1800.0, 3600.0, 7200.0), "flows": (4.0, 7.0, 0.0),
    },
    (Transform, "travel-time"): {
        "arrival_times": (0.0, 900.0, 3600.0), "area_shares": (0.0, 0.4, 1.0), "storage": 600.0,
    },
    (Transform, "kinematic-plane"): {"plane_length": 120.0, "plane_slope": 0.03, "roughness": 0.2},
    (Transform, "nonlinear-storage"): {"response": 2400.0, "exponent": 0.8, "count": 4},
    (Transform, "triangular-unit-hydrograph"): {"base_ratio": 3.0},
    (GroundFeature, "alignment"): {"name": "One", "line": "0" * 32},
    (GroundFeature, "culvert"): {"name": "One", "line": "0" * 32},
    (GroundFeature, "burned-stream"): {"name": "One", "line": "0" * 32, "depth": 2.5},
    (GroundFeature, "wall"): {"name": "One", "line": "0" * 32, "height": 1.2},
    (GroundFeature, "kept-depression"): {"name": "One", "line": "0" * 32},
    (Element, "catchment"): {"name": "One", "area": 5e5, "lag": 1500.0},
    (Element, "reach"): {"name": "One", "method": {"method": "none"}},
    (Element, "confluence"): {"name": "One"},
    (Element, "outfall"): {"name": "One"},
    (Element, "pond"): {"name": "One"},
    (Element, "split"): {"name": "One"},
    (SplitRule, "rating"): {"flows": (0.0, 4.0, 9.0), "second": (0.0, 1.0, 5.0)},
    (StorageForm, "contours"): {"levels": (0.0, 1.0, 3.0), "areas": (900.0, 1500.0, 2400.0)},
    (StorageForm, "stage-volume"): {"levels": (0.0, 1.0, 3.0), "volumes": (0.0, 1200.0, 5000.0)},
    (Device, "typed-rating"): {"levels": (0.0, 1.0, 3.0), "flows": (0.0, 2.0, 4.0)},
    (Device, "round-riser"): {"crest": 1.0, "outlet": {"method": "round-pipe", "diameter": 0.6}},
    (Device, "box-riser"): {"crest": 1.0, "outlet": {"method": "box-culvert", "width": 0.6}},
    (Tailwater, "rated-level"): {"flows": (0.0, 9.0), "levels": (0.0, 2.0)},
    (Tailwater, "level-below"): {"element": "mere"},
    (Element, "inflow"): {"name": "One", "times": (0.0, 1800.0, 9000.0), "flows": (0.0, 2.0, 0.0)},
    (GivenStorm, "typed"): {"name": "One", "step": 900.0, "depths": (3.0, 0.0, 12.5, 4.0)},
    (GivenStorm, "recorded"): {
        "name": "One", "step": 900.0, "origin": datetime(2019, 6, 2, 14, tzinfo=UTC), "rain": {"hask": (2.0, 9.0, 0.0)},
    },
}  # fmt: skip


def models_from(annotation, seen):
    """Every model that a field may hold, and the unions met on the way."""
    for part in [annotation, *typing.get_args(annotation)]:
        if isinstance(part, OneOf):
            yield from unions_in(seen, part.kind, *part.kind.known.values())
            yield part
        elif isinstance(part, type) and issubclass(part, Model):
            yield from unions_in(seen, part)
        elif part is not annotation:
            yield from models_from(part, seen)


def unions_in(seen, *models):
    for model in models:
        if model in seen:
            continue
        seen.add(model)
        for field in model.model_fields.values():
            for held in field.metadata:
                if isinstance(held, OneOf):
                    yield from unions_in(seen, held.kind, *held.kind.known.values())
                    yield held
            yield from models_from(field.annotation, seen)


MODELS: set = set()
UNIONS = list({union.kind: union for union in unions_in(MODELS, Study)}.values())
#: Only what the program has: strangers of other tests come and go.
MEMBERS = [
    (union, tag)
    for union in UNIONS
    for tag, model in union.kind.known.items()
    # outlets of risers and barrels are devices, which come by themselves
    if union.kind not in (Outlet, Conduit)
    if model.__module__.startswith("tarnwater.")
]
METHODS = [member for member in MEMBERS if issubclass(member[0].kind, Method)]
#: Fields with a fixed choice of words.
WORDS = [
    (model, name, typing.get_args(field.annotation))
    for model in sorted(MODELS, key=lambda model: model.__qualname__)
    for name, field in model.model_fields.items()
    if not inspect.isabstract(model)
    if typing.get_origin(field.annotation) is typing.Literal and len(typing.get_args(field.annotation)) > 1
]


def named(member):
    return f"{member[0].kind.__name__} {member[1]}"


def example(union, tag):
    return union.kind.known[tag](**EXAMPLES.get((union.kind, tag), {}))


@cache
def plain_study():
    """A catchment and a reach above an outfall, with nested and other storms, and a condition of its own."""
    land = Catchment(
        name="Hask", area=3e6, flow_length=2600.0, path_slope=0.02, mean_slope=0.05, timing={"method": "nrcs-lag"},
        surfaces=(Surface(name="whole", share=1.0, loss={"method": "curve-number", "curve_number": 80.0}),),
    )  # fmt: skip
    made = edits.add_element(Study(title="Unions"), land.refreshed())
    made = edits.add_element(made, Reach(name="Beck", length=1000.0, celerity=1.5).refreshed())
    made = edits.add_element(edits.add_element(made, pool("Pool")), pool("Mere"))
    made = edits.add_element(made, Outfall(name="Bridge"))
    channel = MuskingumCunge(channel_length=500.0, bed_slope=0.004)
    made = edits.add_element(made, Reach(name="River", method=channel).refreshed())
    made = edits.add_element(edits.add_element(made, Split(name="Fork")), Outfall(name="Side"))
    for up, down in (
        ("hask", "beck"),
        ("beck", "fork"),
        ("fork", "pool"),
        ("fork", "side"),
        ("pool", "mere"),
        ("mere", "river"),
        ("river", "bridge"),
    ):
        made = edits.connect(made, up, down)
    table = DepthTable(durations=(HOUR, 6 * HOUR, 24 * HOUR), return_periods=(10.0, 100.0),
                       depths=((28.0, 43.0), (55.0, 88.0), (70.0, 120.0)), series="annual maxima")  # fmt: skip
    made = edits.set_table(made, "t", table)
    family = StormFamily(name="Design", table="t", return_periods=(10.0, 100.0), durations=(HOUR, 6 * HOUR),
                         pattern={"method": "huff"})  # fmt: skip
    return edits.add_condition(edits.set_family(made, "f", family), "Built")


def pool(name):
    return Pond(
        name=name, storage=(Prism(depth=4.0, plan_area=9000.0),), devices=(BroadWeir(name="weir", crest=0.5),),
        zones=(ZoneByDepth(name="all"),),
    )  # fmt: skip


PLACES = {
    Section: ("river", "method/section"), SplitRule: ("fork", "rule"),
    StorageForm: ("pool", "storage/0"), Zone: ("pool", "zones/0"), Device: ("pool", "devices/0"),
    Tailwater: ("pool", "tailwater"),
    SurfaceRoute: ("hask", "surfaces/0/route"),
    Loss: ("hask", "surfaces/0/loss"), Timing: ("hask", "timing"), Transform: ("hask", "transform"),
    Baseflow: ("hask", "baseflow"), Routing: ("beck", "method"),
}  # fmt: skip


def study_with(union, tag):
    """The plain study with a member of a union in it."""
    study, one = plain_study(), example(union, tag)
    if union.kind in PLACES:
        return edits.choose(study, *PLACES[union.kind], one)
    if union.kind is Pattern:
        lengths = {"durations": (24 * HOUR,), "length": 24 * HOUR} if one.nested else {}
        return edits.set_family(study, "f", study.families["f"].model_copy(update={"pattern": one}).__class__(
            **{**study.families["f"].model_dump(exclude={"pattern", "durations", "length"}), "pattern": one,
               "durations": (HOUR, 6 * HOUR), **lengths}))  # fmt: skip
    if union.kind is Depths:
        return edits.set_table(study, "t", one)
    if union.kind is Distribution:
        gauge = Gauge(name="One", series="0" * 32, maxima=MaximaRule(distribution=one))
        return changed(study, gauges={"one": gauge})
    if union.kind is Equation:
        return edits.set_table(study, "t", DepthEquation(equation=one, series="annual maxima"))
    if union.kind is GivenStorm:
        return edits.set_storm(study, "one", one)
    if union.kind is GroundFeature:
        return changed(study, ground_features={"one": one})
    return edits.add_draining(study, one, "one", "" if one.is_end else "beck")


def held_in(union, study):
    """The member of a union that stands in a study made with it."""
    if union.kind in PLACES:
        key, path = PLACES[union.kind]
        return value_at(study.elements[key], path)
    if union.kind is Pattern:
        return study.families["f"].pattern
    if union.kind is Equation:
        return study.tables["t"].equation
    if union.kind is Distribution:
        return study.gauges["one"].maxima.distribution
    if union.kind is Depths:
        return study.tables["t"]
    held = {GivenStorm: study.storms, GroundFeature: study.ground_features}
    return held.get(union.kind, study.elements)["one"]


def test_the_battery_holds_every_union_of_the_document_and_every_member_of_each():
    assert {union.kind for union in UNIONS} == {
        Loss, Timing, Transform, Baseflow, Routing, Pattern, Element, GivenStorm, GroundFeature,
        Depths, Equation, Distribution, SurfaceRoute, StorageForm, Device, Outlet, Tailwater, SplitRule, Section,
        Zone, Conduit,
    }  # fmt: skip
    for union, tag in MEMBERS:
        needed = [name for name, field in union.kind.known[tag].model_fields.items() if field.is_required()]
        assert set(needed) <= set(EXAMPLES.get((union.kind, tag), {})), f"{named((union, tag))} has no example"
    assert {type(example(u, t)) for u, t in MEMBERS if u.kind is Pattern} == {
        AlternatingBlock, Balanced, Chicago, Ensemble, Huff, Triangular, TwentyFourHour, TypedCurve, Uniform,
    }  # fmt: skip
    assert len(WORDS) >= 5


@pytest.mark.parametrize("member", MEMBERS, ids=named)
def test_it_is_written_and_read_back_as_what_it_is(member, tmp_path):
    study = study_with(*member)
    held = held_in(member[0], study)
    assert held.tag() == member[1]
    again = study_from(json.loads(study.as_text()))
    assert again == study
    assert type(held_in(member[0], again)) is type(held)
    assert pickle.loads(pickle.dumps(study)) == study
    for form in ("one.tarn.gpkg", "one.tarn.json"):
        create_study(tmp_path / form, study, Blobs())
        assert read_study(tmp_path / form)[0] == study
    # what tells it from the others is in the file
    assert json.loads(held.model_dump_json())[member[0].tag] == member[1]


def objects_in(node):
    """Every object of a schema."""
    if isinstance(node, dict):
        yield node
    for part in node.values() if isinstance(node, dict) else node if isinstance(node, list) else ():
        yield from objects_in(part)


@pytest.fixture(scope="module")
def schema():
    return list(objects_in(Study.model_json_schema()))


@pytest.mark.parametrize("member", MEMBERS, ids=named)
def test_the_schema_knows_it(member, schema):
    model = member[0].kind.known[member[1]]
    (told,) = {
        tuple(sorted(one["properties"]))
        for one in schema
        if one.get("title") == model.__name__
        and one.get("properties", {}).get(member[0].tag, {}).get("const") == member[1]
    }
    assert set(told) == set(model.model_fields)


def with_tag(member, change):
    """The document of a study with a member of a union, changed where the member stands."""
    document = json.loads(study_with(*member).as_text())

    def walk(node):
        if isinstance(node, dict):
            if node.get(member[0].tag) == member[1] and (member[0].kind is not Element or node.get("name") == "One"):
                change(node)
                return
            for part in node.values():
                walk(part)
        elif isinstance(node, list):
            for part in node:
                walk(part)

    walk(document)
    return document


@pytest.mark.parametrize("member", MEMBERS, ids=named)
@pytest.mark.parametrize("given", ["no-such-thing", None, 3, ["x"], {}, True], ids=repr)
def test_another_word_in_the_place_of_its_tag_is_refused_and_says_which_there_are(member, given):
    union = member[0]
    document = with_tag(member, lambda node: node.update({union.tag: given}))
    with pytest.raises((StudyFileError, BadInput)) as refused:
        study_of_any_format(document)
    assert next(iter(union.kind.known)) in str(refused.value)


@pytest.mark.parametrize("member", MEMBERS, ids=named)
def test_a_field_that_it_does_not_have_is_refused_by_name(member):
    document = with_tag(member, lambda node: node.update(surplus_field=1.0))
    with pytest.raises((StudyFileError, BadInput), match="surplus"):
        study_of_any_format(document)


@pytest.mark.parametrize("given", [[], "curve-number", 3, None], ids=repr)
@pytest.mark.parametrize("union", UNIONS, ids=lambda union: union.kind.__name__)
def test_what_is_no_object_is_refused(union, given):
    if given is None and union.optional:
        pytest.skip("such a field may hold nothing")
    with pytest.raises(ValueError, match="is an object with the field"):
        union._read(given)


@pytest.mark.parametrize("member", MEMBERS, ids=named)
def test_its_cases_are_computed_or_withheld_with_the_reason_and_the_water_balances(member):
    study = study_with(*member)
    results = compute_cases(study)
    stops = [finding for finding in check(study) if finding.severity == "stop"]
    assert results.cases or (results.withheld and stops)
    for case in results.cases:
        # rounding only
        assert abs(float(case.run.balance.error[case.index])) < 1e-12
    assert not [finding for finding in check_results(results) if finding.code == "balance"]
    if not results.cases:
        assert all(withheld.reason for withheld in results.withheld)


@pytest.mark.parametrize("member", MEMBERS, ids=named)
def test_its_peaks_are_reckoned_from_their_inputs(member):
    study = study_with(*member)
    results = compute_cases(study)
    for answer in results.answers()[:1]:
        case = answer.result
        for key in case.network.elements:
            for node in explain(study, case, key, "peak", results=results).walk():
                made = node.recomputed()
                value = node.value.flow if isinstance(node.value, Hydrograph) else node.value
                made = made.flow if isinstance(made, Hydrograph) else made
                if node.evaluate is not None and isinstance(value, float):
                    assert made == pytest.approx(value, rel=1e-12, abs=1e-12), (key, node.title)


@pytest.mark.parametrize("member", MEMBERS, ids=named)
def test_making_it_is_an_act_that_is_undone_and_done_again(member):
    history = History(plain_study())
    before, after = history.study, study_with(*member)
    history.do(lambda study: after)
    history.undo()
    assert history.study == before
    history.redo()
    assert history.study == after


@pytest.mark.parametrize("member", [m for m in METHODS if m[0].kind in PLACES], ids=named)
def test_a_method_is_chosen_in_one_condition_only(member):
    union, tag = member
    key, path = PLACES[union.kind]
    plain = plain_study()
    study = edits.choose(plain, key, path, example(union, tag), condition="built")
    assert value_at(resolve(study, "existing").elements[key], path) == value_at(plain.elements[key], path)
    assert value_at(resolve(study, "built").elements[key], path) == held_in(union, study_with(union, tag))
    again = study_from(json.loads(study.as_text()))
    assert again.as_text() == study.as_text()
    assert resolve(again, "built").elements == resolve(study, "built").elements


@pytest.mark.parametrize("member", [m for m in METHODS if m[0].kind in PLACES], ids=named)
def test_a_method_is_chosen_by_words(member):
    union, tag = member
    key, path = PLACES[union.kind]
    # a part of an element is named by its position
    field = path.replace("/", ".") if path[-1].isdigit() else path.rsplit("/", 1)[-1]
    given = EXAMPLES.get((union.kind, tag), {})
    if any(isinstance(value, dict) for value in given.values()):
        pytest.skip("what it holds is chosen in a second act")
    said = {name: ", ".join(map(str, v)) if isinstance(v, tuple) else str(v) for name, v in given.items()}
    words = {field: tag, **{f"{field}.{name}": text for name, text in said.items()}}
    assert held_in(union, assign(plain_study(), key, words)) == held_in(union, study_with(union, tag))


def complained_of(model, **given):
    """Fields that a model complains of."""
    try:
        model(**given)
    except ValidationError as error:
        return {found["loc"][0] for found in error.errors() if found["loc"]}
    return set()


@pytest.mark.parametrize(("model", "name", "words"), WORDS, ids=lambda part: getattr(part, "__name__", str(part)))
def test_a_choice_of_words_takes_those_and_no_other(model, name, words):
    assert not any(name in complained_of(model, **{name: word}) for word in words)
    for other in ("no-such-word", "", words[0].upper() + "x", None, 3, True, [words[0]]):
        assert name in complained_of(model, **{name: other}), other


def test_frozen_fields_hold_members_too():
    study = study_with(next(u for u in UNIONS if u.kind is Element), "inflow")
    assert isinstance(study.elements, FrozenDict)
    with pytest.raises(TypeError):
        study.elements["one"] = None
