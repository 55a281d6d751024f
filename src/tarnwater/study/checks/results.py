"""Checks of computed cases."""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator
from functools import partial

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.clock import moment, show_moment
from tarnwater.hydrograph import Hydrograph, add_up
from tarnwater.network.elements import Catchment, Inflow, Reach
from tarnwater.network.engine import Batch, compute
from tarnwater.network.graph import Network
from tarnwater.network.memo import IdentityMemo
from tarnwater.progress import Progress
from tarnwater.rain.areal import LARGE_AREA, ArealReduction
from tarnwater.routing.reaches import Routing
from tarnwater.study import edits
from tarnwater.study.answers import ROUNDING, Answer, Case, CaseResult, Results
from tarnwater.study.answers.storms import DesignStorm, event_title, in_order, rain_of
from tarnwater.study.checks.element import STEP_NOTE
from tarnwater.study.checks.findings import Finding, Remedy, Severity
from tarnwater.study.document import Study
from tarnwater.units import System, show, show_alike, show_duration

BALANCE_TOLERANCE = 1e-9

#: Dips below zero by less than this share of the peak come from rounding.
NEGATIVE_TOLERANCE = 1e-12

#: All searches for other settings of reaches together take no longer than this, s.
LONGEST_SEARCH = 2.0

#: A peak is coarse where the parabola through it is higher by more than this share.
PEAK_MISSED = 0.005

#: Growth of the peak at twice the length of nested storms that is doubted.
GROWTH_DOUBT = 0.05


def tails(results: Results, search: Search) -> Iterator[Finding]:
    """Runs that end before the flow has receded, reported once for each design point and condition."""
    share = results.study.run.recession_share
    for cases in _by_place(r for r in results.cases if not r.receded(r.case.point, share)):
        storms = ", ".join(dict.fromkeys(_storm(results, r.case) for r in cases[:3])) + (" …" if len(cases) > 3 else "")
        yield _on_case(
            cases[0].case,
            "tail-not-receded",
            "doubt",
            f"{storms}: {_unfinished(cases[0], share)}",
            "Clear the typed length of the run, or type a longer one.",
        )


def _storm(results: Results, case: Case) -> str:
    """The storm of a case in words."""
    return case.storm.words(results.study)


def _unfinished(case: CaseResult, share: float) -> str:
    """Remaining flow at the end of a run that is too short, in words."""
    if not case.fallen(case.case.point, share):
        return f"the run ends above {show(share, 'share')} of the peak."
    return f"the run ends with {show(case.on_its_way(case.case.point), 'share')} of the water still on its way."


def _by_place(cases: Iterable[CaseResult]) -> Iterable[list[CaseResult]]:
    """Cases of each condition and design point together."""
    found: dict[tuple[str, str], list[CaseResult]] = {}
    for result in cases:
        found.setdefault((result.case.condition, result.case.point), []).append(result)
    return found.values()


class Search:
    """Common data of the searches for remedies of one check: the time limit, and cancelling."""

    def __init__(self, progress: Progress | None = None) -> None:
        self._progress = progress or Progress()
        self._end = time.monotonic() + LONGEST_SEARCH
        self.complete = True

    def goes_on(self) -> bool:
        """Whether there is time left; raises `Cancelled` where the work was cancelled."""
        self._progress.tell("searching for remedies", self._progress.share)
        self.complete = time.monotonic() < self._end
        return self.complete


def negative_flows(results: Results, search: Search) -> Iterator[Finding]:
    """Flow below zero, reported once for each condition where it arises; it is never clipped."""
    dipping: dict[tuple[str, str], list[CaseResult]] = {}
    for result in results.cases:
        dips = result.run.dips
        for key in result.network.order if dips else ():
            if (
                key in dips
                and result.lowest(key) < 0
                and _dip(result, key)
                and not any(_dip(result, up) for up in result.network.upstream[key])
            ):
                dipping.setdefault((result.case.condition, key), []).append(result)
    for (condition, key), cases in dipping.items():
        worst = max(cases, key=lambda r: _dip(r, key))
        yield Finding(
            "negative-flow",
            "doubt",
            f"{_storm(results, worst.case)}: the flow falls to {show(worst.lowest(key), 'flow', results.study.units)}.",
            _other_parts(results.study, cases, worst, key, search),
            element=key,
            condition=condition,
            field="method/parts",
        )


def _dip(result: CaseResult, key: str) -> float:
    return _dip_below(result.lowest(key), result.peak(key).ordinate)


def _dip_below(low: float, peak: float) -> float:
    """Depth of a flow below zero as a share of its peak; 0 within the tolerance."""
    share = -low / max(peak, 1e-12)
    return share if share > NEGATIVE_TOLERANCE else 0.0


def _dip_of(flow: Floats) -> float:
    return _dip_below(float(flow.min()), float(flow.max()))


def _other_parts(
    study: Study, cases: list[CaseResult], worst: CaseResult, key: str, search: Search
) -> tuple[Remedy, ...]:
    """Other parts and weights of a reach without negative flow in any case, each with its peak."""
    reach = worst.network.elements[key]
    if not isinstance(reach, Reach):
        return ()
    if any(case.case.start for case in cases):
        # the start state belongs to the present parts and does not apply to others
        return (Remedy("Try other parts or another weight, then look whether it still dips."),)
    memo: IdentityMemo[tuple[Remedy, ...]] = study.memory.of("remedies for the runs of reaches", 256)
    above, system = worst.network.upstream[key], study.units
    parts = (*(case.run.responses[up] for case in (*cases, worst) for up in above), reach)
    also = (key, system, worst.step, worst.index, *(case.index for case in cases))
    known = memo.get(parts, also)
    if known is not None:
        return known
    found = tuple(_try_parts(cases, worst, key, reach.method, search, system))
    if search.complete:
        return memo.put(parts, found or (Remedy(reach.method.none_calmer),), also)
    return (*found, NOT_ALL_TRIED)


NOT_ALL_TRIED = Remedy(f"Not all settings were tried: the search stops after {LONGEST_SEARCH:g} s.")


def _try_parts(
    cases: list[CaseResult], worst: CaseResult, key: str, present: Routing, search: Search, system: System
) -> Iterator[Remedy]:
    # the worst case first: settings that fail in it need not be tried in the others
    inflows = [_inflow(case, key) for case in (worst, *(c for c in cases if c is not worst))]
    for effect, candidates in present.calmer(worst.step):
        for words, method in candidates:
            if not search.goes_on():
                return
            if not _routes_without_dip(method, inflows, search):
                continue
            peak = float(method.route(inflows[0]).hydrograph.flow.max())
            yield Remedy(
                f"{words} {effect}: peak {show(peak, 'flow', system)}.",
                partial(edits.choose, element=key, field="method", value=method),
            )
            break


def _routes_without_dip(method: Routing, inflows: list[Hydrograph], search: Search) -> bool:
    return all(search.goes_on() and not _dip_of(method.route(inflow).hydrograph.flow) for inflow in inflows)


def _inflow(case: CaseResult, key: str) -> Hydrograph:
    parts = [case.hydrograph(link.up, name) for name, link in case.network.inlets[key]]
    return add_up(parts, np.empty((1, len(case.flow(key)))), case.step)


def coarse_peaks(results: Results, search: Search) -> Iterator[Finding]:
    """Peaks for which the step is coarse: the parabola is higher, or breaks a limit that the ordinate keeps."""
    told: set[tuple[str, str]] = set()
    system = results.study.units
    for answer in results.answers():
        case, peak = answer.result.case, answer.figures.peak
        place = case.condition, case.point
        breaks = (
            answer.limit is not None
            and peak.fitted is not None
            and peak.ordinate <= answer.limit * (1 + ROUNDING) < peak.fitted
        )
        if peak.fitted is None or not (breaks or peak.missed > PEAK_MISSED) or place in told:
            continue
        told.add(place)
        top, fitted, limit = show_alike([peak.ordinate, peak.fitted, answer.limit or 0.0], "flow", system)
        over = f" and would break the limit of {limit}" if breaks else ""
        yield _on_case(
            case,
            "peak-coarse",
            "note",
            f"{_storm(results, case)}: the parabola through the peak of {top} reaches {fitted}{over}; "
            "the step is coarse for this peak.",
            "Take a finer step.",
        )


def growth_with_length(results: Results, search: Search) -> Iterator[Finding]:
    """Nested storms whose peak still increases at twice their length."""
    for answer in results.answers():
        case = answer.result.case
        longer = [
            r
            for r in results.beside(case.condition, case.point, case.event)
            if r.standing == "other length"
            and r.case.storm.place == case.storm.place
            and r.case.storm.duration > case.storm.duration
        ]
        if not longer:
            continue
        peak, then = answer.figures.peak.ordinate, longer[0].peak(case.point).ordinate
        if then > (1 + GROWTH_DOUBT) * peak:
            now, grown = show_alike([peak, then], "flow", results.study.units)
            yield _on_case(
                case,
                "grows-with-length",
                "doubt",
                f"{_storm(results, case)}: the peak of {now} grows to {grown} with a nested storm of "
                f"{show_duration(longer[0].case.storm.duration)}.",
                "Choose the length for a reason, or a pattern that is not nested.",
            )


def _design_answers(results: Results) -> Iterator[tuple[Case, DesignStorm, float]]:
    """Cases that answer by a design storm, the storm, and the area (m2) above their design point."""
    for answer in results.answers():
        case = answer.result.case
        if isinstance(case.storm, DesignStorm):
            yield case, case.storm, answer.figures.area


def areal_offered(results: Results, search: Search) -> Iterator[Finding]:
    """Large areas under the rain of a point, reported once for each design point and family, with both depths."""
    told: set[tuple[str, str]] = set()
    for case, storm, area in _design_answers(results):
        key, family = storm.key, results.study.families[storm.key]
        if family.areal.chosen or family.prescribed or area <= LARGE_AREA or (case.point, key) in told:
            continue
        told.add((case.point, key))
        table = results.study.tables[family.table]
        offered = ArealReduction(method="leclerc-schaake")
        depth = float(table.depth(storm.duration, storm.return_period))
        reduced = float(offered.factors(area, storm.duration)) * depth
        system = results.study.units
        chosen = family.model_copy(update={"areal": offered})
        yield Finding(
            "no-areal-reduction",
            "doubt",
            f"{_storm(results, case)}: {show(depth, 'rain', system)} at a point is taken over "
            f"{show(area, 'area', system)}; reduced for that area it is {show(reduced, 'rain', system)}.",
            (
                Remedy(
                    "Use the areal reduction of Leclerc and Schaake (1972).",
                    partial(edits.change_family, key=key, family=chosen, act="choose the areal reduction"),
                ),
            ),
            element=case.point,
            field=f"families/{key}",
        )


def areal_beyond_curve(results: Results, search: Search) -> Iterator[Finding]:
    """Design points and durations beyond the typed curve of areal reduction, once for each point and family."""
    told: set[tuple[str, str]] = set()
    for case, storm, area in _design_answers(results):
        key, family = storm.key, results.study.families[storm.key]
        curve = family.areal.typed
        if curve is None or curve.holds(area, storm.duration) or (case.point, key) in told:
            continue
        told.add((case.point, key))
        over = f"{show(area, 'area', results.study.units)} and {show_duration(storm.duration)}"
        yield Finding(
            "areal-beyond-curve",
            "doubt",
            f"{_storm(results, case)}: the areal reduction of {over} is beyond its typed curve, which keeps its last "
            "share.",
            (Remedy("Type a curve that holds them, under Rain, areal reduction."),),
            element=case.point,
            field=f"families/{key}",
        )


def half_the_step(results: Results, search: Search) -> Iterator[Finding]:
    """The peak at half the step, for catchments with a short lag, in the rarest event from rest."""
    rested = in_order(results.study, [r.case.event for r in results.cases if not r.case.start])
    design = [event for event in rested if not isinstance(event, str)]
    rarest = design[-1:] or rested[:1]
    told: set[tuple[str, str]] = set()
    for answer in results.answers():
        result = answer.result
        if result.case.start or [result.case.event] != rarest:
            continue
        for key, element in result.network.elements.items():
            place = result.case.condition, key
            if not isinstance(element, Catchment) or result.step <= STEP_NOTE * (element.delay or 0.0) or place in told:
                continue
            told.add(place)
            peaks = [result.peak(key).ordinate, _peak_at_half(results, result, key)]
            now, then = show_alike(peaks, "flow", results.study.units)
            yield Finding(
                "peak-at-half-step",
                "note",
                f"{_storm(results, result.case)}: its peak of {now} would be {then} at half the step.",
                (Remedy("Take a finer step."),),
                element=key,
                condition=result.case.condition,
                field="lag",
            )


def _peak_at_half(results: Results, result: CaseResult, key: str) -> float:
    memo: IdentityMemo[float] = results.study.memory.of("peaks at half the step", 1024)
    parts = (result.network.elements[key], *result.case.storm.made_from(results.study))
    also = result.case.storm, result.step, result.areal_factor, len(result.flow(key))
    known = memo.get(parts, also)
    return known if known is not None else memo.put(parts, _compute_at_half(results, result, key), also)


def _compute_at_half(results: Results, result: CaseResult, key: str) -> float:
    area, step = result.network.area_above(result.case.point), result.step / 2
    alone = Network({key: result.element(key)}, {})
    rain = rain_of(results.study, [result.case.storm], alone, area, step)
    steps = 2 * (len(result.flow(key)) - 1)
    return float(compute(Batch(alone, rain, step, steps), threads=1).responses[key].flow.max())


def governing_at_end(results: Results, search: Search) -> Iterator[Finding]:
    """Governing durations at the end of the range, so that the greatest peak is not bracketed."""
    ends: dict[tuple[str, str, float], list[Answer]] = {}
    for answer in results.answers():
        case = answer.result.case
        if not answer.bracketed:
            ends.setdefault((case.point, case.condition, case.storm.duration), []).append(answer)
    for (_, _, duration), answers in ends.items():
        periods = ", ".join(f"{a.result.case.event:g}" for a in answers)
        yield _on_case(
            answers[0].result.case,
            "governing-at-end",
            "doubt",
            f"1 in {periods}: the governing duration {show_duration(duration)} is at the end of those tried.",
            "Add durations beyond it.",
            subject=show_duration(duration),
        )


#: Share by which a value may differ from its bound, and the rate of even rain from its mean.
EVEN = 0.01


def outside_fit(results: Results, search: Search) -> Iterator[Finding]:
    """Storms outside of those over which a loss was fitted to another, once for each surface and condition."""
    seen: set[tuple[str, int, str]] = set()
    system = results.study.units
    for result in results.cases:
        if result.standing != "counted":
            continue
        depths: dict[str, float] = {}
        for key, element in result.network.elements.items():
            if not isinstance(element, Catchment):
                continue
            for row, surface in enumerate(element.surfaces):
                fit, mark = surface.holding_fit, (key, row, result.case.condition)
                if fit is None or mark in seen:
                    continue
                depth = depths.setdefault(key, float(result.rain_on(key).sum()))
                duration = result.case.storm.duration
                if _within(depth, fit.depths) and _within(duration, fit.durations):
                    continue
                seen.add(mark)
                low, high = (show(d, "rain", system) for d in fit.depths)
                lengths = " to ".join(dict.fromkeys(show_duration(d) for d in fit.durations))
                yield Finding(
                    "loss-outside-fit",
                    "doubt",
                    f"{_storm(results, result.case)}: {show(depth, 'rain', system)} of rain; its loss was fitted to "
                    f"{fit.of} over {low} to {high} in {lengths}.",
                    (Remedy("Fit the loss again, over these storms too."),),
                    element=key,
                    condition=result.case.condition,
                    field=f"surfaces/{row}/loss",
                )


def _within(value: float, bounds: tuple[float, float]) -> bool:
    return bounds[0] * (1 - EVEN) <= value <= bounds[1] * (1 + EVEN)


def uneven_rain(results: Results, search: Search) -> Iterator[Finding]:
    """Storms that are not even on catchments whose method is made for even rain, once for each maker and condition."""
    seen: set[tuple[str, str]] = set()
    for result in results.cases:
        mark = result.case.storm.place, result.case.condition
        if mark in seen or result.standing != "counted":
            continue
        for key, element in result.network.elements.items():
            if not isinstance(element, Catchment) or not element.transform.even_rain:
                continue
            rain = np.trim_zeros(result.rain_on(key))
            # the last step may be full in part only
            times = float(rain[:-1].max() / rain[:-1].mean()) if len(rain) > 2 else 1.0
            if times <= 1 + EVEN:
                continue
            seen.add(mark)
            yield Finding(
                "rain-not-even",
                "doubt",
                f"{_storm(results, result.case)}: the greatest rate of its rain is {times:.3g} times the mean; the "
                "rational method is made for even rain.",
                (Remedy("Make the storms with an even pattern, or choose another transform."),),
                element=key,
                condition=mark[1],
                field="transform",
                subject=result.case.storm.maker(results.study),
            )
            break


#: Loss of a peak in a reach that is noted, as a share.
PEAK_LOST = 0.01


def lost_peaks(results: Results, search: Search) -> Iterator[Finding]:
    """Peaks that reaches lower whose equations lower none, once for each reach and condition, the worst of them."""
    worst: dict[tuple[str, str], tuple[float, CaseResult]] = {}
    for result in results.cases:
        for key, element in result.network.elements.items():
            if not isinstance(element, Reach) or not element.method.keeps_peaks or not result.network.inlets[key]:
                continue
            comes = float(_inflow(result, key).flow.max())
            goes = float(element.method.route(_inflow(result, key)).hydrograph.flow.max())
            lost = 1 - goes / comes if comes > 0 else 0.0
            if lost > worst.get((result.case.condition, key), (PEAK_LOST,))[0]:
                worst[result.case.condition, key] = lost, result
    for (condition, key), (lost, result) in worst.items():
        yield Finding(
            "peak-lost-to-parts",
            "note",
            f"{_storm(results, result.case)}: the peak falls by {show(lost, 'share', digits=2)} in it. The kinematic "
            "wave lowers a peak only where it breaks; the rest comes from its parts and the step.",
            (Remedy("Double its parts, or halve the step, and see by how much the peak changes."),),
            element=key,
            condition=condition,
            field="method/parts",
        )


#: Share of its greatest flow below which a recorded inflow may end unsaid.
NEARLY_NOTHING = 0.01


def recorded_inflows(results: Results, search: Search) -> Iterator[Finding]:
    """Recorded inflows that end before a run does, or that a run without a date takes from their start."""
    seen: set[tuple[str, str, str]] = set()
    system = results.study.units
    for result in results.cases:
        for key, element in result.network.elements.items():
            if not isinstance(element, Inflow) or element.origin is None:
                continue
            last, end = element.flows[-1], moment(element.origin, element.times[-1])
            if result.origin is None:
                code, severity, remedy = "inflow-undated", "note", "Compute a recorded storm of its time."
                told = f"a storm without a date takes it from its start, {show_moment(element.origin)}."
            elif last > NEARLY_NOTHING * max(element.flows) and moment(result.origin, result.length) > end:
                code, severity, remedy = "inflow-ends", "doubt", "Take a part of the record that goes on for longer."
                told = f"it ends on {show_moment(end)} with {show(last, 'flow', system)}; after that no flow enters."
            else:
                continue
            mark = code, key, result.case.condition
            if mark not in seen:
                seen.add(mark)
                yield Finding(code, severity, told, (Remedy(remedy),), element=key, condition=mark[2], field="times")  # type: ignore[arg-type]


def limits(results: Results, search: Search) -> Iterator[Finding]:
    """Limits that are exceeded, or unknown."""
    for answer in results.answers():
        if answer.verdict is None or answer.verdict.state == "kept":
            continue
        case = answer.result.case
        period = event_title(results.study, case.event)
        flows = [answer.figures.peak.ordinate, answer.limit or 0.0]
        peak, limit = show_alike(flows, "flow", results.study.units)
        if answer.verdict.state == "exceeded":
            text = f"{period}: {peak} where {limit} are allowed."
            yield _on_case(case, "limit-exceeded", "doubt", text, "Change the works until the limit is kept.", period)
        else:
            text = f"{period}: whether {limit} are kept is {answer.verdict.words}."
            remedy = "Resolve the stops that withhold the other cases."
            yield _on_case(case, "limit-unknown", "doubt", text, remedy, period)


def balances(results: Results, search: Search) -> Iterator[Finding]:
    """Errors of the water balance."""
    seen: set[int] = set()
    for result in results.cases:
        if id(result.run) in seen:
            continue
        seen.add(id(result.run))
        error = float(np.abs(result.run.balance.error).max())
        if error > BALANCE_TOLERANCE:
            yield _on_case(
                result.case,
                "balance",
                "doubt",
                f"the water balance is out by {error:.1e} of the volume.",
                "Report this; it is an error of the program.",
            )


def _on_case(case: Case, code: str, severity: Severity, text: str, remedy: str, subject: str = "") -> Finding:
    place = case.point, case.condition
    return Finding(code, severity, text, (Remedy(remedy),), element=place[0], condition=place[1], subject=subject)


CHECKS = (
    tails,
    negative_flows,
    half_the_step,
    coarse_peaks,
    governing_at_end,
    growth_with_length,
    areal_offered,
    areal_beyond_curve,
    outside_fit,
    uneven_rain,
    lost_peaks,
    recorded_inflows,
    limits,
    balances,
)
