"""The study check.

`check` only reads the document and is fast, so it is always up to date; `check_results` reads the computed cases.
Codes never change. To add a check: write a function in the module it belongs to (``terrain``, ``land``, ``network``,
``element``, ``ponds``, ``channels``, ``rain``, ``results``), add it to the tuple at its foot, and give it a test.
"""

from __future__ import annotations

from dataclasses import replace

from tarnwater.network.elements import Element
from tarnwater.network.memo import IdentityMemo
from tarnwater.progress import Progress
from tarnwater.study.answers import Results
from tarnwater.study.checks import channels, element, land, network, ponds, rain, results, terrain
from tarnwater.study.checks.acceptance import settled
from tarnwater.study.checks.findings import Finding
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import resolve

__all__ = ["check", "check_results"]


def _of_element(study: Study, condition: str, name: str, model: Element) -> tuple[Finding, ...]:
    """Findings of an element, cached by the element, the steps, and what its cover and soil follow from."""
    memo: IdentityMemo[tuple[Finding, ...]] = study.memory.of("findings of elements", 8192)
    steps = study.run.step.value, tuple((key, point.step) for key, point in study.design_points.items())
    also = condition, name, steps
    parts = model, study.cover_classes, study.land_rules
    known = memo.get(parts, also)
    if known is not None:
        return known
    found = tuple(f for one in (*element.CHECKS, *land.OF_ELEMENTS) for f in one(study, condition, name, model))
    return memo.put(parts, found, also)


def check(study: Study) -> list[Finding]:
    """All findings of a study before it is computed, stops first."""
    found = [f for one in (*terrain.CHECKS, *land.CHECKS, *rain.CHECKS) for f in one(study)]
    seen: set[tuple[str, str, str, str]] = set()
    for key in study.conditions:
        resolved = resolve(study, key)
        own = [f for one in (*network.CHECKS, *ponds.CHECKS) for f in one(study, key, resolved)]
        for name, model in resolved.elements.items():
            own += _of_element(study, key, name, model)
        for finding in own:
            mark = (finding.code, finding.element, finding.field, finding.text)
            if mark not in seen:
                seen.add(mark)
                first = next(iter(study.conditions)) == key
                found.append(finding if first else replace(finding, condition=key))
    return settled(study, found)


def check_results(computed: Results, progress: Progress | None = None) -> list[Finding]:
    """All findings of computed cases, doubts first; raises `Cancelled`.

    Searches for remedies are limited in time; a finding says what was not tried.
    """
    search = results.Search(progress)
    found = [f for one in (*results.CHECKS, *ponds.OF_RESULTS, *channels.OF_RESULTS) for f in one(computed, search)]
    return settled(computed.study, found)
