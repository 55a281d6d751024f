"""Findings of the study check: stops, doubts and notes, each leading to the place where it is settled."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

from tarnwater.study.document import Study

Severity = Literal["stop", "doubt", "note"]


@dataclass(frozen=True)
class Remedy:
    """What to do; ``edit`` does it where a program can, and the result is one step of undo."""

    text: str
    edit: Callable[[Study], Study] | None = field(default=None, compare=False)


@dataclass(frozen=True)
class Finding:
    """One thing found. ``element`` and ``field`` name the place, ``condition`` is empty where it holds in all."""

    code: str
    severity: Severity
    text: str
    remedies: tuple[Remedy, ...] = ()
    element: str = ""
    field: str = ""
    condition: str = ""

    def told(self, study: Study) -> str:
        """The finding in one line, with its place and its first remedy."""
        place = study.name_of(self.element) if self.element else study.title
        where = f"{place}, {self.field.split('/')[-1].replace('_', ' ')}" if self.field else place
        held = f" ({study.conditions[self.condition].name})" if self.condition else ""
        remedy = f" {self.remedies[0].text}" if self.remedies else ""
        return f"{self.severity} [{self.code}] {where}{held}: {self.text}{remedy}"


SEVERITIES: tuple[Severity, ...] = ("stop", "doubt", "note")
