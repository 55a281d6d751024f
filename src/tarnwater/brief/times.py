"""Times of a catchment by every equation, side by side."""

from __future__ import annotations

from dataclasses import dataclass

from tarnwater import units
from tarnwater.network.elements import Catchment
from tarnwater.parameters import Setting
from tarnwater.runoff.timing import Timing, concentration_of_lag, lag_of_concentration
from tarnwater.runoff.timing.timing import MEASURED
from tarnwater.units import System


@dataclass(frozen=True)
class TimeRow:
    """Times by an equation, s, None where something is lacking; what is lacking or outside its range, in words.

    ``method`` is the equation as it would be chosen, None where it asks for something first.
    """

    kind: type[Timing]
    method: Timing | None
    concentration: float | None
    lag: float | None
    chosen: bool
    lacking: str
    outside: str


def time_rows(catchment: Catchment, system: System) -> list[TimeRow]:
    """Rows of all equations: the chosen one first, then those that give a time, from the quickest."""
    rows = [_row(catchment, kind, system) for kind in Timing.known.values() if kind.leads]
    return sorted(rows, key=lambda row: (not row.chosen, row.lag is None, row.lag or 0.0))


def _row(catchment: Catchment, kind: type[Timing], system: System) -> TimeRow:
    chosen, measures = type(catchment.timing) is kind, catchment.measures
    method = catchment.timing if chosen else kind.plain()
    if method is None:
        return TimeRow(kind, None, None, None, chosen, "asks for its formula", "")
    method = method.refreshed(measures)
    found = method.derive(measures)
    lacks = [MEASURED[name][1] for name in kind.takes if getattr(measures, name) is None]
    lacks += [
        dict(kind.quantities())[name].label for name in method.needed(measures)
        if isinstance(held := getattr(method, name), Setting) and held.value is None
    ]  # fmt: skip
    told = "; ".join(doubt.told(system).removeprefix(f"{kind.title}: ") for doubt in method.doubts(measures))
    if found is None:
        return TimeRow(kind, method, None, None, chosen, f"needs {', '.join(lacks)}" if lacks else "", told)
    seconds = float(found.seconds)
    lag = seconds if found.leads == "lag" else lag_of_concentration(seconds)
    return TimeRow(kind, method, concentration_of_lag(lag), lag, chosen, "", told)


def spread_words(rows: list[TimeRow]) -> str:
    """The shortest and the longest time of concentration of the equations, in words."""
    known = [row.concentration for row in rows if row.concentration is not None]
    if len(known) < 2:
        return ""
    least, most = min(known), max(known)
    return (
        f"{len(known)} equations give {units.show_duration(round(least))} to {units.show_duration(round(most))}, "
        f"a ratio of {most / least:.2g}"
    )
