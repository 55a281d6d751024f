"""Checks of computed cases."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from tarnwater.study.cases import Answer, Case, Results
from tarnwater.study.findings import Finding, Remedy, Severity
from tarnwater.units import show, show_duration

BALANCE_TOLERANCE = 1e-9

#: Dips below zero by less than this share of the peak come from volumes spread evenly over a step.
NEGATIVE_TOLERANCE = 1e-6


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
    """Flow below zero, which is never clipped."""
    told: set[tuple[str, str]] = set()
    for result in results.cases:
        for key in result.network.elements:
            low = float(result.flow(key).min())
            top = float(result.flow(key).max())
            if low < -NEGATIVE_TOLERANCE * top and (result.case.condition, key) not in told:
                told.add((result.case.condition, key))
                yield Finding(
                    "negative-flow",
                    "doubt",
                    f"{result.case.storm.title}: the flow falls to {show(low, 'flow')}.",
                    (Remedy("Give the reach more parts with the X that keeps its attenuation."),),
                    element=key,
                    condition=result.case.condition,
                    field="method/parts",
                )


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
        if id(result.batch) in seen:
            continue
        seen.add(id(result.batch))
        error = float(np.abs(result.batch.balance.error).max())
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


CHECKS = (tails, negative_flows, governing_at_end, limits, balances)
