"""Cover and soil: layers from outside, what their values mean, classes, rules, and land made by hand."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from tarnwater.cover import CoverClass, MixPart, cover_classes, find_cover, soil_group_in, soil_textures
from tarnwater.cover.land import CatchmentLand, LandRules
from tarnwater.errors import EditRefused, UnknownName
from tarnwater.formats.joining import as_key
from tarnwater.formats.vector import Rejected, VectorLayer
from tarnwater.network.elements import Catchment
from tarnwater.runoff.losses import Loss
from tarnwater.study.document import Study, changed, checked
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.conditions import resolve
from tarnwater.study.document.cover import LEFT_OPEN, Holds, LandLayer, LandValue
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.names import slug
from tarnwater.study.edits.replacing import with_condition, with_element_changed
from tarnwater.study.edits.values import choose

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

#: Different values of a layer, at most: with more it is no attribute of classes.
MOST_VALUES = 2000

#: Name of the land that has no value in the attribute.
NO_VALUE = "(no value)"


@dataclass(frozen=True, eq=False)
class LandOffer:
    """What a layer offers: the polygons of each value with their area, m2, what is left out, and notes."""

    attribute: str
    shapes: Mapping[str, tuple[BaseGeometry, ...]]
    areas: Mapping[str, float]
    rejected: tuple[Rejected, ...]
    notes: tuple[str, ...]

    @property
    def area(self) -> float:
        """Area of all polygons, m2."""
        return sum(self.areas.values())


def proposed_attribute(layer: VectorLayer, holds: Holds) -> str:
    """The field that most likely tells the cover, group or texture: the one whose values are best known.

    Otherwise one with a usual name, the label of a drawing, or the first with repeated texts.
    """
    best, found = 0.0, ""
    for name, column in layer.fields.items():
        texts = [as_key(value) for value in column]
        known = sum(bool(proposed_meaning(text, holds)) for text in texts if text)
        if known > best:
            best, found = known, name
    if found:
        return found
    usual = {"cover": ("cover", "use", "lu", "class", "code"), "soil group": ("hsg", "group", "soil")}
    for word in usual.get(holds, ("texture", "soil")):
        named = next((name for name in layer.fields if word in name.casefold()), "")
        if named:
            return named
    repeated = (n for n, column in layer.fields.items() if 1 <= len({as_key(v) for v in column}) < max(len(column), 2))
    return next(repeated, next(iter(layer.fields), ""))


def proposed_meaning(
    value: str, holds: Holds, kept: Mapping[str, str] | None = None, classes: Mapping[str, CoverClass] | None = None
) -> str:
    """What a value means: as in the ``kept`` mapping of other studies, or by its own words; empty if neither says."""
    folded = {key.casefold(): means for key, means in (kept or {}).items()}
    known = folded.get(value.casefold(), "")
    if known == LEFT_OPEN:
        return LEFT_OPEN
    if holds == "soil group":
        return soil_group_in(known) or soil_group_in(value)
    if holds == "soil texture":
        textures = {name.casefold(): name for name in soil_textures()}
        return textures.get(known.casefold()) or textures.get(value.casefold(), "")
    names = {name.casefold(): name for name in (*cover_classes(), *(classes or {}))}
    return names.get(known.casefold()) or names.get(value.casefold(), "")


def offer_of(layer: VectorLayer, attribute: str, metres: float = 1.0) -> LandOffer:
    """Sort the polygons of a layer by the values of a field; ``metres`` are those in one unit of its system.

    Polygons that cross themselves are repaired without a change of their area, and counted; lines, points and shapes
    without area are left out, each with its place. Raises `EditRefused` for a field that does not exist, or that has
    more values than a map of classes can have.
    """
    import shapely

    if attribute not in layer.fields:
        raise EditRefused(
            f"there is no field “{attribute}”.",
            where=layer.name,
            remedy=f"Choose one of {', '.join(layer.fields)}."
            if layer.fields
            else "The file has none; choose another.",
        )
    sorted_shapes: dict[str, list[BaseGeometry]] = {}
    left, repaired = list(layer.rejected), 0
    for index, shape in enumerate(layer.shapes):
        number = layer.numbers[index]
        if shape.geom_type not in ("Polygon", "MultiPolygon", "GeometryCollection"):
            x, y = shapely.get_coordinates(shape)[0].tolist()
            left.append(Rejected(number, f"is a {_word(shape)}, which has no area", (x, y)))
            continue
        whole = shape if shape.is_valid and "Polygon" in shape.geom_type else _repaired(shape)
        if whole.area * metres**2 <= 0:
            x, y = shapely.get_coordinates(shape)[0].tolist()
            left.append(Rejected(number, "has no area", (x, y)))
            continue
        repaired += whole is not shape
        value = as_key(layer.fields[attribute][index]) or NO_VALUE
        sorted_shapes.setdefault(value, []).append(whole)
    if len(sorted_shapes) > MOST_VALUES:
        raise EditRefused(
            f"the field {attribute} has {len(sorted_shapes):,} values; it tells no classes.",
            where=layer.name,
            remedy="Choose another field.",
        )
    areas = {value: float(shapely.area(shapes).sum()) * metres**2 for value, shapes in sorted_shapes.items()}
    order = sorted(sorted_shapes, key=lambda value: -areas[value])
    notes = [*layer.notes, *([f"polygons that crossed themselves, repaired: {repaired}"] if repaired else [])]
    return LandOffer(
        attribute,
        {value: tuple(sorted_shapes[value]) for value in order},
        {value: areas[value] for value in order},
        tuple(left),
        tuple(notes),
    )


def _word(shape: BaseGeometry) -> str:
    return "point" if "Point" in shape.geom_type else "line"


def _repaired(shape: BaseGeometry) -> BaseGeometry:
    from tarnwater.cover.overlay import polygons_of

    found: BaseGeometry = polygons_of(np.array([shape], object))[0]
    return found


def layer_of_offer(
    offer: LandOffer,
    blobs: Blobs,
    *,
    name: str,
    holds: Holds,
    meanings: Mapping[str, str],
    order: Sequence[str] = (),
    condition: str = "",
    source: str = "",
) -> LandLayer:
    """A layer of the study from an offer; its shapes are stored in ``blobs``.

    ``order`` names values from the highest down, the rest follows in the order of their areas, the smallest first: a
    small outline inside a large one is usually meant to lie over it.
    """
    import shapely

    if not offer.shapes:
        raise EditRefused(
            "no row of the file is an area.", where=source or name, remedy="Choose another file or layer."
        )
    rest = sorted((value for value in offer.shapes if value not in order), key=lambda value: offer.areas[value])
    values = []
    for value in (*order, *rest):
        shapes = offer.shapes[value]
        digest = blobs.add("geometry", shapely.to_wkb(shapely.geometrycollections(list(shapes))))
        values.append(
            LandValue(
                value=value, means=meanings.get(value, ""), count=len(shapes), area=offer.areas[value], shapes=digest
            )
        )
    return LandLayer(
        name=name, holds=holds, values=tuple(values), attribute=offer.attribute, source=source, condition=condition,
        notes=offer.notes,
    )  # fmt: skip


def with_layer(study: Study, layer: LandLayer, key: str = "") -> tuple[str, dict[str, LandLayer]]:
    """Key of a new or changed layer, and all layers with it; a new one lies over the others of its kind."""
    layers = dict(study.land_layers)
    if key:
        layers[key] = layer
        return key, layers
    taken = {one.name.casefold() for one in layers.values()}
    name, number = layer.name, 2
    while name.casefold() in taken:
        name, number = f"{layer.name} {number}", number + 1
    key = slug(name, layers)
    return key, {key: layer.model_copy(update={"name": name}), **layers}


def moved_layer(study: Study, key: str, by: int) -> dict[str, LandLayer]:
    """The layers with one moved up (-1) or down (1) among the others."""
    keys = list(study.land_layers)
    here = keys.index(key)
    there = min(max(here + by, 0), len(keys) - 1)
    keys.insert(there, keys.pop(here))
    return {one: study.land_layers[one] for one in keys}


def layer_named(study: Study, name: str) -> str:
    """Key of the layer of cover or soil with a name (or key); `UnknownName` with the nearest."""
    for key, layer in study.land_layers.items():
        if name.casefold() in (key.casefold(), layer.name.casefold()):
            return key
    raise UnknownName(name, [layer.name for layer in study.land_layers.values()], kind="layer of cover or soil")


def classes_used(
    layers: Iterable[LandLayer], rules: LandRules, lands: Iterable[CatchmentLand], classes: Mapping[str, CoverClass]
) -> dict[str, CoverClass]:
    """The classes that layers, rules and land name, with those of which mixes are made, from a library."""
    names = {one.meant for layer in layers if layer.holds == "cover" for one in layer.values}
    names |= {rules.default_cover} | {patch.cover for land in lands for patch in land.patches}
    found: dict[str, CoverClass] = {}
    waiting = sorted(names - {""})
    while waiting:
        one = find_cover(waiting.pop(), classes)
        if one.name not in found:
            found[one.name] = one
            waiting += [part.cover for part in one.parts]
    return dict(sorted(found.items()))


def with_classes_used(study: Study, **fields: Any) -> dict[str, Any]:
    """Fields of an edit, and the classes that the study then uses, copied from the program where it has none yet."""
    layers = fields.get("land_layers", study.land_layers)
    rules = fields.get("land_rules", study.land_rules)
    classes = dict(fields.get("cover_classes", study.cover_classes))
    lands = [one.land for one in study.elements.values() if isinstance(one, Catchment) and one.land is not None]
    lands += [land for condition in study.conditions.values() for land in condition.land.values()]
    lands += fields.pop("lands", ())
    used = classes_used(layers.values(), rules, lands, classes)
    if used.keys() - classes.keys():
        fields["cover_classes"] = {**classes, **used}
    return fields


@edit("set the class {cover}")
def set_class(study: Study, cover: CoverClass, was: str = "") -> Study:
    """Put a class into the study: a new one, or in place of ``was``, which takes the new name everywhere.

    Curve numbers of all catchments with it follow.
    """
    classes = dict(study.cover_classes)
    if was and was not in classes:
        raise UnknownName(was, classes, kind="cover class of the study")
    others = {name.casefold() for name in classes if name != was}
    if cover.name.casefold() in others or (not was and cover.name.casefold() in {n.casefold() for n in classes}):
        raise EditRefused(f"there is a class “{cover.name}” already.", where="classes", remedy="Choose another name.")
    if was and was != cover.name:
        study = _renamed(study, was, cover)
        classes = dict(study.cover_classes)
    classes[cover.name] = cover
    return changed(study, **with_classes_used(study, cover_classes=classes))


def _renamed(study: Study, was: str, cover: CoverClass) -> Study:
    """A study in which everything that names a class names another one."""
    name = cover.name

    def land(one: CatchmentLand) -> CatchmentLand:
        patches = (p.model_copy(update={"cover": name}) if p.cover == was else p for p in one.patches)
        return one.model_copy(update={"patches": tuple(patches)})

    classes = {
        key: one.model_copy(update={"parts": tuple(_part(part, was, name) for part in one.parts)})
        for key, one in study.cover_classes.items()
        if key != was
    } | {name: cover}
    layers = {
        key: layer.model_copy(update={"values": tuple(_value(one, was, name) for one in layer.values)})
        if layer.holds == "cover"
        else layer
        for key, layer in study.land_layers.items()
    }
    elements = {}
    for key, element in study.elements.items():
        elements[key] = element
        if isinstance(element, Catchment):
            update: dict[str, Any] = {"land": land(element.land)} if element.land is not None else {}
            titled = [
                s.model_copy(update={"cover": s.cover.model_copy(update={"title": name})})
                if s.cover is not None and s.cover.title == was
                else s
                for s in element.surfaces
            ]
            elements[key] = element.model_copy(update={**update, "surfaces": _renamed_surfaces(titled, was, name)})
    conditions = {
        key: one.model_copy(update={"land": type(one.land)({k: land(v) for k, v in one.land.items()})})
        for key, one in study.conditions.items()
    }
    rules = study.land_rules
    if rules.default_cover == was:
        rules = rules.model_copy(update={"default_cover": name})
    return changed(
        study, cover_classes=classes, land_layers=layers, elements=elements, conditions=conditions, land_rules=rules
    )


def _renamed_surfaces(surfaces: Sequence[Any], was: str, name: str) -> tuple[Any, ...]:
    """Surfaces that are named after a class, named after it again, so that what was typed on them stays."""
    return tuple(
        s.model_copy(update={"name": name + s.name.removeprefix(was)})
        if s.name == was or s.name.startswith((f"{was} · ", f"{was}, connected"))
        else s
        for s in surfaces
    )


def _part(part: MixPart, was: str, name: str) -> MixPart:
    return part.model_copy(update={"cover": name}) if part.cover == was else part


def _value(one: LandValue, was: str, name: str) -> LandValue:
    return one.model_copy(update={"means": name}) if one.means == was else one


@edit("remove the class {name}")
def remove_class(study: Study, name: str) -> Study:
    """Remove a class that nothing uses; `EditRefused` with what uses it otherwise."""
    if name not in study.cover_classes:
        raise UnknownName(name, study.cover_classes, kind="cover class of the study")
    users = list(_users(study, name))
    if users:
        more = f" and {len(users) - 1} more" if len(users) > 1 else ""
        raise EditRefused(
            f"{users[0]}{more} uses the class.", where=name, remedy="Give that another class first.",
        )  # fmt: skip
    return changed(study, cover_classes=study.cover_classes.without(name))


def _users(study: Study, name: str) -> Iterable[str]:
    if study.land_rules.default_cover == name:
        yield "the default cover"
    for layer in study.land_layers.values():
        if layer.holds == "cover" and any(one.means == name for one in layer.values):
            yield f"the layer {layer.name}"
    for one in study.cover_classes.values():
        if any(part.cover == name for part in one.parts):
            yield f"the mix {one.name}"
    for condition in study.conditions:
        for element in resolve(study, condition).elements.values():
            if isinstance(element, Catchment) and any(s.cover and s.cover.title == name for s in element.surfaces):
                yield element.name


@edit("change the rules of cover and soil")
def set_land_rules(study: Study, *, classes: Mapping[str, CoverClass] | None = None, **rules: Any) -> Study:
    """Set default cover, soil group or texture, whether wet land is drained, or the rain that was asked.

    ``classes`` are those that the study may not have yet.
    """
    known = {**(classes or {}), **study.cover_classes}
    new = checked(lambda: LandRules(**{**study.land_rules.model_dump(), **rules}))
    if new.default_cover:
        find_cover(new.default_cover, known)
    if new.default_soil and not soil_group_in(new.default_soil):
        raise UnknownName(new.default_soil, ("A", "B", "C", "D", "A/D", "B/D", "C/D"), kind="soil group")
    if new.default_texture and new.default_texture not in soil_textures():
        raise UnknownName(new.default_texture, soil_textures(), kind="soil texture")
    return changed(study, **with_classes_used(study, land_rules=new, cover_classes=known))


@edit("set the cover and soil of {element}")
def set_land(
    study: Study,
    element: str,
    land: CatchmentLand | None,
    *,
    condition: str = "",
    classes: Mapping[str, CoverClass] | None = None,
) -> Study:
    """Give a catchment land made by hand, or none, for all conditions or for one; its surfaces follow.

    ``classes`` are those that the study may not have yet.
    """
    if land is not None:
        known = {**(classes or {}), **study.cover_classes}
        study = changed(study, **with_classes_used(study, lands=[land], cover_classes=known))
        study.library.table(land, None)
    if condition:
        one = study.conditions[study.condition_of(condition)]
        lands = one.land.without(element) if land is None else one.land.with_entry(element, land)
        return with_condition(study, condition, land=lands)

    def laid(owner: Any) -> Any:
        if not isinstance(owner, Catchment):
            raise EditRefused("only a catchment has cover and soil.", where=owner.name)
        # without a table its surfaces stand by themselves, with the numbers that they have
        return owner.assigned("surfaces") if land is None else study.library.with_land(owner, land)

    return with_element_changed(study, element, laid)


@edit("choose the loss of {element}")
def choose_loss(study: Study, element: str, loss: Loss, *, condition: str = "") -> Study:
    """Choose a loss for every surface of a catchment, for all conditions or for one; its land stays as it is."""
    owner = resolve(study, condition or next(iter(study.conditions))).elements[element]
    assert isinstance(owner, Catchment)
    for number in range(len(owner.surfaces)):
        study = choose(study, element, f"surfaces/{number}/loss", loss, condition=condition)
    return study


@edit("choose {uses} of {count} catchments")
def use_land(study: Study, values: Sequence[str], uses: str) -> Study:
    """Choose surfaces or a composite for catchments with land, in all conditions."""
    for element in values:
        owner = study.elements.get(element)
        if isinstance(owner, Catchment) and owner.land is not None:
            study = set_land(study, element, CatchmentLand(**{**owner.land.__dict__, "uses": uses}))
        for key, condition in study.conditions.items():
            if element in condition.land:
                land = CatchmentLand(**{**condition.land[element].__dict__, "uses": uses})
                study = set_land(study, element, land, condition=key)
    return study
