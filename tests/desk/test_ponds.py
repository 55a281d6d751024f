"""Ponds in the window: put into a link with one key, made of parts, typed, pasted, closed in one condition, undone."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QPlainTextEdit, QPushButton

from tarnwater.desk.ledger.table_dialog import TableDialog
from tarnwater.desk.widgets.finder import Finder
from tarnwater.network.elements import Pond
from tarnwater.routing.ponds import Contours, Frustum, Prism
from tarnwater.routing.works import BroadWeir, RoundOrifice, RoundRiser
from tarnwater.study import edits
from tarnwater.study.document.conditions import resolve

from .conftest import CTRL, RUNOFF, Hand

YARD = "coldgarth-yard"


@pytest.fixture
def at_yard(hand):
    """A person at the yard of the demo, with a pond put below it by its key."""
    hand.find("coldgarth yard")
    hand.settle()
    hand.key(Qt.Key.Key_B, CTRL, on=hand.window)
    hand.settle()
    return hand


def add(hand, button, words):
    """Press a button of the ledger and choose one of what it offers by letters."""
    hand.click(hand.named(button, QPushButton))
    finder = hand.dialog(Finder)
    hand.write(words, on=finder.line)
    hand.key(Qt.Key.Key_Return, on=finder.line)
    hand.settle()


def pond(hand, key="pond-1"):
    return hand.desk.elements[key]


def choose(hand, name, words):
    """Walk the choice of a name by arrows until the words stand there; the ledger makes it anew on the way."""
    box = hand.named(name, QComboBox)
    place = box.findText(words)
    assert place >= 0, [box.itemText(n) for n in range(box.count())]
    box.setFocus()
    for _ in range(abs(place - box.currentIndex())):
        hand.key(Qt.Key.Key_Down if place > box.currentIndex() else Qt.Key.Key_Up, on=box)
        hand.settle()
        box = hand.named(name, QComboBox)
    assert box.currentText() == words


def test_a_pond_is_put_below_an_element_with_one_key_and_passes_its_inflow_on(at_yard):
    desk = at_yard.desk
    assert desk.selection == "pond-1"
    assert {link.down for link in desk.study.links.values() if link.up == YARD} == {"pond-1"}
    case = desk.case_showing("pond-1")
    assert case.peak("pond-1").ordinate == case.peak(YARD).ordinate
    assert any(f.code == "pond-passes" for f in desk.findings)
    at_yard.key(Qt.Key.Key_Z, CTRL, on=at_yard.window)
    at_yard.settle()
    assert "pond-1" not in desk.study.elements


def test_storage_and_devices_are_added_by_name_and_the_pond_holds_water_back(at_yard):
    add(at_yard, "Add storage … storage", "frustum")
    add(at_yard, "Add device … devices", "round riser")
    add(at_yard, "Add device … devices", "round orifice")
    made = pond(at_yard)
    assert isinstance(made.storage[0], Frustum)
    assert [type(one) for one in made.devices] == [RoundRiser, RoundOrifice]
    # a riser comes with its outlet pipe, so that it is no stop
    assert made.missing() == []
    case = at_yard.desk.case_showing("pond-1")
    assert case.peak("pond-1").ordinate < case.peak(YARD).ordinate
    sheet = at_yard.window.bench.pond_sheet
    assert sheet.isVisible()
    row = [sheet.model().index(0, column).data() for column in range(sheet.model().columnCount())]
    assert any("riser, orifice" in str(cell) for cell in row)
    assert at_yard.window.bench.unit.plot.title.startswith("rating")
    assert [curve.label for curve in at_yard.window.bench.unit.plot.curves] == ["outflow", "riser", "orifice"]


def test_a_device_is_put_into_a_riser_by_choosing_it(at_yard):
    add(at_yard, "Add storage … storage", "frustum")
    add(at_yard, "Add device … devices", "round riser")
    add(at_yard, "Add device … devices", "round orifice")
    choose(at_yard, "inside the riser of Pond 1", "riser")
    assert pond(at_yard).devices[1].inside == "riser"
    assert [one.name for one in pond(at_yard).outlets.outer] == ["riser"]


def test_sizes_are_typed_with_units_and_undone(at_yard):
    add(at_yard, "Add storage … storage", "prism")
    add(at_yard, "Add device … devices", "round orifice")
    at_yard.fill(at_yard.named("diameter of Pond 1"), "250 mm")
    at_yard.settle()
    assert pond(at_yard).devices[0].diameter == 0.25
    before = at_yard.desk.study.as_text()
    at_yard.fill(at_yard.named("plan area of Pond 1"), "0.2 ha")
    at_yard.settle()
    assert pond(at_yard).storage[0].plan_area == 2000.0
    at_yard.key(Qt.Key.Key_Z, CTRL, on=at_yard.window)
    at_yard.settle()
    assert at_yard.desk.study.as_text() == before
    # a size beyond its limits is refused beside its field, and nothing changes
    at_yard.fill(at_yard.named("diameter of Pond 1"), "0")
    assert "diameter" in at_yard.window.ledger._message.text()
    assert at_yard.desk.study.as_text() == before


def test_a_form_changed_for_another_keeps_what_both_have(at_yard):
    add(at_yard, "Add device … devices", "round orifice")
    at_yard.fill(at_yard.named("bottom of Pond 1"), "1.2 m")
    choose(at_yard, "form of Pond 1", "rectangular orifice")
    made = pond(at_yard).devices[0]
    assert (made.method, made.bottom, made.name) == ("rectangular-orifice", 1.2, "orifice")


def test_a_table_of_levels_is_pasted_told_of_its_faults_and_kept(at_yard):
    desk = at_yard.desk
    contours = Contours(levels=(10.0, 11.0), areas=(500.0, 900.0))
    desk.do(edits.add_part, "pond-1", "storage", contours)
    add(at_yard, "Add device … devices", "round orifice")
    at_yard.click(at_yard.named("table of levels, areas of Pond 1", QPushButton))
    dialog = at_yard.dialog(TableDialog)
    rows = dialog.findChild(QPlainTextEdit)
    assert rows.toPlainText().split() == ["10", "500", "11", "900"]
    at_yard.key(Qt.Key.Key_A, CTRL, on=rows)
    QApplication.clipboard().setText("level\tarea\n10\t500\n9\t700\n12\tx\n")
    at_yard.key(Qt.Key.Key_V, CTRL, on=rows)
    assert "line 4" in dialog.told.text()
    assert not dialog.take.isEnabled()
    at_yard.key(Qt.Key.Key_A, CTRL, on=rows)
    QApplication.clipboard().setText("10\t500\n9\t700")
    at_yard.key(Qt.Key.Key_V, CTRL, on=rows)
    assert "rising levels" in dialog.told.text()
    at_yard.key(Qt.Key.Key_A, CTRL, on=rows)
    QApplication.clipboard().setText("10\t500\n11\t0.08 ha\n12\t1200")
    at_yard.key(Qt.Key.Key_V, CTRL, on=rows)
    at_yard.click(dialog.take)
    at_yard.settle()
    assert pond(at_yard).storage[0].areas == (500.0, 800.0, 1200.0)
    assert at_yard.desk.file.history.past[-1].label.startswith("type the table of Pond 1")


def test_a_long_table_is_thinned_within_an_error_that_is_told(at_yard):
    desk = at_yard.desk
    desk.do(edits.add_part, "pond-1", "storage", Contours(levels=(10.0, 11.0), areas=(500.0, 900.0)))
    at_yard.settle()
    at_yard.click(at_yard.named("table of levels, areas of Pond 1", QPushButton))
    dialog = at_yard.dialog(TableDialog)
    rows = dialog.findChild(QPlainTextEdit)
    at_yard.key(Qt.Key.Key_A, CTRL, on=rows)
    QApplication.clipboard().setText("\n".join(f"{10 + n / 50}\t{500 + n**1.5}" for n in range(101)))
    at_yard.key(Qt.Key.Key_V, CTRL, on=rows)
    assert dialog.told.text() == "101 rows"
    at_yard.write("1 %", on=dialog.within)
    at_yard.click(dialog.thin)
    assert "of 101 rows kept; the others lie within" in dialog.told.text()
    at_yard.click(dialog.take)
    at_yard.settle()
    (part,) = pond(at_yard).storage
    assert 3 <= len(part.levels) < 15
    assert (part.levels[0], part.levels[-1], part.areas[-1]) == (10.0, 12.0, 1500.0)


def test_a_device_is_closed_in_one_condition_only(at_yard):
    desk = at_yard.desk
    desk.do(edits.add_part, "pond-1", "storage", Prism(depth=3.0, plan_area=900.0))
    desk.do(edits.add_part, "pond-1", "devices", BroadWeir(name="spillway", crest=0.5))
    at_yard.settle()
    at_yard.key(Qt.Key.Key_F6, on=at_yard.window)
    choose(at_yard, "state of Pond 1", "closed")
    here = desk.condition
    assert resolve(desk.study, here).elements["pond-1"].devices[0].closed
    assert not desk.study.elements["pond-1"].devices[0].closed


def test_parts_are_removed_by_their_buttons(at_yard):
    add(at_yard, "Add storage … storage", "prism")
    add(at_yard, "Add device … devices", "pump")
    at_yard.click(at_yard.named("Remove this device devices/0", QPushButton))
    at_yard.settle()
    assert pond(at_yard).devices == ()
    assert at_yard.desk.file.history.past[-1].label == "remove pump of Pond 1"


def test_a_pond_shows_us_units_and_nothing_is_cut(qtbot, open_window, demo):
    study = edits.lead_through(edits.set_study(demo[0], "units", "US"), YARD, Pond(name="Pond 1"))
    study = edits.add_part(study, "pond-1", "storage", Frustum(name="pit"))
    study = edits.add_part(study, "pond-1", "devices", BroadWeir(name="spillway", crest=1.2))
    window = open_window(study, demo[1], bench=RUNOFF)
    hand = Hand(qtbot, window)
    hand.find("pond 1")
    hand.settle()
    field = hand.named("coefficient of Pond 1")
    # 1.70 m^½/s in ft^½/s
    assert float(field.text()) == pytest.approx(1.70 / 0.3048**0.5, rel=1e-3)
    from .test_looks import lasting_faults

    assert lasting_faults(window) == []


def test_hydrographs_are_written_as_netcdf(hand, tmp_path):
    import xarray

    hand.answer_file(tmp_path / "flows.nc")
    hand.find("write hydrographs as netcdf")
    hand.bot.waitUntil((tmp_path / "flows.nc").exists, timeout=10_000)
    hand.settle()
    data = xarray.open_dataset(tmp_path / "flows.nc", engine="h5netcdf")
    case = hand.desk.case_showing("hask")
    assert float(data.peak.sel(element="Hask").max()) >= case.peak("hask").ordinate
