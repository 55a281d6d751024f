"""Durations of storms that follow from methods above a design point, as the time of concentration does."""

from __future__ import annotations

import math
from collections.abc import Sequence

from tarnwater.network.elements import Element, OneStorm
from tarnwater.network.graph import Network
from tarnwater.rain.depths import Depths
from tarnwater.rain.storms import Rain, StormFamily
from tarnwater.study.answers.first_storage import critical_durations
from tarnwater.study.answers.storms import DesignStorm, Storm
from tarnwater.study.document import DesignPoint, Study

#: Looks for a duration that makes its own time of concentration, at most, and how near it must come, s.
MOST_LOOKS, NEAR = 60, 0.01


def own_storms(
    study: Study, network: Network, point: str, storms: Sequence[Storm], area: float, step: float
) -> list[Storm]:
    """Storms of the durations that methods of a network are made for, for each return period of a family.

    These are the time of concentration and, for ponds above a design point with a typed limit, the durations that need
    the greatest first storage. ``storms`` are those of the family; of one that is not counted, or that is not searched
    over durations, there are none. ``area`` m2 drains to the design point, and ``step`` s is that of its cases.
    """
    design = [storm for storm in storms if isinstance(storm, DesignStorm)]
    family = study.families[design[0].key] if design else None
    if family is None or not family.counted or not family.searches:
        return []
    table = study.tables[family.table]
    lands = [element for element in network.elements.values() if element.storm_duration]
    if not lands:
        return []
    limits = {one.return_period: one.flow for one in study.design_points.get(point, DesignPoint()).limits}
    durations: dict[float, list[float]] = {}
    found: dict[Storm, None] = {}
    for storm in design:
        years = storm.return_period
        if years not in durations:
            durations[years] = [_own_duration(lands, family, table, years, area, step)]
            if (allowed := limits.get(years)) is not None:
                critical = critical_durations(study, network, point, storm.key, years, allowed)
                durations[years] += [float(math.ceil(one - 1e-6)) for one in critical]
        for duration in durations[years]:
            if table.holds_duration(duration) and duration not in family.tried:
                found[DesignStorm(storm.key, duration, years, storm.member, storm.dry, own=True)] = None
    return list(found)


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
