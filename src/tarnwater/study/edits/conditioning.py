"""From a raw terrain to one that drains: features, breaching and filling, with a record of every change."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from tarnwater.errors import OutletError
from tarnwater.progress import Progress
from tarnwater.study.document import (
    BREACHING,
    FILLING,
    ClosedLand,
    FoundDepression,
    FoundFill,
    FoundVoid,
    GroundChange,
    Study,
    Terrain,
)
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.feature_lines import line_of
from tarnwater.terrain.catchments import delineate
from tarnwater.terrain.depressions import Depressions, find_depressions
from tarnwater.terrain.drainage import Breaching, Drainage, drain
from tarnwater.terrain.features import GroundFeature, shape
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.outlets import Snapped
from tarnwater.terrain.shaping import Effect, ShapedGround
from tarnwater.terrain.voids import Voids, VoidTreatment, find_voids, treat_voids

if TYPE_CHECKING:
    from tarnwater.formats.raster import UndeclaredFill


@dataclass(frozen=True, eq=False)
class ConditionedTerrain:
    """A terrain that drains, the features that were applied to it, and the document's record of it."""

    record: Terrain
    drainage: Drainage
    features: Mapping[str, GroundFeature]


def condition_terrain(
    grid: Grid,
    blobs: Blobs,
    *,
    source: str,
    repairs: tuple[str, ...] = (),
    fills: Sequence[UndeclaredFill] = (),
    features: Mapping[str, GroundFeature] | None = None,
    treatments: Mapping[int, VoidTreatment] | None = None,
    progress: Progress | None = None,
    **settings: float,
) -> ConditionedTerrain:
    """Make a grid drain and record how, with its doubtful depressions and its voids.

    ``settings`` are ``stream_threshold`` (m2), ``snap_radius``, ``breach_depth`` and ``breach_length`` (m). The raw
    grid is kept in ``blobs``; the lines of ``features`` are there already.
    """
    from tarnwater.formats.raster import grid_to_bytes, scale_factor

    progress = progress or Progress()
    record = Terrain(
        grid=blobs.add("grid", grid_to_bytes(grid, progress)),
        source=source,
        crs=grid.crs,
        rows=grid.shape[0],
        columns=grid.shape[1],
        cell_width=grid.dx,
        cell_height=grid.dy,
        scale_factor=scale_factor(grid),
        fills=tuple(FoundFill(value=f.value, cells=f.cells, at_edge=f.at_edge) for f in fills),
        repairs=repairs,
        **settings,
    )
    return _conditioned(record, grid, features or {}, treatments or {}, blobs, progress)


def condition_again(
    study: Study,
    blobs: Blobs,
    *,
    features: Mapping[str, GroundFeature] | None = None,
    treatments: Mapping[int, VoidTreatment] | None = None,
    progress: Progress | None = None,
    **settings: float,
) -> ConditionedTerrain:
    """Condition the terrain of a study with other features, treatments of voids, or settings; what is not given stays.

    Raises `OutletError` if the study has no terrain.
    """
    record, grid = _kept_grid(study, blobs)
    given = {v.number: v.treatment for v in record.voids} | dict(treatments or {})
    chosen = study.ground_features if features is None else features
    return _conditioned(record.model_copy(update=settings), grid, chosen, given, blobs, progress or Progress())


def terrain_of(study: Study, blobs: Blobs, progress: Progress | None = None) -> Drainage:
    """The drained terrain of a study, conditioned as recorded."""
    record, grid = _kept_grid(study, blobs)
    treatments = {v.number: v.treatment for v in record.voids}
    treated, walls = treat_voids(find_voids(grid, progress), treatments, progress)
    ground, _ = _shaped(treated, study.ground_features, blobs)
    return _drained(record, treated, walls, ground, progress)


def _kept_grid(study: Study, blobs: Blobs) -> tuple[Terrain, Grid]:
    from tarnwater.formats.raster import grid_from_bytes

    if study.terrain is None:
        raise OutletError("the study has no terrain.", where=study.title, remedy="Open an elevation grid first.")
    return study.terrain, grid_from_bytes(blobs[study.terrain.grid].data, study.terrain.source)


def _shaped(
    grid: Grid, features: Mapping[str, GroundFeature], blobs: Blobs
) -> tuple[ShapedGround | None, dict[str, Effect]]:
    """The ground with the features that change it; None without any, which needs no second copy of the heights."""
    features = {key: feature for key, feature in features.items() if feature.changes_ground}
    if not features:
        return None, {}
    return shape(grid, features, {key: line_of(feature, blobs) for key, feature in features.items()})


def _drained(
    record: Terrain, grid: Grid, walls: np.ndarray, ground: ShapedGround | None, progress: Progress | None
) -> Drainage:
    breaching = Breaching(record.breach_depth, record.breach_length) if record.breaches else None
    return drain(grid, walls, progress, ground=ground, breaching=breaching)


def _conditioned(
    record: Terrain,
    grid: Grid,
    features: Mapping[str, GroundFeature],
    treatments: Mapping[int, VoidTreatment],
    blobs: Blobs,
    progress: Progress,
) -> ConditionedTerrain:
    voids = find_voids(grid, progress)
    treated, walls = treat_voids(voids, treatments, progress)
    ground, effects = _shaped(treated, features, blobs)
    drainage = _drained(record, treated, walls, ground, progress)
    depressions = find_depressions(drainage, progress)
    update: dict[str, Any] = {
        "depressions": tuple(
            FoundDepression(area=d.area, depth=d.depth, volume=d.volume, level=d.level, place=d.place)
            for d in depressions.doubtful
        ),
        "depressions_filled": len(depressions),
        "voids": _recorded(voids, treatments),
        "changes": (
            *(_by_feature(key, effect, features[key], ground, drainage, blobs) for key, effect in effects.items()),
            *_by_breaching(drainage),
            *_by_filling(depressions),
        ),
        "closed": _closed_basins(effects, drainage, blobs),
    }
    return ConditionedTerrain(record.model_copy(update=update), drainage, features)


def _recorded(voids: Voids, treatments: Mapping[int, VoidTreatment]) -> tuple[FoundVoid, ...]:
    return tuple(
        FoundVoid(number=v.number, area=v.area, place=v.place, treatment=treatments.get(v.number, v.proposed))
        for v in voids
    )


def _by_feature(
    key: str,
    effect: Effect,
    feature: GroundFeature,
    ground: ShapedGround | None,
    drainage: Drainage,
    blobs: Blobs,
) -> GroundChange:
    """What a feature changed, and how deep filled water stands along it."""
    assert ground is not None
    water = 0.0
    if feature.leads_water:
        rows, columns, _ = ground.course(line_of(feature, blobs))
        if len(rows):
            water = float((drainage.filled[rows, columns] - ground.heights[rows, columns]).max())
    return GroundChange(
        by=key,
        area=effect.cells * drainage.grid.cell_area,
        volume=effect.volume,
        most=effect.most,
        water=max(water, 0.0),
        place=effect.place,
        notes=effect.notes,
    )


def _by_breaching(drainage: Drainage) -> list[GroundChange]:
    cut = drainage.channels
    if not cut.count:
        return []
    return [GroundChange(by=BREACHING, count=cut.count, volume=-cut.volume, most=-cut.depth, place=cut.place)]


def _by_filling(depressions: Depressions) -> list[GroundChange]:
    if not len(depressions):
        return []
    deepest = depressions[int(np.argmax(depressions.depth))]
    return [
        GroundChange(
            by=FILLING,
            count=len(depressions),
            area=float(depressions.area.sum()),
            volume=float(depressions.volume.sum()),
            most=deepest.depth,
            place=deepest.place,
        )
    ]


def _closed_basins(effects: Mapping[str, Effect], drainage: Drainage, blobs: Blobs) -> tuple[ClosedLand, ...]:
    """The land that drains to each cell at which a feature lets the water end."""
    from shapely import to_wkb

    ends = {key: effect.place for key, effect in effects.items() if effect.ends_flow and effect.place is not None}
    if not ends:
        return ()
    sinks = []
    for place in ends.values():
        row, column = drainage.grid.cell_at(*place)
        area = float(drainage.upstream[row, column] * drainage.grid.cell_area)
        sinks.append(Snapped(place, place, row, column, 0.0, area, area))
    basins = delineate(drainage, sinks)
    return tuple(
        ClosedLand(
            feature=key,
            area=basins.total_area(number),
            place=place,
            outline=blobs.add("geometry", to_wkb(basins.outline(number))),
        )
        for number, (key, place) in enumerate(ends.items())
        if basins.local_area(number)
    )
