"""Commands on ponds and their outlet works."""

import numpy as np
import pytest

from tarnwater.study.file.store import read_study

DEPTHS = "100: 15min 26, 1h 45, 6h 80"


@pytest.fixture
def ponded(run):
    """A yard with a pond, made by commands, whose outfall allows a flow at 1 in 100."""
    run("new", "yard.tarn.json")
    run("add", "yard.tarn.json", "outfall", "Beck")
    run("add", "yard.tarn.json", "catchment", "Yard", "area=4ha", "concentration=20min", "curve_number=88")
    run("rain", "yard.tarn.json", "--series", "annual-maxima", "--depths", DEPTHS)
    run("pond", "yard.tarn.json", "Yard", "Pond")
    run("add-part", "yard.tarn.json", "Pond", "storage", "frustum", "depth=2m", "length=40m", "width=25m")
    run("add-part", "yard.tarn.json", "Pond", "devices", "round-orifice", "name=low", "diameter=300mm")
    run("limit", "yard.tarn.json", "Beck", "100=60L/s")
    return run


def diameter(run):
    return read_study(run.folder / "yard.tarn.json")[0].elements["pond"].devices[0].diameter


def test_limits_are_set_shown_and_cleared(ponded):
    told = ponded("limit", "yard.tarn.json", "Beck", "10=20 L/s")
    assert told.splitlines() == ["1 in 10: 20.00 L/s", "1 in 100: 60.00 L/s"]
    ponded("add", "yard.tarn.json", "confluence", "Weir")
    assert "1 in 10:" not in ponded("limit", "yard.tarn.json", "Beck", "10=")
    assert "no limit" in ponded("limit", "yard.tarn.json", "Weir")
    before = (ponded.folder / "yard.tarn.json").read_text()
    for words, told in (("often=1m3/s", "often"), ("10=much", "much"), ("10", "PERIOD=LIMIT"), ("0.5=1m3/s", "0.5")):
        assert told in ponded("limit", "yard.tarn.json", "Beck", words, code=2)
    assert (ponded.folder / "yard.tarn.json").read_text() == before


SIZE = "size", "yard.tarn.json", "Pond", "devices.low.diameter", "--least", "20mm", "--most", "800mm"


def test_a_dimension_is_found_shown_and_taken(ponded):
    told = ponded(*SIZE)
    assert "sizes tried" in told
    assert "1 in 100" in told
    assert told.count(" 60.00 L/s") == 3
    assert diameter(ponded) == 0.3
    ponded(*SIZE, "--use")
    assert 0.02 < diameter(ponded) < 0.3
    assert "kept" in ponded("compute", "yard.tarn.json")


def test_a_level_and_a_drain_time_are_goals_too(ponded):
    assert " 1.200 m " in ponded(*SIZE, "--below", "1.2m")
    ponded(*SIZE, "--empty-in", "24h", "--use")
    rating = read_study(ponded.folder / "yard.tarn.json")[0].elements["pond"].rating()
    low = np.interp(0.01 * rating.storages[-1], rating.storages, rating.levels)
    assert rating.drawdown(2.0, float(low)) == pytest.approx(24 * 3600, rel=1e-3)
    assert "two goals" in ponded(*SIZE, "--below", "1.2m", "--empty-in", "24h", code=2)


def test_what_cannot_be_sized_is_told_and_changes_nothing(ponded):
    before = (ponded.folder / "yard.tarn.json").read_text()
    words = "size", "yard.tarn.json", "Pond", "devices.low.diameter", "--least"
    assert "The least size stops it" in ponded(*words, "600mm", "--most", "800mm", "--use", code=2)
    assert "not below the greatest" in ponded(*words, "600mm", "--most", "200mm", code=2)
    assert "no pond" in ponded("size", "yard.tarn.json", "Yard", "lag", "--least", "1h", "--most", "2h", code=2)
    assert "no field" in ponded(
        "size", "yard.tarn.json", "Pond", "devices.low.width", "--least", "1m", "--most", "2m", code=2
    )
    assert (ponded.folder / "yard.tarn.json").read_text() == before


def test_ponds_are_shown_with_their_devices(ponded):
    told = ponded("ponds", "yard.tarn.json")
    head = told.splitlines()[1]
    assert all(word in head for word in ("highest", "freeboard", "overflow", "drains in", "low"))
    assert len(told.splitlines()) == 4
    assert len(ponded("ponds", "yard.tarn.json", "Pond", "--every").splitlines()) > 4
    ponded("remove-part", "yard.tarn.json", "Pond", "devices.low")
    assert "stores no water" in ponded("ponds", "yard.tarn.json", "Pond")


def test_a_ditch_is_checked_bare_and_grown_and_solved(run):
    given = "ditch", "--flow", "7.728m3/s", "--slope", "0.4%", "side_slope=1.5"
    told = run(*given, "bottom_width=2m", "roughness=0.03")
    assert "depth 1.200 m" in told
    assert "velocity 1.695 m/s" in told
    told = run(*given, "bottom_width=2m", "--ground", "Stiff clay", "--grown", "0.06")
    assert "of 1.140 m/s allowed (scours)" in told
    assert told.splitlines()[2].startswith("grown, depth 1.684 m")
    assert "bottom width b 2.000 m" in run(*given, "roughness=0.03", "--solve", "bottom_width", "--depth", "1.2m")
    assert "slope 0.4000 %" in run("ditch", "--flow", "7.728m3/s", "bottom_width=2m", "side_slope=1.5",
                                   "roughness=0.03", "--solve", "slope", "--depth", "1.2m")  # fmt: skip
    wide = run(*given, "--ground", "Stiff clay", "--solve", "width-and-depth")
    assert "velocity 1.140 m/s of 1.140 m/s allowed," in wide


def test_what_a_ditch_lacks_is_told(run):
    assert "the flow is missing" in run("ditch", "--slope", "1%", code=2)
    assert "the slope is missing" in run("ditch", "--flow", "1m3/s", code=2)
    assert "the depth is missing" in run("ditch", "--flow", "1m3/s", "--slope", "1%", "--solve", "slope", code=2)
    assert "Name the ground" in run("ditch", "--flow", "1m3/s", "--slope", "1%", "--solve", "width-and-depth", code=2)
    assert "there is no unknown" in run(
        "ditch", "--flow", "1m3/s", "--slope", "1%", "--solve", "colour", "--depth", "1m", code=2
    )


def test_a_ditch_carries_the_greatest_peak_of_an_element(ponded):
    told = ponded("ditch", "--study", "yard.tarn.json", "--element", "Yard", "--slope", "1%")
    assert told.startswith("Yard carries ")
    assert "1 in 100" in told.splitlines()[0]


def test_a_whole_outlet_is_proposed_and_taken(ponded):
    told = ponded("outlet", "yard.tarn.json", "Pond", "--sizes", "50mm, 100mm, 150mm, 225mm")
    assert "opening 1, round orifice" in told
    assert "spillway, broad-crested weir" in told
    assert diameter(ponded) == 0.3
    ponded("outlet", "yard.tarn.json", "Pond", "--least-storage", "--use")
    assert "kept" in ponded("compute", "yard.tarn.json")
    assert "no riser" in ponded("outlet", "yard.tarn.json", "Pond", "--riser", "tower", code=2)
    assert "no opening that is made" in ponded("outlet", "yard.tarn.json", "Pond", "--sizes", "900mm", code=2)


def test_what_is_required_is_shown_and_a_miss_ends_with_one(ponded):
    told = ponded("required", "yard.tarn.json", "Pond", code=1, whole=True)
    assert "1 in 100: flow at Beck within its limit" in told
    assert "not kept" in told
    ponded(*SIZE, "--use")
    told = ponded("required", "yard.tarn.json", "Pond")
    assert "not kept" not in told
    assert "60.00 L/s" in told
    assert "no storm is computed" in ponded("required", "yard.tarn.json", "Yard", code=1, whole=True)


def test_a_pond_is_shown_by_level_in_any_increment(ponded):
    lines = ponded("levels", "yard.tarn.json", "Pond", "--increment", "0.5 m").splitlines()
    assert [line.split()[0] for line in lines[2:]] == ["0", "0.50000", "1.0000", "1.5000", "2.0000"]
    assert "governs" in lines[0]
    assert "gives no table" in ponded("levels", "yard.tarn.json", "Pond", "--increment", "0", code=2)
    assert "no pond" in ponded("levels", "yard.tarn.json", "Yard", code=2)


@pytest.mark.parametrize("name", ["pond.pdf", "pond.svg", "pond.png", "pond.dxf"])
def test_a_pond_is_drawn_out(ponded, name):
    ponded("draw-out", "yard.tarn.json", "Pond", name)
    assert (ponded.folder / name).stat().st_size > 1000
    ponded("draw-out", "yard.tarn.json", "Pond", f"plan-{name}", "--plan")
    assert (ponded.folder / f"plan-{name}").exists()


def test_a_drawing_of_no_known_form_is_refused(ponded):
    assert ".dxf" in ponded("draw-out", "yard.tarn.json", "Pond", "pond.gif", code=2)
    assert not (ponded.folder / "pond.gif").exists()


def test_a_channel_is_added_set_listed_and_removed(ponded):
    told = ponded("channels", "yard.tarn.json", "Ditch", "element=Yard", "slope=1 %", "ground=Stiff clay",
                  "bottom_width=0.4m", "grown=0.05")  # fmt: skip
    assert "Ditch" in told
    works = read_study(ponded.folder / "yard.tarn.json")[0].channels["ditch"]
    assert (works.element, works.slope.value, works.section.bottom_width) == ("yard", 0.01, 0.4)
    assert "depth grown" in told
    shaped = ponded("channels", "yard.tarn.json", "Ditch", "section=parabola")
    assert "parabola" in shaped
    before = (ponded.folder / "yard.tarn.json").read_text()
    for words, told in (
        ("slope=steep", "steep"),
        ("width", "FIELD=VALUE"),
        ("cheese=3", "cheese"),
        ("slope=9", "Ditch"),
    ):
        assert told in ponded("channels", "yard.tarn.json", "Ditch", words, code=2)
    assert (ponded.folder / "yard.tarn.json").read_text() == before
    assert "There are no channels" in ponded("channels", "yard.tarn.json", "Ditch", "--remove")
    assert "Ditch" in ponded("channels", "yard.tarn.json", "Ditch", "--remove", code=2)


def test_a_culvert_is_sized_for_its_headwater(ponded):
    assert "is missing" in ponded("culverts", "yard.tarn.json", "Road", "element=Yard", "--size", code=2)
    told = ponded("culverts", "yard.tarn.json", "Road", "headwater=1.2m", "--size")
    assert "fits" in told
    barrel = read_study(ponded.folder / "yard.tarn.json")[0].culverts["road"].barrel
    assert barrel.diameter in (0.45, 0.525, 0.6, 0.75, 0.9, 1.05)
    assert "box" in ponded("culverts", "yard.tarn.json", "Road", "barrel=box-culvert")
    assert "no pipes" in ponded("culverts", "yard.tarn.json", "Road", "--remove")


def test_pipes_for_inlet_areas_are_added_by_command(ponded):
    told = ponded("pipes", "yard.tarn.json", "Yard", "--slope", "2%", "--length", "40m")
    assert "Pipe of Yard" in told
    pipe = read_study(ponded.folder / "yard.tarn.json")[0].culverts["pipe-of-yard"].barrel
    assert (pipe.length, pipe.bottom) == (40.0, pytest.approx(0.8))
    ponded("culverts", "yard.tarn.json", "Pipe of Yard", "--remove")
    # plain sizes are in millimetres
    ponded("pipes", "yard.tarn.json", "Yard", "--made", "1200, 1500")
    assert read_study(ponded.folder / "yard.tarn.json")[0].culverts["pipe-of-yard"].barrel.diameter == 1.2
    assert "it is no catchment, or has a pipe" in ponded("pipes", "yard.tarn.json", "Yard", code=2)
    assert "no inlet area is chosen" in ponded("pipes", "yard.tarn.json", code=2)


def test_a_channel_with_a_typed_flow_needs_no_rain(run):
    run("new", "plain.tarn.json")
    told = run("channels", "plain.tarn.json", "Ditch", "flow=0.5m3/s", "slope=0.5%")
    assert "fits" in told


def test_a_buried_storage_lets_only_so_much_in(ponded):
    assert "20.00 L/s at most" in ponded("inlet", "yard.tarn.json", "Pond", "20L/s")
    study = read_study(ponded.folder / "yard.tarn.json")[0]
    assert {link.down for link in study.links.values() if link.up == "inlet-of-pond"} == {"pond", "beck"}
    assert "much" in ponded("inlet", "yard.tarn.json", "Pond", "much", code=2)
