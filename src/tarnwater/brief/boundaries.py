"""What is open or doubled between the catchments, row by row: gaps, overlaps, and land in no catchment."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from tarnwater.arrays import Floats
from tarnwater.formats.shapes import lines_of
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.outlines import faults_of, metres_in, open_land_of, outlines_of
from tarnwater.terrain.drainage import Drainage


@dataclass(frozen=True, eq=False)
class BoundaryRow:
    """A gap, an overlap or open land: its area in m2, where it is in words, and its rings (points, 2) on the map."""

    what: str
    area: float
    where: str
    rings: Sequence[Floats]


def boundary_rows(study: Study, blobs: Blobs, drainage: Drainage | None) -> list[BoundaryRow]:
    """Everything that is open or doubled between the catchments, the largest first."""
    metres = metres_in(study)
    rows = []
    names = [study.name_of(key) for key in outlines_of(study, blobs)]
    for fault in faults_of(study, blobs):
        where = " and ".join(names[number] for number in fault.between)
        rows.append(BoundaryRow(fault.kind, fault.area * metres**2, f"between {where}", lines_of(fault.shape)))
    if drainage is not None:
        for key, land in open_land_of(study, blobs, drainage):
            where = f"drains to {study.name_of(key)}, in no catchment"
            rows.append(BoundaryRow("open land", land.area, where, lines_of(land.shape)))
    return sorted(rows, key=lambda row: -row.area)
