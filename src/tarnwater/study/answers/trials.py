"""The works of a pond that were tried, with what they made of its events, and how they differ from each other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import TypeAdapter, ValidationError

from tarnwater import units
from tarnwater.network.elements import Pond
from tarnwater.routing.ponds import AnyStorage, StorageForm
from tarnwater.routing.works import AnyDevice, Device
from tarnwater.study.answers.pond_events import PondEvent
from tarnwater.study.answers.storms import event_title
from tarnwater.study.document import Study
from tarnwater.study.document.fields import quantities_in

#: Trials of a pond that are kept; the oldest are dropped.
MOST_TRIALS = 200

#: Differences that are told of a trial.
MOST_TOLD = 3

_DEVICES = TypeAdapter(tuple[AnyDevice, ...])
_STORAGE = TypeAdapter(tuple[AnyStorage, ...])


@dataclass(frozen=True)
class WorksTrial:
    """A set of works of a pond in a condition (keys), when it was first there, and what came of it."""

    pond: str
    condition: str
    storage: tuple[StorageForm, ...]
    devices: tuple[Device, ...]
    at: str
    outcome: str
    keeps: bool

    def is_of(self, pond: Pond) -> bool:
        """Whether a pond has these works."""
        return self.storage == pond.storage and self.devices == pond.devices

    def as_plain(self) -> dict[str, Any]:
        """It as plain data."""
        return {
            "pond": self.pond, "condition": self.condition, "at": self.at, "outcome": self.outcome, "keeps": self.keeps,
            "storage": _STORAGE.dump_python(self.storage, mode="json", exclude_none=True),
            "devices": _DEVICES.dump_python(self.devices, mode="json", exclude_none=True),
        }  # fmt: skip


def trial_from(plain: Any) -> WorksTrial | None:
    """A trial from plain data; None from what is none."""
    try:
        return WorksTrial(
            str(plain["pond"]), str(plain["condition"]), _STORAGE.validate_python(plain["storage"]),
            _DEVICES.validate_python(plain["devices"]), str(plain["at"]), str(plain["outcome"]), plain["keeps"] is True,
        )  # fmt: skip
    except (TypeError, KeyError, ValueError, ValidationError):
        return None


def outcome_of(study: Study, events: Sequence[PondEvent]) -> tuple[str, bool]:
    """What works make of the events of a condition in words, and whether they keep all that is asked."""
    over = [one for one in events if one.keeps is False]
    spilling = [one for one in events if one.row.spilled > 0]
    tight = [one for one in events if not one.row.keeps_freeboard and one not in spilling]
    told = []
    if over:
        worst = max(over, key=lambda one: one.over or 0.0)
        share = units.show(worst.over or 0.0, "share", digits=3)
        told.append(f"over at {event_title(study, worst.event)} by {share}")
    if spilling:
        told.append(f"overflows at {event_title(study, spilling[0].event)}")
    if tight:
        told.append(f"freeboard used at {event_title(study, tight[0].event)}")
    limited = [one for one in events if one.over is not None]
    if not told and limited:
        least = units.show(min(-(one.over or 0.0) for one in limited), "share", digits=3)
        told.append(f"keeps all, {least} in hand")
    if not told:
        highest = max(events, key=lambda one: one.row.top)
        told.append(f"highest {units.show(highest.row.top, 'height', study.units, digits=5)}")
    return ", ".join(told), not (over or spilling or tight)


def with_trial(known: Sequence[WorksTrial], trial: WorksTrial) -> list[WorksTrial]:
    """Trials with another one; one of the same works takes its place, in the order of the first time."""
    found, there = [], False
    for one in known:
        alike = (one.pond, one.condition, one.storage, one.devices) == (
            trial.pond, trial.condition, trial.storage, trial.devices
        )  # fmt: skip
        if alike:
            there = True
            found.append(WorksTrial(**{**vars(one), "outcome": trial.outcome, "keeps": trial.keeps}))
        else:
            found.append(one)
    own = [one for one in found if (one.pond, one.condition) == (trial.pond, trial.condition)]
    if not there and len(own) >= MOST_TRIALS:
        found.remove(own[0])
    return found if there else [*found, trial]


def difference(before: WorksTrial, after: WorksTrial, system: units.System) -> str:
    """What of works differs from earlier ones, in words."""
    told: list[str] = []
    for field in ("devices", "storage"):
        old = {part.name or part.title: part for part in getattr(before, field)}
        new = {part.name or part.title: part for part in getattr(after, field)}
        told += [f"without {name}" for name in old if name not in new]
        told += [f"with {name}" for name in new if name not in old]
        for name, part in new.items():
            if name in old and part != old[name]:
                told += _changed(name, old[name], part, system)
    more = len(told) - MOST_TOLD
    return ", ".join(told[:MOST_TOLD]) + (f" and {more} more" if more > 0 else "")


def _changed(name: str, old: Any, new: Any, system: units.System) -> list[str]:
    """The quantities of a part that differ; its form or its place if none does."""
    was = {path: _figure(held) for path, _, held in quantities_in(old)}
    told = []
    for path, described, held in quantities_in(new):
        value = _figure(held)
        if path in was and value != was[path] and isinstance(value, float | int):
            label = described.label or described.name
            told.append(f"{name} {label} {units.show(value, described.kind, system)}")
    if not told:
        if getattr(new, "inside", "") != getattr(old, "inside", ""):
            told.append(f"{name} {'into ' + new.inside if new.inside else 'on its own'}")
        elif getattr(new, "state", "") != getattr(old, "state", ""):
            told.append(f"{name} {new.state}")
        else:
            told.append(f"{name} changed")
    return told


def _figure(held: Any) -> Any:
    return held.value if hasattr(held, "typed") and hasattr(held, "derived") else held
