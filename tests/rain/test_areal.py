"""Typed curves of areal reduction: read between their entries, kept beyond them, and refused where they cannot be."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tarnwater.errors import TableError
from tarnwater.formats.areal_curves import areal_curve_from_text, areal_curve_to_text, read_areal_curve
from tarnwater.rain.areal import ArealCurve, ArealReduction
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.depths import DepthCurve

HOUR = 3600.0
TEXT = "# Regional study of 1998\narea, km2\t1 h\t24 h\n10\t0.90\t96 %\n1000 km2\t0.50\t0.80"
CURVE = areal_curve_from_text(TEXT)
ONE = ArealCurve(areas=(10e6, 100e6), factors=((0.9,), (0.7,)))


def test_a_curve_is_read_from_text_with_its_source_and_its_units():
    assert CURVE.areas == (10e6, 1000e6)
    assert CURVE.durations == (HOUR, 24 * HOUR)
    assert CURVE.factors == ((0.9, 0.96), (0.5, 0.8))
    assert CURVE.source == "Regional study of 1998"
    assert areal_curve_from_text("10;0,9\n100;0,7").factors == ((0.9,), (0.7,))
    miles = areal_curve_from_text("area\tshare\n10\t0.9", area_unit="mi2")
    assert miles.areas == pytest.approx((10 * 1609.344**2,))
    assert miles.durations == ()


@pytest.mark.parametrize("unit", ["km2", "mi2"])
@pytest.mark.parametrize("curve", [CURVE, ONE])
def test_a_curve_written_as_text_is_read_as_it_was(curve, unit):
    again = areal_curve_from_text(areal_curve_to_text(curve, unit))
    assert again.areas == pytest.approx(curve.areas, rel=1e-11)
    assert (again.factors, again.durations, again.source) == (curve.factors, curve.durations, curve.source)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "empty"),
        ("area\t1\t6\n10\t0.9\t0.95", "has no unit"),
        ("10\t0.9\n100", "1 columns, not 2"),
        ("10\tmuch\n20\t0.8", "entries cannot be read"),
        ("10\t0.9\n10\t0.8", "areas must rise"),
        ("10\t0.9\n20\t0.95", "must not rise with the area"),
        ("10\t1.2", "at most 1"),
        ("10\t0", "above 0"),
    ],
)
def test_a_faulty_curve_is_refused_with_its_line(text, words):
    with pytest.raises(TableError) as caught:
        areal_curve_from_text(text)
    assert words in f"{caught.value} {' '.join(caught.value.rows or [])}"


def test_a_curve_that_is_no_file_is_refused(tmp_path):
    with pytest.raises(TableError, match="no such file"):
        read_areal_curve(tmp_path / "none.csv")
    (tmp_path / "one.csv").write_text("10,0.9\n100,0.7\n")
    assert read_areal_curve(tmp_path / "one.csv").source == "one.csv"


def test_it_goes_through_its_entries_and_by_logarithms_between_them():
    assert CURVE.at(10e6, HOUR) == 0.9
    assert CURVE.at(1000e6, 24 * HOUR) == pytest.approx(0.8)
    # half way between 10 and 1000 km² by logarithms is 100 km²
    assert CURVE.at(100e6, HOUR) == pytest.approx(0.7)
    along = math.log(6) / math.log(24)
    assert CURVE.at(10e6, 6 * HOUR) == pytest.approx(0.9 + along * 0.06)
    # linear from no area, where nothing is reduced
    assert CURVE.at(5e6, HOUR) == pytest.approx(0.95)
    assert CURVE.at(0.0, HOUR) == 1.0
    # beyond its ends it keeps its last share, and says that it does not hold
    assert CURVE.at(5000e6, 72 * HOUR) == pytest.approx(0.8)
    assert CURVE.at(10e6, 0.5 * HOUR) == 0.9
    assert CURVE.holds(500e6, 6 * HOUR)
    assert not CURVE.holds(5000e6, 6 * HOUR)
    assert not CURVE.holds(500e6, 0.5 * HOUR)


@given(st.floats(0, 3000e6), st.floats(0.2 * HOUR, 60 * HOUR), st.sampled_from([CURVE, ONE]))
def test_what_it_is_read_from_gives_its_share(area, duration, curve):
    def worked_out(reading):
        values = [t.value if t.reading is None else worked_out(t.reading) for t in reading.terms]
        return reading.evaluate(*values)

    share = float(curve.at(area, duration))
    assert 0 < share <= 1
    assert worked_out(curve.reading(area, duration)) == pytest.approx(share, rel=1e-12)
    assert share >= float(curve.at(area * 1.1 + 1, duration)) - 1e-12


def test_a_reduction_by_a_typed_curve_acts_on_each_duration():
    reduction = ArealReduction(method="typed curve", curve=CURVE)
    assert reduction.reduces(0.5e6)  # its curve says what it holds, not the least area of the equation
    table = DepthTable(durations=(HOUR, 24 * HOUR), return_periods=(10.0,), depths=((20.0,), (60.0,)))
    depths = DepthCurve(table, 10.0, reduction, 100e6).depth(np.array([HOUR, 24 * HOUR]))
    assert depths == pytest.approx([20 * 0.7, 60 * 0.88])
    with pytest.raises(ValidationError, match="curve of the areal reduction is missing"):
        ArealReduction(method="typed curve")
    # kept at hand, not in use
    assert ArealReduction(method="none", curve=CURVE).factor(100e6, HOUR) == 1.0
