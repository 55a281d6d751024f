"""A person's own formula: read, evaluated, and refused where it is none."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarnwater.errors import BadInput, OutOfRange
from tarnwater.formula import Formula

NAMES = ("L", "S", "CN")


def value(text, **values):
    return Formula(text, NAMES).evaluate({"L": 2.0, "S": 0.04, "CN": 75.0} | values)


def test_numbers_names_brackets_powers_and_functions():
    assert value("0.0195 * (1000*L)^0.77 / S^0.385") == pytest.approx(0.0195 * 2000**0.77 / 0.04**0.385)
    assert value("-L + 3") == 1.0
    assert value("2^3^2") == 512.0
    assert value("min(L, CN, 1) + max(1, 2)") == 3.0
    assert value("sqrt(4) + ln(exp(1)) + log10(100) + abs(-1)") == pytest.approx(6.0)
    assert Formula("S + L * S", NAMES).used == ["L", "S"]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "1 to 500 letters"),
        ("L" * 501, "1 to 500 letters"),
        ("L +", "cannot be read"),
        ("__import__('os').system('true')", "is no part"),
        ("L.real", "is no part"),
        ("L if L else 1", "is no part"),
        ("[L]", "is no part"),
        ("lambda: 1", "is no part"),
        ("'text'", "is no part"),
        ("True", "is no part"),
        ("L % 2", "is no part"),
        ("sqrt(L, 2)", "is no part"),
        ("max(L)", "is no part"),
        ("min()", "is no part"),
        ("Q + 1", "has no “Q”"),
        ("(" * 60 + "L" + ")" * 60 + "+" + "-" * 60 + "L", "too many brackets"),
    ],
)
def test_what_is_no_formula_or_reaches_outside_its_names_is_refused(text, words):
    with pytest.raises(BadInput) as caught:
        Formula(text, NAMES)
    assert words in str(caught.value)


@pytest.mark.parametrize(
    ("text", "words"),
    [("1 / (L - 2)", "divides by zero for L = 2"), ("ln(L - 3)", "has no value"), ("10^400", "has no value"),
     ("9^9^9^9", "has no value"), ("1/0", "divides by zero"), ("(0-L)^0.5", "has no value")],
)  # fmt: skip
def test_a_formula_that_divides_by_zero_or_has_no_value_says_so(text, words):
    with pytest.raises(OutOfRange, match=words.replace("(", r"\(")):
        value(text)


@given(st.floats(-1e6, 1e6), st.floats(0.1, 1e6))
def test_it_gives_what_python_gives(a, b):
    found = value("(L - S) * 3 / S + sqrt(S)", L=a, S=b)
    assert found == pytest.approx((a - b) * 3 / b + math.sqrt(b), rel=1e-12, abs=1e-9)
