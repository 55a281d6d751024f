"""Checks of how elements are connected, in each condition."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from tarnwater.network.graph import Network
from tarnwater.study import edits
from tarnwater.study.checks.findings import Finding, Remedy
from tarnwater.study.document import Study


def no_outlet(study: Study, condition: str, network: Network) -> Iterator[Finding]:
    """A network without an outfall."""
    if network.elements and not any(e.is_end for e in network.elements.values()):
        yield Finding(
            "no-outlet",
            "doubt",
            "the network has no outfall; answers are given where its water ends.",
            (Remedy("Add an outfall and connect to it."),),
            field="elements",
        )


def faults(study: Study, condition: str, network: Network) -> Iterator[Finding]:
    """Links to nothing, links that count water twice, loops."""
    for fault in network.faults:
        edit = None
        if fault.code == "dangling-link":
            edit = partial(edits.disconnect, link=fault.link)
            if fault.link not in study.links:
                edit = partial(edits.change_link, condition=condition, link=fault.link, to=None)
        yield Finding(
            fault.code,
            "stop",
            fault.what,
            (Remedy(fault.remedy, edit),),
            element=fault.element,
            field=f"links/{fault.link}" if fault.link else "" if fault.element else "links",
        )


def leads_nowhere(study: Study, condition: str, network: Network) -> Iterator[Finding]:
    """Elements without a link down."""
    for key, element in network.elements.items():
        if not network.downstream[key] and not element.is_end:
            yield Finding(
                "leads-nowhere",
                "doubt",
                "nothing is connected below it; its water leaves the study here.",
                (Remedy("Connect it to the next element, or to an outfall."),),
                element=key,
            )


def unused_settings(study: Study, condition: str, network: Network) -> Iterator[Finding]:
    """Settings of a condition for an element that does not exist."""
    for path in study.conditions[condition].settings:
        key = path.split("/", 1)[0]
        if key not in study.all_elements:
            yield Finding(
                "setting-unused",
                "doubt",
                f"it sets {path.replace('/', ', ')}, but the study has no such element.",
                (Remedy("Add the element, or leave the setting out."),),
                field="conditions",
            )


CHECKS = (no_outlet, faults, leads_nowhere, unused_settings)
