"""Figures of an element in a case, and their names."""

from __future__ import annotations

from tarnwater import units
from tarnwater.network.elements import Pond
from tarnwater.routing.first_storage import RELEASES
from tarnwater.study.answers import Answer, CaseResult, Results
from tarnwater.study.answers.first_storage import estimates_of
from tarnwater.study.answers.storms import storm_title


def case_title(results: Results, case: CaseResult, element: str = "") -> str:
    """Condition and storm, as in plots and tables.

    For an element also the design point of its storm, if it is another one.
    """
    study, point = results.study, case.case.point
    whose = f" · made for {study.name_of(point)}" if element and element != point else ""
    return f"{study.conditions[case.case.condition].name} · {storm_title(study, case.case.storm)}{whose}"


#: Figures of an element, and their kinds.
FIGURE_KINDS = {
    "peak": "flow",
    "time of peak": "time",
    "limit": "flow",
    "peak per area": "flow per area",
    "volume": "volume",
    "rain depth": "rain",
    "runoff depth": "rain",
    "share of rain": "share",
    "highest level": "height",
    "time of highest level": "time",
    "most stored": "volume",
    "overflow": "volume",
    **{
        name: kind
        for release in RELEASES
        for name, kind in (
            (f"first storage, release {release}", "volume"),
            (f"critical duration, release {release}", "time"),
        )
    },
}


def figure_names() -> tuple[str, ...]:
    """Names of the figures of an element."""
    return tuple(FIGURE_KINDS)


def figures_of(results: Results, case: CaseResult, key: str) -> list[tuple[str, float | None, str]]:
    """Name, value in the base unit and kind of each figure of an element; without a limit if there is none."""
    found, pool, pond = case.figures(key), case.pool(key), case.network.elements[key]
    stored = None if pool is None or not isinstance(pond, Pond) else pond.stored_at(pool.top)
    spilled = None if pool is None or pool.spilled == 0 else pool.spilled
    values = (
        found.peak.ordinate, found.peak.time, results.limit(key, case.case.event, case.case.condition),
        found.per_area, found.volume, found.rain_depth, found.runoff_depth, found.share_of_rain,
        None if pool is None else pool.top, None if pool is None else pool.time, stored, spilled,
        *_estimated(results, case, key),
    )  # fmt: skip
    return [(name, value, kind) for (name, kind), value in zip(FIGURE_KINDS.items(), values, strict=True)]


def _estimated(results: Results, case: CaseResult, key: str) -> list[float | None]:
    """First storage and critical duration of a pond, for each release."""
    estimates = estimates_of(results, case, key) if isinstance(case.network.elements[key], Pond) else None
    if estimates is None:
        return [None] * (2 * len(RELEASES))
    return [value for one in estimates.by_release.values() for value in (one.volume, one.duration)]


def shown_figure(value: float, kind: str, system: units.System, case: CaseResult | None = None) -> str:
    """A figure in words; a time also with the date if there is one."""
    if kind != "time":
        return units.show(value, kind, system)
    after = units.show_duration(round(value))
    return after if case is None or case.origin is None else f"{case.when(value)} ({after})"


def what_makes_the_peak(case: CaseResult, key: str) -> list[tuple[str, float, float]]:
    """Inflows of an element at the time of its peak: key, flow at that time, and own peak, m3/s, the largest first."""
    index = round(case.peak(key).time / case.step)
    links = case.network.inlets[key]
    entering = [(link.up, float(case.flow_by(name)[index]), case.peak_by(name).ordinate) for name, link in links]
    return sorted(entering, key=lambda row: -row[1])


def difference(answer: Answer, other: Answer | None) -> float | None:
    """Difference of the peaks of two answers, m3/s; None without the second."""
    return None if other is None else answer.figures.peak.ordinate - other.figures.peak.ordinate
