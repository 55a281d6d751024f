"""Rain pasted as columns."""

import pytest

from tarnwater.errors import TableError, UnitError
from tarnwater.formats.columns import columns_of_rain


def read(text, form="incremental", unit="mm", step=900.0):
    return columns_of_rain(text, form=form, unit=unit, step=step)


def test_one_column_is_for_all_catchments_with_missing_steps():
    assert read("2\n\n0,5\n--\n4\n") == {"": (2.0, None, 0.5, None, 4.0)}


def test_columns_under_names_are_of_catchments():
    assert read("Hask\tWimmer\n1\t2\n3\t\n") == {"Hask": (1.0, 3.0), "Wimmer": (2.0, None)}


def test_running_totals_rates_and_inches_are_depths_of_steps():
    assert read("0\n2\n5\n5", "cumulative") == {"": (2.0, 3.0, 0.0)}
    assert read("2\n5", "cumulative") == {"": (2.0, 3.0)}
    assert read("8\n4", "rate", "mm/h") == {"": (2.0, 1.0)}
    assert read("1", unit="in")[""] == pytest.approx((25.4,))


@pytest.mark.parametrize(
    ("text", "form", "what"),
    [
        ("1\nx\n-2\ninf", "incremental", "3 entries cannot be read"),
        ("1\t2\n3\t4", "incremental", "several columns"),
        ("Hask", "incremental", "no number"),
        ("3\n2", "cumulative", "cannot fall"),
    ],
)
def test_what_is_no_rain_is_refused(text, form, what):
    with pytest.raises(TableError, match=what):
        read(text, form)


def test_a_unit_of_another_kind_is_refused():
    with pytest.raises(UnitError):
        read("1", unit="m³/s")
