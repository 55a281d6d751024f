"""Edits of conditions: add, remove, and their differences."""

from __future__ import annotations

from tarnwater.errors import EditRefused, UnknownName
from tarnwater.network.elements import Element, Link
from tarnwater.study.document import Condition, Study, changed, checked
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.names import slug
from tarnwater.study.edits.replacing import with_condition


@edit("add condition {name}")
def add_condition(study: Study, name: str, parent: str | None = None, note: str = "") -> Study:
    """Add a condition that is still equal to its parent."""
    parent = None if parent is None else study.condition_of(parent)
    if name.casefold() in (c.name.casefold() for c in study.conditions.values()):
        raise EditRefused("there is a condition of that name.", where=name, remedy="Choose another name.")
    key = slug(name, study.conditions)
    condition = checked(lambda: Condition(name=name, parent=parent, note=note), name)
    return changed(study, conditions=study.conditions.with_entry(key, condition))


@edit("remove condition {condition}")
def remove_condition(study: Study, condition: str) -> Study:
    """Remove a condition with its maps of cover and soil; refused for the last one, and where others stand on it."""
    key = study.condition_of(condition)
    heirs = [c.name for c in study.conditions.values() if c.parent == key]
    limited = [k for k, p in study.design_points.items() if any(limit.of_condition == key for limit in p.limits)]
    what = ""
    if len(study.conditions) == 1:
        what, remedy = "a study has at least one condition.", "Add another one first."
    elif heirs:
        what, remedy = f"{heirs[0]} inherits from it.", f"Remove {heirs[0]} first."
    elif limited:
        what, remedy = f"limits at {study.name_of(limited[0])} refer to it.", "Change those limits first."
    if what:
        raise EditRefused(f"the condition cannot be removed: {what}", where=study.conditions[key].name, remedy=remedy)
    layers = {name: layer for name, layer in study.land_layers.items() if layer.condition != key}
    return changed(study, conditions=study.conditions.without(key), land_layers=layers)


@edit("leave out {element} in {condition}")
def leave_out(study: Study, condition: str, element: str) -> Study:
    """Leave an element out in a condition."""
    if element not in study.all_elements:
        raise UnknownName(element, study.all_elements, kind="element")
    one = study.conditions[study.condition_of(condition)]
    return with_condition(study, condition, left_out=tuple(dict.fromkeys((*one.left_out, element))))


@edit("add {element} in {condition}")
def add_in_condition(study: Study, condition: str, element: Element, key: str | None = None) -> Study:
    """Add an element in a condition only."""
    key = key or slug(element.name, study.all_elements)
    one = study.conditions[study.condition_of(condition)]
    return with_condition(study, condition, added=one.added.with_entry(key, element))


@edit("change link {link} in {condition}")
def change_link(study: Study, condition: str, link: str, to: Link | None) -> Study:
    """Replace, add or (None) remove a link in a condition."""
    one = study.conditions[study.condition_of(condition)]
    return with_condition(study, condition, links=one.links.with_entry(link, to))
