"""Checks of ponds: where their water goes, and what became of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

from tarnwater.network.elements import Pond, Split
from tarnwater.network.graph import Network
from tarnwater.study import edits
from tarnwater.study.answers import CaseResult, Results
from tarnwater.study.checks.findings import Finding, Remedy
from tarnwater.study.document import Study
from tarnwater.units import System, show

#: How much of something a pond has in a case, and the words for it.
Measure = Callable[[CaseResult, str, Pond], float]
Words = Callable[[Pond, float, System], str]


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
        if pond.tailwater.of_element and not _has_level(network, felt):
            named = f"“{study.name_of(felt)}” has no level" if felt else "no element is named whose level it is"
            yield Finding(
                "tailwater-without-level",
                "stop",
                f"the tailwater of the pond is unknown: {named}.",
                (Remedy("Name a pond with an outlet or a reach with section and bed level, or choose another."),),
                element=key,
                field="tailwater/element",
            )


def _has_level(network: Network, key: str) -> bool:
    other = network.elements.get(key)
    return other is not None and not other.missing() and other.has_level


def ways_of_splits(study: Study, condition: str, network: Network) -> Iterator[Finding]:
    """Splits whose second way leads to an element that is not below them, or that have one way only."""
    for key, split in network.elements.items():
        if not isinstance(split, Split):
            continue
        below = network.downstream[key]
        if split.diverts_to and split.diverts_to not in below:
            clear = partial(edits.choose, element=key, field="diverts_to", value="")
            yield Finding(
                "split-leads-nowhere",
                "stop",
                f"its second way leads to “{study.name_of(split.diverts_to)}”, which is not below it.",
                (Remedy("Let the second way be the last link.", clear), Remedy("Connect the split to it.")),
                element=key,
                field="diverts_to",
            )
        elif len(below) == 1:
            yield Finding(
                "split-with-one-way",
                "note",
                "one element is below the split, so that all flow goes there.",
                (Remedy("Connect it to the element of the second way."),),
                element=key,
            )


def overflows(results: Results, search: object) -> Iterator[Finding]:
    """Ponds that flow over, told once for each condition with the worst case."""
    yield from _worst(results, "pond-overflows", _spilled, _overflow_words)


def freeboards(results: Results, search: object) -> Iterator[Finding]:
    """Ponds whose water rises into their freeboard, told once for each condition with the worst case."""
    yield from _worst(results, "freeboard-used", _into_freeboard, _freeboard_words)


def _worst(results: Results, code: str, measure: Measure, words: Words) -> Iterator[Finding]:
    found: dict[tuple[str, str], tuple[float, CaseResult]] = {}
    for case in results.cases:
        for key, element in case.network.elements.items():
            if isinstance(element, Pond) and not element.passes:
                much = measure(case, key, element)
                at = case.case.condition, key
                if much > 0 and (at not in found or much > found[at][0]):
                    found[at] = much, case
    for (condition, key), (much, case) in found.items():
        pond = case.network.elements[key]
        assert isinstance(pond, Pond)
        told = words(pond, much, results.study.units)
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
    pool = case.pool(key)
    return 0.0 if pool is None else pool.spilled


def _overflow_words(pond: Pond, much: float, system: System) -> str:
    lost = ", which is lost" if pond.overflow == "lost" else ""
    return f"the pond flows over its top: {show(much, 'volume', system)}{lost}."


def _into_freeboard(case: CaseResult, key: str, pond: Pond) -> float:
    pool = case.pool(key)
    if pool is None or pond.store is None or pond.freeboard == 0:
        return 0.0
    return pool.top - (pond.store.top - pond.freeboard)


def _freeboard_words(pond: Pond, much: float, system: System) -> str:
    return f"the water rises {show(much, 'height', system)} into the freeboard."


CHECKS = (leads, ways_of_splits)
OF_RESULTS = (overflows, freeboards)
