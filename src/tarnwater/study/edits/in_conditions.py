"""Edits of the network that apply to one condition only: elements added, left out and connected there."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from tarnwater.errors import EditRefused, NetworkError, UnknownName
from tarnwater.frozen import FrozenDict
from tarnwater.network.elements import Element, Link, Outfall
from tarnwater.network.graph import Network
from tarnwater.study.document import Condition, Study, changed, checked
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits import choose, connect, remove_element, slug
from tarnwater.study.edits.act import edit


def home_of(study: Study, element: str) -> str:
    """Key of the condition that adds an element; empty for an element of the study itself."""
    if element in study.elements:
        return ""
    for key, condition in study.conditions.items():
        if element in condition.added:
            return key
    raise UnknownName(element, study.all_elements, kind="element")


@edit("add {element} in {condition}")
def add_draining_in(study: Study, condition: str, element: Element, key: str | None = None, into: str = "") -> Study:
    """Add an element in a condition, draining into another one there, or into its one outfall."""
    key = key or slug(element.name, study.all_elements)
    outfalls = [k for k, e in resolve(study, condition).elements.items() if e.is_end]
    study = _with(study, condition, added={**_of(study, condition).added, key: element})
    if element.is_end:
        return study
    if not into and not outfalls:
        outfall = slug("outfall", study.all_elements)
        study = add_draining_in(study, condition, Outfall(name="Outfall"), outfall)
        outfalls = [outfall]
    if not into and len(outfalls) == 1:
        into = outfalls[0]
    return connect_in(study, condition, key, into) if into else study


@edit("remove {element} in {condition}")
def remove_in(study: Study, condition: str, element: str) -> Study:
    """Remove an element from a condition: one that it adds is deleted, one of the study is left out there."""
    own = _of(study, condition)
    settings = {path: t for path, t in own.settings.items() if path.split("/", 1)[0] != element}
    links = {k: v for k, v in own.links.items() if v is None or element not in (v.up, v.down)}
    if element in own.added:
        added = {k: e for k, e in own.added.items() if k != element}
        points = study.design_points.without(element)
        study = _with(study, condition, added=added, settings=settings, links=links, also={"design_points": points})
        return study
    if element not in resolve(study, condition).elements:
        raise UnknownName(element, resolve(study, condition).elements, kind="element of this condition")
    left_out = tuple(dict.fromkeys((*own.left_out, element)))
    return _with(study, condition, left_out=left_out, links=links)


@edit("connect {up} to {down} in {condition}")
def connect_in(study: Study, condition: str, up: str, down: str) -> Study:
    """Connect one element to another in a condition only.

    If it may only have one link down, the other link is removed.
    """
    network = resolve(study, condition)
    for key in (up, down):
        if key not in network.elements:
            raise UnknownName(key, network.elements, kind="element of this condition")
    if network.elements[up].is_end:
        raise EditRefused("an outfall is an end; nothing drains on from it.", where=study.name_of(up))
    several = network.elements[up].several_down
    if several and any((link.up, link.down) == (up, down) for link in network.links.values()):
        return study
    own = _without(study, condition, [k for k, link in network.links.items() if link.up == up and not several])
    link = slug(f"{up} to {down}", {**study.links, **network.links, **own})
    own[link] = Link(up=up, down=down)
    after = _with(study, condition, links=own)
    try:
        _ = Network(network.elements, resolve(after, condition).links).order
    except NetworkError as error:
        raise EditRefused(error.what, where=f"{study.name_of(up)} to {study.name_of(down)}") from error
    return after


@edit("insert {element} below {up} in {condition}")
def lead_through_in(study: Study, condition: str, up: str, element: Element, key: str | None = None) -> Study:
    """Insert an element below another one in a condition; it drains to where that one did."""
    key = key or slug(element.name, study.all_elements)
    links = resolve(study, condition).links
    way, beyond = next(((k, link.down) for k, link in links.items() if link.up == up), ("", None))
    if way:
        study = _with(study, condition, links=_without(study, condition, [way]))
    study = _with(study, condition, added={**_of(study, condition).added, key: element})
    study = connect_in(study, condition, up, key)
    return connect_in(study, condition, key, beyond) if beyond is not None else study


@edit("remove {count} elements")
def remove_many(study: Study, values: Sequence[tuple[str, str]]) -> Study:
    """Remove many elements as one act, each a condition (empty for all of them) and a key.

    An element that was removed with another one is skipped.
    """
    for condition, element in values:
        if condition:
            study = remove_in(study, condition, element)
        elif element in study.elements:
            study = remove_element(study, element)
    return study


@edit("choose {field} of {count} elements")
def choose_many(
    study: Study,
    values: Sequence[tuple[str, str]],
    field: str,
    value: Any,
    *,
    by: str = "",
    at: str = "",
    note: str = "",
) -> Study:
    """Choose a method for many elements as one act, each a condition (empty for all of them) and a key."""
    for condition, element in values:
        study = choose(study, element, field, value, condition=condition, by=by, at=at, note=note)
    return study


@edit("connect {count} elements to {down}")
def connect_many(study: Study, values: Sequence[tuple[str, str]], down: str) -> Study:
    """Connect many elements to another one as one act, each given by a condition (empty for all of them) and a key."""
    for condition, up in values:
        study = connect_in(study, condition, up, down) if condition else connect(study, up, down)
    return study


def _without(study: Study, condition: str, links: Sequence[str]) -> dict[str, Link | None]:
    """Links of a condition without some: an inherited link is set to None there, an own one is deleted."""
    own: dict[str, Link | None] = {k: link for k, link in _of(study, condition).links.items() if k not in links}
    return own | {k: None for k in links if _has_elsewhere(study, condition, k)}


def _has_elsewhere(study: Study, condition: str, link: str) -> bool:
    """Whether a link comes from the study itself or from a condition above."""
    parent = _of(study, condition).parent
    if link in study.links:
        return True
    return parent is not None and link in resolve(study, parent).links


def _of(study: Study, condition: str) -> Condition:
    return study.conditions[study.condition_of(condition)]


def _with(study: Study, condition: str, also: dict[str, Any] | None = None, **fields: Any) -> Study:
    key, old = study.condition_of(condition), _of(study, condition)
    data = {name: getattr(old, name) for name in Condition.model_fields} | fields
    data = {name: FrozenDict(part) if type(part) is dict else part for name, part in data.items()}
    new = checked(lambda: Condition(**data), old.name)
    return changed(study, conditions=study.conditions.with_entry(key, new), **(also or {}))
