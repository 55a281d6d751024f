"""Marks that say where a value comes from, and their words."""

from __future__ import annotations

from collections.abc import Container
from dataclasses import dataclass
from typing import Any, Literal

from tarnwater.desk.desk import Desk
from tarnwater.errors import UnknownName
from tarnwater.parameters import Setting
from tarnwater.study.document.conditions import lineage
from tarnwater.study.document.fields import value_at

State = Literal["typed", "derived", "set", "missing", "empty", "here", "inherited"]

MARKS: dict[State, str] = {
    "typed": "■", "derived": "○", "set": "–", "missing": "!", "empty": " ", "here": "◆", "inherited": "◇",
}  # fmt: skip
MEANINGS: dict[State, str] = {
    "typed": "typed; kept until it is changed or cleared",
    "derived": "derived; updated when its sources change",
    "set": "set in the study",
    "missing": "missing; type it or give what it is derived from",
    "empty": "not given; not needed",
    "here": "typed for this condition only; when cleared, the value is inherited again",
    "inherited": "typed for a condition from which this one inherits",
}
LEGEND = "■ typed   ○ derived   – set   ! missing\n◆ typed for this condition only   ◇ inherited from one"


@dataclass(frozen=True)
class Origin:
    """Origin of the value of a field: its state, and the name of the condition that has a value of its own."""

    state: State
    condition: str = ""


def origin_of(desk: Desk, element: str, path: str, value: Any) -> Origin:
    """Origin of a value as the condition in view has it."""
    for number, condition in enumerate(reversed(lineage(desk.study, desk.condition))):
        if _is_set(condition.settings, element, path):
            return Origin("here" if number == 0 else "inherited", condition.name)
    if not isinstance(value, Setting):
        return Origin("set")
    if value.typed is not None:
        return Origin("typed")
    if value.value is not None:
        return Origin("derived")
    needed = any(f.severity == "stop" and f.element == element and f.field == path for f in desk.findings)
    return Origin("missing" if needed else "empty")


def _is_set(settings: Container[str], element: str, path: str) -> bool:
    """Whether a condition holds a field itself, or what the field is part of."""
    parts = path.split("/")
    return any(f"{element}/{'/'.join(parts[:n])}" in settings for n in range(1, len(parts) + 1))


def otherwise(desk: Desk, element: str, path: str) -> Any:
    """The value without the condition in view, if this condition has a value of its own; otherwise None."""
    own = any(_is_set(c.settings, element, path) for c in lineage(desk.study, desk.condition))
    if not own or element not in desk.study.elements:
        return None
    try:
        value = value_at(desk.study.elements[element], path)
    except UnknownName:
        return None
    return value.value if isinstance(value, Setting) else value
