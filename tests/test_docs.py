"""The pages made from the code are those kept."""

import json
import re
import runpy
import shlex
import sys
from pathlib import Path

import pytest

from tarnwater.cli import main
from tarnwater.study.document import study_from
from tarnwater.study.file.store import read_study

DOCS = Path(__file__).parents[1] / "docs"


def test_the_methods_page_is_up_to_date():
    made = runpy.run_path(str(DOCS / "make_methods.py"))["page"]()
    assert made == (DOCS / "methods.md").read_text(encoding="utf-8")


def test_the_first_study_of_the_readme_prints_what_it_says(tmp_path, monkeypatch, capsys):
    readme = (DOCS.parent / "README.md").read_text(encoding="utf-8")
    part = readme.split("## The same on the command line")[1]
    commands, printed = part.split("```sh\n")[1].split("```")[0], part.split("```\n")[2].split("```")[0]
    monkeypatch.chdir(tmp_path)
    for line in commands.strip().splitlines():
        monkeypatch.setattr(sys, "argv", shlex.split(line))
        capsys.readouterr()
        with pytest.raises(SystemExit) as ended:
            main()
        assert not ended.value.code
    told = [line.rstrip() for line in capsys.readouterr().out.strip().splitlines()]
    assert told == [line.rstrip() for line in printed.strip().splitlines()]


def test_the_maps_of_the_readme_give_the_numbers_that_it_asks_for(tmp_path, monkeypatch, capsys, demo):
    """Its commands on cover and soil, on the demo's data, and on a study with a catchment of the name it uses."""
    from tarnwater.demo.study import data_path
    from tarnwater.study import edits
    from tarnwater.study.file.store import create_study

    readme = (DOCS.parent / "README.md").read_text(encoding="utf-8")
    part = readme.split("Maps of cover and soil give curve numbers")[1].split("```sh\n")[1].split("```")[0]
    study, blobs = demo
    bare = study.model_copy(update={"land_layers": type(study.land_layers)({})})
    create_study(tmp_path / "valley.tarn.gpkg", edits.rename_element(bare, "mill-fold", "Mill"), blobs)
    for name in ("cover.gpkg", "soils.shp", "soils.shx", "soils.dbf", "soils.prj"):
        (tmp_path / name).write_bytes(data_path(name).read_bytes())
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "own"))
    for line in part.replace("\\\n", " ").strip().splitlines():
        monkeypatch.setattr(sys, "argv", shlex.split(line))
        capsys.readouterr()
        with pytest.raises(SystemExit) as ended:
            main()
        assert not ended.value.code
    assert "composite curve number of Mill CN = " in capsys.readouterr().out


def test_a_recorded_storm_is_given_as_the_page_of_the_format_says(tmp_path, monkeypatch):
    page = (DOCS / "study-format.md").read_text(encoding="utf-8").split("## Recorded and typed storms")[1]
    told = json.loads(page.split("```json\n")[1].split("```")[0])
    code = page.split("```python\n")[1].split("```")[0]
    monkeypatch.chdir(tmp_path)

    def run(line):
        monkeypatch.setattr(sys, "argv", shlex.split(line))
        with pytest.raises(SystemExit) as ended:
            main()
        assert not ended.value.code

    run("tarnwater new bridge.tarn.json")
    run("tarnwater add bridge.tarn.json catchment Hask area=3km2 curve_number=75 lag=45min")
    exec(compile(code, "study-format.md", "exec"), {})
    study, _ = read_study(Path("bridge.tarn.json"))
    assert study == study_from(study.as_dict() | told)
    run('tarnwater compute bridge.tarn.json --storm "May 2031"')


def test_the_readme_names_the_keys_as_they_are():
    readme = (DOCS.parent / "README.md").read_text(encoding="utf-8")
    table = readme.split("## Keys")[1].split("`tarnwater desktop-entry`")[0]
    from tarnwater.desk.actions import ACTIONS

    keys = {action.key for action in ACTIONS if action.key}
    told = {key.strip() for row in table.splitlines()[4:] if row for key in row.split("|")[1].split(",")}
    named = {key for key in told if key.startswith(("Ctrl+", "Shift+", "F")) and "…" not in key}
    assert named <= keys, named - keys


def test_every_picture_of_the_readme_is_there_and_every_picture_is_shown():
    readme = (DOCS.parent / "README.md").read_text(encoding="utf-8")
    kept = {path.name for path in (DOCS / "screenshots").glob("*.png")}
    assert set(re.findall(r"docs/screenshots/([\w-]+\.png)", readme)) == kept
    assert len(kept) < 20
