"""Durations of storms that follow from methods above a design point, as the time of concentration does."""

from __future__ import annotations

import math
from collections.abc import Sequence

from tarnwater.network.elements import Element, OneStorm
from tarnwater.network.graph import Network
from tarnwater.rain.depths import Depths
from tarnwater.rain.storms import Rain, StormFamily
from tarnwater.study.answers.storms import DesignStorm, Storm
from tarnwater.study.document import Study

#: Looks for a duration that makes its own time of concentration, at most, and how near it must come, s.
MOST_LOOKS, NEAR = 60, 0.01


def own_storms(study: Study, network: Network, storms: Sequence[Storm], area: float, step: float) -> list[Storm]:
    """Storms of the duration that methods of a network are made for, one for each return period of a family.

    ``storms`` are those of the family; of one that is not counted, or that is not searched over durations, there are
    none. ``area`` is that draining to the design point, m2, and ``step`` that of its cases, s.
    """
    lands = [element for element in network.elements.values() if element.storm_duration]
    design = [storm for storm in storms if isinstance(storm, DesignStorm)]
    if not lands or not design:
        return []
    family = study.families[design[0].key]
    table = study.tables[family.table]
    if not family.counted or not family.searches:
        return []
    found: dict[tuple[float, int], Storm] = {}
    for storm in design:
        duration = _own_duration(lands, family, table, storm.return_period, area, step)
        if table.holds_duration(duration) and duration not in family.tried:
            own = DesignStorm(storm.key, duration, storm.return_period, storm.member, storm.dry, own=True)
            found[storm.return_period, storm.member] = own
    return list(found.values())


def _own_duration(
    lands: Sequence[Element], family: StormFamily, table: Depths, period: float, area: float, step: float
) -> float:
    """The greatest time of concentration, in whole seconds, rounded up.

    Where it follows from the rain, it is the duration whose storm makes it: a longer storm rains less hard, and less
    hard rain takes longer, by less than the storm was lengthened, so that looks in turn come near.
    """
    duration = max(land.storm_duration or 0.0 for land in lands)
    for _ in range(MOST_LOOKS if any(land.by_storm for land in lands) else 0):
        if not table.holds_duration(duration):
            break
        depths = family.increments(table, period, duration, area=area, step=step)
        storm = OneStorm(Rain(depths[None, :], step), period)
        now = max(land.in_storm(storm).storm_duration or 0.0 for land in lands)
        if abs(now - duration) < NEAR:
            break
        duration = now
    return float(math.ceil(duration - 1e-6))
