"""Checks of how elements are connected, in each condition."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from functools import partial

from tarnwater.errors import NetworkError
from tarnwater.network.elements import Outfall
from tarnwater.network.graph import Network
from tarnwater.study import edits
from tarnwater.study.document import Study
from tarnwater.study.findings import Finding, Remedy


def no_outlet(study: Study, condition: str, network: Network) -> Iterator[Finding]:
    """A network that ends nowhere."""
    if network.elements and not any(isinstance(e, Outfall) for e in network.elements.values()):
        yield Finding(
            "no-outlet",
            "stop",
            "the network has no outfall.",
            (Remedy("Add an outfall and connect to it."),),
            field="elements",
        )


def dangling_links(study: Study, condition: str, network: Network) -> Iterator[Finding]:
    """Links to elements that are not there."""
    for key, link in network.links.items():
        for end in (link.up, link.down):
            if end not in network.elements:
                remove = Remedy("Remove the link.", partial(edits.disconnect, link=key))
                yield Finding(
                    "dangling-link",
                    "stop",
                    f"the link from {study.name_of(link.up)} to {study.name_of(link.down)} "
                    f"has no {study.name_of(end)} to hold to.",
                    (remove,),
                    field=f"links/{key}",
                )


def loops(study: Study, condition: str, network: Network) -> Iterator[Finding]:
    """Links that run in a circle."""
    try:
        _ = network.order
    except NetworkError as error:
        yield Finding("loop", "stop", error.what, (Remedy(error.remedy),), field="links")


def leads_nowhere(study: Study, condition: str, network: Network) -> Iterator[Finding]:
    """Elements whose water goes nowhere, and those with more links than they may have."""
    for key, element in network.elements.items():
        down = len(network.downstream[key])
        if not down and not isinstance(element, Outfall):
            yield Finding(
                "leads-nowhere",
                "doubt",
                "nothing is connected below it; its water leaves the study here.",
                (Remedy("Connect it to the next element, or to an outfall."),),
                element=key,
            )
        if down > 1 and not element.several_down:
            yield Finding(
                "two-links-down",
                "stop",
                "it drains to more than one element, and its water would count twice.",
                (Remedy("Keep one of its links."),),
                element=key,
            )


def same_link_twice(study: Study, condition: str, network: Network) -> Iterator[Finding]:
    """Two links between the same elements, which would count the water twice."""
    for (up, down), count in Counter((link.up, link.down) for link in network.links.values()).items():
        if count > 1:
            yield Finding(
                "link-doubled",
                "stop",
                f"it is connected {count} times to {study.name_of(down)}.",
                (Remedy("Keep one of the links."),),
                element=up,
            )


CHECKS = (no_outlet, dangling_links, loops, leads_nowhere, same_link_twice)
