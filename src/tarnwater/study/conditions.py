"""Conditions: from differences to the plain network the engine computes."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any

from tarnwater.errors import UnknownName
from tarnwater.network.graph import Network
from tarnwater.network.memo import IdentityMemo
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


#: Elements as conditions change them; one that is the same again is not computed again either.
_CHANGED: IdentityMemo[Any] = IdentityMemo(most=4096)


def _by_element(condition: Condition) -> dict[str, dict[str, Any]]:
    found: dict[str, dict[str, Any]] = {}
    for path, typed in condition.settings.items():
        key, field = path.split("/", 1)
        found.setdefault(key, {})[field] = typed
    return found


def _with_settings(owner: Any, settings: Mapping[str, Any], condition: str) -> Any:
    parts, fields = (owner, *settings.values()), tuple(settings)
    known = _CHANGED.get(parts, fields)
    if known is not None:
        return known
    changed = owner
    for field, typed in settings.items():
        where = f"{condition}, {owner.name}"
        changed = checked(partial(with_value, changed, field, typed), where).refreshed()
    return _CHANGED.put(parts, changed, fields)


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
        for key, settings in _by_element(one).items():
            if key in elements:
                elements[key] = _with_settings(elements[key], settings, one.name)
            elif key not in study.all_elements:
                raise UnknownName(key, elements, kind="element", where=one.name)
        for key, link in one.links.items():
            if link is None:
                links.pop(key, None)
            else:
                links[key] = link
    return Network(elements, links)
