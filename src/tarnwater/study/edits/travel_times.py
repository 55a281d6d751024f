"""Unit hydrographs from the travel times over the ground."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from tarnwater.errors import BadInput
from tarnwater.network.elements import Catchment
from tarnwater.progress import Progress
from tarnwater.runoff.transforms import TravelTimeUnitHydrograph
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.assignments import assign
from tarnwater.study.edits.conditioning import terrain_of
from tarnwater.study.edits.travels import measured_unit
from tarnwater.study.edits.values import choose
from tarnwater.terrain.drainage import Drainage

#: A condition, empty for all of them, and the key of an element.
Place = tuple[str, str]


def measured_units(
    study: Study, blobs: Blobs, drainage: Drainage, places: Sequence[Place], progress: Progress | None = None
) -> dict[Place, TravelTimeUnitHydrograph]:
    """Unit hydrographs of the travel times in some catchments. Raises `EditRefused` and `Cancelled`."""
    found = {}
    for number, (condition, key) in enumerate(places):
        if progress is not None:
            progress.tell(study.name_of(key), number / len(places))
        network = resolve(study, condition or next(iter(study.conditions)))
        found[condition, key] = measured_unit(network, blobs, drainage, key)
    return found


def _label(study: Study, found: Mapping[Place, Any], **_: Any) -> str:
    names = [study.name_of(key) for _, key in found]
    told = names[0] if len(names) == 1 else f"{len(names)} catchments"
    return f"unit hydrograph of {told} from travel times"


@edit(_label)
def take_travel_times(
    study: Study, found: Mapping[Place, TravelTimeUnitHydrograph], *, by: str = "", at: str = "", note: str = ""
) -> Study:
    """Let catchments have unit hydrographs that were measured, as one act."""
    for (condition, key), method in found.items():
        study = choose(study, key, "transform", method, condition=condition, by=by, at=at, note=note)
    return study


@edit("unit hydrographs from travel times")
def travel_times_by_numbers(
    study: Study,
    blobs: Blobs,
    names: Sequence[str],
    values: Mapping[str, str],
    *,
    condition: str = "",
    by: str = "",
    at: str = "",
    note: str = "",
) -> Study:
    """Measure the travel times in catchments, by name, after values of the rule were set; all where none is named."""
    scope = study.condition_of(condition) if condition else ""
    keys = [study.key_of(name) for name in names] or [
        key for key, element in study.all_elements.items() if isinstance(element, Catchment) and element.outline
    ]
    if not keys:
        raise BadInput("no catchment has an outline.", where=study.title, remedy="Delineate on a terrain first.")
    drainage, stamp = terrain_of(study, blobs), {"by": by, "at": at, "note": note}
    for key in keys if values else ():
        owner = study.all_elements[key]
        own = isinstance(owner, Catchment) and owner.transform.from_ground
        given = {f"transform.{name}": text for name, text in values.items()}
        first = {} if own else {"transform": TravelTimeUnitHydrograph.tag()}
        study = assign(study, key, {**first, **given}, condition=scope, by=by, at=at)
    return take_travel_times(study, measured_units(study, blobs, drainage, [(scope, key) for key in keys]), **stamp)
