"""Rain pasted as columns."""

import pytest

from tarnwater.errors import TableError, UnitError
from tarnwater.formats.columns import columns_of_event, columns_of_numbers, columns_of_rain


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


def test_a_fault_of_a_table_has_the_line_as_it_was_pasted():
    columns = [("level", "height", "m"), ("flow", "flow", "m³/s")]
    assert columns_of_numbers("level\tflow\n\n1,5\t2\n", columns) == [[1.5], [2.0]]
    with pytest.raises(TableError) as caught:
        columns_of_numbers("level\tflow\n\n1\tx\n\n2\n", columns)
    first, second = caught.value.rows
    assert first.startswith("line 3, flow:")
    assert second == "line 5: 1 columns, 2 are needed"


def test_an_event_has_a_flow_before_its_rain_and_flows_after_it():
    rain, flow = columns_of_event("rain\tflow\n0\t0.3\n8\t1\n14\t3\n\t2\n\t0.5\n", "mm", "m³/s")
    assert rain == [8.0, 14.0, 0.0, 0.0]
    assert flow == [0.3, 1.0, 3.0, 2.0, 0.5]
    assert columns_of_event("0;35\n1;70", "in", "cfs")[0] == pytest.approx([25.4])


def test_rain_in_the_first_line_of_an_event_is_refused():
    with pytest.raises(TableError, match="before the event"):
        columns_of_event("1\t0.3\n8\t1", "mm", "m³/s")
