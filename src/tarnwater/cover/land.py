"""Cover on soil within a catchment: its patches, and the table of rows that follows from them and the classes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

from pydantic import Field, model_validator

from tarnwater.cover.classes import IMPERVIOUS_NUMBER, CoverClass, composite, unmixed
from tarnwater.cover.soils import SoilGroup, group_of, soil_textures
from tarnwater.errors import EditRefused, UnknownName
from tarnwater.parameters import Model, parameter

#: A share of the catchment by which the sum of its rows may differ from its area: rounding of typed figures.
TOLERANCE = 1e-6


class LandPatch(Model):
    """Land of one cover on one soil in a catchment.

    Its extent is its ``area``, m2, or its ``share`` of the catchment; without either it takes what the others leave.
    ``soil`` is a soil group, a dual one too, and ``texture`` a soil texture; they are empty where no map has any. A
    typed ``number`` or ``coefficient`` goes before that of the class. The ``label`` is free, and means nothing.
    """

    cover: str = ""
    soil: str = ""
    texture: str = ""
    area: float | None = Field(None, ge=0, le=1e13, allow_inf_nan=False)
    share: float | None = Field(None, ge=0, le=1, allow_inf_nan=False)
    number: float | None = Field(None, ge=1, le=100, allow_inf_nan=False)
    coefficient: float | None = Field(None, ge=0, le=1, allow_inf_nan=False)
    label: str = ""

    @property
    def takes_rest(self) -> bool:
        """Whether it takes what the others leave."""
        return self.area is None and self.share is None

    @model_validator(mode="after")
    def _one_extent(self) -> LandPatch:
        if self.area is not None and self.share is not None:
            raise EditRefused("a row has an area or a share, not both.", where=self.cover, remedy="Clear one of them.")
        return self


class CatchmentLand(Model):
    """The patches of a catchment, from the map or by hand, and what they make.

    ``uses`` is what the catchment gets: a surface for each row, whose runoff is added up, or one composite surface.
    ``made_of`` is a digest of the outline and the maps on which they were measured.
    """

    patches: tuple[LandPatch, ...] = ()
    by_hand: bool = False
    made_of: str = ""
    uses: Literal["surfaces", "composite"] = "surfaces"

    @model_validator(mode="after")
    def _one_remainder(self) -> CatchmentLand:
        if sum(patch.takes_rest for patch in self.patches) > 1:
            raise EditRefused(
                "two rows would take the remainder.", remedy="Give an area or a share to all rows but one."
            )
        return self

    def extents(self, whole: float) -> list[float]:
        """Areas of the patches, m2, in a catchment of ``whole`` m2; the one without extent takes what is left."""
        given = [patch.share * whole if patch.share is not None else patch.area for patch in self.patches]
        rest = max(whole - sum(area for area in given if area is not None), 0.0)
        return [rest if area is None else area for area in given]


class LandRules(Model):
    """What holds where a map says nothing: default cover, soil group and texture; whether wet land is drained.

    ``rain``, mm, is that of which the runoff was last asked.
    """

    default_cover: str = ""
    default_soil: str = ""
    default_texture: str = ""
    drained: bool = False
    rain: float = parameter(
        "rain", "rain whose runoff is asked", label="rain", symbol="P", least=0, most=5000, default=50.0
    )


@dataclass(frozen=True)
class LandRow:
    """A row of the table: land of one class on one soil.

    ``soil`` is as the map has it, ``group`` that by which it is reckoned. ``defaulted`` names what no map says:
    "cover", "soil", or both. A ``connected`` row is the directly connected impervious part of its class.
    """

    cover: CoverClass | None
    soil: str
    group: SoilGroup | None
    texture: str
    area: float
    share: float
    number: float | None
    connected: bool = False
    defaulted: tuple[str, ...] = ()
    typed_coefficient: float | None = None
    number_typed: bool = False
    label: str = ""
    remainder: bool = False

    @property
    def title(self) -> str:
        """Its cover in words."""
        name = self.label or (self.cover.name if self.cover is not None else "no cover")
        return f"{name}, connected impervious" if self.connected else name

    @property
    def name(self) -> str:
        """Its cover and soil in words, different for every row of a table."""
        parts = (self.title, self.soil and f"soil {self.soil}", self.texture, self.open_land)
        return " · ".join(part for part in parts if part)

    @property
    def open_land(self) -> str:
        """What no map tells of it, in words."""
        known = [name for name in self.defaulted if (self.cover is not None if name == "cover" else self.soil)]
        unknown = [name for name in self.defaulted if name not in known]
        parts = (" and ".join(known), "by default"), (" and ".join(unknown), "unknown")
        return ", ".join(f"{names} {how}" for names, how in parts if names)

    @property
    def impervious(self) -> float:
        """Share of it that is impervious, connected or not."""
        if self.connected:
            return 1.0
        return self.cover.impervious if self.cover is not None else 0.0

    def coefficient(self, return_period: float) -> float | None:
        """Its runoff coefficient for a return period, years; None where there is none."""
        if self.typed_coefficient is not None:
            return self.typed_coefficient
        return None if self.cover is None else self.cover.coefficient_at(return_period)


@dataclass(frozen=True)
class LandTable:
    """The rows of a catchment, and its ``area`` in m2, with which their sum is compared."""

    rows: tuple[LandRow, ...]
    area: float

    @cached_property
    def total(self) -> float:
        """Sum of the areas of the rows, m2."""
        return sum(row.area for row in self.rows)

    @property
    def remainder(self) -> float:
        """Area, m2, that no row has; below zero where the rows have too much."""
        rest = self.area - self.total
        return 0.0 if abs(rest) <= TOLERANCE * self.area else rest

    @property
    def curve_number(self) -> float | None:
        """Area-weighted curve number of all rows; None if one has none."""
        return self.number_of(self.rows)

    def number_of(self, rows: Sequence[LandRow]) -> float | None:
        """Area-weighted curve number of some rows; None if one has none, or there is no area."""
        numbers = [row.number for row in rows]
        if any(number is None for number in numbers) or not sum(row.area for row in rows):
            return None
        return composite([row.area for row in rows], [number for number in numbers if number is not None])

    def coefficient(self, return_period: float) -> float | None:
        """Area-weighted runoff coefficient for a return period, years; None if a row has none."""
        return coefficient_of(self.rows, return_period)

    @property
    def impervious(self) -> float:
        """Share of impervious land, connected or within its class."""
        return sum(row.area * row.impervious for row in self.rows) / self.total if self.total else 0.0

    @property
    def defaulted(self) -> float:
        """Area, m2, of which no map says the cover or the soil."""
        return sum(row.area for row in self.rows if row.defaulted)


def land_table(
    land: CatchmentLand, rules: LandRules, classes: Mapping[str, CoverClass], area: float | None
) -> LandTable:
    """The table of a catchment of some ``area``, m2: mixes taken apart, defaults put in, like rows added up.

    Raises `UnknownName` for a class or a texture that does not exist.
    """
    given = sum(patch.area or 0.0 for patch in land.patches)
    whole = area if area is not None else given
    rows: dict[tuple[object, ...], LandRow] = {}
    for patch, extent in zip(land.patches, land.extents(whole), strict=True):
        for row in _rows_of(patch, extent, rules, classes):
            key = (row.title, row.soil, row.texture, row.connected, row.defaulted, row.number, row.typed_coefficient)
            known = rows.get(key)
            rows[key] = row if known is None else replace(known, area=known.area + row.area)
    total = sum(row.area for row in rows.values())
    measured = total if not land.by_hand else whole
    found = [replace(row, share=row.area / measured if measured else 0.0) for row in rows.values()]
    if not land.by_hand:
        found.sort(key=lambda row: (bool(row.defaulted), -row.area, row.name))
    return LandTable(tuple(found), whole)


def _rows_of(patch: LandPatch, area: float, rules: LandRules, classes: Mapping[str, CoverClass]) -> list[LandRow]:
    cover, soil = patch.cover or rules.default_cover, patch.soil or rules.default_soil
    texture = patch.texture or rules.default_texture
    if texture and texture not in soil_textures():
        raise UnknownName(texture, soil_textures(), kind="soil texture")
    defaulted = () if patch.number is not None else _defaulted(patch)
    group = group_of(soil, drained=rules.drained)
    plain = LandRow(
        None, soil, group, texture, area, 0.0, patch.number, defaulted=defaulted, label=patch.label,
        typed_coefficient=patch.coefficient, remainder=patch.takes_rest,
    )  # fmt: skip
    if not cover:
        return [plain]
    found = []
    for own, share in unmixed(cover, classes):
        number = patch.number if patch.number is not None else own.number(group)
        if own.connected < 1:
            found.append(replace(plain, cover=own, area=area * share * (1 - own.connected), number=number))
        if own.connected > 0:
            part = area * share * own.connected
            found.append(replace(plain, cover=own, area=part, number=IMPERVIOUS_NUMBER, connected=True))
    return found


def _defaulted(patch: LandPatch) -> tuple[str, ...]:
    return tuple(name for name, held in (("cover", patch.cover), ("soil", patch.soil)) if not held)


def coefficient_of(rows: Sequence[LandRow], return_period: float) -> float | None:
    """Area-weighted runoff coefficient of rows for a return period, years; None if a row has none."""
    values = [row.coefficient(return_period) for row in rows]
    if any(value is None for value in values) or not sum(row.area for row in rows):
        return None
    return composite([row.area for row in rows], [value for value in values if value is not None])
