"""The study file: whole whatever happens, readable in any GIS, migrated, and equal to the JSON text."""

import json
import multiprocessing
import os
import random
import signal
import sqlite3
import subprocess
import time
from pathlib import Path

import numpy as np
import pytest

from tarnwater.errors import StorageError, StudyFileError, UnknownName
from tarnwater.network.elements import Catchment, Outfall, Surface
from tarnwater.runoff.losses import CurveNumber
from tarnwater.study import edits
from tarnwater.study.checks.file import findings_of_file
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.file import StudyFile
from tarnwater.study.file.store import create_study, edit_study, is_text, read_study
from tarnwater.study.file.text import study_from_text, study_to_text
from tarnwater.study.file.writing import write_whole

OLD = Path(__file__).parents[1] / "data/version-0.tarn.json"


def small():
    surfaces = (Surface(share=1.0, loss=CurveNumber(curve_number=75)),)
    study = edits.add_element(Study(title="Small"), Catchment(name="Hask", area=3e6, lag=2700.0, surfaces=surfaces))
    study = edits.add_element(study, Outfall(name="Bridge", place=(10.0, 20.0)))
    return edits.connect(study, "hask", "bridge")


@pytest.fixture
def path(tmp_path):
    return tmp_path / "small.tarn.gpkg"


@pytest.fixture
def file(path):
    with StudyFile.create(path, small()) as opened:
        yield opened


def note_of(study):
    return int(study.note or 0)


def edit_for_ever(path, pipe):
    """Many edits, each reported when it is made."""
    with StudyFile.open(path) as file:
        number = note_of(file.study)
        while True:
            number += 1
            file.history.do(edits.set_study, "note", str(number))
            os.write(pipe, f"{number}\n".encode())


def test_killed_at_fifty_random_moments_the_file_is_whole_at_the_last_or_last_but_one_edit(path):
    StudyFile.create(path, small()).close()
    rng = random.Random(1)
    forked = multiprocessing.get_context("fork")
    told = 0
    for _ in range(50):
        reading, writing = os.pipe()
        child = forked.Process(target=edit_for_ever, args=(path, writing))
        child.start()
        os.close(writing)
        time.sleep(rng.uniform(0.005, 0.15))
        os.kill(child.pid, signal.SIGKILL)
        child.join()
        with os.fdopen(reading, "rb") as pipe:
            lines = pipe.read().split()
        told = int(lines[-1]) if lines else told
        with StudyFile.open(path) as file:
            assert note_of(file.study) in (told, told + 1)
            assert file._connection.execute("PRAGMA integrity_check").fetchone() == ("ok",)
            assert len(file.acts()) == note_of(file.study)
            told = note_of(file.study)
    assert told > 50


def test_a_full_disk_gives_a_clear_error_and_leaves_the_study_as_it_was(tmp_path):
    disk = tmp_path / "disk"
    disk.mkdir()
    mounted = os.geteuid() == 0 and subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=400k", "tmpfs", disk], check=False, capture_output=True
    ).returncode == 0  # fmt: skip
    if not mounted:
        pytest.skip("only root may mount a small disk")
    try:
        path = disk / "small.tarn.gpkg"
        with StudyFile.create(path, small()) as file:
            before = file.study.as_text()
            with pytest.raises(
                StorageError, match=r"small\.tarn\.gpkg: the disk is full.*is unchanged.*Free some disk space"
            ):
                file.history.do(edits.set_study, "note", "x" * 2_000_000)
            assert file.study.as_text() == before
            file.history.do(edits.set_study, "note", "short")
        assert read_study(path)[0].note == "short"
        text = disk / "small.tarn.json"
        with pytest.raises(StorageError, match="cannot be written: No space"):
            write_whole(text, "x" * 2_000_000)
        assert [p.name for p in disk.iterdir()] == [path.name]
    finally:
        subprocess.run(["umount", disk], check=True)


def test_a_file_size_limit_is_met_like_a_full_disk(path):
    """The same without a mount, for those who are not root."""
    StudyFile.create(path, small()).close()
    forked = multiprocessing.get_context("fork")
    answers = forked.Queue()

    def limited():
        import resource

        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (200_000, 200_000))
        with StudyFile.open(path) as file:
            try:
                file.history.do(edits.set_study, "note", "x" * 1_000_000)
                answers.put("written")
            except StorageError as error:
                answers.put(str(error))

    child = forked.Process(target=limited)
    child.start()
    said = answers.get(timeout=60)
    child.join()
    assert "is unchanged" in said
    assert read_study(path)[0].note == ""


def test_a_read_only_folder_gives_a_clear_error_and_leaves_the_study_as_it_was(tmp_path):
    folder = tmp_path / "folder"
    folder.mkdir()
    path = folder / "small.tarn.gpkg"
    StudyFile.create(path, small()).close()
    before = path.read_bytes()
    undo = _make_read_only(folder)
    try:
        with StudyFile.open(path) as file:
            with pytest.raises(StorageError, match="cannot be written.*is unchanged"):
                file.history.do(edits.set_study, "note", "x")
            assert file.study.note == ""
        with pytest.raises(StorageError, match="cannot be written"):
            StudyFile.create(folder / "other.tarn.gpkg", small())
        with pytest.raises(StorageError, match="cannot be written"):
            write_whole(folder / "other.tarn.json", "x")
        assert path.read_bytes() == before
    finally:
        undo()


def _make_read_only(folder):
    """Take the right to write away: by permissions, and as root, whom they do not bind, by a mount."""
    if os.geteuid() != 0:
        folder.chmod(0o555)
        for one in folder.iterdir():
            one.chmod(0o444)
        return lambda: folder.chmod(0o755)
    bind = subprocess.run(["mount", "--bind", folder, folder], check=False, capture_output=True)
    if bind.returncode:
        pytest.skip("no right to mount here")
    subprocess.run(["mount", "-o", "remount,ro,bind", folder], check=True)
    return lambda: subprocess.run(["umount", folder], check=True)


def test_every_edit_is_in_the_file_when_it_is_made(file, path):
    file.history.do(edits.type_values, [("hask", "lag", "50 min")])
    assert read_study(path)[0].elements["hask"].lag.value == 3000.0
    file.history.undo()
    assert read_study(path)[0].elements["hask"].lag.value == 2700.0
    assert [label for _, _, label in file.acts()] == ["type lag of Hask", "undo: type lag of Hask"]


def test_any_earlier_state_comes_back_by_its_act(file):
    texts = [file.study.as_text()]
    for minutes in (50, 60, 70):
        file.history.do(edits.type_values, [("hask", "lag", f"{minutes} min")])
        texts.append(file.study.as_text())
    file.history.do(edits.remove_element, "hask")
    for number, text in enumerate(texts):
        assert file.study_after(number).as_text() == text
    with pytest.raises(UnknownName):
        file.study_after(99)


def test_named_points_stay_in_the_file(file, path):
    file.keep("as surveyed", "before the yard")
    file.history.do(edits.type_values, [("hask", "lag", "50 min")])
    with StudyFile.open(path) as again:
        assert again.history.points["as surveyed"].comment == "before the yard"
        assert again.history.restore("as surveyed").elements["hask"].lag.value == 2700.0


def test_the_layers_open_in_a_gis(demo, tmp_path):
    import pyogrio

    path = tmp_path / "demo.tarn.gpkg"
    create_study(path, *demo)
    info = pyogrio.read_info(path, layer="catchments")
    assert (info["crs"], info["features"], info["geometry_type"]) == ("EPSG:27700", 8, "MultiPolygon")
    meta, _, geometry, fields = pyogrio.raw.read(path, layer="catchments")
    from shapely import from_wkb

    areas = dict(zip(meta["fields"], fields, strict=True))
    measured = {k: c.area.derived for k, c in demo[0].catchments.items() if c.outline}
    for key, shape in zip(areas["key"], from_wkb(geometry), strict=True):
        assert shape.area == pytest.approx(measured[key], rel=1e-12)
    assert pyogrio.read_info(path, layer="reaches")["features"] == 5
    assert pyogrio.read_info(path, layer="points")["features"] > 8


def test_an_edit_follows_into_its_layer(demo, tmp_path):
    import pyogrio

    path = tmp_path / "demo.tarn.gpkg"
    with StudyFile.create(path, *demo) as file:
        file.history.do(edits.rename_element, "hask", "Hask Head")
        file.history.do(edits.remove_element, "wimmer")
    meta, _, _, fields = pyogrio.raw.read(path, layer="catchments")
    names = set(fields[list(meta["fields"]).index("name")])
    assert "Hask Head" in names
    assert "Wimmer" not in names


def test_rows_follow_the_coordinate_system_of_the_terrain(demo, tmp_path):
    study, blobs = demo
    path = tmp_path / "demo.tarn.gpkg"
    with StudyFile.create(path, study.model_copy(update={"terrain": None}), blobs) as file:
        # the elements are the same objects: only the system of the terrain is another
        file.history.do(lambda now: now.model_copy(update={"terrain": study.terrain}))
    with sqlite3.connect(path) as raw:
        for layer in ("catchments", "reaches", "points", "flow_links", "ground_features"):
            systems = {
                int.from_bytes(geom[4:8], "little", signed=True) for (geom,) in raw.execute(f"SELECT geom FROM {layer}")
            }
            assert systems == {27700}, layer
    raw.close()
    assert findings_of_file(path) == []


def test_layers_changed_by_another_program_are_noticed(demo, tmp_path):
    path = tmp_path / "demo.tarn.gpkg"
    create_study(path, *demo)
    assert findings_of_file(path) == []
    with sqlite3.connect(path) as other:
        other.execute("UPDATE catchments SET name = 'Changed' WHERE key = 'hask'")
    other.close()
    (finding,) = findings_of_file(path)
    assert (finding.code, finding.severity) == ("layer-changed-outside", "doubt")
    assert "the layer catchments was changed by another program" in finding.text
    edit_study(path, edits.rename_element, "wimmer", "Wimmer Beck")
    assert findings_of_file(path) == [finding]


def test_both_forms_hold_the_same_study(demo, tmp_path):
    study, blobs = demo
    for name in ("one.tarn.json", "one.tarn.gpkg"):
        create_study(tmp_path / name, study, blobs)
        again, kept = read_study(tmp_path / name)
        assert again.as_text() == study.as_text()
        assert {d: kept[d].data for d in kept} == {d: blobs[d].data for d in blobs}


def test_an_edit_of_either_form_keeps_it_whole(tmp_path):
    for name in ("one.tarn.json", "one.tarn.gpkg"):
        path = tmp_path / name
        create_study(path, small(), Blobs())
        edit_study(path, edits.type_values, [("hask", "lag", "1 h")])
        assert read_study(path)[0].elements["hask"].lag.value == 3600.0


def check_migrated(study):
    hask = study.elements["hask"]
    assert study.format == 2
    assert hask.flow_length.typed.value == 2500.0
    assert (hask.lag.typed.value, hask.lag.typed.note) == (2700.0, "by eye")
    assert hask.area.typed.note == "off the map"
    assert study.conditions["built"].settings["hask/lag"].value == 1800.0
    assert study.conditions["built"].settings["hask/flow_length"].value == 2000.0


def test_a_version_0_text_is_migrated_and_stays_as_it_was():
    before = OLD.read_bytes()
    check_migrated(read_study(OLD)[0])
    assert OLD.read_bytes() == before


def test_a_version_0_file_is_migrated_and_its_earlier_states_still_come_back(path):
    StudyFile.create(path, small()).close()
    old = json.loads(OLD.read_text())
    earlier = json.loads(json.dumps(old))
    earlier["elements"]["hask"]["lag"]["typed"]["value"] = 40.0
    changes = [[["elements", "hask", "lag", "typed", "value"], 40.0, 45.0]]
    with sqlite3.connect(path) as raw:
        raw.execute("UPDATE tarn_document SET document = ?", (json.dumps(old),))
        raw.execute("DROP TABLE tarn_digest")
        raw.execute("INSERT INTO tarn_history (at, label, changes) VALUES ('t', 'type lag', ?)", (json.dumps(changes),))
    raw.close()
    with StudyFile.open(path) as file:
        check_migrated(file.study)
        assert file.study_after(0).elements["hask"].lag.value == 2400.0
        file.history.do(edits.set_study, "note", "now")
        assert [label for _, _, label in file.acts()][1] == "brought from format 0 to 2"
        assert file.study_after(0).elements["hask"].lag.value == 2400.0
        check_migrated(file.study_after(1))


def test_a_version_1_study_opens_with_one_length_a_nested_family_and_says_so(tmp_path):
    old = OLD.with_name("version-1.tarn.json")
    before = old.read_bytes()
    study, _ = read_study(old)
    families = {f.name: f for f in study.families.values()}
    assert [families[n].tried for n in ("Design storms", "Long", "Type II")] == [(86400.0,), (172800.0,), (86400.0,)]
    assert all(f.pattern.nested and f.areal.method == "leclerc-schaake" for f in families.values())
    assert {(f.code, f.severity) for f in findings_of_file(old)} == {("older-format", "note")}
    said = [finding.text for finding in findings_of_file(old)]
    assert "Figures differ from those of the earlier version" in said[0]
    assert said[1].startswith("Design storms: its storms are nested")
    assert "of 2 durations the longest, 48 h, is kept" in said[2]
    assert len(said) == 3
    assert old.read_bytes() == before


def test_what_is_said_of_an_older_study_is_said_until_its_first_edit(tmp_path):
    path = tmp_path / "older.tarn.json"
    path.write_bytes(OLD.with_name("version-1.tarn.json").read_bytes())
    assert findings_of_file(path)
    edit_study(path, edits.set_study, "note", "now")
    assert findings_of_file(path) == []
    assert read_study(path)[0].families["long"].length.typed.note.startswith("the longest duration")


def test_a_version_1_document_with_two_families_of_one_name_keeps_both(tmp_path):
    document = json.loads(OLD.with_name("version-1.tarn.json").read_text())
    document["families"]["long"]["name"] = "design storms"
    path = tmp_path / "twins.tarn.json"
    path.write_text(json.dumps(document))
    assert [f.name for f in read_study(path)[0].families.values()] == ["Design storms", "design storms 2", "Type II"]


def test_a_newer_version_is_refused_unharmed(path, tmp_path):
    StudyFile.create(path, small()).close()
    newer = json.dumps(small().as_dict() | {"format": 99, "later": True})
    with sqlite3.connect(path) as raw:
        raw.execute("UPDATE tarn_document SET document = ?", (newer,))
        raw.execute("DROP TABLE tarn_digest")
    raw.close()
    text = tmp_path / "newer.tarn.json"
    text.write_text(newer)
    for one in (path, text):
        before = one.read_bytes()
        with pytest.raises(StudyFileError, match=r"newer Tarnwater \(format 99; this one reads up to 2\)"):
            read_study(one)
        assert one.read_bytes() == before


def test_a_png_is_no_study(tmp_path):
    path = tmp_path / "picture.tarn.gpkg"
    path.write_bytes(b"\x89PNG\r\n\x1a\n" + bytes(200))
    with pytest.raises(StudyFileError, match=r"picture.tarn.gpkg: this is not a study file"):
        read_study(path)
    path.rename(tmp_path / "picture.tarn.json")
    with pytest.raises(StudyFileError, match="not a study"):
        read_study(tmp_path / "picture.tarn.json")


def test_half_a_file_is_damaged_not_half_read(path, tmp_path):
    StudyFile.create(path, small()).close()
    data = path.read_bytes()
    path.write_bytes(data[: len(data) // 2])
    with pytest.raises(StudyFileError, match="damaged or not a study"):
        read_study(path)
    text = study_to_text(small(), Blobs())
    half = tmp_path / "half.tarn.json"
    half.write_text(text[: len(text) // 2])
    with pytest.raises(StudyFileError, match=r"not complete JSON: .* in line \d+"):
        read_study(half)


def test_another_geopackage_is_no_study(tmp_path, demo):
    import pyogrio

    path = tmp_path / "other.tarn.gpkg"
    points = np.array([b"\x01\x01\x00\x00\x00" + bytes(16)], object)
    pyogrio.raw.write(path, points, [np.array(["a"], object)], ["name"], geometry_type="Point", crs="EPSG:4326",
                      driver="GPKG")  # fmt: skip
    with pytest.raises(StudyFileError, match="not a study"):
        read_study(path)


def test_damaged_data_in_a_text_is_noticed(demo):
    document = json.loads(study_to_text(*demo))
    digest = next(iter(document["data"]))
    document["data"][digest]["base64"] = "AAAA"
    with pytest.raises(StudyFileError, match=f"data {digest} is damaged"):
        study_from_text(json.dumps(document))


def test_an_existing_file_is_never_written_over(path):
    create_study(path, small(), Blobs())
    with pytest.raises(StudyFileError, match="there is a file of that name"):
        create_study(path, small(), Blobs())


def test_a_name_of_neither_form_is_refused_with_one_that_would_do(tmp_path):
    with pytest.raises(StudyFileError, match=r"Call it bridge\.tarn\.gpkg"):
        is_text(tmp_path / "bridge.xlsx")


def test_a_study_open_elsewhere_can_be_read_and_says_so_when_written(file, path):
    with sqlite3.connect(path, isolation_level=None) as other:
        other.execute("BEGIN EXCLUSIVE")
        file._connection.execute("PRAGMA busy_timeout = 10")
        with pytest.raises(StorageError, match="another program is writing"):
            file.history.do(edits.set_study, "note", "x")
        other.execute("ROLLBACK")
    other.close()
    assert file.history.do(edits.set_study, "note", "x").note == "x"


def test_a_file_that_was_moved_is_not_written_to(file, path):
    path.rename(path.with_name("elsewhere.tarn.gpkg"))
    before = file.study
    with pytest.raises(StorageError, match="moved, removed or replaced"):
        file.history.do(edits.set_study, "note", "lost")
    assert file.study is before
    path.with_name("elsewhere.tarn.gpkg").rename(path)
    file.history.do(edits.set_study, "note", "kept")
    assert read_study(path)[0].note == "kept"


def test_a_file_that_another_program_wrote_is_not_written_over(file, path):
    with StudyFile.open(path) as other:
        other.history.do(edits.set_study, "note", "theirs")
    with pytest.raises(StorageError, match="another program has changed the study"):
        file.history.do(edits.set_study, "note", "ours")
    assert read_study(path)[0].note == "theirs"


def test_a_study_is_kept_as_another_file_with_its_points_and_goes_on_alone(file, path, tmp_path):
    file.keep("as it was", "before the copy")
    with file.keep_as(tmp_path / "copy.tarn.gpkg") as other:
        other.history.do(edits.set_study, "note", "only there")
        assert other.history.points["as it was"].comment == "before the copy"
    assert read_study(tmp_path / "copy.tarn.gpkg")[0].note == "only there"
    assert read_study(path)[0].note == file.study.note != "only there"


def test_the_document_written_by_parts_is_the_document(demo_study):
    written = demo_study.as_dict()
    study = edits.type_values(demo_study, [("hask", "lag", 1234.5)])
    study = edits.rename_element(study, "wimmer", "Wimmer Beck")
    study = edits.set_study(edits.remove_element(study, "hill-field"), "units", "US")
    assert study.as_dict_sharing(demo_study, written) == study.as_dict()
    assert json.loads(study.as_line()) == json.loads(json.dumps(study.as_dict()))
    assert written == demo_study.as_dict()
