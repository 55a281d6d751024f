"""Sections of reaches and of the channels of flow paths, cut from the terrain."""

from __future__ import annotations

from typing import Any

from tarnwater.errors import EditRefused, TarnwaterError
from tarnwater.network.elements import Catchment, Element, Reach
from tarnwater.parameters import Model
from tarnwater.routing.channels import SurveyedSection
from tarnwater.routing.reaches import MuskingumCunge
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.conditioning import terrain_of
from tarnwater.study.edits.replacing import owner_in
from tarnwater.study.edits.values import choose
from tarnwater.terrain.cross_section import CrossSection, cut_across
from tarnwater.terrain.drainage import Drainage

#: Roughness of a section where none was chosen before: a clean natural channel.
NATURAL = 0.035


def course_of(blobs: Blobs, owner: Element) -> Any:
    """The line of a reach or of the flow path of a catchment; `EditRefused` for another element, or without one."""
    if not isinstance(owner, Reach | Catchment):
        raise EditRefused("it is no reach and no catchment.", where=owner.name, remedy="Choose one of these.")
    course = blobs.shape(owner.path if isinstance(owner, Reach) else owner.flow_path)
    if course is None:
        raise EditRefused("it has no course on the map.", where=owner.name, remedy="Delineate it, or type a section.")
    return course


def middle_of_channel(owner: Element) -> float:
    """Share of its course at which a section is cut unless said otherwise: half way down its channel."""
    if not isinstance(owner, Catchment) or not owner.flow_length.value:
        return 0.5
    channel = next((part.length.value for part in owner.path_parts if part.kind == "channel"), None)
    return 0.5 if not channel else max(0.0, 1 - 0.5 * channel / owner.flow_length.value)


def section_across(blobs: Blobs, drainage: Drainage, owner: Element, width: float, share: float) -> CrossSection:
    """The ground across the course of an element, of a width (m), at a share of its length from the head.

    Raises `EditRefused` for one without a course, and `BadInput` where there is no ground.
    """
    import shapely

    course = course_of(blobs, owner)
    if width <= 0 or not 0 <= share <= 1:
        raise EditRefused(
            "a section has a width above zero, and lies between head and foot.", where=owner.name,
            remedy="Give a width, and a share of the length from 0 to 1.",
        )  # fmt: skip
    try:
        return cut_across(drainage.grid, shapely.get_coordinates(course), share, width)
    except TarnwaterError as error:
        error.where = error.where or owner.name
        raise


def _label(study: Study, blobs: Blobs, drainage: Drainage, key: str, width: float, share: float, **_: Any) -> str:
    return f"cut the section of {study.name_of(key)} from the terrain"


@edit(_label)
def cut_section(
    study: Study,
    blobs: Blobs,
    drainage: Drainage,
    key: str,
    width: float,
    share: float | None = None,
    *,
    condition: str = "",
    by: str = "",
    at: str = "",
    note: str = "",
) -> Study:
    """Give an element the section of a width (m) that lies across it on the terrain, with the roughness it has.

    A reach whose method has no section is routed by Muskingum-Cunge from then on. A catchment gets the section of the
    channel of its flow path. Without a share of its length it is cut half way down the channel.
    """
    owner = owner_in(study, key, condition)
    found = section_across(blobs, drainage, owner, width, middle_of_channel(owner) if share is None else share)
    before = _section_of(owner)
    roughness = _roughness_of(before)
    section = SurveyedSection(
        stations=tuple(round(float(x), 3) for x in found.stations),
        heights=tuple(round(float(z), 3) for z in found.heights),
        roughness=(roughness,) * len(found.stations),
    )
    stamp = {"condition": condition, "by": by, "at": at, "note": note}
    if isinstance(owner, Catchment):
        return choose(study, key, "channel", (section,), **stamp)
    if before is None:
        return choose(study, key, "method", MuskingumCunge(section=section), **stamp)
    return choose(study, key, "method/section", section, **stamp)


def _section_of(owner: Element) -> Model | None:
    """The section that an element has; None for one without."""
    if isinstance(owner, Catchment):
        return owner.channel[0] if owner.channel else None
    return getattr(owner.method, "section", None) if isinstance(owner, Reach) else None


def _roughness_of(section: Model | None) -> float:
    """The roughness of a section; of one with several that of its first point."""
    found = getattr(section, "roughness", NATURAL)
    return float(found[0] if isinstance(found, tuple) else found)


@edit("cut the section of {name} from the terrain")
def section_by_numbers(
    study: Study, blobs: Blobs, name: str, width: float, share: float | None = None, *, condition: str = "",
    by: str = "", at: str = "", note: str = "",
) -> Study:  # fmt: skip
    """Cut the section of a reach, or of the channel of a catchment, by name, from the terrain."""
    scope, drainage = study.condition_of(condition) if condition else "", terrain_of(study, blobs)
    return cut_section(
        study, blobs, drainage, study.key_of(name), width, share, condition=scope, by=by, at=at, note=note
    )
