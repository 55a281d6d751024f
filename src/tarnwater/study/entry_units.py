"""The unit in which each quantity of a study is shown and typed: fixed, and changed by a person only.

A unit that followed the values would have the next number typed in another one than it is meant.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

from tarnwater import units
from tarnwater.errors import UnitError
from tarnwater.study.document import Study

#: Unit of a kind of quantity until a person chooses another, for SI and US customary.
BEGIN_WITH: Mapping[str, tuple[str, str]] = {
    "length": ("m", "ft"), "height": ("m", "ft"), "area": ("km²", "mi²"), "slope": ("%", "%"), "rain": ("mm", "in"),
    "rain rate": ("mm/h", "in/h"), "time": ("min", "min"), "flow": ("m³/s", "cfs"), "volume": ("m³", "ac-ft"),
    "speed": ("m/s", "ft/s"), "share": ("%", "%"),
}  # fmt: skip


def quantity_of(path: str) -> str:
    """The quantity that a path stands for: its last name, the same in ledger and sheet."""
    return path.rsplit("/", 1)[-1]


def entry_unit(study: Study, path: str, kind: str) -> str:
    """Unit in which the quantity at a path is shown and typed."""
    chosen = study.entry_units.get(f"{study.units} {quantity_of(path)}")
    if chosen is not None and chosen in units.kind(kind).units:
        return chosen
    begin = BEGIN_WITH.get(kind)
    return units.kind(kind).base if begin is None else begin[study.units == "US"]


def typed_unit(text: str, kind: str) -> str | None:
    """The unit that a typed text brings along, as it is written here; None where it brings none, or several."""
    found = re.fullmatch(r"\s*[+-]?[\d.,]+(?:[eE][+-]?\d+)?(?:\s*/\s*\d+)?\s*([^\d\s].*?)\s*", text)
    if found is None:
        return None
    for unit in units.kind(kind).units:
        try:
            same = units.factor_of(found[1], kind) == units.factor_of(unit, kind)
            if unit and same and units.spelled(found[1]) == unit:
                return unit
        except UnitError:
            return None
    return None
