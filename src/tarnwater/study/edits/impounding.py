"""Storage of a pond cut from the terrain: the valley behind a dam."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from tarnwater.errors import BadInput, EditRefused, TarnwaterError
from tarnwater.network.elements import Pond
from tarnwater.routing.ponds.forms import StageVolume
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.conditioning import terrain_of
from tarnwater.study.edits.replacing import owner_in
from tarnwater.study.edits.values import choose
from tarnwater.terrain.cells import outline_of
from tarnwater.terrain.cross_section import read_ground
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.impoundment import Dam, Impoundment, impound

#: Digits of the table after the point, of levels in m and volumes in m3: a millimetre and a tenth.
LEVEL_DIGITS, VOLUME_DIGITS = 3, 1


def crest_above(drainage: Drainage, line: Sequence[Sequence[float]], height: float) -> float:
    """The level (m) of a height (m) above the lowest ground under the ends and bends of a line and between them."""
    points = np.asarray(line, float)
    if len(points) < 2:
        raise BadInput("the dam has no length.", where="dam", remedy="Give two places at least.")
    count = 200 * (len(points) - 1) + 1
    places = np.stack([np.interp(np.linspace(0, len(points) - 1, count), range(len(points)), points[:, axis])
                       for axis in (0, 1)], axis=1)  # fmt: skip
    ground = read_ground(drainage.grid, places)
    if np.isnan(ground).all():
        raise BadInput("there is no ground under the dam.", where="dam", remedy="Draw it on the terrain.")
    return round(float(np.nanmin(ground)) + height, LEVEL_DIGITS)


def water_behind(drainage: Drainage, pond: Pond, dam: Dam) -> Impoundment:
    """The water behind a dam up to its crest; errors say for which pond."""
    try:
        return impound(drainage.grid, dam, dam.crest)
    except TarnwaterError as error:
        error.where = f"{pond.name}, {error.where}" if error.where else pond.name
        raise


def _label(study: Study, blobs: Blobs, drainage: Drainage, key: str, dam: Dam, **_: Any) -> str:
    return f"cut the storage of {study.name_of(key)} from the terrain"


@edit(_label)
def store_behind_dam(
    study: Study,
    blobs: Blobs,
    drainage: Drainage,
    key: str,
    dam: Dam,
    *,
    condition: str = "",
    by: str = "",
    at: str = "",
    note: str = "",
) -> Study:
    """Give a pond the storage behind a dam, up to its crest, as a table of volumes in the place of what it has.

    Devices stay as they are. Raises `EditRefused` for an element that is no pond, and `BadInput` for a dam that holds
    no water.
    """
    pond = owner_in(study, key, condition)
    if not isinstance(pond, Pond):
        raise EditRefused("it is no pond.", where=pond.name, remedy="Choose a pond.")
    from shapely import to_wkb

    water = water_behind(drainage, pond, dam)
    levels, volumes = water.table()
    table = StageVolume(
        name="behind the dam",
        levels=tuple(round(float(level), LEVEL_DIGITS) for level in levels),
        volumes=tuple(round(float(volume), VOLUME_DIGITS) for volume in volumes),
        outline_level=round(float(levels[-1]), LEVEL_DIGITS),
        outline=blobs.add("geometry", to_wkb(outline_of(drainage.grid, water.wet))),
    )
    return choose(study, key, "storage", (table,), condition=condition, by=by, at=at, note=note)


@edit("cut the storage of {name} from the terrain")
def dam_by_numbers(
    study: Study, blobs: Blobs, name: str, dam: Dam, *, condition: str = "", by: str = "", at: str = "", note: str = "",
) -> Study:  # fmt: skip
    """Cut the storage of a pond, by its name, from the terrain."""
    scope = study.condition_of(condition) if condition else ""
    stamp = {"condition": scope, "by": by, "at": at, "note": note}
    return store_behind_dam(study, blobs, terrain_of(study, blobs), study.key_of(name), dam, **stamp)
