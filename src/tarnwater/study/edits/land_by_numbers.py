"""Cover and soil given in words: a layer from a file, what its values mean, rules, and land measured again."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from dataclasses import field as dataclass_field
from pathlib import Path
from typing import Any, Literal, cast

from tarnwater import units
from tarnwater.cover import CoverClass, find_cover, soil_group_in, soil_textures
from tarnwater.cover.classes import MixPart
from tarnwater.errors import BadInput, EditRefused, UnknownName
from tarnwater.formats.joining import in_one_line, joined, key_in_both, read_keyed_table
from tarnwater.formats.shapes import metres_per_unit, read_shapes
from tarnwater.formats.vector import VectorLayer
from tarnwater.parameters import description_of
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.cover import HOLDS, LEFT_OPEN, Holds, LandLayer
from tarnwater.study.document.land_maps import catchments_with_outline, following
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.cover import (
    layer_named,
    layer_of_offer,
    offer_of,
    proposed_attribute,
    proposed_meaning,
    set_class,
    with_layer,
)
from tarnwater.study.edits.land_survey import survey_land, take_land, with_maps

Uses = Literal["surfaces", "composite", ""]


def holds_named(text: str) -> Holds:
    """What a layer holds, from a word such as ``soil-group``; `UnknownName` otherwise."""
    wanted = text.casefold().replace("-", " ")
    for holds in HOLDS:
        if wanted == holds:
            return holds
    raise UnknownName(text, [one.replace(" ", "-") for one in HOLDS], kind="kind of map")


def meaning_named(text: str, holds: Holds, classes: Mapping[str, CoverClass]) -> str:
    """A class, soil group or texture by its name, or `LEFT_OPEN`; empty for an empty text.

    `UnknownName` with the nearest otherwise.
    """
    if not text or text.casefold() == LEFT_OPEN:
        return text and LEFT_OPEN
    if holds == "cover":
        return find_cover(text, classes).name
    if holds == "soil group":
        if found := soil_group_in(text):
            return found
        raise UnknownName(text, ("A", "B", "C", "D", "A/D", "B/D", "C/D"), kind="soil group")
    for name in soil_textures():
        if name.casefold() == text.casefold():
            return name
    raise UnknownName(text, soil_textures(), kind="soil texture")


def _label(
    source: LayerSource | None = None,
    remove: Sequence[str] = (),
    means: Sequence[str] = (),
    rules: Mapping[str, Any] | None = None,
    uses: str = "",
    **_: Any,
) -> str:
    parts = [
        f"bring in {source.path.name}" if source else "",
        f"remove {', '.join(remove)}" if remove else "",
        f"say what {len(means)} values mean" if means and not source else "",
        f"set {', '.join(rules).replace('_', ' ')}" if rules else "",
        f"use {uses}" if uses else "",
    ]
    return f"cover and soil: {'; '.join(part for part in parts if part) or 'measure again'}"


@dataclass(frozen=True)
class LayerSource:
    """A file with cover or soil: its layer, coordinate system, attribute, and a table joined by a key.

    ``keys`` names a field and a column of the table ``join`` as ``FIELD=COLUMN``; without it those with most values in
    common are taken. ``means`` are the meanings of values by other studies.
    """

    path: Path
    holds: Holds = "cover"
    field: str = ""
    layer: str = ""
    crs: str = ""
    swap_axes: bool = False
    join: Path | None = None
    keys: str = ""
    name: str = ""
    condition: str = ""
    means: Mapping[str, str] = dataclass_field(default_factory=dict)

    def read(self, study: Study) -> VectorLayer:
        """Its shapes in the coordinate system of the study, with the columns of the table."""
        found = read_shapes(
            self.path, self.layer, into=study.map_crs, crs=self.crs, swap_axes=self.swap_axes, grids=True
        )
        if self.join is None:
            return found
        table = read_keyed_table(self.join)
        own, column = self.keys.split("=", 1) if "=" in self.keys else key_in_both(found, table)
        if not own:
            remedy = "Give --key FIELD=COLUMN."
            raise BadInput("map and table have no key in common.", where=str(self.join), remedy=remedy)
        return joined(found, table, own, column)


@edit(_label)
def land_by_numbers(
    study: Study,
    blobs: Blobs,
    *,
    source: LayerSource | None = None,
    means: Sequence[str] = (),
    of_layer: str = "",
    remove: Sequence[str] = (),
    rules: Mapping[str, Any] | None = None,
    uses: str = "",
    classes: Mapping[str, CoverClass] | None = None,
    tell: Callable[[str], None] = lambda _: None,
) -> Study:
    """Bring in a layer, remove some, say what values mean, set rules; then measure the catchments.

    Those that follow the maps are measured again; if none does yet, all with an outline. ``means`` are texts like
    ``RGR=Meadow``, for the layer brought in or ``of_layer``. ``classes`` are those kept across studies; ``tell`` is
    told what was left out.
    """
    library = {**(classes or {}), **study.cover_classes}
    gone = {layer_named(study, one) for one in remove}
    layers = {key: one for key, one in study.land_layers.items() if key not in gone}
    given = _meanings_given(means)
    if source is not None:
        made = _layer_read(study, blobs, source, given, library, tell)
        _, layers = with_layer(with_maps(study, layers), made)
    elif given:
        key = layer_named(study, of_layer) if of_layer else next(iter(layers), "")
        if not key:
            raise EditRefused("the study has no layer of cover or soil.", remedy="Bring one in with --from FILE.")
        layers[key] = _with_meanings(layers[key], given, library)
    trial = with_maps(study, layers, _named_in(layers, library), _rules_read(rules or {}, library))
    wanted = following(trial) or (catchments_with_outline(trial) if layers else [])
    return take_land(trial, survey_land(trial, blobs, wanted), uses=cast("Uses", uses), layers=layers)


def _layer_read(
    study: Study,
    blobs: Blobs,
    source: LayerSource,
    given: Mapping[str, str],
    library: Mapping[str, CoverClass],
    tell: Callable[[str], None],
) -> LandLayer:
    found, kind = source.read(study), source.holds
    system = study.map_crs or found.crs
    attribute = source.field or proposed_attribute(found, kind)
    offer = offer_of(found, attribute, metres_per_unit(system) if system else 1.0)
    _refuse_unknown(given, offer.shapes, attribute)
    meanings = {
        value: meaning_named(given[value], kind, library)
        if value in given
        else proposed_meaning(value, kind, source.means, library)
        for value in offer.shapes
    }
    made = layer_of_offer(
        offer,
        blobs,
        name=source.name or source.path.stem,
        holds=kind,
        meanings=meanings,
        order=list(given),
        condition=study.condition_of(source.condition) if source.condition else "",
        source=source.path.name,
    )
    for note in (*offer.notes, *(f"row {one.number} was left out: it {one.what}" for one in offer.rejected)):
        tell(note)
    for one in made.unknown:
        tell(f"nothing is known of the value {in_one_line(one.value)}, {units.show(one.area, 'area', study.units)}")
    return made


def _with_meanings(layer: LandLayer, given: Mapping[str, str], library: Mapping[str, CoverClass]) -> LandLayer:
    _refuse_unknown(given, {one.value for one in layer.values}, layer.name)
    values = (
        one.model_copy(update={"means": meaning_named(given[one.value], layer.holds, library)})
        if one.value in given
        else one
        for one in layer.values
    )
    return layer.model_copy(update={"values": tuple(values)})


def _refuse_unknown(given: Collection[str], known: Collection[str], where: str) -> None:
    for value in given:
        if value not in known:
            raise UnknownName(value, known, kind="value", where=where)


def _named_in(layers: Mapping[str, Any], library: Mapping[str, CoverClass]) -> dict[str, CoverClass]:
    """The classes of a library that layers name."""
    named = {one.meant for layer in layers.values() if layer.holds == "cover" for one in layer.values}
    return {name: library[name] for name in named if name in library}


def _meanings_given(texts: Sequence[str]) -> dict[str, str]:
    given = {}
    for text in texts:
        value, equals, means = text.partition("=")
        if not equals or not value.strip():
            raise BadInput(f"“{text}” says not what a value means.", where="--means", remedy="Write it as VALUE=CLASS.")
        given[value.strip()] = means.strip()
    return given


def _rules_read(rules: Mapping[str, Any], library: Mapping[str, CoverClass]) -> dict[str, Any]:
    """Rules with the names of classes, groups and textures as they are known."""
    kinds: dict[str, Holds] = {
        "default_cover": "cover",
        "default_soil": "soil group",
        "default_texture": "soil texture",
    }
    return {key: meaning_named(one, kinds[key], library) if key in kinds else one for key, one in rules.items()}


@edit("set the class {name}")
def class_by_numbers(study: Study, name: str, values: Mapping[str, str]) -> Study:
    """Set fields of a class of the study, given in words; one of the program is copied into the study first.

    ``parts`` are those of a mix, as ``Meadow 60%, Woods good 40%`` separated by semicolons; ``coefficients`` go by
    return period, as ``2 0.3, 100 0.45``. An empty text clears a field.
    """
    try:
        old = find_cover(name, study.cover_classes)
    except UnknownName:
        old = CoverClass(name=name)
    fields: dict[str, Any] = old.model_dump()
    for key, text in values.items():
        if key not in CoverClass.model_fields or key == "name":
            known = [one for one in CoverClass.model_fields if one != "name"]
            raise UnknownName(key, known, kind="field of a class", where=name)
        fields[key] = field_read(key, text, name)
    new = CoverClass(**fields)
    return set_class(study, new, old.name if old.name in study.cover_classes else "")


def field_read(key: str, text: str, where: str) -> Any:
    """The value of a field of a class in words; an empty text is its default."""
    field = CoverClass.model_fields[key]
    if not text:
        return field.get_default()
    if key == "parts":
        return [_part_read(part, where) for part in text.split(";")]
    if key == "coefficients":
        pairs = [pair.split() for pair in text.split(",")]
        if any(len(pair) != 2 for pair in pairs):
            raise BadInput(f"“{text}” is no list of coefficients.", where=where, remedy="Write it as 2 0.3, 100 0.45.")
        return [(units.parse(t, "return period"), units.parse(c, "factor")) for t, c in pairs]
    described = description_of(field)
    return text if described is None else units.parse(text, described.kind)


def _part_read(text: str, where: str) -> MixPart:
    """A part of a mix: a class, and behind it its share, or none for the remainder."""
    name, _, last = text.strip().rpartition(" ")
    try:
        share = units.parse(last, "share")
    except BadInput:
        return MixPart(cover=text.strip())
    if not name:
        raise BadInput(f"“{text}” names no class.", where=where, remedy="Write it as Meadow 60%.")
    return MixPart(cover=name, share=share)
