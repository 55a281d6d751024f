"""Nothing outside the modules of methods knows which method it deals with: read from the syntax trees."""

import ast
from pathlib import Path

import pytest

import tarnwater
from tarnwater.methods import Method, kind_of
from tarnwater.network import elements
from tarnwater.rain.patterns import Pattern
from tarnwater.rain.storms import StormFamily
from tarnwater.routing.reaches import Routing
from tarnwater.runoff.baseflow import Baseflow
from tarnwater.runoff.losses import Loss
from tarnwater.runoff.timing import Timing
from tarnwater.runoff.transforms import LinearTransform, Transform

ROOT = Path(tarnwater.__file__).parent
KINDS = (Loss, Timing, Transform, Baseflow, Routing, Pattern)
CONCRETE = {method for kind in KINDS for method in kind.known.values() if method.__module__.startswith("tarnwater.")}
NAMES = {method.__name__ for method in CONCRETE}
TAGS = {method.tag() for method in CONCRETE}
#: Tags that are words of other things too: they count where something called ``method`` is compared.
ORDINARY = {"none", "typed", "constant"}
PACKAGES = (
    "runoff/losses",
    "runoff/timing",
    "runoff/transforms",
    "runoff/baseflow",
    "routing/reaches",
    "rain/patterns",
    "rain/areal.py",
)
#: The demo is a study like any other: it chooses methods.
EXCEPTED = ("demo/",)

OUTSIDE = [
    path for path in sorted(ROOT.rglob("*.py")) if not str(path.relative_to(ROOT)).startswith((*PACKAGES, *EXCEPTED))
]


def asks_for_a_concrete_method(tree):
    """Places where a tree tests for a concrete method, by its class or by its tag."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Call) and getattr(node.func, "id", "") in ("isinstance", "issubclass"):
            yield from (n.lineno for n in ast.walk(node.args[1]) if getattr(n, "id", getattr(n, "attr", "")) in NAMES)
        elif isinstance(node, ast.MatchClass):
            if getattr(node.cls, "id", getattr(node.cls, "attr", "")) in NAMES:
                yield node.lineno
        elif isinstance(node, ast.MatchValue):
            yield from (node.lineno for n in ast.walk(node.value) if getattr(n, "value", None) in TAGS)
        elif isinstance(node, ast.Compare):
            parts = [n for part in (node.left, *node.comparators) for n in ast.walk(part)]
            of_method = any(getattr(n, "attr", getattr(n, "id", "")) == "method" for n in parts)
            tags = TAGS if of_method else TAGS - ORDINARY
            for n in parts:
                named = getattr(n, "id", getattr(n, "attr", "")) in NAMES
                if named or (isinstance(n, ast.Constant) and isinstance(n.value, str) and n.value in tags):
                    yield node.lineno


@pytest.mark.parametrize("path", OUTSIDE, ids=lambda p: str(p.relative_to(ROOT)))
def test_no_module_outside_asks_which_method_it_is(path):
    assert list(asks_for_a_concrete_method(ast.parse(path.read_text()))) == []


@pytest.mark.parametrize(
    "text",
    [
        "isinstance(x, CurveNumber)",
        "isinstance(x, (A, losses.CurveNumber))",
        "match x:\n case Muskingum():\n  pass",
        "match x:\n case Reach(method=Muskingum()):\n  pass",
        "match x.method:\n case 'muskingum':\n  pass",
        "type(x) is NoLoss",
        "x.method == 'curve-number'",
        "x.method in ('kirpich', 'y')",
        "x.baseflow.method == 'none'",
    ],
)
def test_the_reader_of_trees_finds_what_it_looks_for(text):
    assert list(asks_for_a_concrete_method(ast.parse(text)))


def test_every_kind_states_its_contract_and_every_method_its_source():
    for kind in KINDS:
        assert kind.__abstractmethods__, kind
        assert kind.known
        for method in kind.known.values():
            assert issubclass(method, kind)
            assert not method.__abstractmethods__
            assert all((method.title, method.equation, method.source, method.verified))
            for name in method.needs:
                assert name in method.model_fields
    assert LinearTransform.__abstractmethods__


def test_each_field_that_holds_a_method_names_its_kind():
    held = {
        (elements.Surface, "loss"): Loss,
        (elements.Catchment, "timing"): Timing,
        (elements.Catchment, "transform"): Transform,
        (elements.Catchment, "baseflow"): Baseflow,
        (elements.Reach, "method"): Routing,
        (StormFamily, "pattern"): Pattern,
    }
    for (model, name), kind in held.items():
        assert kind_of(model.model_fields[name]) is kind
    assert issubclass(Loss, Method)


@pytest.mark.parametrize(
    "path", ["network/engine.py", "network/graph.py", "network/runs.py", "study/answers/results.py"]
)
def test_what_computes_knows_no_element_by_name(path):
    names = {one.__name__ for one in elements.Element.known.values()}
    tree = ast.parse((ROOT / path).read_text())
    assert not [n.lineno for n in ast.walk(tree) if isinstance(n, ast.Name) and n.id in names]
    assert names >= {"Catchment", "Confluence", "Inflow", "Outfall", "Reach"}
