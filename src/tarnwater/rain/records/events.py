"""Events in a record of rain: spells of rain parted by dry time."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.parameters import Model, parameter
from tarnwater.rain.records.record import Record


class EventRule(Model):
    """What makes an event: rain with less than a dry time in it, deep enough, and with a flow great enough.

    ``lead`` and ``extension`` belong to an event before and after its rain, so that its recession is in it; events
    whose times then meet are one.
    """

    dry: float = parameter("time", "dry time between events", above=0, most=30 * 86400, default=6 * 3600.0)
    least_depth: float = parameter("rain", "least depth of an event", least=0, most=5000, default=10.0)
    least_flow: float = parameter("flow", "least peak flow of an event", least=0, default=0.0)
    lead: float = parameter("time", "time before the rain", least=0, most=30 * 86400, default=0.0)
    extension: float = parameter("time", "time after the rain", least=0, most=30 * 86400, default=0.0)


@dataclass(frozen=True)
class RainEvent:
    """An event: when it begins and ends (s since 1970), with its lead and extension, and what fell in it.

    ``most`` is the greatest depth of an interval, mm, ``missing`` the time without values, s, ``peak`` the greatest
    flow, m3/s, NaN without a record of flow.
    """

    begin: int
    end: int
    depth: float
    most: float
    missing: int
    peak: float = float("nan")


def events_of(record: Record, rule: EventRule, flow: Record | None = None) -> list[RainEvent]:
    """Events of a record of rain by a rule, in order of time; with a record of flow each has its greatest flow."""
    wet = np.flatnonzero(record.values > 0)
    if not len(wet):
        return []
    begins, ends = record.begins[wet], record.ends[wet]
    apart = begins[1:] - ends[:-1] >= rule.dry
    firsts = np.append(begins[0], begins[1:][apart]) - int(rule.lead)
    lasts = np.append(ends[:-1][apart], ends[-1]) + int(rule.extension)
    joined = np.append(False, firsts[1:] <= lasts[:-1])
    starts = firsts[~joined]
    stops = np.append(lasts[:-1][~joined[1:]], lasts[-1])
    depths = record.fallen_by(stops) - record.fallen_by(starts)
    covered = np.array([int(record.covered_between(np.array([a, b]))[0]) for a, b in zip(starts, stops, strict=True)])
    peaks = _peaks(flow, starts, stops)
    chosen = (depths >= rule.least_depth - 1e-9) & ~(peaks < rule.least_flow)
    return [
        RainEvent(
            int(starts[n]), int(stops[n]), float(depths[n]), _most(record, starts[n], stops[n]),
            int(stops[n] - starts[n] - covered[n]), float(peaks[n]),
        )
        for n in np.flatnonzero(chosen)
    ]  # fmt: skip


def event_between(record: Record, begin: int, end: int, flow: Record | None = None) -> RainEvent:
    """The event of a stretch of time (s since 1970)."""
    edges = np.array([begin, end])
    depth = float(np.diff(record.fallen_by(edges))[0])
    missing = int(end - begin - record.covered_between(edges)[0])
    (peak,) = _peaks(flow, edges[:1], edges[1:]).tolist()
    return RainEvent(begin, end, depth, _most(record, begin, end), missing, peak)


def _most(record: Record, begin: int, end: int) -> float:
    first, last = np.searchsorted(record.ends, [begin, end], side="right")
    return float(np.nanmax(record.values[first:last], initial=0.0))


def _peaks(flow: Record | None, begins: np.ndarray, ends: np.ndarray) -> Floats:
    if flow is None:
        return np.full(len(begins), np.nan)
    found = np.full(len(begins), np.nan)
    reaches = (np.searchsorted(flow.ends, edges, side="right") for edges in (begins, ends))
    for n, (first, last) in enumerate(zip(*reaches, strict=True)):
        if last > first and not np.isnan(flow.values[first:last]).all():
            found[n] = np.nanmax(flow.values[first:last])
    return found
