"""Marks that say where a value comes from, and their words."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from tarnwater.desk.desk import Desk
from tarnwater.parameters import Setting
from tarnwater.study.conditions import lineage

State = Literal["typed", "derived", "set", "missing", "empty", "here", "inherited"]

MARKS: dict[State, str] = {
    "typed": "■", "derived": "○", "set": "–", "missing": "!", "empty": " ", "here": "◆", "inherited": "◇",
}  # fmt: skip
MEANINGS: dict[State, str] = {
    "typed": "typed by a person; it stays",
    "derived": "derived; it follows its sources",
    "set": "set in the study",
    "missing": "missing; type it or give what it is derived from",
    "empty": "not given; nothing needs it",
    "here": "typed for this condition only; giving it back inherits again",
    "inherited": "typed for a condition that this one inherits from",
}
LEGEND = "■ typed   ○ derived   – set   ! missing\n◆ typed for this condition only   ◇ inherited from one"


@dataclass(frozen=True)
class Origin:
    """Where the value of a field comes from: its state, and the name of the condition that has its own."""

    state: State
    condition: str = ""


def origin_of(desk: Desk, element: str, path: str, value: Any) -> Origin:
    """Origin of a value as it is shown: for all conditions, or for the one that edits change."""
    if desk.edits_in:
        line = lineage(desk.study, desk.edits_in)
        for number, condition in enumerate(reversed(line)):
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


def _is_set(settings: Any, element: str, path: str) -> bool:
    """Whether a condition holds a field itself, or what the field is part of."""
    parts = path.split("/")
    return any(f"{element}/{'/'.join(parts[:n])}" in settings for n in range(1, len(parts) + 1))


def overridden_in(desk: Desk, element: str, path: str) -> tuple[str, Any] | None:
    """Name of the condition in view and its own value of a field, where edits for all do not reach it."""
    if desk.edits_in or desk.view is None or desk.view.condition not in desk.study.conditions:
        return None
    for condition in reversed(lineage(desk.study, desk.view.condition)):
        if f"{element}/{path}" in condition.settings:
            return condition.name, condition.settings[f"{element}/{path}"].value
    return None
