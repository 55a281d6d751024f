"""Copies of elements: a new one with the methods of another, and a duplicate with all its values."""

from __future__ import annotations

from typing import Any, TypeVar

from tarnwater.network.elements import MEASURED, Element
from tarnwater.parameters import Setting, Typed
from tarnwater.study.document import Study, changed, checked
from tarnwater.study.document.fields import quantities_in, value_at, with_value
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.assignments import method_paths
from tarnwater.study.edits.names import slug, unused_name
from tarnwater.study.edits.network import add_draining, connect
from tarnwater.study.edits.replacing import known_element

AnElement = TypeVar("AnElement", bound=Element)


def another_like(element: AnElement, name: str) -> AnElement:
    """A new element with the methods of another one; values that were typed for that one stay behind."""
    made = type(element)(name=name)
    has = {path for path, _ in method_paths(made)}
    for path, _ in method_paths(element):
        if path in has:
            made = with_value(made, path, value_at(element, path).untyped())
    return made


def duplicate_of(element: AnElement, name: str) -> AnElement:
    """An element with all values of another one, which does not follow the terrain or the map.

    What was measured for the other one is kept as typed, with a note.
    """
    cleared = {field: type(element).model_fields[field].get_default() for field in element.mapped}
    copied: AnElement = element.assigned("surfaces").model_copy(
        update={**cleared, "name": name, "observed": (), "place": None}
    )
    for path, described, value in quantities_in(copied):
        measured = described.source == MEASURED or path.startswith("path_parts/")
        if isinstance(value, Setting) and measured and value.typed is None and value.derived is not None:
            note = f"measured for {element.name}"
            copied = with_value(copied, path, Typed[Any](value=value.derived, note=note))
    return checked(copied.refreshed, name)


@edit("duplicate {element}")
def duplicate(study: Study, element: str, name: str = "", key: str | None = None) -> Study:
    """Add a duplicate of an element with its settings in conditions; it drains where the other one does."""
    old = known_element(study, element)
    name = name or unused_name(study, old.name)
    key = key or slug(name, study.all_elements)
    below = [link.down for link in study.links.values() if link.up == element]
    study = add_draining(study, duplicate_of(old, name), key, below[0] if below else "")
    for other in below[1:]:
        study = connect(study, key, other)
    conditions = {}
    for held, condition in study.conditions.items():
        own = {path.split("/", 1)[1]: t for path, t in condition.settings.items() if path.split("/", 1)[0] == element}
        settings = condition.settings
        for path, setting in own.items():
            settings = settings.with_entry(f"{key}/{path}", setting)
        conditions[held] = condition.model_copy(update={"settings": settings}) if own else condition
    return changed(study, conditions=conditions)
