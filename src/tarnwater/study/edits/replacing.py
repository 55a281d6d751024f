"""A study with some of its parts replaced."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from tarnwater.errors import UnknownName
from tarnwater.frozen import FrozenDict
from tarnwater.network.elements import Element
from tarnwater.study.document import Condition, Study, changed, checked
from tarnwater.study.document.conditions import resolve


def known_element(study: Study, key: str) -> Element:
    """An element, also one that only a condition has."""
    if key not in study.all_elements:
        raise UnknownName(key, study.all_elements, kind="element")
    return study.all_elements[key]


def owner_in(study: Study, element: str, condition: str) -> Element:
    """An element as a condition has it, or as it stands for all of them."""
    if not condition:
        return known_element(study, element)
    return resolve(study, condition).elements.get(element) or known_element(study, element)


def with_element_changed(study: Study, key: str, change: Callable[[Element], Element]) -> Study:
    """A study with one element replaced."""
    old = known_element(study, key)
    return with_elements(study, {key: checked(lambda: change(old), old.name)})


def with_elements(study: Study, elements: Mapping[str, Element]) -> Study:
    """A study with some elements replaced, also those that only a condition has."""
    own = {key: element for key, element in elements.items() if key in study.elements}
    conditions = {}
    for name, condition in study.conditions.items():
        if here := {key: e for key, e in elements.items() if key in condition.added and key not in own}:
            conditions[name] = condition.model_copy(update={"added": FrozenDict({**condition.added, **here})})
    fields: dict[str, Any] = {"elements": {**study.elements, **own}} if own else {}
    if conditions:
        fields["conditions"] = {**study.conditions, **conditions}
    return changed(study, **fields)


def with_condition(study: Study, condition: str, **fields: Any) -> Study:
    """A study with some fields of a condition replaced."""
    key = study.condition_of(condition)
    old = study.conditions[key]
    data = {name: getattr(old, name) for name in Condition.model_fields} | fields
    new = checked(lambda: Condition(**data), old.name)
    return changed(study, conditions=study.conditions.with_entry(key, new))
