"""The parts under the window: threads, finder, actions, colours, opening."""

import threading

import pytest

from tarnwater.desk.actions import ACTIONS
from tarnwater.desk.aside import Aside
from tarnwater.desk.opening import demo_copy, open_file
from tarnwater.desk.shell import application
from tarnwater.desk.theme import DARK, LIGHT, style_sheet
from tarnwater.desk.widgets.finder import Entry, fitting
from tarnwater.errors import Cancelled, StudyFileError
from tarnwater.study import edits
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.file import StudyFile
from tarnwater.study.file.store import create_study


@pytest.fixture
def aside(qtbot):
    made = Aside()
    yield made
    made.cancel_all()


def test_an_answer_comes_back_on_the_thread_of_the_window(qtbot, aside):
    found = []
    aside.run(
        lambda progress: threading.get_ident(),
        lambda answer: found.append((answer, threading.get_ident())),
        found.append,
    )
    qtbot.waitUntil(lambda: bool(found))
    worker, here = found[0]
    assert here == threading.get_ident()
    assert worker != here


def test_what_is_left_behind_is_collected_on_the_thread_of_the_window(qtbot, aside):
    application()
    gone = []

    class Ring:
        def __init__(self):
            self.itself = self

        def __del__(self):
            gone.append(threading.current_thread())

    Ring()
    done = []
    # so many objects that Python would collect while they are made
    aside.run(lambda progress: [[number] for number in range(200_000)], done.append, done.append)
    qtbot.waitUntil(lambda: bool(done) and bool(gone), timeout=15_000)
    assert set(gone) == {threading.main_thread()}


def test_an_error_comes_back_to_its_own_callback(qtbot, aside):
    found = []

    def fail(progress):
        raise ValueError("no")

    aside.run(fail, lambda answer: found.append("done"), found.append)
    qtbot.waitUntil(lambda: bool(found))
    assert isinstance(found[0], ValueError)


def test_cancelled_work_answers_nothing(qtbot, aside):
    found, begun = [], threading.Event()

    def work(progress):
        begun.set()
        while True:
            progress.tell("working", 0.5)

    progress = aside.run(work, found.append, found.append)
    assert begun.wait(5)
    progress.cancel()
    aside.cancel_all()
    qtbot.wait(20)
    assert found == []


def test_work_that_ends_although_cancelled_is_not_shown(qtbot, aside):
    found, go = [], threading.Event()
    progress = aside.run(lambda p: go.wait(5), found.append, found.append)
    progress.cancel()
    go.set()
    aside.cancel_all()
    qtbot.wait(20)
    assert found == []
    with pytest.raises(Cancelled):
        progress.tell("too late", 1.0)


def test_progress_is_heard(qtbot, aside):
    told, go, done = threading.Event(), threading.Event(), []

    def work(progress):
        progress.tell("half", 0.5)
        told.set()
        go.wait(5)

    aside.run(work, done.append, done.append, "Halving")
    assert told.wait(5)
    (task,) = aside.tasks
    assert (task.title, task.progress.stage, task.progress.share) == ("Halving", "half", 0.5)
    # The clock goes on between two readings; half done means that as much is left as has gone by.
    before, left, after = task.elapsed, task.left, task.elapsed
    assert before <= left <= after
    go.set()
    qtbot.waitUntil(lambda: bool(done))
    assert aside.tasks == []


def entries(*words):
    return [Entry(w, "", lambda: None) for w in words]


def test_the_finder_takes_the_beginnings_of_words_in_any_order():
    some = entries("Add a catchment", "Mill Fold", "Fold the strip", "Wimmer")
    assert [e.words for e in fitting(some, "fold")] == ["Fold the strip", "Mill Fold"]
    assert [e.words for e in fitting(some, "cat add")] == ["Add a catchment"]
    assert fitting(some, "xyz") == []
    assert len(fitting(some, "")) == 4


def test_no_two_actions_have_one_key():
    keys = [a.key for a in ACTIONS if a.key]
    assert len(set(keys)) == len(keys)
    # digits and letters alone belong to the sheet
    assert all(len(key) > 1 for key in keys)


def test_undo_and_redo_are_named_by_their_act(qtbot, open_window, demo):
    window = open_window(*demo)
    undo = next(a for a in ACTIONS if a.key == "Ctrl+Z")
    assert undo.title(window.acts) == "Undo"
    assert not window.desk.undo()
    assert window.desk.do(edits.type_values, [("hask", "lag", "1 h")])
    assert undo.title(window.acts) == "Undo: type lag of Hask"
    assert undo.enabled(window.acts)


def luminance(colour):
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [p / 12.92 if p <= 0.03928 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(one, other):
    high, low = sorted((luminance(one), luminance(other)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=["light", "dark"])
@pytest.mark.parametrize(("role", "least"), [("ink", 7), ("quiet", 4.5), ("water", 4.5), ("limit", 4.5), ("rain", 4.5),
                                             ("observed", 4.5), ("loss", 3)])  # fmt: skip
def test_words_stand_out_from_the_paper(theme, role, least):
    # the contrast that web guidelines ask of text (4.5), of large text and of graphics (3)
    assert contrast(getattr(theme, role), theme.paper) >= least


def test_both_themes_have_the_same_roles():
    assert vars(LIGHT).keys() == vars(DARK).keys()
    assert "{" not in style_sheet(DARK).replace("{ ", "").replace(" {", "")


def test_the_text_form_is_refused_with_how_to_convert_it(tmp_path):
    path = tmp_path / "one.tarn.json"
    create_study(path, Study(), Blobs())
    with pytest.raises(StudyFileError, match="tarnwater convert"):
        open_file(path)


def test_a_copy_of_the_demo_is_made_once_and_kept(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    with StudyFile.open(demo_copy()) as first:
        first.history.do(edits.set_study, "note", "mine")
    with StudyFile.open(demo_copy()) as second:
        assert second.study.note == "mine"
