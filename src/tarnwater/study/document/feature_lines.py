"""Lines of the features of the ground, as the study file keeps them."""

from __future__ import annotations

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import StudyFileError, UnknownName
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.study import Study
from tarnwater.terrain.features import GroundFeature


def feature_named(study: Study, name: str) -> str:
    """Key of the feature with a name (or key), whatever its case; `UnknownName` with the nearest."""
    for key, feature in study.ground_features.items():
        if name == key or feature.name.casefold() == name.casefold():
            return key
    raise UnknownName(name, [f.name for f in study.ground_features.values()], kind="feature of the ground")


def line_of(feature: GroundFeature, blobs: Blobs) -> Floats:
    """The line (points, 2) of a feature, or its place (1, 2); `StudyFileError` if the study does not hold it."""
    held = blobs.shape(feature.line)
    if held is None:
        raise StudyFileError(
            f"the line of {feature.name} is missing from the study file.",
            where=feature.name,
            remedy="Remove the feature and draw it again.",
        )
    try:
        line = np.array(held.coords)[:, :2]
    except NotImplementedError:
        line = np.empty((0, 2))
    wanted = 1 if feature.drawn_as == "place" else 2
    if len(line) < wanted or not np.isfinite(line).all():
        raise StudyFileError(
            f"the line of {feature.name} is no line.",
            where=feature.name,
            remedy="Remove the feature and draw it again.",
        )
    return line
