"""What was done to the terrain, row by row: features, breaching, filling, holes, and land that drains nowhere."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from tarnwater import units
from tarnwater.study.document import BREACHING, FILLING, GroundChange, Study, Terrain
from tarnwater.terrain.features import GroundFeature

#: What became of a hole without data.
TREATMENTS = {"outlet": "takes water", "wall": "is a wall", "interpolate": "is interpolated"}

#: Heads of the columns.
HEADS = ("change of the ground", "name", "height or depth", "area", "volume", "greatest change", "remark")


@dataclass(frozen=True)
class GroundRow:
    """One row: what changed the ground, and by how much.

    ``key`` is the feature's, or that of the change. ``size`` is the parameter of a feature, ``field`` its name;
    ``void`` is the number of a hole. ``area`` m2, ``volume`` m3 and ``most`` m are None where there is none.
    """

    key: str
    what: str
    name: str = ""
    field: str = ""
    size: float | None = None
    area: float | None = None
    volume: float | None = None
    most: float | None = None
    remark: str = ""
    place: tuple[float, float] | None = None
    void: int | None = None

    @property
    def is_feature(self) -> bool:
        """Whether it is a feature, with a name, that can be removed."""
        return bool(self.name) and self.void is None

    def texts(self, system: units.System) -> tuple[str, ...]:
        """Its cells in the order of `HEADS`, with units."""

        def told(value: float | None, kind: str) -> str:
            return "" if value is None else units.show(value, kind, system)

        return (
            self.what,
            self.name,
            told(self.size, "length"),
            told(self.area, "area"),
            told(self.volume, "volume"),
            told(self.most, "length"),
            self.remark,
        )


def ground_rows(study: Study) -> tuple[GroundRow, ...]:
    """All changes of the terrain of a study; none without a terrain."""
    terrain = study.terrain
    if terrain is None:
        return ()
    return (*_features(study, terrain), *_breaching(terrain), *_filling(study, terrain), *_holes(terrain))


def _features(study: Study, terrain: Terrain) -> Iterator[GroundRow]:
    changes = {change.by: change for change in terrain.changes}
    closed = {basin.feature: basin.area for basin in terrain.closed}
    for key, feature in study.ground_features.items():
        change = changes.get(key, GroundChange(by=key))
        moved = change.most != 0
        yield GroundRow(
            key=key,
            what=feature.title,
            name=feature.name,
            field=feature.size,
            size=getattr(feature, feature.size) if feature.size else None,
            area=change.area if moved else closed.get(key),
            volume=change.volume if moved else None,
            most=change.most if moved else None,
            remark=_remark(study, feature, change, closed.get(key)),
            place=change.place,
        )


def _remark(study: Study, feature: GroundFeature, change: GroundChange, closed: float | None) -> str:
    told = list(change.notes)
    if closed is not None:
        told.append("this land drains to it, and into no catchment")
    if change.water > 0:
        told.append(f"water stands {units.show(change.water, 'length', study.units)} deep in it")
    if not feature.changes_ground:
        told.append(feature.meaning)
    elif change.place is None and not change.notes:
        told.append("changes nothing")
    return "; ".join([*told, *([feature.note] if feature.note else [])])


def _breaching(terrain: Terrain) -> Iterator[GroundRow]:
    for change in terrain.changes:
        if change.by == BREACHING:
            counted = f"{change.count} pits" if change.count > 1 else "1 pit"
            yield GroundRow(
                key=BREACHING,
                what="breaching",
                volume=change.volume,
                most=change.most,
                remark=f"{counted} led out through the ground",
                place=change.place,
            )


def _filling(study: Study, terrain: Terrain) -> Iterator[GroundRow]:
    for change in terrain.changes:
        if change.by == FILLING:
            counted = f"{change.count} depressions" if change.count > 1 else "1 depression"
            yield GroundRow(
                key=FILLING,
                what="filling",
                area=change.area,
                volume=change.volume,
                most=change.most,
                remark=f"{counted}, all together",
                place=change.place,
            )
    for number, found in enumerate(terrain.depressions, 1):
        within = study.name_of(found.within) if found.within else ""
        yield GroundRow(
            key=f"depression-{number}",
            what="  of it one depression",
            area=found.area,
            volume=found.volume,
            most=found.depth,
            remark=f"in {within}" if within else "in no catchment",
            place=found.place,
        )


def _holes(terrain: Terrain) -> Iterator[GroundRow]:
    for found in terrain.voids:
        yield GroundRow(
            key=f"hole-{found.number}",
            what="hole without data",
            name="",
            area=found.area,
            remark=TREATMENTS[found.treatment],
            place=found.place,
            void=found.number,
        )
