"""Studies in Python: opened, edited by name, computed, and read as arrays; the worked script of the docs."""

import runpy
from pathlib import Path

import numpy as np
import pytest
import xarray

import tarnwater
from tarnwater.brief.arrays import results_dataset, write_netcdf
from tarnwater.errors import BadInput, ComputationFailed, StudyFileError, UnknownName
from tarnwater.study import edits
from tarnwater.study.answers import Results
from tarnwater.study.edits.sections import section_by_numbers
from tarnwater.study.file.store import create_study

DOCS = Path(__file__).parents[1] / "docs"


@pytest.fixture(params=["one.tarn.gpkg", "one.tarn.json"])
def path(request, tmp_path, demo):
    made = tmp_path / request.param
    create_study(made, *demo)
    return made


def test_the_worked_script_of_the_docs_runs_and_says_what_it_found(tmp_path, monkeypatch, capsys):
    monkeypatch.chdir(tmp_path)
    runpy.run_path(str(DOCS / "worked_script.py"))
    told = capsys.readouterr().out.splitlines()
    peaks = [float(line.split("m3/s")[0].split()[-1]) for line in told[:3]]
    # the pond holds back, and a wider outlet less so
    assert peaks[1] < peaks[2] < peaks[0]
    level = float(told[3].removeprefix("the pond rises to ").removesuffix(" m"))
    assert 2.0 < level < 2.5
    arrays = xarray.open_dataset("field.nc", engine="h5netcdf")
    assert float(arrays.level.max()) == pytest.approx(level, abs=0.005)
    # what a draft tried is not in the file
    written = tarnwater.open("field.tarn.json")
    assert written.value("Mere", "devices.low.diameter", "With a pond") == 0.45


def test_a_study_is_edited_by_name_and_the_edit_is_written(path):
    study = tarnwater.open(path)
    assert study.value("Hask", "lag") == pytest.approx(2476, rel=0.01)
    study.set("Hask", lag="45 min")
    study.set("Hask", {"least_concentration": 600.0})
    assert study.value("hask", "lag") == 2700.0
    assert study.value("Hask", "least_concentration") == 600.0
    again = tarnwater.open(path)
    assert again.value("Hask", "lag") == 2700.0
    assert again.document == study.document


def test_an_edit_applies_to_one_condition(path):
    study = tarnwater.open(path)
    other = list(study.document.conditions.values())[1].name
    study.set("Hask", condition=other, lag="1 h")
    assert study.value("Hask", "lag", other) == 3600.0
    assert study.value("Hask", "lag") != 3600.0


def test_a_draft_is_written_nowhere(path):
    before = path.read_bytes()
    draft = tarnwater.open(path).draft()
    draft.set("Hask", lag="45 min")
    draft.remove("Wimmer")
    assert draft.value("Hask", "lag") == 2700.0
    assert path.read_bytes() == before


def test_an_act_on_the_terrain_works_on_a_study_and_is_refused_on_a_draft(path):
    study = tarnwater.open(path)
    reach = next(element.name for element in study.document.elements.values() if getattr(element, "path", None))
    study.edit_with_blobs(section_by_numbers, reach, 40.0)
    assert len(study.element(reach).method.section.stations) > 3
    assert tarnwater.open(path).document == study.document
    with pytest.raises(BadInput, match="a draft has no grids"):
        study.draft().edit_with_blobs(section_by_numbers, reach, 40.0)


def test_elements_are_added_connected_and_removed(tmp_path):
    study = tarnwater.new(tmp_path / "new.tarn.gpkg", title="New", units="US")
    assert study.document.units == "US"
    study.add("catchment", "Hask", area="100 ac", curve_number=80, lag="0.5 h")
    study.add("confluence", "Ford")
    study.connect("Hask", "Ford")
    assert study.value("Hask", "area") == pytest.approx(404685.64, abs=0.01)
    assert [link.down for link in study.document.links.values() if link.up == "hask"] == ["ford"]
    study.remove("Ford")
    assert "Ford" not in study.names
    study.add("pond", "Mere")
    study.add_part("Mere", "storage", "prism", depth=2.0, plan_area=500)
    study.add_part("Mere", "devices", "pump", name="pump", starts=1, stops=0.2)
    assert study.element("Mere").storage[0].plan_area == 500.0
    study.remove_part("Mere", "devices.pump")
    assert study.element("Mere").devices == ()


def test_what_is_refused_changes_nothing_and_says_why(path):
    study = tarnwater.open(path)
    before = study.document
    with pytest.raises(UnknownName, match="Did you mean"):
        study.set("Hsak", lag="45 min")
    with pytest.raises(BadInput, match="lag"):
        study.set("Hask", lag="-5 min")
    with pytest.raises(UnknownName):
        study.value("Hask", "lagg")
    with pytest.raises(StudyFileError):
        tarnwater.new(path)
    with pytest.raises(StudyFileError):
        tarnwater.open(path.with_name("none.tarn.json"))
    assert study.document == before == tarnwater.open(path).document


def test_results_answer_by_name(path, demo_results):
    found = tarnwater.open(path).compute(points=["Pellowford bridge"], storms=["100"])
    expected = demo_results.answer("existing", "pellowford-outlet", 100.0).figures.peak.ordinate
    assert found.peak("Pellowford bridge", 100) == expected
    assert f"{expected:.4g}" in found.explain("Pellowford bridge", "peak", 100)
    frame = found.peaks()
    governing = frame[(frame.governing == "yes") & (frame.condition == "Existing")]
    assert float(governing.peak_m3_per_s.iloc[0]) == pytest.approx(expected)
    with pytest.raises(UnknownName):
        found.peak("Pellowford bridge", 50)


def test_arrays_hold_the_flows_of_the_cases_with_units_and_names(demo_results):
    data = results_dataset(demo_results)
    assert data.sizes["case"] == len({id(a.result) for a in demo_results.answers()})
    assert data.flow.attrs["units"] == "m3 s-1"
    assert data.flow.attrs["standard_name"] == "water_volume_transport_in_river_channel"
    assert data.attrs["Conventions"].startswith("CF-")
    case = demo_results.answer("existing", "pellowford-outlet", 100.0).result
    row = next(
        n for n in range(data.sizes["case"])
        if (str(data.design_point[n].item()), str(data.condition[n].item()), str(data.event[n].item()))
        == ("Pellowford bridge", "Existing", "1 in 100")
    )  # fmt: skip
    own = data.isel(case=row).sel(element="Pellowford bridge")
    flow = case.flow("pellowford-outlet")
    assert (own.flow.values[: len(flow)] == flow).all()
    assert np.isnan(own.flow.values[len(flow) :]).all()
    assert float(own.peak) == case.peak("pellowford-outlet").ordinate
    rain = data.isel(case=row).sel(element="Hask").rain
    assert float(rain.sum()) == pytest.approx(float(case.rain_on("hask").sum()))


def test_arrays_of_cases_with_other_steps_have_their_own_times(demo_study):
    point = demo_study.design_points["yard-outlet"].model_copy(update={"step": 60.0})
    study = edits.set_design_point(demo_study, "yard-outlet", point)
    from tarnwater.study.answers import compute_cases

    data = results_dataset(compute_cases(study, return_periods=[100.0]))
    steps = {float(t[1]) for t in data.time.values}
    assert len(steps) == 2
    assert data.time.dims == ("case", "step")


def test_a_netcdf_file_is_whole_and_reads_back_to_the_last_bit(tmp_path, demo_results):
    write_netcdf(demo_results, tmp_path / "one.nc")
    data, again = results_dataset(demo_results), xarray.open_dataset(tmp_path / "one.nc", engine="h5netcdf")
    assert (again.flow.values == data.flow.values)[~np.isnan(data.flow.values)].all()
    assert list(again.element.values) == list(data.element.values)
    assert not [p for p in tmp_path.iterdir() if p.name != "one.nc"]


def test_without_a_case_there_is_nothing_to_write(tmp_path, demo_study):
    with pytest.raises(ComputationFailed, match="no computed case"):
        write_netcdf(Results(demo_study, ()), tmp_path / "one.nc")
    assert not list(tmp_path.iterdir())


def test_the_command_line_writes_netcdf(run, demo):
    create_study(run.folder / "one.tarn.json", *demo)
    told = run("compute", "one.tarn.json", "--point", "Yard outlet", "--storm", "100", "--netcdf", "one.nc")
    assert "Wrote one.nc." in told
    assert xarray.open_dataset(run.folder / "one.nc", engine="h5netcdf").sizes["element"] >= 4
