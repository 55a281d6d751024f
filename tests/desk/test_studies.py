"""Studies as files: new, recent, kept elsewhere, opened twice, moved, on a full disk; named points."""

import os
import shutil

import pytest
from PyQt6.QtCore import Qt

from tarnwater.desk import opening
from tarnwater.desk.dialogs.named_points import NamedPoints
from tarnwater.desk.preferences import Preferences, lock_study
from tarnwater.errors import StudyFileError
from tarnwater.study.file import StudyFile
from tarnwater.study.file.store import read_study

from .conftest import CTRL, SHIFT, Hand


@pytest.fixture
def opened(qtbot):
    """Close every window that opening made."""
    yield opening.WINDOWS
    for window in list(opening.WINDOWS):
        window.close()
    qtbot.wait(20)


def test_the_first_start_opens_a_copy_of_the_demo(qtbot, opened):
    from tarnwater.desk.shell import application

    application()
    path = opening.demo_copy()
    window = opening.window_on(path)
    Hand(qtbot, window).settle()
    assert window.windowTitle() == "Pellow Beck (demo) – Tarnwater"
    assert path == opening.demo_copy()
    assert Preferences().recent == [path.resolve()]
    window.close()
    qtbot.wait(20)


def test_the_window_remembers_bench_look_and_place(qtbot, opened, demo, tmp_path):
    path = tmp_path / "a.tarn.gpkg"
    StudyFile.create(path, *demo).close()
    hand = Hand(qtbot, opening.window_on(path))
    hand.settle()
    hand.bench(4)
    hand.key(Qt.Key.Key_F9, on=hand.window)
    hand.window.close()
    qtbot.wait(20)
    again = opening.window_on(path)
    assert again.bench_title == "Cases"
    assert again.theme.name == "dark"


def test_a_new_study_is_made_in_a_file_of_its_own(qtbot, opened, hand, tmp_path):
    path = tmp_path / "bridge-two"
    hand.answer_file(path)
    hand.key(Qt.Key.Key_N, CTRL, on=hand.window)
    qtbot.waitUntil(lambda: bool(opened), timeout=5_000)
    assert opened[-1].desk.study.title == "Bridge two"
    assert (tmp_path / "bridge-two.tarn.gpkg").exists()
    assert not hand.window.isVisible()


def test_a_study_opened_twice_is_refused(hand, opened, demo, tmp_path):
    path = tmp_path / "twice.tarn.gpkg"
    StudyFile.create(path, *demo).close()
    lock = lock_study(path)
    hand.window.acts.studies.open_path(path)
    assert "open in another window already" in hand.window.message.text()
    assert hand.window.isVisible()
    with pytest.raises(StudyFileError, match="process"):
        lock_study(path)
    lock.unlock()
    lock_study(path).unlock()


def test_what_another_program_wrote_meanwhile_is_taken_in_and_said(hand):
    other = StudyFile.open(hand.desk.file.path)
    from tarnwater.study import edits

    other.history.do(edits.type_values, [("hill-field", "lag", 1300.0)])
    other.close()
    hand.find("mill fold")
    hand.fill(hand.named("lag of Mill Fold"), "20 min")
    hand.settle()
    assert "Another program changed the study" in hand.window.message.text()
    assert "type lag of Hill field" in hand.window.message.text()
    kept = read_study(hand.desk.file.path)[0].elements
    assert (kept["hill-field"].lag.value, kept["mill-fold"].lag.value) == (1300.0, 1200.0)
    assert hand.desk.study.elements == kept


def test_a_file_moved_while_open_is_noticed_and_nothing_is_lost(qtbot, opened, hand, tmp_path):
    path = hand.desk.file.path
    moved = tmp_path / "moved.tarn.gpkg"
    os.rename(path, moved)
    hand.find("hill field")
    hand.fill(hand.named("lag of Hill field"), "20")
    assert "was moved, removed or replaced" in hand.window.message.text()
    assert hand.named("lag of Hill field").text() == "20"
    shutil.move(moved, path)
    hand.fill(hand.named("lag of Hill field"), "21")
    hand.settle()
    assert read_study(path)[0].elements["hill-field"].lag.value == 1260.0


def test_a_study_whose_file_is_gone_is_kept_as_another(qtbot, opened, hand, tmp_path):
    os.unlink(hand.desk.file.path)
    hand.answer_file(tmp_path / "rescued.tarn.gpkg")
    hand.key(Qt.Key.Key_S, CTRL | SHIFT, on=hand.window)
    qtbot.waitUntil(lambda: bool(opened), timeout=5_000)
    assert read_study(tmp_path / "rescued.tarn.gpkg")[0].as_text() == hand.desk.study.as_text()


def test_a_full_disk_while_editing_is_told_and_the_edit_not_made(hand, monkeypatch):
    connection = hand.desk.file._connection
    pages = connection.execute("PRAGMA page_count").fetchone()[0]
    connection.execute(f"PRAGMA max_page_count = {pages}")
    hand.find("hill field")
    before = hand.desk.study
    for minutes in range(20, 60):
        hand.fill(hand.named("lag of Hill field"), f"{minutes}.5")
        if hand.window.message.text():
            break
        before = hand.desk.study
    assert "the disk is full" in hand.window.message.text()
    assert hand.desk.study is before
    assert hand.named("lag of Hill field").text() == f"{minutes}.5"
    connection.execute("PRAGMA max_page_count = 1000000")
    hand.fill(hand.named("lag of Hill field"), "66")
    hand.settle()
    assert hand.desk.study.elements["hill-field"].lag.value == 3960.0
    assert hand.desk.results.study is hand.desk.study


def test_a_damaged_file_is_refused_and_the_window_stays(hand, tmp_path):
    path = tmp_path / "bad.tarn.gpkg"
    path.write_bytes(b"SQLite format 3\x00" + b"x" * 500)
    hand.window.acts.studies.open_path(path)
    assert "damaged" in hand.window.message.text()
    lock_study(path).unlock()


def points_dialog(hand):
    hand.key(Qt.Key.Key_S, CTRL, on=hand.window)
    return hand.dialog(NamedPoints)


def test_ctrl_s_keeps_a_named_point_and_two_are_compared_and_one_restored(hand):
    asked = points_dialog(hand)
    hand.write("as surveyed", on=asked.name)
    hand.write("before the visit", on=asked.comment)
    hand.key(Qt.Key.Key_Return, on=asked.comment)
    hand.bot.wait(10)
    assert hand.desk.file.history.points["as surveyed"].comment == "before the visit"
    hand.back()
    hand.find("hill field")
    hand.fill(hand.named("lag of Hill field"), "20")
    hand.settle()
    asked = points_dialog(hand)
    told = [asked.differences.item(i).text() for i in range(asked.differences.count())]
    assert any(t.startswith("Hill field, lag") and "900" in t and "1200" in t for t in told)
    hand.click(asked.restore)
    hand.settle()
    assert hand.desk.study.elements["hill-field"].lag.value == 900.0
    assert hand.desk.file.history.past[-1].label == "restore “as surveyed”"


def test_a_point_needs_a_name_and_is_not_overwritten(hand):
    asked = points_dialog(hand)
    hand.click(asked.keep)
    assert "needs a name" in asked.told.text()
    hand.write("one", on=asked.name)
    hand.key(Qt.Key.Key_Return, on=asked.name)
    hand.bot.wait(10)
    hand.back()
    asked = points_dialog(hand)
    hand.write("one", on=asked.name)
    hand.click(asked.keep)
    assert "not overwritten" in asked.told.text()


def test_title_and_author_are_changed(hand):
    from tarnwater.desk.dialogs.study_details import StudyDetails

    hand.find("title, number")
    asked = hand.dialog(StudyDetails)
    field = asked.fields["checker"]
    field.setFocus()
    hand.write("R. Hollin", on=field)
    hand.key(Qt.Key.Key_Return, on=field)
    hand.bot.wait(10)
    assert hand.desk.study.checker == "R. Hollin"
