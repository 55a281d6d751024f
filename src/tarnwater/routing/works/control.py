"""What the devices of a pond let through one by one, and which of them holds the water back."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.routing.works.device import Device
from tarnwater.routing.works.outlets import Outlets
from tarnwater.routing.works.riser import Riser

#: A level inside a riser that holds nothing back, m.
FREE = -1e6

#: Share of its free inflow that a riser takes where its outlet is said to hold it back.
HELD = 0.95

#: Flow below which nothing is said to pass, m3/s.
NOTHING = 1e-9


@dataclass(frozen=True, eq=False)
class DeviceFlows:
    """Flows (level,) m3/s of the open devices at levels, by name: of all, with what a riser takes over its crest.

    ``sums`` are the names of risers whose flow is that of what is in them. ``total`` is what leaves by devices,
    ``inside`` (level,) m are the levels in the risers, ``controls`` the words for what governs at each level.
    """

    by_device: dict[str, Floats]
    sums: frozenset[str]
    total: Floats
    inside: dict[str, Floats]
    controls: tuple[str, ...]


def device_flows(outlets: Outlets, level: Floats, behind: Floats) -> DeviceFlows:
    """The flows of each open device at levels (m) before and behind them, those in risers under the level inside."""
    flows, inside = outlets.solved(level, behind)
    leaving = dict(zip((one.sign for one in outlets.outer), flows, strict=True))
    found: dict[str, Floats] = {}
    for one in outlets.outer:
        found[one.sign] = leaving[one.sign]
        if isinstance(one, Riser):
            _add_inner(outlets, one, level, inside, found)
    total = np.sum(list(leaving.values()), axis=0) if leaving else np.zeros_like(level)
    controls = _governing(outlets, leaving, found, level, behind)
    risers = (one for one in outlets.devices if isinstance(one, Riser))
    sums = frozenset(one.sign for one in risers if outlets.inside(one) and crest_name(one) in found)
    return DeviceFlows(found, sums, total, inside, controls)


def crest_name(riser: Riser) -> str:
    """The name under which the flow over the crest of a riser stands."""
    return f"{riser.sign}, crest"


def _add_inner(
    outlets: Outlets, riser: Riser, level: Floats, inside: dict[str, Floats], found: dict[str, Floats]
) -> None:
    """Add the flow over the crest of a riser and of each device in it."""
    within = inside.get(riser.name)
    if within is None:
        return
    held = outlets.inside(riser)
    if held:
        found[crest_name(riser)] = riser.flow(level, within)
    for one in held:
        if isinstance(one, Riser):
            found[one.sign] = _taken(outlets, one, level, inside.get(one.name, within))
            _add_inner(outlets, one, level, inside, found)
        else:
            found[one.sign] = one.flow(level, within)


def _taken(outlets: Outlets, riser: Riser, level: Floats, within: Floats) -> Floats:
    """What a riser takes in at levels outside and inside."""
    parts = [_taken(outlets, one, level, within) if isinstance(one, Riser) else one.flow(level, within)
             for one in outlets.inside(riser)]  # fmt: skip
    found: Floats = riser.flow(level, within) + sum(parts, np.zeros_like(level))
    return found


def _governing(
    outlets: Outlets, leaving: dict[str, Floats], found: dict[str, Floats], level: Floats, behind: Floats
) -> tuple[str, ...]:
    """Words for what governs at each level.

    Of the devices that lead out it is the one that lets most out. Where that is a riser the lesser of two governs:
    what enters it freely, or what its outlet could let out from the level of the pond.
    """
    names = list(leaving)
    if not names:
        return ("",) * level.size
    flows = np.array([leaving[name] for name in names])
    first = np.argmax(flows, axis=0)
    most = flows[first, np.arange(level.size)]
    told = [names[number] for number in first]
    for number, device in enumerate(outlets.outer):
        if not isinstance(device, Riser) or device.outlet is None:
            continue
        free = _taken(outlets, device, level, np.full_like(level, FREE))
        by_outlet = device.outlet.flow(level, behind) < free
        parts = [name for name in (crest_name(device), *(one.sign for one in outlets.inside(device))) if name in found]
        own = np.array([found[name] for name in parts]) if parts else leaving[names[number]][None, :]
        best = np.argmax(own, axis=0)
        for at in np.flatnonzero(first == number):
            if by_outlet[at]:
                back = 1 - most[at] / free[at]
                told[at] = _outlet_of(device) + (f", {back:.0%} held back" if back > 1 - HELD else "")
            elif parts:
                told[at] = parts[best[at]]
    return tuple(words if flow > NOTHING else "" for words, flow in zip(told, most, strict=True))


def _outlet_of(riser: Riser) -> str:
    outlet: Device | None = riser.outlet
    if outlet is None or not outlet.name:
        return f"outlet of {riser.sign}"
    return outlet.name
