"""Answers in words: the governing cases of each design point, those beside them, and what is withheld."""

from __future__ import annotations

from collections.abc import Iterator

from tarnwater.study.answers import Answer, Case, CaseResult, Results
from tarnwater.study.answers.storms import Event, storm_title
from tarnwater.units import display_unit, rounded, show, show_duration, to_unit

Rows = list[list[str]]


def points_answered(results: Results) -> list[str]:
    """Design points that have an answer, by key."""
    return list(dict.fromkeys(a.result.case.point for a in results.answers()))


def answer_rows(results: Results, point: str) -> Rows:
    """Rows of words of the answers at a design point, the head first; a column has one unit."""
    answers = [a for a in results.answers() if a.result.case.point == point]
    system = results.study.units
    kept = [a.limit for a in answers if a.limit is not None]
    flow = display_unit("flow", [*(a.figures.peak.ordinate for a in answers), *kept], system)
    volume = display_unit("volume", [a.figures.volume for a in answers], system)
    area = display_unit("area", [a.figures.area for a in answers], system)
    rain = display_unit("rain", [a.figures.runoff_depth for a in answers], system)
    per_area = display_unit("flow per area", [a.figures.per_area for a in answers], system)
    heads = [
        "condition", f"area {area}", "1 in", "storm", f"peak {flow}", "time h", f"volume {volume}", f"runoff {rain}",
        "of rain", f"{per_area}", "limit", "",
    ]  # fmt: skip
    return [heads, *(_answer_row(results, a, (area, flow, volume, rain, per_area)) for a in answers)]


def _answer_row(results: Results, answer: Answer, of: tuple[str, str, str, str, str]) -> list[str]:
    area, flow, volume, rain, per_area = of
    case, shown = answer.result.case, answer.figures
    mark = "" if answer.bracketed else " *"
    return [
        results.study.conditions[case.condition].name,
        rounded(to_unit(shown.area, area, "area")),
        _period(case),
        f"{case.storm.maker(results.study)}, {show_duration(case.storm.duration)}{mark}",
        rounded(to_unit(shown.peak.ordinate, flow, "flow")),
        f"{shown.peak.time / 3600:.2f}",
        rounded(to_unit(shown.volume, volume, "volume")),
        rounded(to_unit(shown.runoff_depth, rain, "rain")),
        show(shown.share_of_rain, "share", digits=3),
        rounded(to_unit(shown.per_area, per_area, "flow per area")),
        "" if answer.limit is None else rounded(to_unit(answer.limit, flow, "flow")),
        "" if answer.verdict is None else answer.verdict.words,
    ]


def _period(case: Case) -> str:
    """The return period of a case; empty for a given storm."""
    return "" if isinstance(case.event, str) else f"{case.event:g}"


def beside_rows(results: Results, point: str) -> Rows:
    """Cases that stand beside at a design point: the greatest of each family, and other lengths of nested storms."""
    own = [r for r in results.cases if r.case.point == point and r.standing != "counted"]
    if not own:
        return []
    chosen = _greatest_of_each_family(own, point)
    unit = display_unit("flow", [r.peak(point).ordinate for r in chosen], results.study.units)
    rows = [["beside", "1 in", "storm", f"peak {unit}", "what for"]]
    for result in chosen:
        case = result.case
        rows.append(
            [
                results.study.conditions[case.condition].name,
                _period(case),
                f"{case.storm.maker(results.study)}, {show_duration(case.storm.duration)}",
                rounded(to_unit(result.peak(point).ordinate, unit, "flow")),
                "another length" if result.standing == "other length" else "not counted",
            ]
        )
    return rows


def _greatest_of_each_family(own: list[CaseResult], point: str) -> list[CaseResult]:
    greatest: dict[tuple[str, str, Event, str, float], CaseResult] = {}
    for result in own:
        case, storm = result.case, result.case.storm
        # for a family beside only its greatest peak; for other lengths each peak
        length = storm.duration if result.standing == "other length" else 0.0
        key = case.condition, storm.place, case.event, result.standing, length
        best = greatest.get(key)
        if best is None or result.peak(point).ordinate > best.peak(point).ordinate:
            greatest[key] = result
    return list(greatest.values())


def withheld_lines(results: Results) -> Iterator[str]:
    """One line for each reason why cases are withheld, with these cases."""
    study = results.study
    by_reason: dict[tuple[str, str, str], list[str]] = {}
    for one in results.withheld:
        key = one.case.condition, one.case.point, one.reason
        by_reason.setdefault(key, []).append(storm_title(study, one.case.storm))
    for (condition, point, reason), storms in by_reason.items():
        some = ", ".join(storms[:3]) + (f" and {len(storms) - 3} more" if len(storms) > 3 else "")
        yield f"withheld at {study.name_of(point)} ({study.conditions[condition].name}): {some}: {reason}"
