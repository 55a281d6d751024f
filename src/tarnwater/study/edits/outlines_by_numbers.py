"""Outlines and flow paths given by places: drawn, reshaped, split, merged, mended, divided."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from tarnwater import units
from tarnwater.errors import BadInput
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.by_numbers import places_in
from tarnwater.study.edits.conditioning import terrain_of
from tarnwater.study.edits.flow_paths import divide_flow_path, draw_flow_path
from tarnwater.study.edits.outlines import (
    Redrawn,
    drawn_catchment,
    measured,
    mended,
    merged,
    reshaped,
    split,
    take_outlines,
    words_of,
)

#: What can be done, by the word for it, and whether it needs a line and a catchment.
ACTS = {"draw": (True, False), "reshape": (True, True), "split": (True, True), "path": (True, True)}


def _label(
    act: str = "", name: str = "", merge: Sequence[str] = (), mend: float = 0.0, divide: str = "", **_: object
) -> str:
    parts = [
        f"{act} {name}".strip() if act else "",
        f"merge {', '.join(merge)}" if merge else "",
        f"mend gaps and overlaps up to {units.show(mend, 'area')}" if mend else "",
        f"divide the flow path of {divide}" if divide else "",
    ]
    return f"outlines: {'; '.join(part for part in parts if part)}"


@edit(_label)
def outlines_by_numbers(
    study: Study,
    blobs: Blobs,
    *,
    act: str = "",
    name: str = "",
    line: str = "",
    merge: Sequence[str] = (),
    mend: float = 0.0,
    divide: str = "",
    tell: Callable[[str], None] = lambda _: None,
) -> Study:
    """Draw, reshape or split along a typed line; draw or divide a flow path; merge catchments; mend boundaries.

    ``mend`` is the area, m2, up to which gaps and overlaps are mended; ``tell`` is told what was.
    """
    drainage = terrain_of(study, blobs) if study.terrain is not None else None
    places = places_in(line) if line else []
    if act and not line:
        raise BadInput("there is no line.", where=act, remedy="Give --line X,Y X,Y …, in the units of the map.")
    if act == "path":
        study = draw_flow_path(study, study.key_of(name), places, blobs, drainage)
    elif act:
        study = take_outlines(study, measured(study, blobs, _made(study, blobs, act, name, places), drainage), blobs)
    if merge:
        keys = [study.key_of(one) for one in merge]
        study = take_outlines(study, measured(study, blobs, merged(study, blobs, keys), drainage), blobs)
    if mend:
        redrawn, closed = mended(study, blobs, mend)
        for fault in closed:
            tell(f"mended: {words_of(study, blobs, fault)}")
        study = take_outlines(study, measured(study, blobs, redrawn, drainage), blobs)
    if divide:
        study = divide_flow_path(study, study.key_of(divide), blobs, drainage)
    return study


def _made(study: Study, blobs: Blobs, act: str, name: str, places: Sequence[tuple[float, float]]) -> Redrawn:
    if act == "draw":
        made = drawn_catchment(study, places)
        return Redrawn(made.shapes, dict.fromkeys(made.names, name)) if name else made
    make = reshaped if act == "reshape" else split
    return make(study, blobs, study.key_of(name), places)
