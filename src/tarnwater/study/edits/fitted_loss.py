"""A loss that was fitted to another, taken into the study with its misfits."""

from __future__ import annotations

from typing import Any

from tarnwater.errors import EditRefused, UnknownName
from tarnwater.network.elements import Catchment
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
    target = begun_fit(Loss.of_tag(tag))
    if target is None:
        raise EditRefused(f"“{tag}” cannot be fitted.", remedy=f"Choose one of {', '.join(fittable())}.")
    return key, row, target, owner.surfaces[row].loss


def fittable() -> list[str]:
    """Tags of the losses that can be fitted."""
    return [model.tag() for model in Loss.choices() if begun_fit(model) is not None]


def begun_fit(model: type[Loss]) -> Loss | None:
    """A loss to begin a fit with, its settings within their ranges; None for one that needs more than is fitted."""
    begun = model.plain()
    if begun is None or not model.fits:
        return None
    for name, (low, high) in model.fits.items():
        begun = begun.with_values((name,), (low + 0.25 * (high - low),))
    return None if begun.missing() else begun
