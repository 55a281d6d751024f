"""Patterns as columns, and patterns cut from a record."""

import numpy as np
import pytest

from tarnwater.demo.study import data_path
from tarnwater.errors import OutOfRange, TableError
from tarnwater.formats.patterns import curves_from_rows, read_patterns
from tarnwater.rain.records import Record
from tarnwater.rain.records.patterns import deepest_patterns

HOUR = 3600


def test_percent_or_parts_with_or_without_names():
    (one,) = curves_from_rows([["time", "late"], ["0", "0"], ["50", "20"], ["100", "100"]])
    assert (one.name, one.times, one.shares) == ("late", (0, 0.5, 1), (0, 0.2, 1))
    (two,) = curves_from_rows([["0", "0"], ["0,5", "0,2"], ["1,0", "1,0"]])
    assert (two.name, two.shares) == ("pattern 1", (0, 0.2, 1))


def test_increments_are_added_up():
    (one,) = curves_from_rows([["25", "10"], ["50", "40"], ["75", "30"], ["100", "20"]])
    assert one.times == (0, 0.25, 0.5, 0.75, 1)
    assert one.shares == pytest.approx((0, 0.1, 0.5, 0.8, 1))


@pytest.mark.parametrize(
    ("rows", "what"),
    [
        ([["0", "0"]], "at least two rows"),
        ([["0"], ["50"], ["100"]], "one column"),
        ([["0", "0"], ["50", "x"], ["100", "100"]], "1 rows cannot be read"),
        ([["0", "0"], ["50", "20"], ["70", "100"]], "the times end at 70"),
        ([["0", "0"], ["50", "20"], ["100", "90"]], "the shares of “pattern 1” end at 90"),
        ([["0", "0"], ["60", "20"], ["50", "50"], ["100", "100"]], "must rise"),
    ],
)
def test_columns_that_are_no_patterns_are_refused(rows, what):
    with pytest.raises(TableError, match=what):
        curves_from_rows(rows)


def test_the_patterns_of_the_demo_are_read():
    curves = read_patterns(data_path("patterns.csv"))
    assert len(curves) == 10
    assert curves[3].name == "spell 4"


def test_a_file_that_is_none_is_refused(tmp_path):
    with pytest.raises(TableError, match="no such file"):
        read_patterns(tmp_path / "none.csv")
    (tmp_path / "odd.csv").write_bytes(b"\xff\xfe\x00")
    with pytest.raises(TableError, match="no text"):
        read_patterns(tmp_path / "odd.csv")


def test_patterns_are_the_mass_curves_of_the_deepest_spells():
    values = np.zeros(2000)
    values[500:506] = [1, 2, 8, 4, 3, 2]
    values[1200:1206] = [9, 1, 1, 1, 1, 1]
    values[1201] = np.nan
    values[1500:1506] = [1, 1, 1, 1, 1, 5]
    first, second = deepest_patterns(Record.regular(0, HOUR, values), 6 * HOUR, 2)
    assert first.shares == pytest.approx(np.array([0, 1, 3, 11, 15, 18, 20]) / 20)
    # the spell with a gap is none
    assert second.shares == pytest.approx(np.array([0, 1, 2, 3, 4, 5, 10]) / 10)


def test_a_record_that_cannot_give_patterns_is_told():
    with pytest.raises(OutOfRange, match="fewer than two steps"):
        deepest_patterns(Record.regular(0, HOUR, np.ones(50)), HOUR, 2)
    with pytest.raises(OutOfRange, match="too few spells"):
        deepest_patterns(Record.regular(0, HOUR, np.zeros(500)), 6 * HOUR, 2)
