"""Edits of the study as a whole: design points, the run, titles, the lock."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from tarnwater import units
from tarnwater.errors import UnknownName
from tarnwater.parameters import Typed
from tarnwater.study.document import DesignPoint, RunSettings, Study, changed, checked
from tarnwater.study.document.fields import with_value
from tarnwater.study.document.limits import read_limit, with_limits
from tarnwater.study.edits.act import edit


@edit("set design point {element}")
def set_design_point(study: Study, element: str, point: DesignPoint | None) -> Study:
    """Make an element a design point, change its limits, or (None) remove it from the design points."""
    points = study.design_points
    new = points.without(element) if point is None else points.with_entry(element, point)
    return changed(study, design_points=new)


@edit("set {count} design points")
def set_design_points(study: Study, values: Sequence[str], point: DesignPoint | None) -> Study:
    """Make many elements design points, or (None) remove them from these, as one act.

    Existing points keep their limits.
    """
    points = study.design_points
    for element in values:
        new = None if point is None else points.get(element, point)
        points = points.without(element) if new is None else points.with_entry(element, new)
    return changed(study, design_points=points)


@edit("set the limits at {name}")
def set_limits_by_name(study: Study, name: str, values: Mapping[str, str]) -> Study:
    """Set limits of a design point, by its name, in words by return period; the others stay, an empty text clears one.

    An element that is no design point becomes one. Raises `BadInput` for words that are no limit.
    """
    key = study.key_of(name)
    point = study.design_points.get(key, DesignPoint())
    limits = {limit.return_period: limit for limit in point.limits}
    for text, words in values.items():
        period = units.parse(text.strip().removeprefix("1 in "), "return period")
        limit = read_limit(study, period, words)
        limits = {t: one for t, one in limits.items() if t != period} | ({} if limit is None else {period: limit})
    return set_design_point(study, key, with_limits(point, [limits[t] for t in sorted(limits)]))


@edit("set the run")
def set_run(study: Study, run: RunSettings) -> Study:
    """Change the settings of the run."""
    return changed(study, run=run)


@edit("set the step to {step} s")
def set_step(study: Study, step: float, *, by: str = "", at: str = "", note: str = "") -> Study:
    """Type the step of the run, s."""
    typed = Typed[float](value=step, by=by, at=at, note=note)
    return changed(study, run=checked(lambda: with_value(study.run, "step", typed), "run"))


@edit("set {field} of the study")
def set_study(study: Study, field: str, value: Any) -> Study:
    """Change the title, number, author, checker, note or units."""
    known = ("title", "number", "author", "checker", "note", "units")
    if field not in known:
        raise UnknownName(field, known, kind="field of the study")
    return changed(study, **{field: value})


@edit("type {quantity} in {unit}")
def set_entry_unit(study: Study, quantity: str, kind: str, unit: str) -> Study:
    """Fix the unit in which a quantity is shown and typed, in the present system of units."""
    units.factor_of(unit, kind)
    return changed(study, entry_units=study.entry_units.with_entry(f"{study.units} {quantity}", unit))


@edit("lock the study")
def lock(study: Study) -> Study:
    """Lock the study: every edit but unlocking is refused."""
    return changed(study, locked=True)


@edit("unlock the study")
def unlock(study: Study) -> Study:
    """Unlock the study."""
    return changed(study, locked=False)
