"""Checks of ponds: where their water goes, and what became of it."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from tarnwater.network.elements import Pond
from tarnwater.network.graph import Network
from tarnwater.study import edits
from tarnwater.study.answers import CaseResult, Results
from tarnwater.study.checks.findings import Finding, Remedy
from tarnwater.study.document import Study
from tarnwater.units import show


def leads(study: Study, condition: str, network: Network) -> Iterator[Finding]:
    """Devices that lead to an element that is not below their pond, and tailwater of one that has no level."""
    for key, pond in network.elements.items():
        if not isinstance(pond, Pond):
            continue
        below = network.downstream[key]
        for number, device in enumerate(pond.devices):
            if device.leads_to and device.leads_to not in below:
                place = f"devices/{number}/leads_to"
                first = partial(edits.choose, element=key, field=place, value="")
                yield Finding(
                    "device-leads-nowhere",
                    "stop",
                    f"“{device.sign}” leads to “{study.name_of(device.leads_to)}”, which is not below the pond.",
                    (Remedy("Let it lead to the first element below.", first), Remedy("Connect the pond to it.")),
                    element=key,
                    field=place,
                )
        felt = pond.tailwater.feels
        if type(pond.tailwater).model_fields.keys() & {"element"} and not _has_level(network, felt):
            named = f"“{study.name_of(felt)}” has no level" if felt else "no element is named whose level it is"
            yield Finding(
                "tailwater-without-level",
                "stop",
                f"the tailwater of the pond is unknown: {named}.",
                (Remedy("Name a pond with storage and an outlet below it, or choose another tailwater."),),
                element=key,
                field="tailwater/element",
            )


def _has_level(network: Network, key: str) -> bool:
    other = network.elements.get(key)
    return isinstance(other, Pond) and not other.passes


def overflows(results: Results, search: object) -> Iterator[Finding]:
    """Ponds that flow over, told once for each condition with the worst case."""
    yield from _worst(results, "pond-overflows", _spilled, _overflow_words)


def freeboards(results: Results, search: object) -> Iterator[Finding]:
    """Ponds whose water rises into their freeboard, told once for each condition with the worst case."""
    yield from _worst(results, "freeboard-used", _into_freeboard, _freeboard_words)


def _worst(results: Results, code: str, measure: object, words: object) -> Iterator[Finding]:
    found: dict[tuple[str, str], tuple[float, CaseResult]] = {}
    for case in results.cases:
        for key, element in case.network.elements.items():
            if isinstance(element, Pond) and not element.passes:
                much = measure(case, key, element)  # type: ignore[operator]
                at = case.case.condition, key
                if much > 0 and (at not in found or much > found[at][0]):
                    found[at] = much, case
    for (condition, key), (much, case) in found.items():
        told = words(results, case, key, much)  # type: ignore[operator]
        yield Finding(
            code,
            "doubt",
            f"{case.case.storm.words(results.study)}: {told}",
            (Remedy("Give it more storage or larger outlets, or a spillway."),),
            element=key,
            condition=condition,
            field="storage",
        )


def _spilled(case: CaseResult, key: str, pond: Pond) -> float:
    return case.pool(key).spilled if case.pool(key) is not None else 0.0  # type: ignore[union-attr]


def _overflow_words(results: Results, case: CaseResult, key: str, much: float) -> str:
    lost = " and is lost" if case.network.elements[key].overflow == "lost" else ""  # type: ignore[attr-defined]
    return f"the pond flows over its top: {show(much, 'volume', results.study.units)}{lost}."


def _into_freeboard(case: CaseResult, key: str, pond: Pond) -> float:
    pool = case.pool(key)
    if pool is None or pond.store is None or pond.freeboard == 0:
        return 0.0
    return pool.top - (pond.store.top - pond.freeboard)


def _freeboard_words(results: Results, case: CaseResult, key: str, much: float) -> str:
    return f"the water rises {show(much, 'height', results.study.units)} into the freeboard."


CHECKS = (leads,)
OF_RESULTS = (overflows, freeboards)
