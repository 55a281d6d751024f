"""Edits of channels, pipes and culverts that are designed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal

from tarnwater.errors import BadInput, UnknownName
from tarnwater.frozen import FrozenDict
from tarnwater.methods import kind_of
from tarnwater.parameters import Setting, Typed
from tarnwater.study.document import Study, changed, checked
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.feature_lines import feature_named, line_of
from tarnwater.study.document.fields import description_at, quantities_in, value_at, with_value
from tarnwater.study.document.works import ChannelWorks, CulvertWorks, Laid
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.names import slug
from tarnwater.terrain.cross_section import TOLERANCE
from tarnwater.terrain.features import GroundFeature
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.impoundment import thinned
from tarnwater.terrain.laid_line import laid
from tarnwater.units import parse

#: Digits of distances and heights along a line after the point, m: millimetres.
DIGITS = 3

#: Field of the document that holds works of a kind.
Kind = Literal["channels", "culverts"]

AnyWorks = ChannelWorks | CulvertWorks


def works_of(study: Study, kind: Kind, key: str) -> AnyWorks:
    """Works by their key; `UnknownName` where there are none."""
    held: FrozenDict[Any] = getattr(study, kind)
    if key not in held:
        raise UnknownName(key, held, kind=kind.removesuffix("s"))
    found: AnyWorks = held[key]
    return found


@edit("set {kind} {name}")
def works_by_name_on_ground(
    study: Study, blobs: Blobs, kind: Kind, name: str, given: Mapping[str, str], *, by: str = "", at: str = "",
    note: str = "",
) -> Study:  # fmt: skip
    """The same, where ``line`` names a line of the map along which a channel is laid; ``none`` for no line."""
    from tarnwater.study.edits.conditioning import terrain_of

    stamp = {"by": by, "at": at, "note": note}
    line = given.get("line") if kind == "channels" else None
    rest = {field: text for field, text in given.items() if line is None or field != "line"}
    study = works_by_name(study, kind, name, rest, **stamp)
    if line is None:
        return study
    key = next(k for k, one in study.channels.items() if name in (k, one.name))
    feature = "" if line == "none" else feature_named(study, line)
    # a slope that is given with the line is typed over that of the ground
    laid_out = lay_channel(study, blobs, terrain_of(study, blobs).grid, key, feature, **stamp)
    return works_by_name(laid_out, kind, name, {"slope": given["slope"]}, **stamp) if "slope" in given else laid_out


def _adding(study: Study, kind: Kind, works: AnyWorks, **_: Any) -> str:
    return f"add {kind.removesuffix('s')} {works.name}"


@edit("set {kind} {name}")
def works_by_name(
    study: Study, kind: Kind, name: str, given: Mapping[str, str], *, by: str = "", at: str = "", note: str = ""
) -> Study:
    """Set fields of a channel or a culvert by its name and by texts; one that is not there is added.

    ``element`` is given by its name.
    """
    held: FrozenDict[Any] = getattr(study, kind)
    key = next((k for k, one in held.items() if name in (k, one.name)), "")
    if not key:
        model = ChannelWorks if kind == "channels" else CulvertWorks
        study = add_works(study, kind, checked(lambda: model(name=name), name))
        key = next(reversed(list(getattr(study, kind))))
    named = {field: study.key_of(text) if field == "element" and text else text for field, text in given.items()}
    values = values_by_text(works_of(study, kind, key), named)
    return set_works(study, kind, key, values, by=by, at=at, note=note) if values else study


@edit(_adding)
def add_works(study: Study, kind: Kind, works: AnyWorks) -> Study:
    """Add a channel or a culvert; its key follows from its name."""
    held: FrozenDict[Any] = getattr(study, kind)
    return changed(study, **{kind: held.with_entry(slug(works.name, held), works)})


@edit("add the pipes of {count} inlet areas")
def add_inlet_pipes(study: Study, values: Sequence[CulvertWorks]) -> Study:
    """Add pipes that were sized for inlet areas, as one act."""
    for works in values:
        study = add_works(study, "culverts", works)
    return study


def _removing(study: Study, kind: Kind, key: str, **_: Any) -> str:
    return f"remove {kind.removesuffix('s')} {works_of(study, kind, key).name}"


@edit(_removing)
def remove_works(study: Study, kind: Kind, key: str) -> Study:
    """Remove a channel or a culvert."""
    works_of(study, kind, key)
    return changed(study, **{kind: {k: one for k, one in getattr(study, kind).items() if k != key}})


def values_by_text(works: AnyWorks, given: Mapping[str, str]) -> tuple[tuple[str, Any], ...]:
    """Fields of works by their paths (parted by points or strokes), with what texts say: numbers, words, forms.

    A name of the section or the barrel may stand without it. Raises `UnknownName` for a field, and what a text is
    refused for.
    """
    found: list[tuple[str, Any]] = []
    for name, text in given.items():
        path = name.replace(".", "/")
        described = _description(works, path)
        if described is not None:
            path, kind = described
            number = None if text in ("", "derived") else parse(text, kind)
            found.append((path, int(number) if number is not None and kind == "count" else number))
            continue
        kind_of_method = kind_of(type(works).model_fields[path]) if path in type(works).model_fields else None
        if kind_of_method is not None:
            found.append((path, kind_of_method.of_tag(text)()))
        elif path in type(works).model_fields or path.split("/")[0] in ("section", "barrel"):
            found.append((path, text))
        else:
            known = [path for path, _, _ in quantities_in(works)] + list(type(works).model_fields)
            raise UnknownName(name, known, kind="field", where=works.name)
    return tuple(found)


def _description(works: AnyWorks, path: str) -> tuple[str, str] | None:
    """The path of a quantity, also by its last name alone, with its kind; None for what is no quantity."""
    for own, described, _ in quantities_in(works):
        if own == path or ("/" not in path and own.rsplit("/", 1)[-1] == path):
            return own, described.kind
    return None


def _setting(study: Study, kind: Kind, key: str, values: tuple[tuple[str, Any], ...], **_: Any) -> str:
    works = works_of(study, kind, key)
    names = []
    for path, _value in values:
        described = description_at(works, path)
        names.append(path.rsplit("/", 1)[-1].replace("_", " ") if described is None else described.label)
    return f"set {' and '.join(names)} of {works.name}"


def laid_on(feature: GroundFeature, line: str, grid: Grid, blobs: Blobs) -> Laid:
    """The ground along a feature (key ``line``) from its upper end down, thinned within `TOLERANCE`.

    Raises `BadInput` for a line with no ground under some of it.
    """
    found = laid(grid, line_of(feature, blobs))
    kept = thinned(found.along, found.ground, TOLERANCE)
    rounded = (tuple(round(float(value), DIGITS) for value in values[kept]) for values in (found.along, found.ground))
    return Laid(line=line, along=next(rounded), ground=next(rounded))


def _laying(study: Study, blobs: Blobs, grid: Grid, key: str, line: str, **_: Any) -> str:
    where = study.ground_features[line].name if line in study.ground_features else "no line"
    return f"lay {works_of(study, 'channels', key).name} along {where}"


@edit(_laying)
def lay_channel(
    study: Study, blobs: Blobs, grid: Grid, key: str, line: str, *, by: str = "", at: str = "", note: str = ""
) -> Study:
    """Lay a channel along a line of the map (key of a feature), or along none.

    Its slope is then that of the ground from end to end; along none, or on level ground, it keeps the one it has.
    Raises `BadInput` for a place, and for a line with no ground under some of it.
    """
    works: Any = works_of(study, "channels", key)
    if line and line not in study.ground_features:
        raise UnknownName(line, study.ground_features, kind="feature of the ground")
    new = None if not line else _laid_along(study.ground_features[line], line, grid, blobs)
    fall = None if new is None else new.slope
    if fall is not None:
        slope = Setting[float](derived=fall)
    else:
        kept = works.slope.value
        slope = works.slope.with_derived(None)
        if works.slope.typed is None and kept is not None:
            slope = slope.with_typed(kept, by=by, at=at, note=note)
    fields = {name: getattr(works, name) for name in ChannelWorks.model_fields} | {"laid": new, "slope": slope}
    new_works = checked(lambda: ChannelWorks(**fields), works.name)
    return changed(study, channels=study.channels.with_entry(key, new_works))


def _laid_along(feature: GroundFeature, line: str, grid: Grid, blobs: Blobs) -> Laid:
    if feature.drawn_as != "line":
        raise BadInput(f"{feature.one()} is no line.", where=feature.name, remedy="Choose an alignment.")
    try:
        return laid_on(feature, line, grid, blobs)
    except BadInput as error:
        error.where = feature.name
        raise


def channels_on(study: Study, grid: Grid, blobs: Blobs, features: Mapping[str, GroundFeature]) -> dict[str, Laid]:
    """The ground along the lines of all channels that lie on some, by the key of the channel, on another terrain."""
    lines = {key: one.laid.line for key, one in study.channels.items() if one.laid is not None}
    return {key: _laid_along(features[line], line, grid, blobs) for key, line in lines.items() if line in features}


def with_laid(study: Study, found: Mapping[str, Laid]) -> dict[str, ChannelWorks]:
    """The channels with the ground along their lines measured again; typed slopes stay."""
    again = {
        key: one.model_copy(update={"laid": found[key], "slope": one.slope.with_derived(found[key].slope)})
        for key, one in study.channels.items() if key in found and found[key] != one.laid
    }  # fmt: skip
    return {**study.channels, **again}


@edit(_setting)
def set_works(
    study: Study, kind: Kind, key: str, values: tuple[tuple[str, Any], ...], *, by: str = "", at: str = "",
    note: str = "",
) -> Study:  # fmt: skip
    """Set fields of a channel or a culvert by their paths: numbers in the base unit, words, or a method.

    A value that may be derived is cleared by None. Raises what the model refuses, with the name of the works.
    """
    works: Any = works_of(study, kind, key)
    for path, value in values:
        held = value_at(works, path)
        new = value
        if isinstance(held, Setting) and not isinstance(value, Setting):
            new = held.model_copy(
                update={"typed": None if value is None else Typed[Any](value=value, by=by, at=at, note=note)}
            )
        works = checked(lambda works=works, path=path, new=new: with_value(works, path, new), works.name)  # type: ignore[misc]
    return changed(study, **{kind: getattr(study, kind).with_entry(key, works)})
