"""Remedies that are edits: they resolve a finding where it holds."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial
from typing import Any

from tarnwater.errors import EditRefused, UnknownName
from tarnwater.study import edits
from tarnwater.study.checks.findings import Finding, Remedy, at_place, the_only
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import lineage
from tarnwater.study.edits.act import edit


def acting(finding: Finding) -> list[Remedy]:
    """Remedies of a finding that the program can apply."""
    return [remedy for remedy in finding.remedies if remedy.edit is not None]


@edit("{act}")
def mend(study: Study, finding: Finding, remedy: Remedy, act: str) -> Study:
    """Apply a remedy of a finding; the label of the act is ``act``.

    A value that a condition has set is changed in that condition, any other for all conditions. `EditRefused` for a
    remedy that is not an edit.
    """
    change = remedy.edit
    if change is None:
        raise EditRefused("this remedy is left to a person.", where=finding.code, remedy=remedy.text)
    known: dict[str, Any] = change.keywords if isinstance(change, partial) else {}
    (element, field, value), *_ = known.get("values", [(known.get("element", ""), known.get("field", ""), None)])
    condition = _owner(study, finding.condition, element, field) if element and field else ""
    if not condition:
        return change(study)
    if "values" in known:
        return edits.type_values(study, [(element, field, value)], condition=condition)
    return edits.choose(study, element, field, known["value"], condition=condition)


def _owner(study: Study, condition: str, element: str, field: str) -> str:
    """Key of the condition that sets a field, or a part of it, for itself; empty if none does."""
    if not condition:
        return ""
    keys = {id(one): key for key, one in study.conditions.items()}
    path = f"{element}/{field}"
    for one in reversed(lineage(study, condition)):
        if any(p == path or p.startswith(f"{path}/") or path.startswith(f"{p}/") for p in one.settings):
            return keys[id(one)]
    return ""


def named(study: Study, remedy: Remedy, finding: Finding) -> str:
    """Label of the act that applies a remedy."""
    place = study.name_of(finding.element) if finding.element else study.title
    return f"mend {finding.code} at {place}: {remedy.text}"


def the_finding(study: Study, found: Iterable[Finding], code: str, element: str = "", condition: str = "") -> Finding:
    """The only finding of a code with a remedy that is an edit, at an element and in a condition if these are given.

    Raises `UnknownName` if there is none, `EditRefused` if no remedy is an edit, and `BadInput`, with the places, if
    there are several.
    """
    each = [one for group in found for one in (group, *group.others)]
    own = [one for one in each if one.code == code]
    if not own:
        raise UnknownName(code, list(dict.fromkeys(one.code for one in each)), kind="finding")
    own = at_place(study, own, element, condition)
    able = [one for one in own if acting(one)]
    if own and not able:
        left = own[0].remedies[0].text if own[0].remedies else ""
        raise EditRefused("its remedies are left to a person.", where=code, remedy=left)
    return the_only(study, able, f"findings are {code}")
