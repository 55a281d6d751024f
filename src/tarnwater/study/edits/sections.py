"""Sections of reaches cut from the terrain."""

from __future__ import annotations

from typing import Any

from tarnwater.errors import EditRefused, TarnwaterError
from tarnwater.network.elements import Reach
from tarnwater.parameters import Model
from tarnwater.routing.channels import SurveyedSection
from tarnwater.routing.reaches import MuskingumCunge
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.conditioning import terrain_of
from tarnwater.study.edits.values import choose
from tarnwater.terrain.cross_section import CrossSection, cut_across
from tarnwater.terrain.drainage import Drainage

#: Roughness of a section where none was chosen before: a clean natural channel.
NATURAL = 0.035


def section_across(blobs: Blobs, drainage: Drainage, reach: Reach, width: float, share: float) -> CrossSection:
    """The ground across the course of a reach, of a width (m), at a share of its length from the head.

    Raises `EditRefused` for a reach without a course, and `BadInput` where there is no ground.
    """
    import shapely

    course = blobs.shape(reach.path)
    if course is None:
        raise EditRefused("it has no course on the map.", where=reach.name, remedy="Delineate it, or type a section.")
    if width <= 0 or not 0 <= share <= 1:
        raise EditRefused(
            "a section has a width above zero, and lies between head and foot.", where=reach.name,
            remedy="Give a width, and a share of the length from 0 to 1.",
        )  # fmt: skip
    try:
        return cut_across(drainage.grid, shapely.get_coordinates(course), share, width)
    except TarnwaterError as error:
        error.where = error.where or reach.name
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
    share: float = 0.5,
    *,
    condition: str = "",
    by: str = "",
    at: str = "",
    note: str = "",
) -> Study:
    """Give a reach the section of a width (m) that lies across it on the terrain, with the roughness it has.

    A reach whose method has no section is routed by Muskingum-Cunge from then on.
    """
    reach = resolve(study, condition).elements[key] if condition else study.all_elements[key]
    if not isinstance(reach, Reach):
        raise EditRefused("it is no reach.", where=reach.name, remedy="Choose a reach.")
    found = section_across(blobs, drainage, reach, width, share)
    before = getattr(reach.method, "section", None)
    roughness = _roughness_of(before)
    section = SurveyedSection(
        stations=tuple(round(float(x), 3) for x in found.stations),
        heights=tuple(round(float(z), 3) for z in found.heights),
        roughness=(roughness,) * len(found.stations),
    )
    stamp = {"condition": condition, "by": by, "at": at, "note": note}
    if before is None:
        return choose(study, key, "method", MuskingumCunge(section=section), **stamp)
    return choose(study, key, "method/section", section, **stamp)


def _roughness_of(section: Model | None) -> float:
    """The roughness of a section; of one with several that of its first point."""
    found = getattr(section, "roughness", NATURAL)
    return float(found[0] if isinstance(found, tuple) else found)


@edit("cut the section of {name} from the terrain")
def section_by_numbers(
    study: Study, blobs: Blobs, name: str, width: float, share: float = 0.5, *, condition: str = "", by: str = "",
    at: str = "", note: str = "",
) -> Study:  # fmt: skip
    """Cut the section of a reach, by name, from the terrain."""
    scope, drainage = study.condition_of(condition) if condition else "", terrain_of(study, blobs)
    return cut_section(
        study, blobs, drainage, study.key_of(name), width, share, condition=scope, by=by, at=at, note=note
    )
