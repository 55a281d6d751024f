"""The cover and soil of catchments as the maps have them: measured by overlay, and entered into the study."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from tarnwater.cover.land import CatchmentLand, LandPatch, LandRules
from tarnwater.cover.overlay import NONE, Patches, overlay, patches_of, polygons_of
from tarnwater.formats.shapes import metres_per_unit
from tarnwater.frozen import FrozenDict
from tarnwater.network.elements import Catchment
from tarnwater.progress import Progress
from tarnwater.study.document import Study, changed, checked
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.cover import Holds, LandLayer
from tarnwater.study.document.land_maps import layers_in, made_of, shape_of_value
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.cover import with_classes_used

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

Lands = Mapping[str, tuple[LandPatch, ...]]


@dataclass(frozen=True, eq=False)
class FoundLand:
    """Patches of catchments by key, and of those that differ in a condition; ``made_of`` by key is what they stand on.

    A condition has every catchment that its own layers may change.
    """

    lands: Lands
    by_condition: Mapping[str, Lands] = field(default_factory=dict)
    made_of: Mapping[str, str] = field(default_factory=dict)


def survey_land(study: Study, blobs: Blobs, keys: Sequence[str], progress: Progress | None = None) -> FoundLand:
    """Overlay catchments of the study with its maps of cover and soil, and again with those of each condition.

    It does all the work, so that entering the result takes no time. Cancelled by ``progress``.
    """
    progress = progress or Progress()
    redraw = "Draw it again, or restore the file from a copy."
    shapes = {
        key: blobs.kept_shape(study.catchments[key].outline, f"the outline of {study.name_of(key)}", redraw)
        for key in keys
    }
    outlines = {key: shape for key, shape in shapes.items() if shape is not None}
    own = {key for key, layer in ((lay.condition, lay) for lay in study.land_layers.values()) if key}
    steps = 1 + len(own)
    lands = _measured(study, blobs, outlines, layers_in(study, ""), progress.within(0, 1 / steps))
    by_condition = {}
    for number, condition in enumerate(sorted(own), 1):
        part = progress.within(number / steps, (number + 1) / steps)
        by_condition[condition] = _measured(study, blobs, outlines, layers_in(study, condition), part)
    return FoundLand(lands, by_condition, {key: made_of(study, key) for key in outlines})


def _measured(
    study: Study, blobs: Blobs, outlines: Mapping[str, BaseGeometry], layers: Sequence[LandLayer], progress: Progress
) -> Lands:
    progress.tell("reading cover and soil", 0.0)
    covers, cover = _patches(blobs, layers, "cover")
    groups, group = _patches(blobs, layers, "soil group")
    textures, texture = _patches(blobs, layers, "soil texture")
    soils, soil = _together(group, texture)
    found = overlay(list(outlines.values()), cover, soil, progress.within(0.2, 1))
    scale = metres_per_unit(study.map_crs) ** 2 if study.map_crs else 1.0
    lands: dict[str, tuple[LandPatch, ...]] = {}
    for number, key in enumerate(outlines):
        rows = found.of(number)
        factor = _on_the_ground(study.catchments[key], sum(area for *_, area in rows), scale)
        lands[key] = tuple(
            LandPatch(
                cover=covers[c] if c != NONE else "",
                soil=_of(groups, soils[s][0]) if s != NONE else "",
                texture=_of(textures, soils[s][1]) if s != NONE else "",
                area=area * factor,
            )
            for c, s, area in rows
        )
    return lands


def _of(names: Sequence[str], code: int) -> str:
    return "" if code == NONE else names[code]


def _on_the_ground(catchment: Catchment, area: float, scale: float) -> float:
    """Area on the ground, m2, of one square unit of the map: that by which the catchment was measured, if it was."""
    measured = catchment.area.derived
    return measured / area if measured and area else scale


def _patches(blobs: Blobs, layers: Iterable[LandLayer], holds: Holds) -> tuple[list[str], Patches]:
    """Names and patches of the layers of a kind; values that mean nothing leave what lies below in sight."""
    import shapely

    names: list[str] = []
    shapes: list[BaseGeometry] = []
    codes: list[int] = []
    for layer in layers:
        for one in layer.values if layer.holds == holds else ():
            held = shape_of_value(layer, one, blobs) if one.meant else None
            if held is None:
                continue
            if one.meant not in names:
                names.append(one.meant)
            parts = shapely.get_parts(shapely.get_parts(held))
            shapes += list(parts)
            codes += [names.index(one.meant)] * len(parts)
    return names, patches_of(shapes, codes)


def _together(group: Patches, texture: Patches) -> tuple[list[tuple[int, int]], Patches]:
    """Soil groups and textures as one partition: pairs of their codes, and the patches of each pair."""
    import shapely

    if not len(texture) or not len(group):
        known = sorted({*group.codes.tolist(), *texture.codes.tolist()})
        pairs = [(code, NONE) if len(group) else (NONE, code) for code in known]
        one = group if len(group) else texture
        return pairs, Patches(one.shapes, np.searchsorted(known, one.codes) if known else one.codes)
    tree = shapely.STRtree(texture.shapes)
    left, right = tree.query(group.shapes, predicate="intersects")
    both = polygons_of(shapely.intersection(group.shapes[left], texture.shapes[right]))
    made = list(both) + list(group.shapes) + list(texture.shapes)
    of = list(zip(group.codes[left].tolist(), texture.codes[right].tolist(), strict=True))
    of += [(code, NONE) for code in group.codes.tolist()] + [(NONE, code) for code in texture.codes.tolist()]
    pairs = sorted(set(of))
    # the pairs come first, so that of a group and of a texture alone only the rest is left
    return pairs, patches_of(made, [pairs.index(pair) for pair in of])


def with_found_land(
    study: Study, found: FoundLand, uses: Literal["surfaces", "composite", ""] = ""
) -> tuple[dict[str, Any], dict[str, Any]]:
    """Elements and conditions of a study with land from the maps.

    Catchments keep what they use, surfaces or a composite; new ones get ``uses``, by default surfaces.
    """
    elements: dict[str, Any] = dict(study.elements)
    kept: dict[str, Literal["surfaces", "composite"]] = {}
    for key, patches in found.lands.items():
        old = elements.get(key)
        if not isinstance(old, Catchment):
            continue
        kept[key] = uses or (old.land.uses if old.land is not None else "surfaces")
        land = CatchmentLand(patches=patches, uses=kept[key], made_of=found.made_of.get(key, ""))
        elements[key] = study.library.with_land(old, land)
    conditions = dict(study.conditions)
    for key, condition in study.conditions.items():
        lands = {k: land for k, land in condition.land.items() if land.by_hand or k not in found.lands}
        for element, patches in found.by_condition.get(key, {}).items():
            if element in lands or element not in kept or patches == _above(study, found, key, element):
                continue
            lands[element] = CatchmentLand(patches=patches, uses=kept[element], made_of=found.made_of.get(element, ""))
        conditions[key] = condition.model_copy(update={"land": FrozenDict(lands)})
    return elements, conditions


def _above(study: Study, found: FoundLand, condition: str, element: str) -> tuple[LandPatch, ...] | None:
    """Patches of an element in the nearest parent of a condition that has its own, or in the study."""
    parent = study.conditions[condition].parent
    while parent is not None:
        if element in found.by_condition.get(parent, {}):
            return found.by_condition[parent][element]
        parent = study.conditions[parent].parent
    return found.lands.get(element)


@edit("{act}")
def take_land(
    study: Study,
    found: FoundLand,
    act: str = "take cover and soil from the map",
    *,
    uses: Literal["surfaces", "composite", ""] = "",
    layers: Mapping[str, LandLayer] | None = None,
    classes: Mapping[str, Any] | None = None,
    rules: Mapping[str, Any] | None = None,
) -> Study:
    """Enter measured land into a study, with the layers, classes and rules by which it was measured, as one act.

    Without any layer left the catchments keep the land that they have, as made by hand.
    """
    study = with_maps(study, layers, classes, rules)
    if layers is not None and not layers:
        return _by_hand(study)
    elements, conditions = with_found_land(study, found, uses)
    return changed(study, **with_classes_used(study, elements=elements, conditions=conditions))


def _by_hand(study: Study) -> Study:
    """A study whose catchments keep the land that they have, as if it were made by hand: no map is left."""

    def kept(land: CatchmentLand) -> CatchmentLand:
        return land.model_copy(update={"by_hand": True, "made_of": ""})

    elements = {
        key: one.model_copy(update={"land": kept(one.land)})
        if isinstance(one, Catchment) and one.land is not None
        else one
        for key, one in study.elements.items()
    }
    conditions = {
        key: one.model_copy(update={"land": FrozenDict({k: kept(land) for k, land in one.land.items()})})
        for key, one in study.conditions.items()
    }
    return changed(study, elements=elements, conditions=conditions)


def with_maps(
    study: Study,
    layers: Mapping[str, LandLayer] | None = None,
    classes: Mapping[str, Any] | None = None,
    rules: Mapping[str, Any] | None = None,
) -> Study:
    """A study with other layers of cover and soil, classes and rules."""
    fields: dict[str, Any] = {}
    if classes:
        fields["cover_classes"] = {**study.cover_classes, **classes}
    if layers is not None:
        fields["land_layers"] = dict(layers)
    if rules:
        fields["land_rules"] = checked(lambda: LandRules(**{**study.land_rules.model_dump(), **rules}))
    return changed(study, **with_classes_used(study, **fields)) if fields else study
