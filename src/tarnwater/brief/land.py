"""Cover and soil of a catchment as rows of a table, with its totals."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from tarnwater import units
from tarnwater.cover.classes import COMMON
from tarnwater.cover.land import LandRow, LandTable
from tarnwater.network.elements import Catchment
from tarnwater.network.graph import Network
from tarnwater.study.answers.land import RainRunoff, runoff_of_rain, table_of
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import resolve
from tarnwater.units import System

#: Heads of the columns.
HEADS = ("cover", "soil", "area", "share", "CN", "area × CN", "C", "area × C", "remark")


def area_unit(table: LandTable, system: System) -> str:
    """The unit of the areas of a table: that of the whole, so that its rows can be added up as shown."""
    return units.display_unit("area", max(table.total, table.area), system)


def cells_of(row: LandRow, table: LandTable, unit: str, return_period: float = COMMON) -> tuple[str, ...]:
    """The cells of a row in the order of `HEADS`; areas and products have the decimals of their totals."""
    coefficient = row.coefficient(return_period)
    area, whole = units.to_unit(row.area, unit, "area"), units.to_unit(table.total, unit, "area")
    number = row.number
    return (
        row.title,
        " · ".join(part for part in (row.soil, row.texture) if part),
        f"{fixed(area, whole)} {unit}",
        f"{100 * row.share:.2f} %",
        "–" if number is None else f"{number:.4g}",
        "–" if number is None else fixed(area * number, 100 * whole),
        "–" if coefficient is None else f"{coefficient:.3g}",
        "–" if coefficient is None else fixed(area * coefficient, whole),
        remark_of(row),
    )


def fixed(value: float, whole: float) -> str:
    """A part with as many decimals as give the whole five digits, so that parts stand and add up in a column.

    >>> fixed(0.044891, 8.8461), fixed(1234.5, 90_000.0), fixed(0.0, 0.0)
    ('0.0449', '1234', '0.0000')
    """
    digits = len(f"{abs(whole):.0f}") if abs(whole) >= 1 else 1
    return f"{value:.{max(5 - digits, 0)}f}"


def remark_of(row: LandRow) -> str:
    """What is said of a row beside its numbers."""
    parts = []
    if row.open_land:
        parts.append(row.open_land)
    if row.group is not None and row.soil != row.group:
        parts.append(f"{row.soil} taken as {row.group}")
    if row.remainder:
        parts.append("takes the remainder")
    return ", ".join(parts)


def total_of(table: LandTable, unit: str, return_period: float = COMMON) -> tuple[str, ...]:
    """The cells of the total: areas and products added up, the composites from them."""
    number, coefficient = table.curve_number, table.coefficient(return_period)
    area = units.to_unit(table.total, unit, "area")
    return (
        "total",
        "",
        f"{fixed(area, area)} {unit}",
        f"{100 * sum(row.share for row in table.rows):.2f} %",
        "–" if number is None else f"{number:.2f}",
        "–" if number is None else fixed(area * number, 100 * area),
        "–" if coefficient is None else f"{coefficient:.3f}",
        "–" if coefficient is None else fixed(area * coefficient, area),
        remainder_of(table, unit),
    )


def remainder_of(table: LandTable, unit: str) -> str:
    """What is left of the catchment's area, or too much; empty where the rows fill it."""
    rest = table.remainder
    if not table.area or abs(rest) <= 5e-5 * table.area:
        return ""
    told = f"{fixed(units.to_unit(abs(rest), unit, 'area'), units.to_unit(table.area, unit, 'area'))} {unit}"
    return f"{told} left without a row" if rest > 0 else f"{told} more than its area"


def runoff_lines(found: RainRunoff, system: System) -> Iterator[str]:
    """Runoff depth and volume by both weightings, in words."""
    rain = units.show(found.rain, "rain", system)
    for depth, how in ((found.by_parts, "weighting the runoff of the rows"), (found.by_number, "by the composite CN")):
        volume = found.volume(depth)
        if depth is not None and volume is not None:
            told = units.show(depth, "rain", system), units.show(volume, "volume", system)
            yield f"{rain} of rain: {told[0]} run off, {told[1]}, {how}"


def land_pages(
    study: Study, condition: str, keys: Sequence[str] = (), return_period: float = COMMON
) -> Iterator[tuple[str, list[tuple[str, ...]], list[str]]]:
    """For each catchment with a table: its name, the rows with head and total, and its runoff in words."""
    network: Network = resolve(study, condition)
    for key, element in network.elements.items():
        if not isinstance(element, Catchment) or (keys and key not in keys):
            continue
        table = table_of(study, element)
        if table is None:
            continue
        unit = area_unit(table, study.units)
        rows = [HEADS, *(cells_of(row, table, unit, return_period) for row in table.rows)]
        rows.append(total_of(table, unit, return_period))
        found = runoff_of_rain(study, network, key, study.land_rules.rain)
        yield element.name, rows, list(runoff_lines(found, study.units))
