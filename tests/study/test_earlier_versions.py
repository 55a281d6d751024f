"""Whole study files as an earlier version wrote them: opened unchanged, with the same answers, and edited on."""

import csv
import shutil
from pathlib import Path

import pyogrio
import pytest

from tarnwater.brief.tables import write_tables
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.checks import check
from tarnwater.study.file import StudyFile
from tarnwater.study.file.store import read_study

DATA = Path(__file__).parent.parent / "data"

FORMS = ("version-2.tarn.gpkg", "version-2.tarn.json")

#: Sums in another order round otherwise; nothing else may differ.
SAME = 1e-12


@pytest.fixture
def earlier(tmp_path):
    return shutil.copy(DATA / "version-2.tarn.gpkg", tmp_path / "earlier.tarn.gpkg")


@pytest.mark.parametrize("form", FORMS)
def test_its_answers_are_those_that_it_gave(form, tmp_path):
    study, _ = read_study(DATA / form)
    write_tables(compute_cases(study), tmp_path)
    then, now = rows_of(DATA / "version-2-peaks.csv"), rows_of(tmp_path / "peaks.csv")
    assert len(then) == len(now) == 16
    for before, after in zip(then, now, strict=True):
        for column, value in before.items():
            assert after[column] == (pytest.approx(value, rel=SAME) if isinstance(value, float) else value), column


def rows_of(path):
    """Rows of a table with numbers for what reads as one."""
    with path.open(encoding="utf-8") as file:
        return [{column: number_or_text(cell) for column, cell in row.items()} for row in csv.DictReader(file)]


def number_or_text(cell):
    try:
        return float(cell)
    except ValueError:
        return cell


@pytest.mark.parametrize("form", FORMS)
def test_reading_leaves_it_as_it_is(form, tmp_path):
    path = shutil.copy(DATA / form, tmp_path / form)
    before = path.read_bytes()
    study, _ = read_study(path)
    assert path.read_bytes() == before
    assert study.accepted[0].reason == "the divide was walked"
    lag = study.elements["yard"].surfaces[0].loss.curve_number.typed
    assert (lag.value, lag.by, lag.note) == (92, "A. Person", "paved")
    assert "cut-by-edge" in {finding.code for finding in check(study)}


def test_its_acts_are_undone_and_every_earlier_state_comes_back(earlier):
    with StudyFile.open(earlier) as file:
        assert file.said_of_older == ()
        assert file.layers_changed_outside == ()
        numbers = [number for number, _, _ in file.acts()]
        assert "yard" not in file.study_after(0).elements
        assert all(file.study_after(number) for number in numbers)
        while file.history.past:
            file.history.undo()
        assert file.study.elements["upper"].lag.value is None
        while file.history.future:
            file.history.redo()
        assert file.study.elements["upper"].baseflow.flow == 0.4
        file.history.restore("as measured")
        assert file.study.elements["upper"].baseflow.tag() == "none"


def test_its_first_edit_adds_the_layer_of_links(earlier):
    assert "flow_links" not in {name for name, _ in pyogrio.list_layers(earlier)}
    with StudyFile.open(earlier) as file:
        file.history.do(edits.rename_element, "upper", "Upper Beck")
        assert file.kept_state("pins") == [["lower-outlet", None]]
    meta, _, _, fields = pyogrio.raw.read(earlier, layer="flow_links")
    rows = dict(zip(meta["fields"], fields, strict=True))
    assert dict(zip(rows["key"], zip(rows["up"], rows["down"], strict=True), strict=True)) == {
        "upper-runoff": ("upper", "upper-outlet"),
        "upper-reach-in": ("upper-outlet", "upper-reach"),
        "upper-reach-out": ("upper-reach", "lower-outlet"),
        "lower-runoff": ("lower", "lower-outlet"),
    }
    assert rows["name"][list(rows["key"]).index("upper-runoff")] == "Upper Beck → Upper Beck outlet"
    with StudyFile.open(earlier) as file:
        assert file.layers_changed_outside == ()
        file.history.do(edits.disconnect, "lower-runoff")
    assert pyogrio.read_info(earlier, layer="flow_links")["features"] == 3
