"""The flow of a catchment explained: direct runoff of its surfaces, and the flow from the ground."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from tarnwater.hydrograph import Hydrograph, add_up
from tarnwater.methods import Derivation
from tarnwater.network.elements.element import AskedOfElement
from tarnwater.parameters import Setting
from tarnwater.reckoning import Reckoning
from tarnwater.runoff.baseflow import OverGround

if TYPE_CHECKING:
    from tarnwater.network.elements.catchment import Catchment


def flow(catchment: Catchment, asked: AskedOfElement) -> Derivation:
    """Runoff of the excess, and the flow from the ground."""
    direct = _direct(catchment, asked)
    runoff = None
    if catchment.baseflow.follows_runoff:
        runoff = _runoff_node(catchment.name, direct)
    base = _base(catchment, asked, runoff)

    def added(*values: Any) -> Hydrograph:
        flow, ground = direct.evaluate(*values[:-1]), values[-1]
        if isinstance(ground, Hydrograph):
            return add_up([flow, ground], np.empty_like(flow.flow), flow.step)
        found: Hydrograph = replace(flow, flow=flow.flow + ground)
        return found

    return Derivation(f"{direct.equation} + Qb", direct.source, (*direct.inputs, base), added)


def _direct(catchment: Catchment, asked: AskedOfElement) -> Derivation:
    """Runoff of the excess: together, and of each surface by itself."""
    if not catchment.apart:
        return catchment.transform.runoff(asked.excess, asked.steps, asked.method("transform"))
    parts = []
    if catchment.runs_together:
        rows = [n for n in range(len(catchment.surfaces)) if n not in catchment.apart]
        way = catchment.transform.runoff(asked.excess_on(rows), asked.steps, asked.method("transform"))
        parts.append(_runoff_node("the catchment", way))
    for number, route in catchment.apart.items():
        name = catchment.surfaces[number].name or f"surface {number + 1}"
        own = asked.method(f"surfaces/{number}/route/transform")
        way = route.transform.runoff(asked.excess_of(number), asked.steps, own)
        parts.append(_runoff_node(name, way))

    def added(*flows: Hydrograph) -> Hydrograph:
        whole = add_up(list(flows), np.empty_like(flows[0].flow), flows[0].step)
        return replace(whole, highest=None)

    terms = " + ".join(f"Qd{n + 1}" for n in range(len(parts)))
    nodes = tuple(replace(node, symbol=f"Qd{n + 1}") for n, node in enumerate(parts))
    return Derivation(terms, "superposition", nodes, added)


def _base(catchment: Catchment, asked: AskedOfElement, runoff: Reckoning | None) -> Reckoning:
    """The baseflow: one number where it is the same throughout."""
    method = catchment.baseflow
    names = [name for name, _ in method.quantities() if not _is_open(getattr(method, name))]
    own = asked.method("baseflow")
    beside = [*([runoff] if runoff else []), *([asked.infiltration, asked.area] if method.fed else [])]

    def respond(*values: Any) -> Any:
        around, settings = list(values[: len(beside)]), values[len(beside) :]
        direct = around.pop(0).flow if runoff else np.zeros((1, asked.steps + 1))
        entered = np.atleast_2d(around[0]) * 0.001 * around[1] if method.fed else None
        given = OverGround(asked.step, asked.steps, direct, entered, asked.begins)
        ground = method.with_values(names, settings).respond(given)
        if ground.flow.shape[1] == 1:
            return float(ground.flow[0, 0])
        return Hydrograph(ground.flow, asked.step, ground.uneven)

    inputs = (*beside, *(own.own(name) for name in names))
    return Reckoning(
        f"baseflow of {catchment.name}",
        respond(*(node.value for node in inputs)),
        "flow",
        symbol="Qb",
        equation=method.equation,
        source=method.source,
        origin="set in the study",
        inputs=inputs,
        evaluate=respond,
        place=f"{asked.key}/baseflow",
    )


def _runoff_node(name: str, way: Derivation) -> Reckoning:
    """The direct runoff of some surfaces, as a node."""
    return Reckoning(
        f"direct runoff of {name}", way.evaluate(*(node.value for node in way.inputs)), "flow", symbol="Qd",
        equation=way.equation, source=way.source, inputs=way.inputs, evaluate=way.evaluate,
    )  # fmt: skip


def _is_open(value: Any) -> bool:
    """Whether a value is a setting without a value."""
    return isinstance(value, Setting) and value.value is None
