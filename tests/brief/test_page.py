"""Pages that are printed: what stands over them, tables that fit, inputs that say of what they are."""

import pytest

from tarnwater.brief.elements import element_rows, passing_by_element
from tarnwater.brief.page import COLUMNS, as_columns, heads_of, inputs_of, print_lines
from tarnwater.errors import StorageError
from tarnwater.units import show_duration

BRIDGE = "pellowford-outlet"


def test_every_page_names_study_condition_storm_point_units_and_step(demo_results):
    assert len(heads_of(demo_results.study, None)) == 2
    heads = heads_of(demo_results.study, demo_results.answer("existing", BRIDGE, 100.0).result)
    assert heads[0].startswith("Pellow Beck (demo)")
    assert heads[1] == "Existing · Valley storms, 1 in 100 · 12 h · for Pellowford bridge"
    assert heads[2] == "SI · step 2 min"


def test_a_wide_table_goes_on_below_with_its_first_column(demo_results):
    rows = element_rows(demo_results, BRIDGE)
    lines = as_columns(rows)
    assert max(map(len, lines)) <= COLUMNS
    # every cell stands on the page, whole
    assert all(any(cell in line for line in lines) for row in rows for cell in row)
    assert sum(line.startswith("Hask ") and "outlet" not in line.split("  ")[0] for line in lines) > 1


def test_the_figures_of_all_elements_are_those_of_the_governing_cases(demo_results):
    heads, table = passing_by_element(demo_results, BRIDGE)
    for (condition, period), passing in zip(heads, table["hask"], strict=True):
        peak = demo_results.governing(condition, BRIDGE, period).peak("hask")
        told = passing.peak, passing.when, passing.made_for
        assert told == (peak.ordinate, show_duration(round(peak.time)), BRIDGE)
    # the ditch is left out where the yard is surfaced
    assert table["old-ditch"][heads.index(("yard-surfaced", 100.0))] is None


def test_inputs_say_of_which_surface_they_are_and_where_they_come_from(demo_study):
    lines = inputs_of(demo_study, demo_study.elements["hask"])
    assert "surface 1 share of the catchment w 100.0 % (derived)" in lines
    assert any(line.startswith("lag time tL ") and line.endswith("(derived)") for line in lines)


def test_a_page_that_cannot_be_written_is_told(tmp_path):
    with pytest.raises(StorageError, match="cannot be written"):
        print_lines(tmp_path / "none" / "page.pdf", ["a study"], ["a line"])
