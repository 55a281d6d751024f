"""Checks of computed cases."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import numpy as np

from tarnwater.hydrograph import Hydrograph, add_up
from tarnwater.network.elements import Catchment, Reach
from tarnwater.network.engine import Batch, compute
from tarnwater.network.graph import Network
from tarnwater.network.memo import IdentityMemo
from tarnwater.parameters import typed
from tarnwater.routing.reaches import Muskingum
from tarnwater.routing.reaches.muskingum import weight_keeping_attenuation
from tarnwater.study import edits
from tarnwater.study.cases import Answer, Case, CaseResult, Results, storm_rain
from tarnwater.study.checks.element import STEP_NOTE
from tarnwater.study.findings import Finding, Remedy, Severity
from tarnwater.units import show, show_duration

BALANCE_TOLERANCE = 1e-9

#: Dips below zero by less than this share of the peak, or by less than a millilitre a second, come from
#: volumes spread evenly over a step.
NEGATIVE_TOLERANCE = 1e-6
NEGATIVE_FLOW = 1e-6

#: Remedies found for the runs of unchanged reaches.
_REMEDIES: IdentityMemo[tuple[Remedy, ...]] = IdentityMemo(most=256)

#: Peaks at half the step of unchanged catchments.
_HALVED: IdentityMemo[float] = IdentityMemo(most=1024)

#: Remedies look no further than this many parts of a reach.
MOST_PARTS = 1000


def tails(results: Results) -> Iterator[Finding]:
    """Runs that end before the flow has receded."""
    share = results.study.run.recession_share
    for result in results.cases:
        if not result.receded(result.case.point, share):
            yield _on_case(
                result.case,
                "tail-not-receded",
                "doubt",
                f"{result.case.storm.title}: the run ends above {show(share, 'share')} of the peak.",
                "Give the length of the run back, or type a greater one.",
            )


def negative_flows(results: Results) -> Iterator[Finding]:
    """Flow below zero, told once a condition where it arises; it is never clipped."""
    dipping: dict[tuple[str, str], list[CaseResult]] = {}
    for result in results.cases:
        for key in result.network.order:
            if (
                result.lowest(key) < 0
                and _dip(result, key)
                and not any(_dip(result, up) for up in result.network.upstream[key])
            ):
                dipping.setdefault((result.case.condition, key), []).append(result)
    for (condition, key), cases in dipping.items():
        worst = max(cases, key=lambda r: _dip(r, key))
        yield Finding(
            "negative-flow",
            "doubt",
            f"{worst.case.storm.title}: the flow falls to {show(worst.lowest(key), 'flow')}.",
            _other_parts(cases, worst, key),
            element=key,
            condition=condition,
            field="method/parts",
        )


def _dip(result: CaseResult, key: str) -> float:
    return _dip_below(result.lowest(key), result.peak(key).ordinate)


def _dip_below(low: float, peak: float) -> float:
    """How far a flow falls below zero as a share of its peak; 0 within the tolerance."""
    share = -low / max(peak, 1e-12)
    return share if share > NEGATIVE_TOLERANCE and -low > NEGATIVE_FLOW else 0.0


def _dip_of(flow: np.ndarray) -> float:
    return _dip_below(float(flow.min()), float(flow.max()))


def _other_parts(cases: list[CaseResult], worst: CaseResult, key: str) -> tuple[Remedy, ...]:
    """Other parts and weights of a reach with which no case dips, that of equal attenuation first, and its peak."""
    reach = worst.network.elements[key]
    if not isinstance(reach, Reach) or not isinstance(reach.method, Muskingum):
        return ()
    above = worst.network.upstream[key]
    parts = (*(case.run.responses[up] for case in (*cases, worst) for up in above), reach)
    also = (key, worst.step, worst.index, *(case.index for case in cases))
    known = _REMEDIES.get(parts, also)
    return (
        known if known is not None else _REMEDIES.put(parts, tuple(_try_parts(cases, worst, key, reach.method)), also)
    )


def _try_parts(cases: list[CaseResult], worst: CaseResult, key: str, present: Muskingum) -> Iterator[Remedy]:
    inflows = [_inflow(case, key) for case in cases]
    for effect, candidates in _candidates(present):
        for parts, weight in candidates:
            note = typed(parts, note="against negative flow")
            method = present.model_copy(update={"weight": weight, "parts": note})
            if method.coefficients(worst.step).c1 < 0 or any(_dip_of(method.route(i).hydrograph.flow) for i in inflows):
                continue
            peak = float(method.route(_inflow(worst, key)).hydrograph.flow.max())
            yield Remedy(
                f"{parts} parts with X = {weight:.3g} {effect}: peak {show(peak, 'flow')}.",
                partial(edits.choose, element=key, field="method", value=method),
            )
            break


def _inflow(case: CaseResult, key: str) -> Hydrograph:
    parts = [case.hydrograph(up) for up in case.network.upstream[key]]
    return add_up(parts, np.empty((1, len(case.flow(key)))), case.step)


def _candidates(method: Muskingum) -> Iterator[tuple[str, list[tuple[int, float]]]]:
    """Parts and weights to try, by what they do to the peak."""
    x, n = method.weight, method.parts.known
    more = range(n + 1, MOST_PARTS)
    kept = [(parts, weight_keeping_attenuation(x, n, parts)) for parts in more]
    yield "keep the attenuation", [(parts, weight) for parts, weight in kept if weight >= 0]
    yield "attenuate less", [(parts, x) for parts in more]
    yield "attenuate more", [(n, x * share / 20) for share in range(19, -1, -1)]


def half_the_step(results: Results) -> Iterator[Finding]:
    """The peak at half the step beside it, for catchments quick against the step, at the rarest storm."""
    rarest = max(r.case.storm.return_period for r in results.cases)
    told: set[tuple[str, str]] = set()
    for answer in results.answers():
        result = answer.result
        if result.case.storm.return_period != rarest:
            continue
        for key, element in result.network.elements.items():
            place = result.case.condition, key
            if not isinstance(element, Catchment) or result.step <= STEP_NOTE * element.lag.known or place in told:
                continue
            told.add(place)
            now, then = result.peak(key).ordinate, _peak_at_half(results, result, key)
            yield Finding(
                "peak-at-half-step",
                "note",
                f"{result.case.storm.title}: its peak of {show(now, 'flow')} would be {show(then, 'flow')} "
                "at half the step.",
                (Remedy("Take a finer step."),),
                element=key,
                condition=result.case.condition,
                field="lag",
            )


def _peak_at_half(results: Results, result: CaseResult, key: str) -> float:
    family = results.study.families[result.case.storm.family]
    parts = result.network.elements[key], family, results.study.tables[family.table]
    also = result.case.storm, result.step, result.areal_factor, len(result.flow(key))
    known = _HALVED.get(parts, also)
    return known if known is not None else _HALVED.put(parts, _compute_at_half(results, result, key), also)


def _compute_at_half(results: Results, result: CaseResult, key: str) -> float:
    area, step = result.network.area_above(result.case.point), result.step / 2
    rain = storm_rain(results.study, [result.case.storm], area, step)
    alone = Network({key: result.network.elements[key]}, {})
    steps = 2 * (len(result.flow(key)) - 1)
    return float(compute(Batch(alone, rain, step, steps), threads=1).responses[key].flow.max())


def governing_at_end(results: Results) -> Iterator[Finding]:
    """Governing durations at the end of the range, so that the greatest peak is not bracketed."""
    ends: dict[tuple[str, str, float], list[Answer]] = {}
    for answer in results.answers():
        case = answer.result.case
        if not answer.bracketed:
            ends.setdefault((case.point, case.condition, case.storm.duration), []).append(answer)
    for (_, _, duration), answers in ends.items():
        periods = ", ".join(f"{a.result.case.storm.return_period:g}" for a in answers)
        yield _on_case(
            answers[0].result.case,
            "governing-at-end",
            "note",
            f"1 in {periods}: the governing duration {show_duration(duration)} is at the end of those tried.",
            "Add durations beyond it.",
        )


def limits(results: Results) -> Iterator[Finding]:
    """Limits that are not kept."""
    for answer in results.answers():
        if answer.keeps_limit is False:
            yield _over_limit(answer)


def _over_limit(answer: Answer) -> Finding:
    case, peak = answer.result.case, answer.figures.peak.greater
    return _on_case(
        case,
        "limit-exceeded",
        "doubt",
        f"1 in {case.storm.return_period:g}: {show(peak, 'flow')} where {show(answer.limit, 'flow')} are allowed.",
        "Change the works until the limit is kept.",
    )


def balances(results: Results) -> Iterator[Finding]:
    """Water that is made or lost."""
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
                "Report this; it is a fault of the program.",
            )


def _on_case(case: Case, code: str, severity: Severity, text: str, remedy: str) -> Finding:
    return Finding(code, severity, text, (Remedy(remedy),), element=case.point, condition=case.condition)


CHECKS = (tails, negative_flows, half_the_step, governing_at_end, limits, balances)
