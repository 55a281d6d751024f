"""What is required of a pond, what was found, and by how much it is kept or missed."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from tarnwater.network.elements import Pond
from tarnwater.routing.ponds.zones import drained_zones
from tarnwater.routing.works import Device
from tarnwater.study.answers.pond_events import PondEvent
from tarnwater.study.answers.results import Results
from tarnwater.study.answers.storms import event_title
from tarnwater.study.document.conditions import resolve


@dataclass(frozen=True)
class Requirement:
    """A requirement in words, the bound and what was found, of a kind of quantity, and by how much it is missed.

    ``missed`` is zero or less where it is kept. ``code`` is that of the doubt that a miss raises at one of its
    ``elements``, by their keys.
    """

    words: str
    kind: str
    asked: float
    found: float
    missed: float
    code: str
    condition: str
    elements: tuple[str, ...] = ()

    @property
    def kept(self) -> bool:
        """Whether it is kept."""
        return self.missed <= 1e-12 * max(abs(self.asked), 1.0)


def requirements(results: Results, key: str, events: Sequence[PondEvent]) -> list[Requirement]:
    """All that is required of a pond in each condition, from its limits, its freeboard, its depth and its zones."""
    found: list[Requirement] = []
    for condition in dict.fromkeys(one.condition for one in events):
        pond = resolve(results.study, condition).elements[key]
        if isinstance(pond, Pond) and pond.store is not None:
            own = [one for one in events if one.condition == condition]
            at = tuple(dict.fromkeys([key, *(one.point for one in own)]))
            found += [
                replace(one, elements=at) for one in (*_of_events(results, pond, own), *_of_zones(pond, condition))
            ]
    return found


def _of_events(results: Results, pond: Pond, events: Sequence[PondEvent]) -> Iterator[Requirement]:
    assert pond.store is not None
    study, top = results.study, pond.store.top
    for one in events:
        if one.limit is not None:
            words = f"{event_title(study, one.event)}: flow at {study.name_of(one.point)} within its limit"
            yield Requirement(words, "flow", one.limit, one.peak, one.peak - one.limit, "limit-exceeded", one.condition)
    worst = max(events, key=lambda one: (one.row.top, one.row.spilled))
    event, level = event_title(study, worst.event), worst.row.top
    over = worst.row.spilled > 0
    yield Requirement(
        f"{event}: no water over the top", "volume", 0.0, worst.row.spilled, worst.row.spilled if over else -1.0,
        "pond-overflows", worst.condition,
    )  # fmt: skip
    if pond.freeboard:
        left = top - level
        words = f"{event}: freeboard left"
        missed = pond.freeboard - left
        yield Requirement(words, "length", pond.freeboard, left, missed, "freeboard-used", worst.condition)
    depth = pond.greatest_depth.value
    if depth is not None:
        found = level - pond.store.floor
        yield Requirement(
            f"{event}: depth of the water", "length", depth, found, found - depth, "pond-too-deep", worst.condition
        )
    limited = [one for one in events if one.limit is not None]
    if limited:
        design, device = max(limited, key=lambda one: one.row.top), _spillway(pond, top)
        if device is not None:
            words = f"{event_title(study, design.event)}: {device.sign} dry"
            missed = design.row.top - device.invert
            yield Requirement(words, "height", device.invert, design.row.top, missed, "spillway-wet", worst.condition)


def _spillway(pond: Pond, top: float) -> Device | None:
    """The spillway of a pond: its highest open crest, where another outlet lies lower; None without one."""
    faces = [(device, device.face(top)) for device in pond.outlets.outer]
    crests = [device for device, face in faces if face is not None and face.opens and not face.hollow]
    highest = max(crests, key=lambda one: one.invert, default=None)
    if highest is None or pond.outlets.invert >= highest.invert:
        return None
    return highest


def _of_zones(pond: Pond, condition: str) -> Iterator[Requirement]:
    if pond.passes or not pond.zones:
        return
    for number, one in enumerate(drained_zones(pond.rating(), pond.zones), start=1):
        name = one.zone.name or f"zone {number}"
        least, most = one.zone.drains_after.value, one.zone.drains_within.value
        if least is not None:
            words = f"{name} drains no sooner"
            yield Requirement(words, "time", least, one.time, one.short, "zone-drains-soon", condition)
        if most is not None:
            words = f"{name} drains within"
            yield Requirement(words, "time", most, one.time, one.late, "zone-drains-late", condition)
