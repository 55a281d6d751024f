"""A loss that was fitted to another, taken into the study with its misfits."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from tarnwater.errors import EditRefused, UnknownName
from tarnwater.methods import Missing
from tarnwater.network.elements import Catchment, Surface
from tarnwater.runoff.losses import Loss, LossFit
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.values import choose


def _label(study: Study, key: str, row: int, loss: Loss, fit: LossFit, **_: Any) -> str:
    return f"fit {loss.title} of {study.name_of(key)} to {fit.of}"


@edit(_label)
def take_fit(
    study: Study,
    key: str,
    row: int,
    loss: Loss,
    fit: LossFit,
    *,
    condition: str = "",
    by: str = "",
    at: str = "",
    note: str = "",
) -> Study:
    """Let a surface of a catchment, by its position, have a loss that was fitted, with its misfits."""
    owner = resolve(study, condition).elements[key] if condition else study.all_elements[key]
    if not isinstance(owner, Catchment):
        raise EditRefused("it is no catchment.", where=owner.name, remedy="Choose a catchment.")
    surfaces = list(owner.surfaces)
    surfaces[row] = surfaces[row].model_copy(update={"loss": loss, "fitted": fit})
    stamp = {"condition": condition, "by": by, "at": at, "note": note}
    return choose(study, key, "surfaces", tuple(surfaces), **stamp)


def fitted_by_name(study: Study, catchment: str, surface: str, tag: str, condition: str) -> tuple[str, int, Loss, Loss]:
    """Key of a catchment, position of its surface by name, the loss that is to be fitted, and the present one.

    ``tag`` is that of the loss, ``surface`` may be empty for the first. Raises `UnknownName` and `EditRefused`.
    """
    key = study.key_of(catchment)
    owner = resolve(study, condition).elements.get(key, study.all_elements[key])
    if not isinstance(owner, Catchment):
        raise EditRefused("it is no catchment.", where=owner.name, remedy="Choose a catchment.")
    names = [one.name.casefold() for one in owner.surfaces]
    if surface and surface.casefold() not in names:
        raise UnknownName(surface, [one.name for one in owner.surfaces], kind="surface", where=owner.name)
    row = names.index(surface.casefold()) if surface else 0
    own, asked = owner.surfaces[row], Loss.of_tag(tag)
    offered = [one for one in candidates(own) if not one.lacks]
    begun = begin_fit(asked, own)
    if begun is None or begun.lacks:
        what = f"“{tag}” cannot be fitted." if begun is None else f"“{tag}” cannot be fitted: {begun.lacks[0].what}"
        first = f"{begun.lacks[0].advice} " if begun is not None else ""
        tags = ", ".join(one.loss.tag() for one in offered)
        raise EditRefused(what, where=f"{owner.name}, {own.name}", remedy=f"{first}These can be: {tags}.")
    return key, row, begun.loss, own.loss


@dataclass(frozen=True)
class Candidate:
    """A loss with which a fit begins, and what it ``lacks`` that is not fitted."""

    loss: Loss
    lacks: tuple[Missing, ...]


def candidates(surface: Surface) -> list[Candidate]:
    """The losses that may be fitted to that of a surface: those of other kinds that have something to fit."""
    others = [model for model in Loss.choices() if model is not type(surface.loss)]
    return [begun for model in others if (begun := begin_fit(model, surface)) is not None]


def begin_fit(model: type[Loss], surface: Surface) -> Candidate | None:
    """A loss on the ground of a surface, its fitted settings within their ranges; None where it has nothing to fit."""
    begun = model.plain()
    if begun is None or not model.fits:
        return None
    # those that are listed first get the greater values, as a capacity that falls asks for
    for rank, (name, (low, high)) in enumerate(model.fits.items()):
        begun = begun.with_values((name,), (low + (high - low) / (4 + rank),))
    there = surface.model_copy(update={"loss": begun}).refreshed().loss
    return Candidate(there, tuple(there.missing()))
