"""Edits of the ground: features are drawn, changed and removed, and the terrain is conditioned and surveyed again."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import BadInput, EditRefused
from tarnwater.formats.vector import Rejected, Value, VectorLayer
from tarnwater.progress import Progress
from tarnwater.study.document import Study, changed, checked
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.conditioning import condition_again
from tarnwater.study.edits.delineation import completed, survey, take_survey
from tarnwater.study.edits.names import slug
from tarnwater.terrain.features import GroundFeature
from tarnwater.terrain.voids import VoidTreatment

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

Features = Mapping[str, GroundFeature]


def keep_line(line: Floats, blobs: Blobs) -> str:
    """Keep a line (points, 2), or a place (1, 2), among the blobs; returns its digest."""
    from shapely import LineString, Point, to_wkb

    return blobs.add("geometry", to_wkb(Point(line[0]) if len(line) == 1 else LineString(line)))


def drawn_feature(
    study: Study, kind: str, line: Sequence[Sequence[float]] | Floats, blobs: Blobs, *, name: str = "", **values: Any
) -> tuple[str, GroundFeature]:
    """A feature of a kind along a line in the units of the CRS, under a new key.

    ``values`` are its parameters. Raises `EditRefused` for a line without length, or with coordinates that are no
    numbers.
    """
    model = GroundFeature.of_tag(kind)
    points = np.asarray(line, float).reshape(-1, 2)
    points = points[np.r_[True, (np.diff(points, axis=0) != 0).any(axis=1)]] if len(points) else points
    wanted = 1 if model.drawn_as == "place" else 2
    if not np.isfinite(points).all() or len(points) < wanted or (wanted == 1 and len(points) != 1):
        shape = "one place" if wanted == 1 else "a line of at least two places"
        raise EditRefused(f"{model.one()} needs {shape}.", where=name, remedy=f"Draw or give {shape}.")
    name = name or unused_feature_name(study.ground_features, model.title.capitalize())
    known = {f.name.casefold() for f in study.ground_features.values()}
    if name.casefold() in known:
        raise EditRefused(f"there is already a feature “{name}”.", where=name, remedy="Choose another name.")
    feature = checked(lambda: model(name=name, line=keep_line(points, blobs), **values), name)
    return slug(name, study.ground_features), feature


def features_from(
    study: Study,
    kind: str,
    layer: VectorLayer,
    blobs: Blobs,
    *,
    name: str = "",
    name_field: str = "",
    size_field: str = "",
    size: float | None = None,
) -> tuple[dict[str, GroundFeature], tuple[Rejected, ...]]:
    """Features of a kind from the shapes of a layer in the study's coordinate system, by key, and what was left out.

    Each line of a shape becomes one, the outline of an area too; a kept depression is taken from a place, or from
    the middle of a line or area. ``name`` is the name of all, numbered where there are several; ``name_field`` and
    ``size_field`` are fields with a name and a height or depth in m.
    """
    model = GroundFeature.of_tag(kind)
    made: dict[str, GroundFeature] = {}
    left = list(layer.rejected)
    for index, shape in enumerate(layer.shapes):
        number, lines = layer.numbers[index], _lines_of(shape, model.drawn_as)
        if not lines:
            left.append(Rejected(number, f"is no line for a {model.title}"))
        stated = layer.value(name_field, index) if name_field else None
        for line in lines:
            known = changed(study, ground_features={**study.ground_features, **made})
            stem = str(stated) if stated not in (None, "") else name or model.title.capitalize()
            taken = {f.name.casefold() for f in known.ground_features.values()}
            free = stem if stem.casefold() not in taken else unused_feature_name(known.ground_features, stem)
            try:
                key, feature = drawn_feature(
                    known, kind, line, blobs, name=free, **_size(model, layer.value(size_field, index), size)
                )
            except BadInput as error:
                left.append(Rejected(number, str(error), (float(line[0, 0]), float(line[0, 1]))))
            else:
                made[key] = feature
    return made, tuple(left)


def _lines_of(shape: BaseGeometry, drawn_as: str) -> list[Floats]:
    """The lines (points, 2) of a shape, or its one place."""
    import shapely

    parts = list(getattr(shape, "geoms", [shape]))
    if drawn_as == "place":
        return [shapely.get_coordinates(part.representative_point()) for part in parts]
    lines = [part.exterior if part.geom_type == "Polygon" else part for part in parts]
    return [shapely.get_coordinates(line) for line in lines if line.geom_type in ("LineString", "LinearRing")]


def sized(kind: str, size: float) -> dict[str, float]:
    """The height or depth, m, of a feature of a kind as its parameter; `EditRefused` if it has none."""
    model = GroundFeature.of_tag(kind)
    field = next((name for name, _ in model.quantities()), "")
    if not field:
        raise EditRefused(f"{model.one()} has no height or depth.", where=kind, remedy="Leave it out.")
    return {field: size}


def _size(model: type[GroundFeature], stated: Value, given: float | None) -> dict[str, float]:
    """The parameter of a feature from its row, or else the one given for all."""
    if stated is not None:
        try:
            given = float(stated)
        except ValueError as error:
            raise EditRefused(
                f"“{stated}” is no number.", remedy="Give its height or depth in metres, or another field."
            ) from error
    return {} if given is None else sized(model.tag(), given)


def with_features(study: Study, more: Iterable[GroundFeature]) -> dict[str, GroundFeature]:
    """The features of a study with more of them, each under a new key, with a number where its name is taken."""
    features = dict(study.ground_features)
    for feature in more:
        taken = {one.name.casefold() for one in features.values()}
        name = feature.name if feature.name.casefold() not in taken else unused_feature_name(features, feature.name)
        features[slug(name, features)] = feature.model_copy(update={"name": name})
    return features


def unused_feature_name(features: Features, stem: str) -> str:
    """The stem, without the number it may end in, with the first number that no feature has."""
    stem = re.sub(r" \d+$", "", stem)
    taken = {feature.name.casefold() for feature in features.values()}
    number = next(n for n in range(1, len(taken) + 2) if f"{stem} {n}".casefold() not in taken)
    return f"{stem} {number}"


def resized(feature: GroundFeature, size: float) -> GroundFeature:
    """The feature with another height or depth, m; `OutOfRange` if it cannot be."""
    return checked(lambda: type(feature)(**feature.model_dump() | {feature.size: size}), feature.name)


@edit(lambda study, key, name: f"rename {study.ground_features[key].name} to {name}")
def rename_feature(study: Study, key: str, name: str) -> Study:
    """Give a feature another name; `EditRefused` if another one has it."""
    feature = study.ground_features[key]
    if any(f.name.casefold() == name.strip().casefold() for k, f in study.ground_features.items() if k != key):
        raise EditRefused(f"there is already a feature “{name}”.", where=feature.name, remedy="Choose another name.")
    renamed = checked(lambda: type(feature)(**feature.model_dump() | {"name": name}), feature.name)
    return changed(study, ground_features=study.ground_features.with_entry(key, renamed))


def only_marks(study: Study, features: Features) -> bool:
    """Whether other features leave the ground as it is: they differ in alignments alone."""
    own, others = ({k: f for k, f in some.items() if f.changes_ground} for some in (study.ground_features, features))
    return own == others


@edit("{act}")
def take_features(study: Study, act: str, features: Features) -> Study:
    """Enter features that leave the ground as it is, as one act called ``act``."""
    return changed(study, ground_features=features)


@edit("{act}")
def reshape(
    study: Study,
    blobs: Blobs,
    act: str,
    *,
    features: Features | None = None,
    treatments: Mapping[int, VoidTreatment] | None = None,
    progress: Progress | None = None,
    **settings: float,
) -> Study:
    """Condition the terrain again with other features, voids or settings, and survey all outlets on it.

    ``settings`` are those of the terrain: ``breach_depth`` and ``breach_length`` (m), ``stream_threshold`` (m2),
    ``snap_radius`` (m). Typed values stay. It is one act, called ``act``.
    """
    if features is not None and not treatments and not settings and only_marks(study, features):
        return take_features(study, act, features)
    progress = progress or Progress()
    made = condition_again(
        study, blobs, features=features, treatments=treatments, progress=progress.within(0, 0.8), **settings
    )
    found = survey(made.record, made.drainage, study.outlets, progress.within(0.8, 1))
    found = completed(study, found, made.drainage, blobs, features=made.features)
    return take_survey(study, found, blobs, act, features=made.features)
