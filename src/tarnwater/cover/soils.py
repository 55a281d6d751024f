"""Hydrologic soil groups and soil textures."""

from __future__ import annotations

import csv
import re
from dataclasses import dataclass
from functools import cache
from importlib import resources
from typing import Literal

from tarnwater.errors import UnknownName

SoilGroup = Literal["A", "B", "C", "D"]
GROUPS: tuple[SoilGroup, ...] = ("A", "B", "C", "D")

#: Groups of wet land: the first letter holds for land that is drained, group D for land that is not.
DUAL_GROUPS = ("A/D", "B/D", "C/D")

_GROUP = re.compile(r"(?:hydrologic\s+)?(?:soil\s+)?(?:group\s*)?([A-D])(?:\s*[/\-]?\s*([A-D]))?", re.IGNORECASE)


@dataclass(frozen=True)
class SoilTexture:
    """A texture with its porosity and effective porosity, suction head in mm and conductivity in mm/h."""

    name: str
    porosity: float
    effective_porosity: float
    suction_head: float
    conductivity: float


def soil_group_in(text: str) -> str:
    """The soil group that a text names, a dual one too; empty if it names none.

    >>> soil_group_in("group b"), soil_group_in("C-D"), soil_group_in("peat")
    ('B', 'C/D', '')
    """
    found = _GROUP.fullmatch(text.strip())
    if not found:
        return ""
    first, second = found[1].upper(), (found[2] or "").upper()
    if not second or first == second:
        return first
    dual = f"{first}/{second}"
    return dual if dual in DUAL_GROUPS else ""


def group_of(code: str, *, drained: bool) -> SoilGroup | None:
    """The group by which land is reckoned: of a dual one the first letter if it is drained; None without a group.

    >>> group_of("C/D", drained=True), group_of("C/D", drained=False), group_of("", drained=False)
    ('C', 'D', None)
    """
    if not code:
        return None
    letter = code[0] if drained or len(code) == 1 else code[-1]
    return next((group for group in GROUPS if group == letter), None)


def soil_texture(name: str) -> SoilTexture:
    """The texture of a name, whatever its case; `UnknownName` with the nearest if there is none."""
    known = {title.casefold(): texture for title, texture in soil_textures().items()}
    if name.casefold() not in known:
        raise UnknownName(name, soil_textures(), kind="soil texture")
    return known[name.casefold()]


@cache
def soil_textures() -> dict[str, SoilTexture]:
    """The textures by name (Rawls, Brakensiek and Miller 1983, Journal of Hydraulic Engineering 109(1))."""
    text = resources.files(__package__).joinpath("soil_textures.csv").read_text()
    rows = csv.DictReader(line for line in text.splitlines() if not line.startswith("#"))
    return {
        row["texture"]: SoilTexture(
            row["texture"],
            float(row["porosity"]),
            float(row["effective_porosity"]),
            float(row["suction_head_mm"]),
            float(row["conductivity_mm_per_h"]),
        )
        for row in rows
    }
