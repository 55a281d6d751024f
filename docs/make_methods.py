"""Makes ``methods.md`` from the descriptions of methods and parameters; ``make docs`` runs it."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from tarnwater import units
from tarnwater.methods import Method
from tarnwater.parameters import Description
from tarnwater.rain.areal import ArealReduction
from tarnwater.rain.equations import Equation
from tarnwater.rain.frequency.distributions import Distribution
from tarnwater.rain.patterns import Pattern
from tarnwater.routing.channels import Section
from tarnwater.routing.ponds import StorageForm, Tailwater
from tarnwater.routing.ponds.zones import Zone
from tarnwater.routing.reaches import Routing
from tarnwater.routing.splits import SplitRule
from tarnwater.routing.works import Device
from tarnwater.runoff.baseflow import Baseflow
from tarnwater.runoff.losses import Loss
from tarnwater.runoff.timing import Timing
from tarnwater.runoff.transforms import Transform
from tarnwater.terrain.features import GroundFeature

HERE = Path(__file__).parent

KINDS: list[tuple[str, type[Method]]] = [
    ("Losses", Loss),
    ("Timing", Timing),
    ("Transforms", Transform),
    ("Baseflow", Baseflow),
    ("Reaches", Routing),
    ("Sections of channels", Section),
    ("Splits", SplitRule),
    ("Storage of ponds", StorageForm),
    ("Outlet works of ponds", Device),
    ("Tailwater of ponds", Tailwater),
    ("Zones of ponds", Zone),
    ("Storm patterns", Pattern),
    ("Equations of depth, duration and frequency", Equation),
    ("Distributions of extremes", Distribution),
]


def page() -> str:
    """The whole page: the part written by hand, then a section a kind of method."""
    lines = [(HERE / "methods_by_hand.md").read_text(encoding="utf-8").rstrip(), ""]
    for title, kind in KINDS:
        lines += [f"## {title}", ""]
        for method in kind.known.values():
            lines += _method(method)
    lines += ["## Ground features", ""]
    for feature in GroundFeature.known.values():
        lines += _described(feature, feature.tag())
    lines += ["## Parameters of the areal reduction", "", *_parameters(ArealReduction), ""]
    return "\n".join(lines).rstrip() + "\n"


def _method(method: Any) -> Iterator[str]:
    yield from _described(method, method.model_fields["method"].default)


def _described(method: Any, tag: str) -> Iterator[str]:
    yield f"### {method.title[0].upper()}{method.title[1:]} (`{tag}`)"
    yield ""
    yield f"- Equation: {method.equation}"
    yield f"- Source: {method.source}"
    yield f"- Verified against: {method.verified}"
    yield ""
    rows = list(_parameters(method))
    if len(rows) > 2:
        yield from rows
        yield ""


def _parameters(model: Any) -> Iterator[str]:
    yield "| parameter | symbol | meaning | unit | range | usual | source |"
    yield "| --- | --- | --- | --- | --- | --- | --- |"
    for name, known in model.quantities():
        usual = "" if known.usual is None else " to ".join(_number(v, known) for v in known.usual)
        cells = [f"`{name}`", known.symbol, known.meaning, known.unit, _range(known), usual, known.source]
        yield "| " + " | ".join(cells) + " |"


def _range(known: Description) -> str:
    parts = [
        f"{sign} {_number(bound, known)}"
        for sign, bound in (("≥", known.least), (">", known.above), ("≤", known.most), ("<", known.below))
        if bound is not None
    ]
    return ", ".join(parts)


def _number(value: float, known: Description) -> str:
    return units.show_duration(value) if known.kind == "time" and value else f"{value:g}"


if __name__ == "__main__":
    (HERE / "methods.md").write_text(page(), encoding="utf-8")
