"""Conditions: from differences to the plain network the engine computes."""

from __future__ import annotations

from functools import partial

from tarnwater.errors import UnknownName
from tarnwater.network.graph import Network
from tarnwater.study.document import Condition, Study, checked
from tarnwater.study.fields import with_value


def lineage(study: Study, condition: str) -> list[Condition]:
    """A condition and its ancestors, the eldest first; `UnknownName` where there is none."""
    line = []
    key: str | None = study.condition_of(condition)
    while key is not None:
        line.append(study.conditions[key])
        key = study.conditions[key].parent
    return line[::-1]


def resolve(study: Study, condition: str) -> Network:
    """The network of a condition: the study's elements and links with each ancestor's differences.

    Elements come first, then those left out, then settings, then links; a link to an element that
    is left out goes with it. Values derived from changed settings are made anew. Settings of an
    element that a condition leaves out wait unused.
    """
    elements = dict(study.elements)
    links = dict(study.links)
    for one in lineage(study, condition):
        elements.update(one.added)
        for key in one.left_out:
            elements.pop(key, None)
        links = {k: link for k, link in links.items() if link.up not in one.left_out and link.down not in one.left_out}
        for path, typed in one.settings.items():
            key, field = path.split("/", 1)
            if key not in elements:
                if key not in study.all_elements:
                    raise UnknownName(key, elements, kind="element", where=one.name)
                continue
            owner, where = elements[key], f"{one.name}, {elements[key].name}"
            elements[key] = checked(partial(with_value, owner, field, typed), where).refreshed()
        for key, link in one.links.items():
            if link is None:
                links.pop(key, None)
            else:
                links[key] = link
    return Network(elements, links)
