"""Quantities are read as typed, refused with a reason, and shown to significant figures."""

import math
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarnwater import units
from tarnwater.errors import UnitError


@pytest.mark.parametrize(
    ("text", "kind", "value"),
    [
        ("15 min", "time", 900.0),
        ("1.5h", "time", 5400.0),
        ("1 h 30 min", "time", 5400.0),
        ("7/60 h", "time", 420.0),
        ("6 cm", "height", 0.06),
        ("12 in", "length", 0.3048),
        ("25 ft", "length", 7.62),
        ("3km2", "area", 3e6),
        ("3 km²", "area", 3e6),
        ("640 acres", "area", 2589988.110336),
        ("2 in", "rain", 50.8),
        ("1:50", "slope", 0.02),
        ("1 in 50", "slope", 0.02),
        ("2 %", "slope", 0.02),
        ("5280 ft/mi", "slope", 1.0),
        ("100 L/s", "flow", 0.1),
        ("1e3", "flow", 1000.0),
        ("-4", "height", -4.0),
    ],
)
def test_a_quantity_is_read_in_the_unit_typed_with_it(text, kind, value):
    assert units.parse(text, kind) == pytest.approx(value, rel=1e-15)


@pytest.mark.parametrize(
    ("text", "kind", "said"),
    [
        ("25,400", "rain", "Type 25.400 for a decimal"),
        ("3,500 km2", "area", "Type 3.500 km2 for a decimal"),
        ("", "time", "nothing was typed"),
        ("many", "time", "is not a number"),
        ("12 34", "time", "is not a known unit"),
        ("3 ha", "time", "measures an area, not a time"),
        ("3 hourz", "time", "is not a known unit"),
        ("1/0 h", "time", "divides by zero"),
        ("1e999", "flow", "too large"),
    ],
)
def test_what_cannot_be_read_is_refused_with_what_to_type(text, kind, said):
    with pytest.raises(UnitError, match=said):
        units.parse(text, kind)


@given(st.data())
def test_a_typed_number_comes_back_in_its_unit(data):
    kind = data.draw(st.sampled_from(list(units.KINDS.values())))
    unit = data.draw(st.sampled_from(list(kind.units)))
    number = data.draw(st.floats(1e-6, 1e6))
    base = units.parse(f"{number!r} {unit}", kind.name)
    # two roundings, one each way
    assert units.to_unit(base, unit, kind.name) == pytest.approx(number, rel=4e-16)


def test_twenty_five_feet_come_back_exactly():
    assert units.to_unit(units.parse("25 ft", "length"), "ft", "length") == 25.0


def test_a_column_has_one_unit_chosen_by_its_largest_value():
    assert units.display_unit("flow", [0.02, 0.5]) == "m³/s"
    assert units.display_unit("flow", [0.02, 0.05]) == "L/s"
    assert units.display_unit("flow", [0.02, 0.5], "US") == "cfs"
    assert units.display_unit("area", [84_000.0]) == "ha"


@pytest.mark.parametrize(
    ("value", "text"),
    [(0.2473, "0.2473"), (0.24729, "0.2473"), (41.268, "41.27"), (9.99996, "10.00"), (0.0999999, "0.1000"), (0.0, "0")],
)
def test_figures_are_significant_not_decimals(value, text):
    assert units.rounded(value) == text


def test_the_same_value_is_shown_in_either_system():
    assert units.show(2589988.110336, "area", "US") == "1.000 mi²"
    assert units.show(25.4, "rain", "US") == "1.000 in"
    assert units.show(1.0, "flow", "US") == "35.31 cfs"


def test_an_unknown_kind_is_refused():
    with pytest.raises(UnitError, match="no kind"):
        units.parse("1", "weight")


@pytest.mark.parametrize(("text", "value"), [("25,4", 25.4), ("25,4 mm", 25.4), ("0,125", 0.125), ("1,2500", 1.25)])
def test_a_comma_that_can_part_decimals_only_is_read_so(text, value):
    assert units.parse(text, "rain") == value


FOOT = Fraction(3048, 10_000)
ACRE = 43_560 * FOOT**2
SECOND_FOOT = FOOT**3

#: Every unit but the base by its definition, in the base unit of its kind.
DEFINED = {
    "length": {
        "km": 1000, "cm": Fraction(1, 100), "mm": Fraction(1, 1000), "ft": FOOT, "in": FOOT / 12, "yd": 3 * FOOT,
        "mi": 5280 * FOOT, "us-ft": Fraction(1200, 3937),
    },
    "area": {"ha": 10_000, "km²": 10**6, "ft²": FOOT**2, "ac": ACRE, "mi²": 640 * ACRE},
    "slope": {
        "%": Fraction(1, 100), "‰": Fraction(1, 1000), "m/km": Fraction(1, 1000), "ft/ft": 1,
        "ft/mi": Fraction(1, 5280),
    },
    "drainage density": {"km/km²": Fraction(1, 1000), "mi/mi²": 1 / (5280 * FOOT)},
    "rain rate": {"in/h": Fraction(254, 10), "mm/min": 60},
    "rate constant": {"1/min": 60, "1/s": 3600, "1/d": Fraction(1, 24)},
    "time": {"min": 60, "h": 3600, "d": 86_400},
    "flow": {"L/s": Fraction(1, 1000), "cfs": SECOND_FOOT},
    "flow per area": {
        "m³/s/km²": Fraction(1, 10**6), "L/s/ha": Fraction(1, 1000) / 10_000,
        "cfs/mi²": SECOND_FOOT / (640 * ACRE), "cfs/ac": SECOND_FOOT / ACRE,
    },
    "volume": {
        "L": Fraction(1, 1000), "thousand m³": 1000, "Mm³": 10**6, "ft³": SECOND_FOOT, "ac-ft": ACRE * FOOT,
        "thousand ac-ft": 1000 * ACRE * FOOT,
    },
    # a pound of force by standard gravity
    "shear": {"lb/ft²": Fraction(45359237, 10**8) * Fraction(980665, 10**5) / FOOT**2},
    "speed": {"km/h": Fraction(1000, 3600), "ft/s": FOOT},
    "weir coefficient": {"ft^½/s": Fraction(math.sqrt(0.3048))},
    "share": {"%": Fraction(1, 100)},
    "return period": dict.fromkeys(("year", "yr", "a", "y"), 1),
}  # fmt: skip
DEFINED["height"] = DEFINED["length"]
DEFINED["rain"] = {unit: 1000 * factor for unit, factor in {"m": 1, **DEFINED["length"]}.items() if unit != "mm"}


def test_every_unit_is_worth_what_it_is_defined_to_be():
    for kind in units.KINDS.values():
        defined = {kind.base: 1, **DEFINED.get(kind.name, {})}
        assert set(kind.units) == set(defined), kind.name
        for unit, factor in defined.items():
            # rounding of one division in double precision
            assert kind.units[unit] == pytest.approx(float(factor), rel=1e-15), (kind.name, unit)
