"""The table of a pond: levels, volumes, freeboard, devices and drain times of every case."""

import csv
from dataclasses import replace

import numpy as np
import pytest
from tests.study.test_sizing import bare, pond_of, yard

from tarnwater.brief.tables import POND_COLUMNS, write_tables
from tarnwater.network.elements import Pond
from tarnwater.routing.ponds import FixedTailwater
from tarnwater.routing.works import Outlets, RoundOrifice, RoundPipe, RoundRiser
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.answers.pond_table import highest_of, pond_rows


@pytest.fixture(scope="module")
def results():
    study = edits.type_values(yard(), [("pond", "freeboard", 1.4)])
    return compute_cases(study)


def test_every_case_has_a_row_whose_figures_are_those_of_the_case(results):
    rows = pond_rows(results, "pond")
    assert [row.case for row in rows] == list(results.cases)
    pond = results.study.elements["pond"]
    for row in rows:
        assert row.top == row.case.pool("pond").top
        # the storage is exact at the entries of the rating, between which it is linear in the level
        assert row.stored == pytest.approx(pond.stored_at(row.top), rel=1e-5)
        assert row.share == pytest.approx(row.stored / pond.stored_at(2.0), rel=1e-12)
        assert row.freeboard == 2.0 - row.top
        assert row.keeps_freeboard == (row.top <= 0.6)
        assert row.inflow == row.case.flow("yard").max()
        assert row.outflow == row.case.peak("pond").ordinate
    assert {row.keeps_freeboard for row in rows} == {True, False}


def test_the_flows_of_the_devices_add_up_to_the_outflow_at_the_highest_level(results):
    for row in pond_rows(results, "pond"):
        assert set(row.by_device) == {"opening", "spillway"}
        # the outflow of an uncontrolled pond is greatest at its highest level; its peak is that of a step
        assert sum(row.by_device.values()) == pytest.approx(row.outflow, rel=2e-3)


def test_the_drain_time_is_that_of_the_rating_and_endless_where_a_sill_keeps_water(results):
    row = max(pond_rows(results, "pond"), key=lambda row: row.top)
    rating = results.study.elements["pond"].rating()
    low = np.interp(0.01 * rating.storages[-1], rating.storages, rating.levels)
    assert row.drain_time == rating.drawdown(row.top, float(low))
    sill = edits.type_values(results.study, [("pond", "devices/0/bottom", 0.4)])
    assert all(row.drain_time == np.inf for row in pond_rows(compute_cases(sill), "pond"))


def test_the_governing_rows_are_the_highest_of_each_event(results):
    rows, highest = pond_rows(results, "pond"), highest_of(pond_rows(results, "pond"))
    assert [row.case.case.event for row in highest] == [2.0, 10.0]
    for one in highest:
        assert one.top == max(row.top for row in rows if row.case.case.event == one.case.case.event)
    beside = [replace(row, case=replace(row.case, standing="beside")) for row in rows]
    assert highest_of(beside) == []


def test_overflow_is_told_and_keeps_no_freeboard():
    rows = pond_rows(compute_cases(yard(depth=0.3, spillway=False, diameter=0.1)), "pond")
    over = [row for row in rows if row.spilled > 0]
    assert over
    assert not any(row.keeps_freeboard for row in over)
    assert all(row.share == pytest.approx(1.0) for row in over)


def test_devices_behind_a_tailwater_are_told_with_it():
    study = edits.lead_through(bare(), "yard", pond_of(spillway=False))
    pipe = RoundRiser(name="riser", crest=0.5, outlet=RoundPipe(outlet=-0.2))
    inner = RoundOrifice(name="low", inside="riser", diameter=0.2)
    study = edits.choose(study, "pond", "devices", (pipe, inner))
    study = edits.choose(study, "pond", "tailwater", FixedTailwater(level=0.1))
    row = max(pond_rows(compute_cases(study), "pond"), key=lambda row: row.top)
    (flow,) = Outlets((pipe, inner)).flows(np.array([row.top]), np.array([0.1]))
    assert row.by_device == {"riser": pytest.approx(float(flow[0]), rel=1e-9)}
    assert row.by_device["riser"] == pytest.approx(row.outflow, rel=2e-3)


def test_a_pond_that_passes_its_inflow_on_has_no_rows():
    study = edits.lead_through(bare(), "yard", Pond(name="Pond"))
    assert pond_rows(compute_cases(study), "pond") == []


def test_the_table_is_written_where_there_is_a_pond(results, tmp_path):
    write_tables(results, tmp_path)
    head, *rows = list(csv.reader((tmp_path / "ponds.csv").read_text().splitlines()))
    assert head == list(POND_COLUMNS)
    assert len(rows) == len(results.cases)
    found = dict(zip(head, rows[0], strict=True))
    assert float(found["highest_level_m"]) == results.cases[0].pool("pond").top
    assert found["by_device_m3_per_s"].startswith("opening: ")
    write_tables(compute_cases(bare()), tmp_path / "without")
    assert (tmp_path / "without" / "peaks.csv").exists()
    assert not (tmp_path / "without" / "ponds.csv").exists()
