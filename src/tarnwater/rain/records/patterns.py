"""Patterns cut from a record: the mass curves of its deepest spells of a duration."""

from __future__ import annotations

import numpy as np

from tarnwater.errors import OutOfRange
from tarnwater.rain.patterns import MassCurve
from tarnwater.rain.records.record import Record
from tarnwater.units import show_duration

#: Entries of a curve, at most.
ENTRIES = 21


def deepest_patterns(record: Record, duration: int, count: int, apart: int = 2 * 86400) -> list[MassCurve]:
    """Mass curves of the deepest spells of a duration (s) without a gap, at least ``apart`` s from each other.

    Raises `OutOfRange` for a duration that the record cannot resolve, or a record with too few spells.
    """
    step = max(record.step, 60)
    if duration < 2 * step:
        raise OutOfRange(
            f"{show_duration(duration)} holds fewer than two steps of the record.", remedy="Choose a longer duration."
        )
    ends = record.ends
    whole = record.whole_between(ends - duration, ends)
    depths = np.where(whole, record.fallen_by(ends) - record.fallen_by(ends - duration), -1.0)
    found: list[MassCurve] = []
    taken: list[int] = []
    for at in np.argsort(-depths, kind="stable").tolist():
        if depths[at] <= 0 or len(found) == count:
            break
        end = int(ends[at])
        if all(abs(end - other) >= duration + apart for other in taken):
            taken.append(end)
            found.append(_curve(record, end - duration, duration, step))
    if len(found) < 2:
        raise OutOfRange("the record has too few spells of rain.", remedy="Choose a shorter duration.")
    return found


def _curve(record: Record, begin: int, duration: int, step: int) -> MassCurve:
    entries = min(ENTRIES, duration // step + 1)
    times = np.linspace(0.0, 1.0, entries)
    fallen = record.fallen_by(begin + np.rint(times * duration).astype(np.int64))
    shares = np.maximum.accumulate((fallen - fallen[0]) / (fallen[-1] - fallen[0]))
    name = f"{record.moment(begin):%Y-%m-%d %H:%M}"
    return MassCurve(name=name, times=tuple(times.tolist()), shares=(*shares[:-1].tolist(), 1.0))
