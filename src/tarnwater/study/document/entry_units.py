"""The unit in which each quantity of a study is shown and typed; only a person changes it.

If the unit followed the values, the next number could be typed in a unit that is not meant.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from tarnwater import units
from tarnwater.errors import UnitError
from tarnwater.network.elements import Element
from tarnwater.parameters import Setting
from tarnwater.study.document import Study
from tarnwater.study.document.fields import description_at, quantities_in

#: Unit of a kind of quantity until a person chooses another, for SI and US customary.
BEGIN_WITH: Mapping[str, tuple[str, str]] = {
    "length": ("m", "ft"), "height": ("m", "ft"), "area": ("km²", "mi²"), "slope": ("%", "%"), "rain": ("mm", "in"),
    "rain rate": ("mm/h", "in/h"), "time": ("min", "min"), "flow": ("m³/s", "cfs"), "volume": ("m³", "ac-ft"),
    "speed": ("m/s", "ft/s"), "share": ("%", "%"), "drainage density": ("km/km²", "mi/mi²"),
    "weir coefficient": ("m^½/s", "ft^½/s"),
}  # fmt: skip

#: The same of quantities that are far smaller than others of their kind.
OF_SMALL: Mapping[str, tuple[str, str]] = dict.fromkeys(("plan_area", "bed_area", "wetted_area"), ("m²", "ft²"))


def quantity_of(path: str) -> str:
    """The quantity of a path: its last name, the same in ledger and sheet."""
    return path.rsplit("/", 1)[-1]


def entry_unit(study: Study, path: str, kind: str) -> str:
    """Unit in which the quantity at a path is shown and typed."""
    chosen = study.entry_units.get(f"{study.units} {quantity_of(path)}")
    if chosen is not None and chosen in units.kind(kind).units:
        return chosen
    begin = OF_SMALL.get(quantity_of(path)) or BEGIN_WITH.get(kind)
    return units.kind(kind).base if begin is None else begin[study.units == "US"]


def first_units(
    study: Study, elements: Mapping[str, Element], values: Sequence[tuple[str, str, float]], texts: Mapping[str, str]
) -> dict[str, str]:
    """Units typed for quantities that have no value yet, by quantity.

    ``values`` are (element, field, number), ``texts`` what was typed, by field.
    """
    found: dict[str, str] = {}
    for element, field, _ in values:
        text = texts.get(field)
        description = description_at(elements[element], field) if text else None
        unit = typed_unit(text, description.kind) if text and description is not None else None
        if unit is not None and not _is_known(study, quantity_of(field)):
            found[quantity_of(field)] = unit
    return found


def _is_known(study: Study, quantity: str) -> bool:
    """Whether any element has a value of a quantity."""
    for element in study.all_elements.values():
        for path, _, held in quantities_in(element):
            value = held.value if isinstance(held, Setting) else held
            if quantity_of(path) == quantity and value is not None and not isinstance(value, tuple):
                return True
    return False


def typed_unit(text: str, kind: str) -> str | None:
    """The unit in a typed text, in our spelling; None if it has none, or several."""
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
