"""The rational method as one act: its transform, its losses, its rain, its durations and its step."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from tarnwater.errors import EditRefused
from tarnwater.network.elements import Catchment, Surface
from tarnwater.parameters import Setting
from tarnwater.rain.patterns import Uniform
from tarnwater.runoff.losses import RunoffCoefficient
from tarnwater.runoff.transforms import Rational
from tarnwater.study.document import Study, changed
from tarnwater.study.document.conditions import resolve
from tarnwater.study.document.study import proposed_step
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.names import slug
from tarnwater.study.edits.rain import set_family
from tarnwater.study.edits.values import choose

#: Name of the family of even storms that is made.
EVEN_STORMS = "Even storms"


def _label(study: Study, elements: Sequence[tuple[str, str]], **_: Any) -> str:
    names = [study.name_of(key) for _, key in elements]
    told = names[0] if len(names) == 1 else f"{len(names)} catchments"
    return f"reckon {told} by the rational method"


@edit(_label)
def reckon_rationally(
    study: Study, elements: Sequence[tuple[str, str]], *, by: str = "", at: str = "", note: str = ""
) -> Study:
    """Reckon catchments by the rational method; each is a pair of a condition, empty for all of them, and a key.

    Each surface gets a runoff coefficient by return period, with the share that was typed for it, or that of its cover;
    land of which all runs off stays so. A counted family of even storms is made where there is none; the other families
    stand beside it when every catchment is reckoned so. Each design point then has a storm of the time of concentration
    too. A step that was not typed becomes that which the method proposes.

    Raises `EditRefused` for what is no catchment.
    """
    for condition, key in elements:
        there = resolve(study, condition) if condition else None
        owner = study.all_elements[key] if there is None else there.elements[key]
        if not isinstance(owner, Catchment):
            raise EditRefused("it is no catchment.", where=owner.name, remedy="Choose catchments.")
        surfaces = tuple(_with_coefficient(surface) for surface in owner.surfaces)
        stamp = {"condition": condition, "by": by, "at": at, "note": note}
        study = choose(study, key, "transform", Rational(), **stamp)
        for number, surface in enumerate(surfaces):
            if surface is not owner.surfaces[number]:
                study = choose(study, key, f"surfaces/{number}/loss", surface.loss, **stamp)
    return _with_step(_with_even_storms(study))


@edit("reckon by the rational method")
def rational_by_numbers(
    study: Study, names: Sequence[str], *, condition: str = "", by: str = "", at: str = "", note: str = ""
) -> Study:
    """Reckon catchments, by name, by the rational method; all of them where none is named."""
    scope = study.condition_of(condition) if condition else ""
    keys = [study.key_of(name) for name in names] or [
        key for key, element in study.all_elements.items() if isinstance(element, Catchment)
    ]
    if not keys:
        raise EditRefused("there is no catchment.", where=study.title, remedy="Add one first.")
    return reckon_rationally(study, [(scope, key) for key in keys], by=by, at=at, note=note)


def _with_coefficient(surface: Surface) -> Surface:
    """A surface with a runoff coefficient as its loss, with a share that was typed before."""
    loss = surface.loss
    if not loss.keeps or loss.period_name:
        return surface
    before = getattr(loss, "coefficient", None)
    kept = {"coefficient": before} if isinstance(before, Setting) and before.typed is not None else {}
    return surface.model_copy(update={"loss": RunoffCoefficient(**kept)})


def _with_even_storms(study: Study) -> Study:
    counted = {key: family for key, family in study.families.items() if family.counted}
    if not counted:
        return study
    if not any(family.pattern.is_even for family in counted.values()):
        first = next(iter(counted.values()))
        durations = first.durations if first.searches else study.tables[first.table].own_durations
        even = first.model_copy(
            update={
                "name": EVEN_STORMS,
                "pattern": Uniform(),
                "durations": durations,
                "prescribed": False,
                "source": "",
            }
        )
        study = set_family(study, slug(EVEN_STORMS, study.families), even)
    lands = [e for e in study.all_elements.values() if isinstance(e, Catchment)]
    if not all(land.transform.even_rain for land in lands):
        return study
    families = {
        key: family if family.pattern.is_even else family.model_copy(update={"counted": False})
        for key, family in study.families.items()
    }
    return changed(study, families=families)


def _with_step(study: Study) -> Study:
    """The study with the step that its methods propose, if it was not typed."""
    step = study.run.step
    run = study.run.model_copy(update={"step": step.with_derived(proposed_step(study) or step.derived)})
    return changed(study, run=run)
