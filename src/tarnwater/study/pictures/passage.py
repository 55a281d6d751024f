"""Plots of what flows into an element and what leaves it: delay, attenuation, and peaks that do not add up."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tarnwater import units
from tarnwater.network.peaks import Peak, find_peak
from tarnwater.plots import STYLES, Axis, Curve, Mark, Plot, Role
from tarnwater.study.answers import CaseResult, Results
from tarnwater.study.pictures.hydrographs import CONDITION_ROLES, flow_curve, peak_mark, time_axis

#: Parts of a confluence whose peaks are marked and told with their names.
NAMED = 3


def passage_plot(results: Results, case: CaseResult, key: str) -> Plot | None:
    """The inflows of an element beside its outflow, with what they tell in the title; None without an inflow."""
    # the greatest part comes first
    inlets = sorted(case.network.inlets[key], key=lambda inlet: -case.peak_by(inlet[0]).ordinate)
    if not inlets:
        return None
    study = results.study
    parts = [case.peak_by(link) for link, _ in inlets]
    flows = [case.flow_by(link) for link, _ in inlets]
    total = np.sum(flows, axis=0)
    whole, leaving = find_peak(total, case.step, smooth=False), case.peak(key)
    unit = units.display_unit("flow", [whole.ordinate, leaving.ordinate], study.units)
    names = [study.name_of(way.up) for _, way in inlets]
    curves: list[Curve] = []
    marks: list[Mark] = []
    for number, (name, flow, part) in enumerate(zip(names, flows, parts, strict=True), start=1):
        several = len(inlets) > 1
        role: Role = CONDITION_ROLES[number % len(CONDITION_ROLES)] if several else "quiet"
        style = STYLES[number % len(STYLES)]
        curves.append(flow_curve(flow, case.step, unit, role, f"from {name}" if several else "inflow", style))
        if several and number <= NAMED:
            mark = peak_mark(case, part, unit, role)
            marks.append(replace(mark, text=f"{name} {mark.text}"))
    curves.append(flow_curve(case.flow(key), case.step, unit, "water", "outflow", "solid"))
    told = [_of_parts(case, parts, whole, unit)] if len(parts) > 1 else []
    # the parts are added here in another order than by the run
    if not np.allclose(total, case.flow(key), rtol=0, atol=1e-9 * max(1.0, whole.ordinate)):
        told.append(_of_passage(case, whole, leaving, unit))
    title = " · ".join(told) or "passes its inflow on"
    return Plot(title, time_axis(case), Axis("flow", unit, low=0.0), tuple(curves), marks=tuple(marks))


def _of_parts(case: CaseResult, parts: list[Peak], whole: Peak, unit: str) -> str:
    """Why the peaks of the parts are more than the peak of their sum."""
    added = sum(part.ordinate for part in parts)
    first, last = min(part.time for part in parts), max(part.time for part in parts)
    when = f" between {case.when(first)} and {case.when(last)}" if last > first else ""
    return (
        f"peaks of {len(parts)} parts{when} add up to {units.show(added, 'flow', unit=unit)}; together they reach "
        f"{units.show(whole.ordinate, 'flow', unit=unit)} at {case.when(whole.time)}"
    )


def _of_passage(case: CaseResult, entering: Peak, leaving: Peak, unit: str) -> str:
    """Delay and attenuation of the peak."""
    enters, leaves = (units.show(peak.ordinate, "flow", unit=unit) for peak in (entering, leaving))
    told = f"inflow {enters} at {case.when(entering.time)}, outflow {leaves} at {case.when(leaving.time)}"
    late = leaving.time - entering.time
    when = (
        f"{units.show_duration(round(abs(late)))} {'later' if late > 0 else 'earlier'}" if late else "at the same time"
    )
    if entering.ordinate <= 0:
        return f"{told}: {when}"
    share = 1 - leaving.ordinate / entering.ordinate
    how = f"{units.show(abs(share), 'share', digits=3)} {'lower' if share >= 0 else 'higher'}"
    return f"{told}: {when}, {how}"
