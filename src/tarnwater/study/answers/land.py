"""Runoff of a typed rain from the cover and soil of catchments, by both weightings."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from tarnwater.cover.classes import COMMON
from tarnwater.cover.land import LandTable
from tarnwater.network.elements import Catchment
from tarnwater.network.graph import Network
from tarnwater.network.memo import IdentityMemo
from tarnwater.parameters import Setting
from tarnwater.runoff.losses import Loss
from tarnwater.study.document import Study


@dataclass(frozen=True)
class RainRunoff:
    """Runoff of a rain, mm, from a catchment: ``parts`` from each of its rows or surfaces, mm of their own area.

    ``by_parts`` weights the runoff of the parts, ``by_number`` takes it from the weighted curve number, None without
    one; both are depths over the catchment, mm. ``area`` is that of the catchment, m2.
    """

    rain: float
    shares: tuple[float, ...]
    parts: tuple[float | None, ...]
    by_number: float | None
    area: float

    @property
    def by_parts(self) -> float | None:
        """Area-weighted runoff depth, mm; None if a part has none."""
        if any(depth is None for depth in self.parts) or not sum(self.shares):
            return None
        whole = sum(share * depth for share, depth in zip(self.shares, self.parts, strict=True) if depth is not None)
        return whole / sum(self.shares)

    def volume(self, depth: float | None) -> float | None:
        """Volume, m3, of a depth in mm."""
        return None if depth is None else 0.001 * depth * self.area


def table_of(study: Study, catchment: Catchment) -> LandTable | None:
    """The table of cover and soil of a catchment as a condition has it; None where its surfaces are made by hand.

    A curve number that was typed on the surface of a row is that of the row.
    """
    if catchment.land is None:
        return None
    table = study.library.table(catchment.land, catchment.area.value)
    typed = {one.name: number.typed_value for one in catchment.surfaces if (number := one.loss.number) is not None}
    rows = (
        row if (known := typed.get(row.name)) is None else replace(row, number=known, number_typed=True)
        for row in table.rows
    )
    return replace(table, rows=tuple(rows))


def runoff_of_rain(study: Study, network: Network, key: str, rain: float) -> RainRunoff:
    """Runoff of a rain, mm, from a catchment of a network, with the loss of its first surface.

    The rain falls in one step, which for curve numbers is the same as any other course of it.
    """
    element = network.elements[key]
    assert isinstance(element, Catchment)
    memo: IdentityMemo[RainRunoff] = study.memory.of("runoff of a rain", 512)
    parts = element, study.cover_classes, study.land_rules
    return memo.get(parts, (rain,)) or memo.put(parts, _runoff_of_rain(study, element, rain), (rain,))


def _runoff_of_rain(study: Study, element: Catchment, rain: float) -> RainRunoff:
    table, pattern = table_of(study, element), element.surfaces[0].loss
    if table is None or not table.rows:
        losses = [surface.loss for surface in element.surfaces]
        shares: tuple[float, ...] = element.weights
    else:
        losses = [with_number(pattern, row.number) for row in table.rows]
        shares = tuple(row.share for row in table.rows)
    parts = tuple(depth_of_runoff(loss, rain) for loss in losses)
    whole = table.curve_number if table is not None and table.rows else element.curve_number
    by_number = None if whole is None else depth_of_runoff(with_number(pattern, whole), rain)
    return RainRunoff(rain, shares, parts, by_number, element.area.value or 0.0)


#: Figures of the cover and soil of a catchment, by the names under which they are asked, and their kinds.
LAND_FIGURES = {
    "land/curve_number": "curve number",
    "land/coefficient": "factor",
    "land/runoff_by_rows": "rain",
    "land/runoff_by_number": "rain",
}


def land_figure(study: Study, network: Network, key: str, name: str) -> float | None:
    """One of `LAND_FIGURES`; None where it is not known, or the surfaces are made by hand."""
    element = network.elements[key]
    table = table_of(study, element) if isinstance(element, Catchment) else None
    if table is None:
        return None
    match name:
        case "land/curve_number":
            return table.curve_number
        case "land/coefficient":
            return table.coefficient(COMMON)
    found = runoff_of_rain(study, network, key, study.land_rules.rain)
    return found.by_parts if name == "land/runoff_by_rows" else found.by_number


def depth_of_runoff(loss: Loss, rain: float) -> float | None:
    """Runoff depth, mm, of a rain in one step; None for a loss that lacks a value."""
    if loss.missing():
        return None
    return loss.runoff_of(rain)


def with_number(loss: Loss, number: float | None) -> Loss:
    """A loss with another curve number and nothing typed."""
    if not loss.number_name:
        return loss
    cleared: dict[str, Any] = {
        name: Setting[float]() for name, _ in loss.quantities() if isinstance(getattr(loss, name), Setting)
    }
    return loss.model_copy(update=cleared).refreshed({"curve_number": number})
