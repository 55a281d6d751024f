"""Quantities: their kinds, and the units for reading and showing them, SI and US customary.

Inside the program every kind has one base unit (`KINDS`); a unit's factor turns a value in that unit
into the base. Factors are exact.

>>> parse("25 ft", "length")
7.62
>>> show(0.0864, "flow")
'86.40 L/s'
>>> show(0.0, "flow")
'0 m³/s'
"""

from __future__ import annotations

import difflib
import math
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from tarnwater.errors import UnitError

System = Literal["SI", "US"]

FOOT = 0.3048
INCH = 0.0254
MILE = 1609.344
ACRE = 4046.8564224
US_SURVEY_FOOT = 1200 / 3937


@dataclass(frozen=True)
class Kind:
    """A kind of quantity. ``units`` maps every known unit to its factor.

    ``ladders`` gives, for each system, the display units from the largest down, each with the least value (in the base
    unit) for which it is used.
    """

    name: str
    base: str
    units: Mapping[str, float]
    ladders: Mapping[str, tuple[tuple[float, str], ...]]


def _kind(
    name: str,
    base: str,
    units: dict[str, float],
    si: list[tuple[float, str]],
    us: list[tuple[float, str]] | None = None,
) -> Kind:
    return Kind(name, base, units, {"SI": tuple(si), "US": tuple(us or si)})


_LENGTHS = {
    "m": 1.0, "km": 1000.0, "cm": 0.01, "mm": 0.001, "ft": FOOT, "in": INCH, "yd": 3 * FOOT, "mi": MILE,
    "us-ft": US_SURVEY_FOOT,
}  # fmt: skip
_DEPTHS = {unit: factor * 1000 for unit, factor in _LENGTHS.items()}
_TIMES = {"s": 1.0, "min": 60.0, "h": 3600.0, "d": 86400.0}
_AREAS = {"m²": 1.0, "ha": 1e4, "km²": 1e6, "ft²": FOOT**2, "ac": ACRE, "mi²": MILE**2}
_VOLUMES = {
    "m³": 1.0, "L": 0.001, "thousand m³": 1e3, "Mm³": 1e6, "ft³": FOOT**3, "ac-ft": ACRE * FOOT,
    "thousand ac-ft": 1000 * ACRE * FOOT,
}  # fmt: skip

KINDS: Mapping[str, Kind] = {
    k.name: k
    for k in (
        _kind("length", "m", _LENGTHS, [(1000.0, "km"), (0.0, "m")], [(MILE, "mi"), (0.0, "ft")]),
        _kind("height", "m", _LENGTHS, [(0.0, "m")], [(0.0, "ft")]),
        _kind("area", "m²", _AREAS, [(1e6, "km²"), (1e3, "ha"), (0.0, "m²")],
              [(MILE**2, "mi²"), (0.1 * ACRE, "ac"), (0.0, "ft²")]),
        _kind("slope", "m/m", {"m/m": 1.0, "%": 0.01, "‰": 0.001, "ft/ft": 1.0, "ft/mi": FOOT / MILE, "m/km": 0.001},
              [(0.0, "%")]),
        _kind("drainage density", "m/m²", {"m/m²": 1.0, "km/km²": 0.001, "mi/mi²": 1 / MILE},
              [(0.0, "km/km²")], [(0.0, "mi/mi²")]),
        _kind("rain", "mm", _DEPTHS, [(0.0, "mm")], [(0.0, "in")]),
        _kind("rain rate", "mm/h", {"mm/h": 1.0, "in/h": 25.4, "mm/min": 60.0}, [(0.0, "mm/h")], [(0.0, "in/h")]),
        _kind("rate constant", "1/h", {"1/h": 1.0, "1/min": 60.0, "1/s": 3600.0, "1/d": 1 / 24}, [(0.0, "1/h")]),
        _kind("time", "s", _TIMES, [(2 * 86400.0, "d"), (2 * 3600.0, "h"), (0.0, "min")]),
        _kind("flow", "m³/s", {"m³/s": 1.0, "L/s": 0.001, "cfs": FOOT**3},
              [(0.1, "m³/s"), (0.0, "L/s")], [(0.0, "cfs")]),
        _kind("flow per area", "m³/s/m²",
              {"m³/s/m²": 1.0, "m³/s/km²": 1e-6, "L/s/ha": 1e-7,
               "cfs/mi²": FOOT**3 / MILE**2, "cfs/ac": FOOT**3 / ACRE},
              [(0.0, "m³/s/km²")], [(0.0, "cfs/mi²")]),
        _kind("volume", "m³", _VOLUMES, [(1e6, "Mm³"), (1e4, "thousand m³"), (0.0, "m³")],
              [(1e4 * ACRE * FOOT, "thousand ac-ft"), (0.1 * ACRE * FOOT, "ac-ft"), (0.0, "ft³")]),
        _kind("shear", "N/m²", {"N/m²": 1.0, "lb/ft²": 47.88025898033584}, [(0.0, "N/m²")], [(0.0, "lb/ft²")]),
        _kind("speed", "m/s", {"m/s": 1.0, "km/h": 1 / 3.6, "ft/s": FOOT}, [(0.0, "m/s")], [(0.0, "ft/s")]),
        _kind("weir coefficient", "m^½/s", {"m^½/s": 1.0, "ft^½/s": FOOT**0.5}, [(0.0, "m^½/s")], [(0.0, "ft^½/s")]),
        _kind("angle", "°", {"°": 1.0}, [(0.0, "°")]),
        _kind("share", "", {"": 1.0, "%": 0.01}, [(0.0, "%")]),
        _kind("factor", "", {"": 1.0}, [(0.0, "")]),
        _kind("curve number", "", {"": 1.0}, [(0.0, "")]),
        _kind("count", "", {"": 1.0}, [(0.0, "")]),
        _kind("return period", "years", {"years": 1.0, "year": 1.0, "yr": 1.0, "a": 1.0, "y": 1.0}, [(0.0, "years")]),
        _kind("coordinate", "", {"": 1.0}, [(0.0, "")]),
    )
}  # fmt: skip

_SPELLINGS = {
    "thousand m3": "thousand m³", "Mm3": "Mm³",
    "m2": "m²", "km2": "km²", "ft2": "ft²", "mi2": "mi²", "sq km": "km²", "sq mi": "mi²", "m3": "m³", "ft3": "ft³",
    "m3/s": "m³/s", "cumec": "m³/s", "ft3/s": "cfs", "l/s": "L/s", "l": "L", "acre": "ac", "acres": "ac",
    "hectare": "ha", "hectares": "ha", "hr": "h", "hrs": "h", "hour": "h", "hours": "h", "minute": "min",
    "minutes": "min", "mins": "min", "sec": "s", "second": "s", "seconds": "s", "day": "d", "days": "d", "inch": "in",
    "inches": "in", "foot": "ft", "feet": "ft", "metre": "m", "metres": "m", "mile": "mi", "miles": "mi", '"': "in",
    "'": "ft", "percent": "%", "mm/hr": "mm/h", "in/hr": "in/h", "m3/s/km2": "m³/s/km²", "l/s/ha": "L/s/ha",
}  # fmt: skip

_NUMBER = r"[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?"
_QUANTITY = re.compile(rf"\s*({_NUMBER})(?:\s*/\s*(\d+))?\s*(.*?)\s*")
_COMMA = re.compile(r"\s*([+-]?\d+),(\d+)\s*(\D.*)?")

#: Digits of a group of thousands.
THOUSAND = 3

_COMPOUND = re.compile(rf"\s*({_NUMBER})\s*(d|h)\s*({_NUMBER})\s*(h|min|m|s)?\s*")
_RATIO = re.compile(rf"\s*1\s*(?::|in)\s*({_NUMBER})\s*")


def kind(name: str) -> Kind:
    """The kind of a name; `UnitError` if it is unknown."""
    try:
        return KINDS[name]
    except KeyError as error:
        raise UnitError(f"there is no kind of quantity “{name}”.") from error


def parse(text: str, kind_name: str, *, default: str | None = None) -> float:
    """Read what a person typed into the base unit of a kind.

    Without a unit the number is in ``default`` (the base unit when None). Understood besides:
    ``1h30``, ``7/60 h``, and for slopes ``1 in 50`` and ``1:50``.

    A comma parts decimals where it cannot part thousands (``25,4``, ``0,125``). Raises `UnitError`
    for text that is no number, an unknown unit, a unit of another kind, or a comma that could be
    either (``1,250``), saying what to type instead.

    >>> parse("15 min", "time"), parse("1h30", "time"), parse("1:50", "slope"), parse("6 cm", "height")
    (900.0, 5400.0, 0.02, 0.06)
    >>> parse("", "time")
    Traceback (most recent call last):
    ...
    tarnwater.errors.UnitError: nothing was typed. Type a number, with a unit where it is not s.
    """
    wanted = kind(kind_name)
    default = wanted.base if default is None else default
    if not text.strip():
        unit = f", with a unit where it is not {default}" if default else ""
        raise UnitError("nothing was typed.", remedy=f"Type a number{unit}.")
    if comma := _COMMA.fullmatch(text):
        if len(comma[2]) != THOUSAND or comma[1].lstrip("+-") in ("0", "00"):
            # three digits could be thousands; any other number of digits can only be decimals
            return parse(text.replace(",", ".", 1), kind_name, default=default)
        raise UnitError(
            f"“{text.strip()}” has a comma, which could part decimals or thousands.",
            remedy=f"Type {text.strip().replace(',', '.')} for a decimal, or leave the comma out.",
        )
    if kind_name == "slope" and (ratio := _RATIO.fullmatch(text)) and float(ratio[1]):
        return 1.0 / float(ratio[1])
    if kind_name == "time" and (parts := _COMPOUND.fullmatch(text)):
        small = {"m": "min", None: "min" if parts[2] == "h" else "h"}.get(parts[4], parts[4])
        return float(parts[1]) * _TIMES[parts[2]] + float(parts[3]) * _TIMES[small]
    match = _QUANTITY.fullmatch(text)
    if not match:
        raise UnitError(
            f"“{text.strip()}” is not a number.", remedy=f"Type it as 12.5{' ' + default if default else ''}."
        )
    number = float(match[1])
    if match[2] is not None:
        if not int(match[2]):
            raise UnitError(f"“{text.strip()}” divides by zero.", remedy="Type the number itself.")
        number = number / int(match[2])
    if not math.isfinite(number):
        raise UnitError(f"“{text.strip()}” is too large.", remedy="Type a smaller number.")
    return convert(number, match[3] or default, kind_name)


def listed(text: str, kind_name: str, *, default: str | None = None) -> list[float]:
    """Quantities of a kind in a list with commas, each with its unit or in the default one; none for no text.

    >>> listed("0, 1h, 90 min", "time")
    [0.0, 3600.0, 5400.0]
    """
    return [parse(part, kind_name, default=default) for part in text.split(",")] if text.strip() else []


def convert(value: float, unit: str, kind_name: str) -> float:
    """Turn a value in a unit into the base unit of a kind; `UnitError` for a unit of another kind."""
    factor = factor_of(unit, kind_name)
    if 0 < factor < 1 and value and factor != US_SURVEY_FOOT:
        reciprocal = 1 / factor
        if reciprocal == round(reciprocal):
            return value / round(reciprocal)
    return value * factor


def factor_of(unit: str, kind_name: str) -> float:
    """Base units in one ``unit``; `UnitError` for an unknown unit or one of another kind."""
    wanted = kind(kind_name)
    name = spelled(unit)
    if name in wanted.units:
        return wanted.units[name]
    known = ", ".join(u for u in wanted.units if u) or "no unit"
    others = [k.name for k in KINDS.values() if name in k.units]
    if others:
        what = f"“{unit}” measures {_article(others[0])}, not {_article(kind_name)}."
        raise UnitError(what, remedy=f"Use {known}.")
    near = difflib.get_close_matches(name, wanted.units, n=1, cutoff=0.6)
    hint = f"Did you mean {near[0]}? " if near else ""
    raise UnitError(f"“{unit}” is not a known unit.", remedy=f"{hint}Use {known}.")


def spelled(unit: str) -> str:
    """A unit in our spelling: ``km2`` as ``km²``, ``hours`` as ``h``; an unknown one unchanged."""
    name = unit.strip()
    return _SPELLINGS.get(name, _SPELLINGS.get(name.lower(), name))


def _article(noun: str) -> str:
    return f"{'an' if noun[0] in 'aeiou' else 'a'} {noun}"


def display_unit(kind_name: str, values: Iterable[float] | float, system: System = "SI") -> str:
    """Choose the one unit of a column, an axis or a figure by its largest value."""
    values = (values,) if isinstance(values, int | float) else values
    largest = max((abs(v) for v in values if v is not None and math.isfinite(v)), default=0.0)
    ladder = kind(kind_name).ladders[system]
    if largest == 0.0:
        # an empty column takes the usual unit of a catchment
        return ladder[0][1] if kind_name in ("flow", "area") else ladder[-1][1]
    return next(unit for start, unit in ladder if largest >= start)


def units_of(kind_name: str, system: System = "SI") -> tuple[str, ...]:
    """Units in which a kind of quantity is shown, the largest first.

    >>> units_of("area")
    ('km²', 'ha', 'm²')
    """
    return tuple(unit for _, unit in kind(kind_name).ladders[system])


def to_unit(value: float, unit: str, kind_name: str) -> float:
    """Turn a value in the base unit into ``unit``."""
    factor = factor_of(unit, kind_name)
    reciprocal = 1 / factor
    return value * round(reciprocal) if factor < 1 and reciprocal == round(reciprocal) else value / factor


def round_up(least: float, steps: Sequence[float] = (1, 2, 5)) -> float:
    """The smallest of some steps (1 to below 10) times a power of ten that is at least a positive number."""
    power = 10.0 ** math.floor(math.log10(least))
    return next(power * step for step in (*steps, 10) if power * step >= least * (1 - 1e-9))


def rounded(value: float, digits: int = 4) -> str:
    """Write a number to so many significant figures, without an exponent and without losing zeros.

    Whole numbers of more figures are kept whole: 12345.6 gives 12346.

    >>> rounded(0.24729), rounded(41.268), rounded(12345.6), rounded(0.0)
    ('0.2473', '41.27', '12346', '0')
    """
    if value is None or math.isnan(value):
        return "–"
    if value == 0:
        return "0"
    if math.isinf(value):
        return "∞" if value > 0 else "−∞"
    decimals = max(digits - 1 - math.floor(math.log10(abs(value))), 0)
    text = f"{value:.{decimals}f}"
    # rounding may have carried into a new place: 9.9996 -> 10.00
    if decimals and len(re.sub(r"^0+|[-.]", "", text).lstrip("0")) > digits:
        text = f"{value:.{decimals - 1}f}"
    return text.replace("-", "−")


def show(
    value: float | None, kind_name: str, system: System = "SI", *, digits: int = 4, unit: str | None = None
) -> str:
    """Write a value of a kind with its unit, to significant figures; a dash where there is none."""
    if value is None:
        return "–"
    unit = display_unit(kind_name, value, system) if unit is None else unit
    if kind_name in ("count", "return period", "curve number", "factor"):
        # 12345 cells are not 1.234e+04
        text = f"{value:.0f}" if value == round(value) else f"{value:.{digits}g}"
    else:
        text = rounded(to_unit(value, unit, kind_name), digits)
    return f"{text} {unit}".rstrip()


@dataclass(frozen=True)
class Quantity:
    """A value of a kind, for a message that is written before the units of its reader are known."""

    value: float
    kind: str
    digits: int = 6

    def show(self, system: System) -> str:
        """Write it with its unit, to its digits at most, without zeros at the end."""
        unit = display_unit(self.kind, self.value, system)
        return f"{to_unit(self.value, unit, self.kind):.{self.digits}g} {unit}"


def show_alike(values: Sequence[float], kind_name: str, system: System = "SI") -> list[str]:
    """Write several values of a kind, all in the unit of the largest.

    >>> show_alike([0.05682, 0.4092], "flow")
    ['0.05682 m³/s', '0.4092 m³/s']
    """
    unit = display_unit(kind_name, values, system)
    return [show(value, kind_name, unit=unit) for value in values]


def show_place(x: float, y: float) -> str:
    """Write a place in the units of its coordinate system, in full, to the millimetre.

    >>> show_place(344055.0, 5550125.25)
    '344055, 5550125.25'
    """
    return ", ".join(f"{value:.3f}".rstrip("0").rstrip(".") for value in (x, y))


def show_duration(seconds: float) -> str:
    """Write a duration in usual words.

    >>> [show_duration(s) for s in (900, 5400, 21600, 172800, 0)]
    ['15 min', '1 h 30 min', '6 h', '48 h', '0 min']
    """
    minutes = Fraction(seconds).limit_denominator(1000) / 60
    if minutes.denominator != 1:
        return f"{rounded(float(minutes))} min"
    hours, rest = divmod(int(minutes), 60)
    if not hours:
        return f"{rest} min"
    return f"{hours} h {rest} min" if rest else f"{hours} h"
