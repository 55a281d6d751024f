"""Files that are damaged, hostile, shared, or being written when a program is stopped."""

import json
import multiprocessing
import os
import random
import shutil
import signal
import sqlite3
import stat
import subprocess
import sys
import time

import pytest

from tarnwater.errors import ChangedElsewhere, EditRefused, StorageError, StudyFileError, TarnwaterError
from tarnwater.network.elements import Catchment, Outfall, Surface
from tarnwater.runoff.losses import CurveNumber
from tarnwater.study import edits
from tarnwater.study.checks.file import findings_of_file
from tarnwater.study.document import DesignPoint, Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.plain import MOST_CONDITIONS, MOST_ELEMENTS
from tarnwater.study.file import StudyFile
from tarnwater.study.file.store import convert_study, create_study, edit_study, read_study
from tarnwater.study.file.text import study_to_text
from tarnwater.study.file.writing import make_whole, write_whole

FORMS = ["small.tarn.gpkg", "small.tarn.json"]
PROGRAMS, EDITS = 4, 75


def small():
    surfaces = (Surface(share=1.0, loss=CurveNumber(curve_number=75)),)
    study = edits.add_element(Study(title="Small"), Catchment(name="Hask", area=3e6, lag=2700.0, surfaces=surfaces))
    study = edits.add_element(study, Outfall(name="Bridge", place=(10.0, 20.0)))
    return edits.connect(study, "hask", "bridge")


@pytest.fixture(params=FORMS)
def path(request, tmp_path):
    """A small study in either form."""
    made = tmp_path / request.param
    create_study(made, small(), Blobs())
    return made


@pytest.fixture
def file_path(tmp_path):
    made = tmp_path / "small.tarn.gpkg"
    create_study(made, small(), Blobs())
    return made


@pytest.fixture
def text_path(tmp_path):
    made = tmp_path / "small.tarn.json"
    create_study(made, small(), Blobs())
    return made


# several programs at once ---------------------------------------------------------------------


def _add_many(path, program, answers):
    refused = 0
    for number in range(EDITS):
        try:
            edit_study(path, edits.add_element, Outfall(name=f"P{program} N{number}"))
        except StorageError:
            refused += 1
    answers.put(refused)


def test_edits_of_four_programs_follow_one_another_and_none_is_lost(path):
    forked = multiprocessing.get_context("fork")
    answers = forked.Queue()
    programs = [forked.Process(target=_add_many, args=(path, p, answers)) for p in range(PROGRAMS)]
    for program in programs:
        program.start()
    refused = sum(answers.get(timeout=240) for _ in programs)
    for program in programs:
        program.join()
    study, _ = read_study(path)
    kept = sum(element.name.startswith("P") for element in study.elements.values())
    assert kept + refused == PROGRAMS * EDITS
    # of 600 edits at most six may be refused after a wait
    assert refused <= PROGRAMS * EDITS / 100
    if path.suffix == ".gpkg":
        with StudyFile.open(path) as file:
            assert len(file.acts()) == kept
            assert len(file.study_after(0).elements) == 2
            assert len(file.study_after(10).elements) == 12


def test_an_open_study_notices_and_takes_in_what_another_program_wrote(file_path):
    with StudyFile.open(file_path) as file:
        assert not file.is_behind
        edit_study(file_path, edits.type_values, [("hask", "lag", "1 h")])
        edit_study(file_path, edits.rename_element, "hask", "Hask Head")
        with pytest.raises(ChangedElsewhere, match="nothing was overwritten"):
            file.history.do(edits.set_study, "note", "mine")
        assert file.is_behind
        assert file.take_in() == ("type lag of Hask", "rename Hask to Hask Head")
        assert file.study.elements["hask"].lag.value == 3600.0
        file.history.do(edits.set_study, "note", "mine")
        file.history.undo()
        file.history.undo()
        assert (file.study.elements["hask"].name, file.study.note) == ("Hask", "")
    assert read_study(file_path)[0].elements["hask"].lag.value == 3600.0


def test_a_program_that_holds_a_text_is_waited_for_and_then_told(text_path, monkeypatch):
    monkeypatch.setattr("tarnwater.study.file.writing.PATIENCE", 0.2)
    holder = subprocess.Popen(
        [sys.executable, "-c", "import fcntl, sys, time\n"
         "f = open(sys.argv[1]); fcntl.flock(f, fcntl.LOCK_EX); print('held', flush=True); time.sleep(60)", text_path],
        stdout=subprocess.PIPE,
    )  # fmt: skip
    try:
        holder.stdout.readline()
        with pytest.raises(StorageError, match="another program has been writing"):
            edit_study(text_path, edits.set_study, "note", "x")
    finally:
        holder.kill()
        holder.communicate()
    edit_study(text_path, edits.set_study, "note", "x")


def _create(path, number, answers):
    try:
        create_study(path, Study(title=f"Made by {number}"), Blobs())
        answers.put(number)
    except StudyFileError as error:
        answers.put(str(error))


@pytest.mark.parametrize("name", FORMS)
def test_of_two_that_make_one_name_one_wins_and_the_other_is_told(tmp_path, name):
    forked = multiprocessing.get_context("fork")
    for attempt in range(5):
        path = tmp_path / f"{attempt}-{name}"
        answers = forked.Queue()
        makers = [forked.Process(target=_create, args=(path, n, answers)) for n in range(4)]
        for maker in makers:
            maker.start()
        told = [answers.get(timeout=60) for _ in makers]
        for maker in makers:
            maker.join()
        winners = [t for t in told if isinstance(t, int)]
        assert len(winners) == 1
        assert sum("there is a file of that name" in str(t) for t in told) == 3
        assert read_study(path)[0].title == f"Made by {winners[0]}"


# undo and state across sittings ---------------------------------------------------------------


def test_acts_of_an_earlier_sitting_can_be_undone_and_redone(file_path):
    with StudyFile.open(file_path) as file:
        file.history.do(edits.type_values, [("hask", "lag", "1 h")])
        file.history.do(edits.rename_element, "hask", "Head")
        file.history.undo()
    with StudyFile.open(file_path) as file:
        assert [act.label for act in file.history.past] == ["type lag of Hask"]
        assert [act.label for act in file.history.future] == ["rename Hask to Head"]
        assert file.history.redo().elements["hask"].name == "Head"
        file.history.undo()
        assert file.history.undo().elements["hask"].lag.value == 2700.0
        assert file.history.past == []
    assert read_study(file_path)[0].as_text() == small().as_text()


def test_what_the_window_keeps_stays_in_the_file_without_an_act(file_path):
    with StudyFile.open(file_path) as file:
        file.keep_state("pins", [{"element": "hask"}])
        assert file.acts() == []
    with StudyFile.open(file_path) as file:
        assert file.kept_state("pins") == [{"element": "hask"}]
        assert file.kept_state("other") is None


# what is no number, and what a study could do to itself ---------------------------------------


@pytest.mark.parametrize("constant", ["NaN", "Infinity", "-Infinity", "1e999"])
@pytest.mark.parametrize(
    "place",
    [
        ("elements", "bridge", "place"), ("elements", "hask", "area"), ("elements", "hask", "total_area"),
        ("run", "recession_share"),
    ],
)  # fmt: skip
def test_not_a_number_and_infinity_are_refused_in_every_field(text_path, constant, place):
    document = json.loads(text_path.read_text())
    here = document
    for part in place[:-1]:
        here = here[part]
    here[place[-1]] = [1.0, "@"] if place[-1] == "place" else "@"
    text_path.write_text(json.dumps(document).replace('"@"', constant))
    with pytest.raises(StudyFileError, match="is no number|too large a number"):
        read_study(text_path)


def test_a_place_that_is_no_number_is_refused_before_it_is_written(path):
    before = path.read_bytes()
    with pytest.raises(TarnwaterError, match="finite|cannot be read again"):
        edit_study(path, edits.choose, "bridge", "place", (float("nan"), 5.0))
    assert read_study(path)[0].elements["bridge"].place == (10.0, 20.0)
    assert path.suffix != ".json" or path.read_bytes() == before


def test_what_is_about_to_be_written_is_read_first(path):
    def slip(study):
        """An edit that goes round the one door."""
        odd = study.elements["hask"].model_copy(update={"total_area": float("inf")})
        return study.model_copy(update={"elements": study.elements.with_entry("hask", odd)})

    with pytest.raises(EditRefused, match="nothing was changed"):
        edit_study(path, slip)
    assert read_study(path)[0].as_text() == small().as_text()


def test_an_edit_that_a_condition_could_not_follow_is_refused(path):
    edit_study(
        path, edits.choose, "hask", "surfaces", (*(small().elements["hask"].surfaces), Surface(name="b", share=0.0))
    )
    edit_study(path, edits.add_condition, "Built")
    edit_study(path, edits.type_values, [("hask", "surfaces/1/share", 0.4)], condition="Built")
    with pytest.raises(EditRefused, match="Built sets surfaces/1/share of Hask, which cannot be"):
        edit_study(path, edits.choose, "hask", "surfaces", small().elements["hask"].surfaces)
    assert len(read_study(path)[0].elements["hask"].surfaces) == 2


@pytest.mark.parametrize("field", ["name", "kind", "outline", "place"])
def test_a_name_in_one_condition_only_is_refused(field):
    study = edits.add_condition(small(), "Built")
    with pytest.raises(EditRefused, match="the same in all conditions"):
        edits.type_values(study, [("hask", field, "X")], condition="Built")


# damage ---------------------------------------------------------------------------------------


def _odd(change):
    document = json.loads(study_to_text(small(), Blobs()))
    change(document)
    return json.dumps(document)


def _nested(depth):
    return '{"format": 2, "elements": ' + '{"a":' * depth + "1" + "}" * depth + "}"


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (_nested(100_000), "nested too deeply|not complete JSON|cannot be"),
        ('{"format": 2, "note": ' + "9" * 5000 + "}", "a number has 5000 digits"),
        (_odd(lambda d: d["elements"]["hask"].update(area=10**300)), "cannot be"),
        ('{"format": 2, "title": "a", "title": "b"}', "“title” appears twice"),
        (_odd(lambda d: d["elements"]["hask"].update(area=True)), "number, not true or false|cannot be"),
        (_odd(lambda d: d["elements"]["hask"].update(area={"typed": {"value": True}})), "cannot be"),
        (_odd(lambda d: d["run"].update(recession_share=True)), "number, not true or false"),
        (_odd(lambda d: d.update(conditions={})), "at least one condition"),
        (_odd(lambda d: d["elements"]["hask"].update(name="a\x1b[2J")), "control character U\\+001B"),
        (_odd(lambda d: d["elements"]["hask"].update(name="x" * 300)), "300 letters is too long"),
        (_odd(lambda d: d["elements"]["hask"].update(lag=1e-9)), "at least 1 s"),
        (_odd(lambda d: d["elements"]["hask"].update(lag=1e12)), "at most 366"),
        (_odd(lambda d: d.update(data={"0" * 32: {"kind": "grid", "base64": "AA=="}})), "damaged"),
        (_odd(lambda d: d.update(data=[1])), "holds no data"),
        ("[1, 2]", "this is not a study"),
        ('{"format": "two"}', "names no format"),
        ('{"format": 0, "elements": {"a": {"kind": "catchment", "lag": {"typed": {"value": "soon"}}}}}', "cannot be"),
        ('{"format": 0, "elements": [1]}', "older study holds values"),
        ('{"format": 0, "elements": {"a": {"kind": "catchment", "lag": {"derived": null}}}}', "older study holds"),
        ('{"format": 1, "families": {"f": {"durations": ["a", 3]}}}', "older study holds values"),
    ],
    ids=["deep nesting", "a huge integer", "an area beyond the earth", "duplicate keys", "a boolean as a number",
         "a typed boolean", "a boolean share", "empty conditions", "a control character in a name", "a long name",
         "a lag of 1e-9 s", "a lag of 1e12 s", "damaged data", "odd data", "a list", "no format", "format 0: a word",
         "format 0: a list", "format 0: null", "format 1: odd durations"],
)  # fmt: skip
def test_a_text_that_is_no_study_is_refused_in_words(tmp_path, text, said):
    path = tmp_path / "odd.tarn.json"
    path.write_text(text)
    with pytest.raises(StudyFileError, match=said):
        read_study(path)


def test_damaged_anywhere_a_file_is_refused_or_says_so_and_never_opens_changed(demo, tmp_path):
    study, blobs = demo
    whole = tmp_path / "whole.tarn.gpkg"
    with StudyFile.create(whole, study, blobs) as file:
        file.keep("a point", "kept")
    data, rng = whole.read_bytes(), random.Random(5)
    path = tmp_path / "damaged.tarn.gpkg"
    opened = 0
    for _ in range(60):
        spoilt = bytearray(data)
        for _ in range(rng.choice([1, 1, 20])):
            spoilt[rng.randrange(len(data))] = rng.randrange(256)
        path.write_bytes(spoilt)
        try:
            again, kept = read_study(path)
        except TarnwaterError:
            continue
        opened += 1
        changed = {d for d in blobs if d not in kept or kept[d].data != blobs[d].data}
        assert again.as_text() == study.as_text()
        said = findings_of_file(path)
        if changed:
            assert any("damaged" in finding.text for finding in said)
    assert opened > 0


def test_a_damaged_grid_or_outline_is_left_out_and_said_and_the_study_opens(demo, tmp_path):
    study, blobs = demo
    path = tmp_path / "demo.tarn.gpkg"
    create_study(path, study, blobs)
    outline = study.elements["hask"].outline
    with sqlite3.connect(path) as raw:
        raw.execute("UPDATE tarn_data SET bytes = x'00' WHERE digest IN (?, ?)", (outline, study.terrain.grid))
    raw.close()
    again, kept = read_study(path)
    assert again.as_text() == study.as_text()
    assert outline not in kept
    damaged = [f for f in findings_of_file(path) if f.code == "file-damaged"]
    assert sum("is damaged and was left out" in f.text for f in damaged) == 2
    edit_study(path, edits.rename_element, "wimmer", "Wimmer Beck")


def test_one_damaged_named_point_leaves_the_others_and_the_study(file_path):
    with StudyFile.open(file_path) as file:
        file.keep("good")
        file.keep("bad")
    with sqlite3.connect(file_path) as raw:
        raw.execute("UPDATE tarn_point SET document = '{' WHERE name = 'bad'")
    raw.close()
    with StudyFile.open(file_path) as file:
        assert file.history.point("good").study.as_text() == small().as_text()
        with pytest.raises(StudyFileError, match="named point “bad”.*damaged"):
            _ = file.history.point("bad").study
        assert file.damaged == ("the named point “bad” is damaged; it cannot be restored.",)


def test_a_document_changed_by_another_program_is_noticed(file_path):
    with sqlite3.connect(file_path) as raw:
        raw.execute("UPDATE tarn_document SET document = replace(document, '2700.0', '2800.0')")
    raw.close()
    with pytest.raises(StudyFileError, match="not as it was kept"):
        read_study(file_path)


def test_a_history_that_can_take_no_further_act_is_told(file_path):
    with sqlite3.connect(file_path) as raw:
        raw.execute("INSERT INTO tarn_history VALUES (9223372036854775807, 't', 'x', '[]')")
    raw.close()
    with pytest.raises(StudyFileError, match="the history is damaged: an act is numbered 9223372036854775807"):
        read_study(file_path)


# hostile files --------------------------------------------------------------------------------

ENDLESS = (
    "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT 1 AS id, group_concat(i) AS document FROM n"
)
POSING = "CREATE VIEW tarn_layer AS SELECT 'a' AS name, 'b' AS digest"
EMPTY = "CREATE TABLE tarn_document (id INTEGER, document TEXT)"
COMPUTED = "CREATE TABLE tarn_document (id INTEGER, d TEXT, document TEXT AS (d || id))"


@pytest.mark.parametrize(
    ("statements", "said"),
    [
        (["CREATE TRIGGER t AFTER UPDATE ON tarn_document BEGIN DELETE FROM tarn_history; END"], "the trigger “t”"),
        (["CREATE TRIGGER t AFTER INSERT ON catchments BEGIN DELETE FROM tarn_data; END"], "the trigger “t”"),
        (["DROP TABLE tarn_document", f"CREATE VIEW tarn_document AS {ENDLESS}"], "the view “tarn_document”"),
        (["DROP TABLE tarn_layer", POSING], "the view “tarn_layer”"),
        (["DROP TABLE tarn_point"], "no table tarn_point"),
        (["ALTER TABLE tarn_document RENAME COLUMN document TO other"], "not as it should be"),
        (["DROP TABLE tarn_document", EMPTY], "does not hold one document"),
        (["DROP TABLE tarn_document", COMPUTED], "not as it should be"),
    ],
    ids=["a trigger on the document", "a trigger on a layer", "an endless view", "a view for a table",
         "a missing table", "a renamed column", "an empty table", "a computed column"],
)  # fmt: skip
def test_foreign_triggers_views_and_tables_in_our_place_are_refused(file_path, statements, said):
    with sqlite3.connect(file_path) as raw:
        for statement in statements:
            raw.execute(statement)
    raw.close()
    began = time.monotonic()
    with pytest.raises(StudyFileError, match=said):
        read_study(file_path)
    with pytest.raises(StudyFileError, match=said):
        edit_study(file_path, edits.set_study, "note", "x")
    assert time.monotonic() - began < 10


def test_tables_and_views_of_others_beside_ours_do_no_harm(file_path):
    with sqlite3.connect(file_path) as raw:
        raw.execute("CREATE TABLE theirs (a)")
        raw.execute(f"CREATE VIEW endless AS {ENDLESS}")
        raw.execute("CREATE TRIGGER own AFTER INSERT ON theirs BEGIN DELETE FROM theirs; END")
    raw.close()
    edit_study(file_path, edits.set_study, "note", "x")
    assert read_study(file_path)[0].note == "x"


def test_more_than_a_study_holds_is_refused_soon_and_in_little_memory(tmp_path):
    def document(**known):
        return json.dumps({"format": 2, "title": "t"} | known)

    many = {f"e{n}": {"kind": "confluence", "name": f"E {n}"} for n in range(200_000)}
    chain = {f"c{n}": {"name": f"C {n}", "parent": f"c{n - 1}" if n else None} for n in range(3_000)}
    for name, text, said in (
        ("elements", document(elements=many), f"200000 elements; at most {MOST_ELEMENTS}"),
        ("chained", document(conditions=chain), f"3000 conditions; at most {MOST_CONDITIONS}"),
        ("added", document(conditions={"c": {"name": "C", "added": many}}), "200000 elements"),
    ):
        path = tmp_path / f"{name}.tarn.json"
        path.write_text(text)
        limited = (
            "import resource, sys\n"
            "resource.setrlimit(resource.RLIMIT_AS, (1 << 30, 1 << 30))\n"
            "sys.argv = ['tarnwater', 'check', sys.argv[1]]\n"
            "from tarnwater.cli import main\nmain()"
        )
        began = time.monotonic()
        done = subprocess.run(
            [sys.executable, "-c", limited, path], capture_output=True, text=True, timeout=60, check=False
        )
        assert done.returncode == 2, done.stderr[-500:]
        assert said in done.stderr
        assert time.monotonic() - began < 10


# files that appear whole or not at all --------------------------------------------------------


class _Stopped(BaseException):
    pass


@pytest.mark.parametrize("name", FORMS)
def test_a_study_whose_making_is_stopped_is_not_there(tmp_path, name, monkeypatch):
    def stopped(*_):
        raise _Stopped

    path = tmp_path / name
    monkeypatch.setattr("os.link", stopped)
    with pytest.raises(_Stopped):
        create_study(path, small(), Blobs())
    monkeypatch.undo()
    assert list(tmp_path.iterdir()) == []
    create_study(path, small(), Blobs())
    assert read_study(path)[0].as_text() == small().as_text()


@pytest.mark.parametrize("number", [signal.SIGINT, signal.SIGTERM])
def test_ctrl_c_and_a_request_to_end_leave_no_half_of_a_study(tmp_path, number):
    slow = (
        "import os, sys, time\nimport tarnwater.study.file.writing as w\n"
        "honest = w.os.link\n"
        "def link(*a):\n    print('ready', flush=True)\n    time.sleep(30)\n    honest(*a)\n"
        "w.os.link = link\nsys.argv = ['tarnwater', 'new', 'slow.tarn.gpkg']\n"
        "import signal\nsignal.signal(signal.SIGINT, signal.default_int_handler)\n"
        "from tarnwater.cli import main\nmain()"
    )
    made = subprocess.Popen([sys.executable, "-c", slow], cwd=tmp_path, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
    made.stdout.readline()
    made.send_signal(number)
    made.communicate(timeout=30)
    assert made.returncode in (130, 143)
    assert list(tmp_path.iterdir()) == []


def test_what_a_killed_program_left_beside_a_study_is_cleared_by_the_next_write(path):
    dead = subprocess.run(
        [sys.executable, "-c", "import os; print(os.getpid())"], capture_output=True, text=True, check=True
    )
    left = path.with_name(f".{path.name}.{dead.stdout.strip()}-0123abcd.part")
    ours = path.with_name(f".{path.name}.{os.getpid()}-0123abcd.part")
    other = path.with_name(f".other.tarn.json.{dead.stdout.strip()}-0123abcd.part")
    for one in (left, ours, other):
        one.write_text("half")
    edit_study(path, edits.set_study, "note", "x")
    assert not left.exists()
    assert ours.exists()
    assert other.exists()


def test_a_folder_is_brought_to_the_disk_with_its_new_entry(tmp_path, monkeypatch):
    synced = []
    monkeypatch.setattr("tarnwater.study.file.writing.sync_folder", synced.append)
    write_whole(tmp_path / "a.csv", "x")
    make_whole(tmp_path / "b.txt", lambda part: part.write_text("y"))
    assert synced == [tmp_path, tmp_path]


def test_what_a_form_cannot_hold_is_said_when_it_is_converted(file_path, tmp_path):
    with StudyFile.open(file_path) as file:
        file.history.do(edits.set_study, "note", "x")
        file.keep("a point")
    assert convert_study(file_path, tmp_path / "t.tarn.json") == [
        "t.tarn.json does not hold the 1 act of its history and 1 named point; they stay in small.tarn.gpkg."
    ]
    assert convert_study(tmp_path / "t.tarn.json", tmp_path / "back.tarn.gpkg") == []


def test_a_study_kept_as_another_file_takes_its_named_points_along_in_one_step(file_path, tmp_path):
    with StudyFile.open(file_path) as file:
        file.keep("a point", "why")
        file.history.do(edits.type_values, [("hask", "lag", "1 h")])
        with file.keep_as(tmp_path / "other.tarn.gpkg") as other:
            assert other.history.point("a point").study.elements["hask"].lag.value == 2700.0
            assert other.study.elements["hask"].lag.value == 3600.0


# rights, links, journals ----------------------------------------------------------------------


def test_a_written_study_keeps_its_rights_and_a_symbolic_link_its_target(path, tmp_path):
    path.chmod(0o640)
    link = tmp_path / f"link{''.join(path.suffixes)}"
    link.symlink_to(path.name)
    edit_study(link, edits.set_study, "note", "through the link")
    assert link.is_symlink()
    assert stat.S_IMODE(path.stat().st_mode) == 0o640
    assert read_study(path)[0].note == "through the link"


def test_a_table_that_is_written_again_keeps_its_rights_and_its_link(tmp_path):
    real, link = tmp_path / "real.csv", tmp_path / "link.csv"
    real.write_text("old")
    real.chmod(0o600)
    link.symlink_to("real.csv")
    write_whole(link, "new")
    assert (link.is_symlink(), real.read_text(), stat.S_IMODE(real.stat().st_mode)) == (True, "new", 0o600)


def test_a_study_with_a_second_name_is_read_but_not_written(path, tmp_path):
    os.link(path, tmp_path / f"twin{''.join(path.suffixes)}")
    assert read_study(path)[0].title == "Small"
    with pytest.raises(StorageError, match="second name"):
        edit_study(path, edits.set_study, "note", "x")


def test_the_journal_mode_is_set_back_when_a_study_is_opened(file_path):
    with sqlite3.connect(file_path) as raw:
        assert raw.execute("PRAGMA journal_mode = WAL").fetchone() == ("wal",)
    raw.close()
    StudyFile.open(file_path).close()
    with sqlite3.connect(file_path) as raw:
        assert raw.execute("PRAGMA journal_mode").fetchone() == ("delete",)
    raw.close()


def test_a_hot_journal_in_a_folder_that_cannot_be_written_is_said_to_be_that(tmp_path):
    folder = tmp_path / "folder"
    folder.mkdir()
    path = folder / "small.tarn.gpkg"
    create_study(path, small(), Blobs())
    killed = (
        "import os, sqlite3, sys\n"
        "c = sqlite3.connect(sys.argv[1], isolation_level=None)\n"
        "c.execute('PRAGMA cache_size = 1'); c.execute('PRAGMA cache_spill = 1'); c.execute('BEGIN IMMEDIATE')\n"
        "c.execute('UPDATE tarn_document SET document = zeroblob(400000)')\n"
        "c.execute('INSERT INTO tarn_data VALUES (1, 2, zeroblob(900000))')\n"
        "os.kill(os.getpid(), 9)"
    )
    subprocess.run([sys.executable, "-c", killed, path], check=False)
    assert (folder / "small.tarn.gpkg-journal").exists()
    if os.geteuid() != 0:
        folder.chmod(0o555)
        path.chmod(0o444)
        undo = lambda: folder.chmod(0o755)  # noqa: E731
    else:
        if subprocess.run(["mount", "--bind", folder, folder], check=False, capture_output=True).returncode:
            pytest.skip("no right to mount here")
        subprocess.run(["mount", "-o", "remount,ro,bind", folder], check=True)
        undo = lambda: subprocess.run(["umount", folder], check=True)  # noqa: E731
    try:
        with pytest.raises(StorageError, match="a hot journal.*Copy small.tarn.gpkg and small.tarn.gpkg-journal"):
            read_study(path)
    finally:
        undo()
    copy = tmp_path / "copy"
    shutil.copytree(folder, copy)
    assert read_study(copy / "small.tarn.gpkg")[0].as_text() == small().as_text()


def test_saving_as_text_takes_a_time_in_proportion_to_what_is_saved():
    blobs = Blobs()
    study = Study()
    for n in range(400):
        outline = blobs.add("geometry", os.urandom(200))
        study = study.model_copy(
            update={"elements": study.elements.with_entry(f"c{n}", Catchment(name=f"C {n}", outline=outline))}
        )
    began = time.perf_counter()
    text = study_to_text(study, blobs)
    # it took 13 s when each digest was looked for in the whole text
    assert time.perf_counter() - began < 1.5
    assert len(json.loads(text)["data"]) == 400


def test_a_design_point_holds_only_a_step_that_a_study_may_have():
    with pytest.raises(EditRefused, match="the step cannot be 1e-09 s"):
        DesignPoint(step=1e-9)
