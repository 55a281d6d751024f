"""Commands on how rain becomes flow: the rational method, travel times, fits, sections and recorded inflows."""

import pytest

from tarnwater.study.file.store import create_study, read_study

DEPTHS = "100: 15min 26, 1h 45, 6h 80"


@pytest.fixture
def small(run):
    """A yard above an outfall with design storms, as the commands make it."""
    run("new", "yard.tarn.json")
    run("add", "yard.tarn.json", "catchment", "Yard", "area=4ha", "concentration=20min", "curve_number=80")
    run("rain", "yard.tarn.json", "--series", "annual-maxima", "--depths", DEPTHS)
    return run


@pytest.fixture
def valley(run, demo):
    """The demo study in the folder."""
    create_study(run.folder / "demo.tarn.gpkg", *demo)
    return run


def study_in(run, name="yard.tarn.json"):
    return read_study(run.folder / name)[0]


def test_the_rational_method_names_what_it_lacks_and_then_computes(small):
    told = small("rational", "yard.tarn.json", "Yard")
    assert "step 1 min" in told
    assert "missing: Yard" in told
    small("set", "yard.tarn.json", "Yard", "surfaces.0.loss.coefficient=0.6")
    assert "20 min" in small("compute", "yard.tarn.json")


def test_an_inflow_is_cut_from_a_record(small):
    stamps = [f"2031-05-{12 + hour // 24:02d}T{hour % 24:02d}:00" for hour in range(60)]
    rows = ["time,flow (m3/s)", *(f"{stamp},{1 + hour % 7}" for hour, stamp in enumerate(stamps))]
    (small.folder / "weir.csv").write_text("\n".join(rows))
    small("records", "yard.tarn.json", "Weir", "--from", "weir.csv", "--form", "flow", "--zone", "UTC+00:00")
    cut = "inflow", "yard.tarn.json", "Weir", "Upper", "--ends", "2031-05-13T18:00"
    assert "flow of Weir from 12 May 2031 06:00" in small(*cut, "--begins", "2031-05-12T06:00")
    assert len(study_in(small).elements["upper"].times) == 37
    assert "no date and time" in small(*cut, "--begins", "noon", code=2)


def test_travel_times_and_sections_are_taken_from_the_terrain(valley):
    assert "Hask: mean travel time" in valley("travel-times", "demo.tarn.gpkg", "Hask", "--storage", "5min")
    study = study_in(valley, "demo.tarn.gpkg")
    assert study.elements["hask"].transform.storage == 300.0
    name = next(e.name for e in study.elements.values() if getattr(e, "path", None))
    assert f"{name} has a section of" in valley("cut-section", "demo.tarn.gpkg", name, "40m", "--at", "0.5")


def test_a_loss_is_fitted_shown_and_taken(small):
    told = small("fit-loss", "yard.tarn.json", "Yard", "initial-constant")
    assert "initial loss" in told
    assert "misfit" in told
    assert study_in(small).elements["yard"].surfaces[0].loss.tag() == "curve-number"
    small("fit-loss", "yard.tarn.json", "Yard", "initial-constant", "--use")
    assert study_in(small).elements["yard"].surfaces[0].holding_fit is not None
    assert "cannot be fitted" in small("fit-loss", "yard.tarn.json", "Yard", "none", code=2)
