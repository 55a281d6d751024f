"""Plots of ponds: what leaves and what is held at each level, and the flows of an event."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.network.elements import Pond
from tarnwater.plots import STYLES, Axis, Curve, Level, Mark, Plot, Role, end_above, round_above
from tarnwater.routing.ponds import Storage
from tarnwater.routing.works.control import DeviceFlows, device_flows
from tarnwater.study.answers import CaseResult, Results
from tarnwater.study.answers.pond_events import PondEvent
from tarnwater.study.answers.storms import Event, event_title, storm_title
from tarnwater.study.document import Study
from tarnwater.study.pictures.hydrographs import event_end, flow_curve, time_axis
from tarnwater.units import System

#: Roles of the curves of single devices.
DEVICE_ROLES: tuple[Role, ...] = ("loss", "observed", "rain", "ink")

#: Levels of the curve that is drawn for the flows of a pond, and those at which it is asked what governs.
DRAWN, ASKED = 240, 80


def rating_plot(pond: Pond, system: System, top: float | None = None) -> Plot | None:
    """Outflow of a pond and of each device by level, with its highest level (m); None where it passes on."""
    if pond.passes or pond.store is None:
        return None
    rating = pond.rating()
    total = rating.total[-1]
    unit = units.display_unit("flow", float(total.max(initial=0.0)), system)
    height = units.units_of("height", system)[0]
    factor, rise = units.factor_of(unit, "flow"), units.factor_of(height, "height")
    levels = rating.levels / rise
    curves = [Curve(levels, total / factor, "water", "outflow", tagged=True)]
    outer = pond.outlets.outer
    flows = pond.outlets.flows(rating.levels, pond.behind(rating.levels))
    for number, (device, own) in enumerate(zip(outer, flows, strict=True) if len(outer) > 1 else ()):
        # an empty pond gives nothing
        own[0] = 0.0
        role, style = DEVICE_ROLES[number % len(DEVICE_ROLES)], STYLES[1 + number % (len(STYLES) - 1)]
        curves.append(Curve(levels, own / factor, role, device.sign, style, tagged=True))
    held = units.show(float(rating.storages[-1]), "volume", system)
    title = f"rating · {held} held at {units.show(pond.store.top, 'height', system)}"
    marks: tuple[Mark, ...] = ()
    if top is not None:
        flow = float(np.interp(top, rating.levels, total))
        marks = (Mark(top / rise, flow / factor, f"highest {units.show(top, 'height', system)}"),)
    x = Axis("level", height, low=float(levels[0]), high=float(levels[-1]))
    return Plot(title, x, Axis("flow", unit, low=0.0), tuple(curves), marks=marks)


def pond_plot(results: Results, case: CaseResult, key: str) -> Plot | None:
    """The rating of a pond in a case."""
    pond = case.network.elements[key]
    if not isinstance(pond, Pond):
        return None
    pool = case.pool(key)
    return rating_plot(pond, results.study.units, None if pool is None else pool.top)


def outflow_plot(pond: Pond, study: Study, events: Sequence[PondEvent] = (), before: Pond | None = None) -> Plot | None:
    """Outflow across and level up, with what governs, and for each event what leaves and what may leave.

    The axis reaches what may leave. ``before`` is the pond before an edit, as the ghost. None where the pond passes its
    inflow on.
    """
    if pond.passes or pond.store is None:
        return None
    system = study.units
    levels, total = _drawn_rating(pond, pond.store)
    asked = np.linspace(pond.store.floor, pond.store.top, ASKED)
    found = device_flows(pond.outlets, asked, pond.behind(asked))
    # the curve above all events is cut off: what is asked of it lies below
    reach = [max(one.lets_out, one.allowed or 0.0) for one in events] or [float(total[-1])]
    unit = units.display_unit("flow", reach, system)
    height = units.units_of("height", system)[0]
    factor, rise = units.factor_of(unit, "flow"), units.factor_of(height, "height")
    curves = []
    if before is not None and not before.passes and before.store is not None:
        old, was = _drawn_rating(before, before.store)
        curves.append(Curve(was / factor, old / rise, "quiet", "before"))
    curves.append(Curve(total / factor, levels / rise, "water", "outflow", width=2.2))
    tops = [one.row.top / rise for one in events]
    if tops:
        order = np.argsort(tops)
        flows = np.interp([one.row.top for one in events], levels, total) / factor
        curves.append(Curve(flows[order], np.array(tops)[order], "water", "highest levels", dots=True))
    for one, top in zip(events, tops, strict=True):
        if one.allowed is not None:
            words = event_title(study, one.event)
            at = np.array([one.allowed / factor]), np.array([top])
            curves.append(Curve(*at, "limit", words, dots=True, tagged=True))
    low, high = pond.store.floor / rise, pond.store.top / rise
    x = Axis("outflow", unit, low=0.0, high=round_above(1.05 * max(reach) / factor))
    title = control_words(asked, found, system)
    return Plot(title, x, Axis("level", height, low=low, high=high), tuple(curves))


def _drawn_rating(pond: Pond, store: Storage) -> tuple[Floats, Floats]:
    """Levels (m) and the outflow at them (m3/s), as they are drawn."""
    rating, levels = pond.rating(), np.linspace(store.floor, store.top, DRAWN)
    return levels, np.interp(levels, rating.levels, np.maximum.accumulate(rating.total[-1]))


def control_words(levels: Floats, found: DeviceFlows, system: units.System) -> str:
    """What governs from which level to which, in words from the lowest up."""
    parts: list[tuple[str, float]] = []
    for level, words in zip(levels, found.controls, strict=True):
        name = words.partition(", ")[0] if "held back" in words else words
        if name and (not parts or parts[-1][0] != name):
            parts.append((name, float(level)))
    if not parts:
        return "nothing leaves"
    shown = units.show_alike([level for _, level in parts], "height", system)
    told = [parts[0][0], *(f"{name} from {at}" for (name, _), at in zip(parts[1:], shown[1:], strict=True))]
    return f"governs: {', '.join(told)}"


def stored_plot(
    pond: Pond, study: Study, events: Sequence[PondEvent] = (), before: Pond | None = None, told_of: Event | None = None
) -> Plot | None:
    """Volume across and level up, with the volumes that are routed and those first estimated, which the axis reaches.

    The figures of one event (``told_of``) stand in the title. None without storage.
    """
    if pond.store is None:
        return None
    system = study.units
    levels = np.linspace(pond.store.floor, pond.store.top, DRAWN)
    volumes = pond.store.volume(levels)
    reach = [float(volumes[-1]), *(v for one in events for v in one.estimates.values())]
    unit = units.display_unit("volume", reach, system)
    height = units.units_of("height", system)[0]
    factor, rise = units.factor_of(unit, "volume"), units.factor_of(height, "height")
    curves = []
    if before is not None and before.store is not None:
        old = np.linspace(before.store.floor, before.store.top, DRAWN)
        curves.append(Curve(before.store.volume(old) / factor, old / rise, "quiet", "before"))
    curves.append(Curve(volumes / factor, levels / rise, "water", "stored", width=2.2))
    told = "volume by level"
    for one in events:
        words = event_title(study, one.event)
        at = np.array([one.row.stored / factor]), np.array([one.row.top / rise])
        curves.append(Curve(*at, "water", words, dots=True, tagged=True))
        for release, volume in one.estimates.items():
            level = float(np.interp(volume, volumes, levels)) / rise
            at = np.array([volume / factor]), np.array([level])
            curves.append(Curve(*at, "loss", f"{words}, {release} release", dots=True))
        if one.estimates and one.event == told_of:
            shown = [units.show(v, "volume", unit=unit) for v in one.estimates.values()]
            routed = units.show(one.row.stored, "volume", unit=unit)
            told = f"{words}: estimated {shown[0]} (rising release), {shown[1]} (constant), routed {routed}"
    x = Axis("volume", unit, low=0.0, high=round_above(max(reach) / factor))
    y = Axis("level", height, low=pond.store.floor / rise, high=pond.store.top / rise)
    return Plot(told, x, y, tuple(curves))


def pond_event_plot(
    results: Results, case: CaseResult, key: str, *, ghost: CaseResult | None = None, limit: float | None = None,
    devices: bool = True,
) -> Plot | None:  # fmt: skip
    """Inflow, outflow and the flow of each device of a pond in a case on one time axis, with its level beside.

    None for an element that stores no water.
    """
    pond, level, pool = case.element(key), case.level(key), case.pool(key)
    if not isinstance(pond, Pond) or pond.store is None or level is None or pool is None:
        return None
    study, system = results.study, results.study.units
    inflow = sum((case.flow_by(link) for link, _ in case.network.inlets.get(key, ())), np.zeros(1))
    outflow = case.flow(key)
    inflow = np.broadcast_to(inflow, outflow.shape)
    most = [float(inflow.max()), float(outflow.max()), limit or 0.0]
    unit = units.display_unit("flow", most, system)
    factor = units.factor_of(unit, "flow")
    curves = []
    if ghost is not None and key in ghost.network.elements:
        curves.append(flow_curve(ghost.flow(key), ghost.step, unit, "quiet", "outflow before", "solid"))
    curves.append(flow_curve(inflow, case.step, unit, "ink", "inflow", "dashed"))
    curves.append(flow_curve(outflow, case.step, unit, "water", "outflow", "solid", filled=True))
    if devices:
        felt = case.level(pond.tailwater.feels) if pond.tailwater.feels else None
        found = device_flows(pond.outlets, level, pond.behind(level) if felt is None else felt)
        apart = {name: flow for name, flow in found.by_device.items() if name not in found.sums}
        for number, (name, flow) in enumerate(apart.items() if len(apart) > 1 else ()):
            role, style = DEVICE_ROLES[number % len(DEVICE_ROLES)], STYLES[1 + number % (len(STYLES) - 1)]
            curves.append(flow_curve(flow, case.step, unit, role, name, style))
    end = end_above(max(event_end(case, key), pool.time / 3600))
    # room above the limit for its words
    high = round_above((1.35 if limit else 1.08) * max(most) / factor)
    curves.append(_level_curve(pond.store, level, case.step, high))
    levels = (Level(limit / factor, f"limit {units.show(limit, 'flow', unit=unit)}"),) if limit else ()
    title = (
        f"{study.name_of(key)} · {storm_title(study, case.case.storm)} · in "
        f"{units.show(float(inflow.max()), 'flow', unit=unit)}, out {units.show(most[1], 'flow', unit=unit)}, highest "
        f"{units.show(pool.top, 'height', system, digits=5)} at {case.when(pool.time)}"
    )
    x = replace(time_axis(case), high=end)
    y = Axis("flow", unit, low=0.0, high=high)
    return Plot(title, x, y, tuple(curves), levels=levels, beside=_level_axis(pond.store, system, high))


def _level_curve(store: Storage, level: Floats, step: float, high: float) -> Curve:
    """The level over time, drawn from the floor at the foot of the plot to the top at its upper end."""
    hours = np.arange(len(level)) * step / 3600
    share = (level - store.floor) / (store.top - store.floor)
    return Curve(hours, high * share, "rain", "level", "dashdot", 1.2)


def _level_axis(store: Storage, system: units.System, high: float) -> Axis:
    """The axis of the level on the right."""
    height = units.units_of("height", system)[0]
    rise = units.factor_of(height, "height")
    step = units.round_up((store.top - store.floor) / rise / 5)
    first = np.ceil(store.floor / rise / step - 1e-9)
    ticks = []
    for number in range(8):
        level = float((first + number) * step)
        share = (level * rise - store.floor) / (store.top - store.floor)
        if share <= 1 + 1e-9:
            ticks.append((high * share, f"{level:.10g}"))
    return Axis("level", height, ticks=tuple(ticks))
