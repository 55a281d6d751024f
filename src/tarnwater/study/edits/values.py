"""Typing values and choosing methods, for all conditions or for one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial
from typing import Any

from tarnwater import units
from tarnwater.errors import BadInput, EditRefused
from tarnwater.frozen import FrozenDict
from tarnwater.network.elements import Element
from tarnwater.parameters import Setting, Typed
from tarnwater.study.document import Study, changed, checked
from tarnwater.study.document.conditions import FIXED, resolve
from tarnwater.study.document.fields import description_at, value_at, with_value
from tarnwater.study.edits.act import edit, in_words
from tarnwater.study.edits.replacing import (
    known_element,
    owner_in,
    with_condition,
    with_element_changed,
    with_elements,
)


def read_value(element: Element, field: str, text: str | float, unit: str = "") -> float:
    """A typed number in the base unit of a field, checked against its range.

    The text may have a unit; without one it is in ``unit``, or in the base unit.
    """
    description = description_at(element, field)
    where = f"{element.name}, {field.split('/')[-1].replace('_', ' ')}"
    if description is None:
        raise EditRefused("the field holds no quantity.", where=where, remedy="Choose another field.")
    try:
        value = units.parse(text, description.kind, default=unit or None) if isinstance(text, str) else float(text)
    except BadInput as error:
        error.where = where
        raise
    description.check(value, where)
    return value


def _typing(study: Study, values: Sequence[tuple[str, str, Any]], condition: str = "", **_: Any) -> str:
    """Label of typing: the field and element of one value, or the number of several."""
    act = "type" if any(value is not None for *_, value in values) else "clear"
    where = f" in {in_words(study, condition)}" if condition else ""
    if len(values) != 1:
        return f"{act} {len(values)} values{where}"
    ((element, field, _value),) = values
    return f"{act} {in_words(study, field)} of {in_words(study, element)}{where}"


@edit(_typing)
def type_values(
    study: Study,
    values: Sequence[tuple[str, str, str | float | None]],
    *,
    condition: str = "",
    by: str = "",
    at: str = "",
    note: str = "",
    units: Mapping[str, str] | None = None,
) -> Study:
    """Type values, each an element, a field and its text or number, as one act; one that is refused refuses all.

    The text may have a unit; None clears a typed value, so that the derived one is used again. Values apply to all
    conditions, or to the given one and those that inherit from it. ``units`` fixes the units of entry of quantities
    typed for the first time.
    """
    stamp = {"by": by, "at": at, "note": note}
    study, values = _with_room(study, condition, values, stamp)
    typed = _typed_in(study, condition, values, stamp) if condition else _typed_for_all(study, values, stamp)
    return with_entry_units(typed, units)


def _with_room(
    study: Study, condition: str, values: Sequence[tuple[str, str, Any]], stamp: Mapping[str, str]
) -> tuple[Study, list[tuple[str, str, Any]]]:
    """Parts made for what is typed by another name and has no place yet, and the values by their paths."""
    found = []
    for element, field, value in values:
        owner = owner_in(study, element, condition)
        room = owner.with_room_for(field)
        if value is None and room is not owner:
            # there is nothing to clear
            continue
        for name in type(owner).model_fields if room is not owner else ():
            if getattr(room, name) is not getattr(owner, name):
                study = choose(study, element, name, getattr(room, name), condition=condition, **stamp)
        found.append((element, room.aliases.get(field, field) if "/" not in field else field, value))
    return study, found


def _typed_for_all(study: Study, values: Sequence[tuple[str, str, Any]], stamp: Mapping[str, str]) -> Study:
    elements: dict[str, Element] = {}
    for element, field, value in values:
        owner = elements.get(element) or known_element(study, element)
        is_setting = isinstance(value_at(owner, field), Setting)
        if value is not None:
            number = _read_whole(owner, field, value)
            new: Any = Typed[Any](value=number, **stamp) if is_setting else number
        elif is_setting:
            new = None
        else:
            # it always has a number, so there is nothing to clear
            continue
        elements[element] = checked(partial(_assigned, owner, field, new), owner.name)
    return with_elements(study, elements)


def _assigned(owner: Element, field: str, value: Any) -> Element:
    changed: Element = with_value(owner, field, value)
    return changed.assigned(field)


def _typed_in(study: Study, condition: str, values: Sequence[tuple[str, str, Any]], stamp: Mapping[str, str]) -> Study:
    there = resolve(study, condition).elements
    settings = study.conditions[study.condition_of(condition)].settings
    for element, field, value in values:
        if value is None:
            settings = settings.without(f"{element}/{field}")
            continue
        owner = there.get(element) or known_element(study, element)
        _refuse_fixed(owner, field)
        typed = _for_condition(owner, field, _read_whole(owner, field, value), stamp)
        # at the end, because what was chosen for the whole before is applied first
        settings = settings.without(f"{element}/{field}").with_entry(f"{element}/{field}", typed)
    return with_condition(study, condition, settings=settings)


def _refuse_fixed(owner: Element, field: str) -> None:
    """Raise `EditRefused` for a field that cannot differ between conditions."""
    first = field.split("/")[0]
    if first in FIXED:
        what = f"the {first.replace('_', ' ')} is the same in all conditions."
        raise EditRefused(what, where=owner.name, remedy="Change it for all of them.")


def _for_condition(owner: Element, field: str, value: Any, stamp: Mapping[str, str]) -> Typed[Any]:
    """A value in the form of a condition, checked on its element."""
    typed = Typed[Any](value=value, **stamp)
    checked(lambda: with_value(owner, field, typed), owner.name)
    return typed


def _read_whole(owner: Element, field: str, value: str | float) -> float | int:
    """A typed number in the base unit of its field; a whole number for counts."""
    number = read_value(owner, field, value)
    description = description_at(owner, field)
    if description is None or description.kind != "count":
        return number
    if number != int(number):
        raise EditRefused(f"{description.meaning} must be a whole number.", where=owner.name, remedy="Type one.")
    return int(number)


def with_entry_units(study: Study, units: Mapping[str, str] | None) -> Study:
    """A study with the units of entry of some quantities fixed, unless they already are."""
    kept = {f"{study.units} {quantity}": unit for quantity, unit in (units or {}).items()}
    new = FrozenDict({**kept, **study.entry_units})
    return study if new == study.entry_units else changed(study, entry_units=new)


def _choosing(study: Study, element: str, field: str, condition: str = "", **_: Any) -> str:
    where = f" in {in_words(study, condition)}" if condition else ""
    return f"choose {in_words(study, field)} of {in_words(study, element)}{where}"


@edit(_choosing)
def choose(
    study: Study,
    element: str,
    field: str,
    value: Any,
    *,
    condition: str = "",
    by: str = "",
    at: str = "",
    note: str = "",
) -> Study:
    """Set a field that is no typed quantity: a method, surfaces, a note; for all conditions, or the one named."""
    if not condition:
        return with_element_changed(study, element, lambda old: _assigned(old, field, value))
    owner = resolve(study, condition).elements.get(element) or known_element(study, element)
    _refuse_fixed(owner, field)
    typed = _for_condition(owner, field, value, {"by": by, "at": at, "note": note})
    path, settings = f"{element}/{field}", study.conditions[study.condition_of(condition)].settings
    # what it had for parts of the field is in the new value, or was replaced by it
    kept = {key: held for key, held in settings.items() if key != path and not key.startswith(f"{path}/")}
    return with_condition(study, condition, settings=FrozenDict({**kept, path: typed}))
