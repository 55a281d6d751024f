"""A pond by level: area and volume of its parts, flows of its devices, levels in its risers, the time to empty."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import BadInput
from tarnwater.network.elements import Pond
from tarnwater.routing.ponds.forms import StageVolume
from tarnwater.routing.works.control import DeviceFlows, device_flows
from tarnwater.study.answers.pond_table import RESIDUE
from tarnwater.units import Quantity, round_up

#: Rows of a table beyond which an increment is refused, and those that are made where none is asked.
MOST_ROWS, ABOUT_ROWS = 2000, 20


@dataclass(frozen=True, eq=False)
class LevelTable:
    """A pond at levels (level,) m from floor to top.

    ``areas`` m2 and ``volumes`` m3 are those of all parts, ``by_part`` the volumes of each, ``drains`` the time (s) in
    which the pond empties from there to one per cent of its volume.
    """

    levels: Floats
    areas: Floats
    volumes: Floats
    by_part: dict[str, Floats]
    flows: DeviceFlows
    drains: Floats


def recovered_areas(pond: Pond) -> dict[str, float]:
    """Parts whose area is recovered from their volumes, by name: how much it goes back and forth, as a share."""
    parts = enumerate(pond.storage, start=1)
    return {part.name or f"part {n}": part.swing for n, part in parts if isinstance(part, StageVolume)}


def level_table(pond: Pond, increment: float | None = None, felt: float | None = None) -> LevelTable:
    """A pond by level in increments (m); a round one by default. ``felt`` is a level below that it feels, m.

    Raises `BadInput` for a pond without storage, and for an increment that is none or too small.
    """
    store = pond.store
    if store is None:
        raise BadInput("it has no storage.", where=pond.name, remedy="Add storage.")
    step = round_up((store.top - store.floor) / ABOUT_ROWS) if increment is None else increment
    if step <= 0 or (store.top - store.floor) / step > MOST_ROWS:
        raise BadInput(
            f"an increment of {{}} gives no table of at most {MOST_ROWS} rows.", values=(Quantity(step, "length", 4),),
            where=pond.name, remedy="Take a greater one.",
        )  # fmt: skip
    first = np.ceil(store.floor / step + 1e-9)
    within = step * np.arange(first, np.floor(store.top / step - 1e-9) + 1)
    levels = np.unique(np.concatenate([[store.floor], within, [store.top]]))
    behind = pond.behind(levels) if felt is None else np.full_like(levels, felt)
    parts = {part.name or f"part {number}": part.volume(levels) for number, part in enumerate(store.parts, start=1)}
    drains = np.full_like(levels, np.inf) if pond.passes else pond.rating().drain_times(levels, RESIDUE)
    flows = device_flows(pond.outlets, levels, behind)
    return LevelTable(levels, store.area(levels), store.volume(levels), parts, flows, drains)
