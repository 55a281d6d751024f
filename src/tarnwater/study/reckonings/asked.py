"""The reckoning of a figure from the text of a command."""

from __future__ import annotations

from dataclasses import dataclass

from tarnwater.errors import ComputationFailed, UnknownName
from tarnwater.progress import Progress
from tarnwater.reckoning import Reckoning
from tarnwater.study.answers import CaseResult, Results, compute_cases, points_of
from tarnwater.study.answers.asked import storms_asked
from tarnwater.study.answers.land import LAND_FIGURES
from tarnwater.study.answers.storms import in_order
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import resolve
from tarnwater.study.document.fields import quantities_in
from tarnwater.study.edits.assignments import find_path
from tarnwater.study.reckonings import FIGURES, explain, explain_setting
from tarnwater.study.reckonings.land import is_of_land


def reckoning_asked(
    study: Study, element: str, field: str, condition: str, storm: str, point: str, progress: Progress | None = None
) -> Reckoning:
    """The reckoning of a figure (with the computation that it needs) or of a setting, from texts."""
    key = study.key_of(element)
    in_condition = study.condition_of(condition) if condition else next(iter(study.conditions))
    field = field.replace("_", " ") if field.replace("_", " ") in FIGURES else field
    if field not in FIGURES:
        model = resolve(study, in_condition).elements.get(key, study.all_elements[key])
        if is_of_land(model, field):
            return explain_setting(study, in_condition, key, field)
        paths = [path for path, _, _ in quantities_in(model)]
        names = [p.rsplit("/", 1)[-1] for p in paths]
        if field not in paths and field not in names:
            raise UnknownName(field, [*dict.fromkeys(names), *FIGURES, *LAND_FIGURES], kind="figure", where=model.name)
        return explain_setting(study, in_condition, key, find_path(model, field))
    found = case_asked(study, element, condition, storm, point, progress)
    return explain(study, found.chosen, key, field, results=found.results)


@dataclass(frozen=True)
class CaseAsked:
    """A case that was asked for in words, and the results that it is among."""

    chosen: CaseResult
    results: Results


def case_asked(
    study: Study, element: str, condition: str, storm: str, point: str, progress: Progress | None = None
) -> CaseAsked:
    """The case that shows an element, from texts: of the rarest event where several are meant.

    Raises `UnknownName`, and `ComputationFailed` where no case of it can be computed.
    """
    key = study.key_of(element)
    in_condition = study.condition_of(condition) if condition else next(iter(study.conditions))
    at = study.key_of(point) if point else key
    if not point and key not in points_of(study, in_condition):
        network = resolve(study, in_condition)
        at = next((p for p in points_of(study, in_condition) if key in network.above([p])), key)
    asked = storms_asked(study, [storm] if storm else [])
    others = {limit.of_condition for p in study.design_points.values() for limit in p.limits} - {None}
    wanted = {in_condition, *(study.condition_of(c) for c in others if c)}
    results = compute_cases(
        study, conditions=[c for c in study.conditions if c in wanted], points=[at], progress=progress, **asked
    )
    own = [r for r in results.cases if r.case.condition == in_condition]
    if not own:
        reasons = dict.fromkeys(w.reason for w in results.withheld if w.case.condition == in_condition)
        raise ComputationFailed("no case of it can be computed: " + " ".join(reasons), where=study.name_of(at))
    # the rarest event if several are selected, before any given storm
    events = in_order(study, [r.case.event for r in own])
    event = max((e for e in events if not isinstance(e, str)), default=events[0])
    governing = results.governing(in_condition, at, event)
    # a storm selected by name may be beside; it is explained too
    chosen = governing or max((r for r in own if r.case.event == event), key=lambda r: r.peak(at).ordinate)
    return CaseAsked(chosen, results)
