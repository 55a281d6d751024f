"""Findings of the study check: stops, doubts and notes, each with the place where it is resolved."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from typing import Literal

from tarnwater.errors import BadInput, UnknownName
from tarnwater.study.document import Study

Severity = Literal["stop", "doubt", "note", "accepted"]


@dataclass(frozen=True)
class Remedy:
    """What to do; ``edit``, if the program can do it, is one step of undo."""

    text: str
    edit: Callable[[Study], Study] | None = field(default=None, compare=False)


@dataclass(frozen=True)
class Finding:
    """One finding. ``element`` and ``field`` are the place; ``condition`` is empty if it holds in all conditions.

    ``subject`` distinguishes two at one place, ``at`` is its place on the map, and ``others`` are similar ones grouped
    with it.
    """

    code: str
    severity: Severity
    text: str
    remedies: tuple[Remedy, ...] = ()
    element: str = ""
    field: str = ""
    condition: str = ""
    subject: str = ""
    at: tuple[float, float] | None = None
    others: tuple[Finding, ...] = ()

    @property
    def key(self) -> tuple[str, ...]:
        """Its identity after an edit: its code and its place."""
        return self.code, self.element, self.field, self.condition, self.subject

    def told(self, study: Study) -> str:
        """The finding in one line, with its place and its first remedy."""
        place = study.name_of(self.element) if self.element else study.title
        where = f"{place}, {self.field.split('/')[-1].replace('_', ' ')}" if self.field else place
        held = f" ({study.conditions[self.condition].name})" if self.condition else ""
        remedy = f" {self.remedies[0].text}" if self.remedies else ""
        more = ""
        if self.others:
            names = list(dict.fromkeys(study.name_of(o.element) for o in self.others if o.element))
            listed = ", ".join(names[:NAMED]) + (" …" if len(names) > NAMED else "")
            more = f" So {len(self.others)} more{f': {listed}' if listed else ''}."
        return f"{self.severity} [{self.code}] {where}{held}: {self.text}{more}{remedy}"

    def walked(self, step: int) -> Finding:
        """This finding or one of those grouped with it, in turn."""
        return (self, *self.others)[step % (1 + len(self.others))]


SEVERITIES: tuple[Severity, ...] = ("stop", "doubt", "note", "accepted")

#: Codes that are not grouped: each limit is listed.
NEVER_GROUPED = ("limit-exceeded", "limit-unknown")

#: Number of doubts or notes of a kind above which they are grouped.
MOST_OF_A_KIND = 4

#: Number of elements that are named in a group.
NAMED = 6


def grouped(found: Iterable[Finding]) -> list[Finding]:
    """Findings in which many doubts or notes of a kind are grouped under the first of them."""
    found = list(found)
    kinds: dict[tuple[str, str, str], list[Finding]] = {}
    for one in found:
        kinds.setdefault((one.code, one.severity, one.condition), []).append(one)
    told: list[Finding] = []
    for one in found:
        kind = kinds[one.code, one.severity, one.condition]
        if one.severity == "stop" or one.code in NEVER_GROUPED or len(kind) <= MOST_OF_A_KIND:
            told.append(one)
        elif one is kind[0]:
            told.append(replace(one, others=tuple(kind[1:])))
    return told


def the_doubt(study: Study, found: Iterable[Finding], code: str, element: str = "", condition: str = "") -> Finding:
    """The only doubt of a code, at an element and in a condition if these are given.

    Raises `UnknownName` if there is no doubt with this code, `BadInput` if there are several.
    """
    doubts = [one for one in found if one.severity == "doubt"]
    own = [one for one in doubts if one.code == code]
    if not own:
        raise UnknownName(code, list(dict.fromkeys(one.code for one in doubts)), kind="doubt")
    return the_only(study, at_place(study, own, element, condition), f"doubts are {code}")


def at_place(study: Study, found: list[Finding], element: str, condition: str) -> list[Finding]:
    """Findings at an element and in a condition, if these are given."""
    if element:
        found = [one for one in found if one.element == study.key_of(element)]
    if condition:
        found = [one for one in found if one.condition in ("", study.condition_of(condition))]
    return found


def the_only(study: Study, found: list[Finding], what: str) -> Finding:
    """The only finding; `BadInput`, with all places, if there are several or none."""
    if len(found) != 1:
        places = [f"{study.name_of(one.element)} {one.condition} {one.subject}".strip() for one in found]
        raise BadInput(
            f"{len(found)} {what}{': ' if found else ''}{'; '.join(places[:8])}.",
            where=study.title,
            remedy="Name the element and the condition of one.",
        )
    return found[0]


def sorted_by_severity(found: Iterable[Finding]) -> list[Finding]:
    """Stops first, then doubts, notes, and what was accepted."""
    return sorted(found, key=lambda one: SEVERITIES.index(one.severity))


def counted(found: Iterable[Finding]) -> list[str]:
    """Number of findings of each severity, in words; zero is left out."""
    severities = [one.severity for one in found]
    counts = [(s, severities.count(s)) for s in SEVERITIES]
    return [f"{n} {s}{'s' if n > 1 and s != 'accepted' else ''}" for s, n in counts if n]
