"""Acceptance of doubts: each is kept with its reason, and lapses when its cause changes.

An acceptance lapses with the cause of the doubt, not with its figures: so it is not asked again for each figure, and
does not cover another situation.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from pydantic_core import to_jsonable_python

from tarnwater.errors import EditRefused
from tarnwater.network.elements import Element
from tarnwater.study.checks.findings import Finding, grouped, sorted_by_severity
from tarnwater.study.document import Acceptance, Study, changed
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.act import edit


def settled(study: Study, found: Iterable[Finding]) -> list[Finding]:
    """Findings in order, similar ones grouped, accepted ones last with their reasons."""
    return sorted_by_severity(_accepted(study, finding) for finding in grouped(found))


def _accepted(study: Study, finding: Finding) -> Finding:
    kept = acceptance_of(study, finding)
    if kept is None:
        return finding
    who = ", ".join(part for part in (kept.by, kept.at[:10]) if part)
    told = f"{finding.text} Accepted{f' ({who})' if who else ''}: {kept.reason}"
    return replace(finding, severity="accepted", text=told, remedies=())


def acceptance_of(study: Study, finding: Finding) -> Acceptance | None:
    """The acceptance of a doubt; None if there is none, or if the cause has changed."""
    if finding.severity not in ("doubt", "accepted"):
        return None
    for kept in study.accepted:
        if _key(kept) == finding.key and kept.cause == cause_of(study, finding):
            return kept
    return None


def _key(of: Acceptance) -> tuple[str, ...]:
    return of.code, of.element, of.field, of.condition, of.subject


@edit("{act}")
def accept(study: Study, finding: Finding, reason: str, act: str, *, by: str = "", at: str = "") -> Study:
    """Accept a doubt for a reason; the label of the act is ``act``. `EditRefused` for anything that is not a doubt."""
    if finding.severity != "doubt":
        raise EditRefused(f"a {finding.severity} cannot be accepted.", where=finding.code, remedy="Settle it.")
    if not reason.strip():
        raise EditRefused("a doubt is accepted for a reason.", where=finding.code, remedy="Type the reason.")
    code, element, field, condition, subject = finding.key
    kept = Acceptance(
        code=code, element=element, field=field, condition=condition, subject=subject, figure=finding.text,
        reason=reason.strip(), by=by, at=at, cause=cause_of(study, finding),
    )  # fmt: skip
    return changed(study, accepted=(*_others(study, finding), kept))


@edit("{act}")
def doubt_again(study: Study, finding: Finding, act: str) -> Study:
    """Withdraw the acceptance of a doubt."""
    return changed(study, accepted=_others(study, finding))


def _others(study: Study, finding: Finding) -> tuple[Acceptance, ...]:
    return tuple(kept for kept in study.accepted if _key(kept) != finding.key)


#: Codes whose cause lies in the rain: its tables, and durations, pattern and length of its families.
_OF_RAIN = (
    "governing-at-end", "grows-with-length", "no-areal-reduction", "areal-beyond-curve", "limit-exceeded",
    "tail-not-receded",
)  # fmt: skip


def cause_of(study: Study, finding: Finding) -> str:
    """Digest of the cause of a doubt: the element in its condition, the rain, the limit, the terrain."""
    parts: list[Any] = []
    if finding.element:
        parts.append(_element(study, finding))
        parts.append(study.design_points.get(finding.element))
    if finding.code in _OF_RAIN or finding.field.startswith(("tables", "families", "storms")):
        parts += [study.tables, study.families]
        parts += [study.storms] if study.storms else []
    if finding.field.startswith("terrain"):
        parts += [study.terrain and (study.terrain.grid, study.terrain.voids), study.outlets]
    parts.append(tuple((other.element, other.subject) for other in finding.others))
    text = json.dumps(to_jsonable_python(parts), sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:32]


def _element(study: Study, finding: Finding) -> Element | None:
    condition = finding.condition or next(iter(study.conditions))
    return resolve(study, condition).elements.get(finding.element)
