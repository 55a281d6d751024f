"""The section of a pond to scale: what is drawn, and what of it can be dragged."""

from itertools import pairwise

import pytest
from tests.study.test_sizing import pond_of

from tarnwater.drawings import Circle, Measure, Note, Outline
from tarnwater.routing.ponds.forms import Prism
from tarnwater.routing.works import BroadWeir, Pump, RoundOrifice, RoundPipe, RoundRiser
from tarnwater.study.pictures.pond_plan import pond_plan
from tarnwater.study.pictures.pond_section import LevelLine, pond_section

RISER = RoundRiser(name="riser", crest=1.6, diameter=1.2, outlet=RoundPipe(bottom=-0.1, outlet=-0.3, diameter=0.5))
INSIDE = RoundOrifice(name="low", inside="riser", bottom=0.2, diameter=0.2)
SPILLWAY = BroadWeir(name="spillway", crest=1.7, length=20.0)


def pond(*devices):
    return pond_of().model_copy(update={"devices": devices or (RISER, INSIDE, SPILLWAY)})


def shapes(section, kind):
    return [one for one in section.drawing.shapes if isinstance(one, kind)]


def notes(section):
    return [one.text for one in shapes(section, Note)]


def test_a_circle_is_a_circle_and_stands_at_its_height():
    section = pond_section(pond(), "SI", level=1.0)
    opening = next(c for c in shapes(section, Circle) if c.radius == pytest.approx(0.1))
    assert opening.centre[1] == pytest.approx(0.3)
    pipe = next(c for c in shapes(section, Circle) if c.radius == pytest.approx(0.25))
    assert pipe.centre[1] == pytest.approx(0.15)
    assert pipe.style == "dashed"


def test_lengths_are_shortened_by_a_round_number_that_is_written():
    section = pond_section(pond(), "SI")
    assert section.shortened > 1
    assert f"1/{section.shortened:g} of its heights" in section.drawing.told
    across = next(one for one in shapes(section, Measure) if "across" in one.text)
    # 40 m of floor with sides of three over a depth of two
    assert (across.end[0] - across.start[0]) * section.shortened == pytest.approx(52.0, rel=1e-6)
    assert across.text == "52.00 m across"


def test_a_long_crest_is_broken_off_and_its_grip_still_moves_its_true_end():
    section = pond_section(pond(), "SI")
    grip = next(g for g in section.grips if g.key == "devices/2:crest length")
    assert grip.factor > 1
    assert grip.changed(0.1) == {"devices/2/length": pytest.approx(20.0 + 2 * 0.1 * grip.factor)}


def test_water_stands_at_its_level_in_pond_and_riser_and_never_above_the_top():
    section = pond_section(pond(), "SI", level=1.2, inside={"riser": 0.4})
    surfaces = {round(o.places[0][1], 6) for o in shapes(section, Outline) if o.role == "water" and o.width >= 1.8}
    assert surfaces == {1.2, 0.4}
    over = pond_section(pond(), "SI", level=9.0)
    assert max(o.places[0][1] for o in shapes(over, Outline) if o.role == "water") == pytest.approx(2.0)


def test_a_closed_device_is_dim_and_is_said_to_be():
    closed = INSIDE.model_copy(update={"state": "closed"})
    section = pond_section(pond(RISER, closed), "SI")
    dim = next(c for c in shapes(section, Circle) if c.radius == pytest.approx(0.1))
    assert (dim.role, dim.style) == ("quiet", "dotted")
    assert "low, closed" in notes(section)


def test_sizes_stand_beside_the_devices_in_the_units_of_the_study():
    told = notes(pond_section(pond(), "SI"))
    assert {"low", "200 mm", "spillway", "20 m", "riser", "1.2 m"} <= set(told)
    us = notes(pond_section(pond(), "US"))
    assert "7.874 in" in us
    assert "65.62 ft" in us


def test_what_is_in_a_riser_is_found_there_and_outside_it_is_not():
    section = pond_section(pond(RISER, INSIDE, RoundOrifice(name="alone", bottom=0.5)), "SI")
    riser = next(one for one in section.devices if one.hollow)
    inner = next(one for one in section.devices if one.name == "low")
    alone = next(one for one in section.devices if one.name == "alone")
    middle = 0.5 * (inner.box[0] + inner.box[2]), 0.5 * (inner.box[1] + inner.box[3])
    assert section.device_at(middle) == inner
    assert section.riser_at(middle) == riser
    beside = 0.5 * (alone.box[0] + alone.box[2]), 0.5
    assert section.riser_at(beside) is None
    assert alone.changed(0.1) == {"devices/2/bottom": pytest.approx(0.6)}
    assert section.wall[0] < alone.box[0]


def test_openings_at_one_height_in_a_riser_lie_side_by_side():
    other = INSIDE.model_copy(update={"name": "other"})
    section = pond_section(pond(RISER, INSIDE, other), "SI")
    a, b = (one for one in section.devices if one.inside)
    assert a.box[2] <= b.box[0] or b.box[2] <= a.box[0]


def test_levels_are_written_apart_from_each_other():
    lines = [LevelLine(1.0 + 0.001 * n, f"level {n}", "water") for n in range(5)]
    section = pond_section(pond(), "SI", lines=lines)
    told = sorted(one.at[1] for one in shapes(section, Note) if one.text.startswith("level "))
    gaps = [b - a for a, b in pairwise(told)]
    assert min(gaps) >= section.drawing.height / 19 - 1e-9


def test_a_pump_is_drawn_by_its_levels_and_can_be_dragged():
    section = pond_section(pond(Pump(name="pump", starts=1.2, stops=0.3)), "SI")
    assert any(text.startswith("pump starts 1.2") for text in notes(section))
    grip = next(g for g in section.grips if g.grip.title == "start level")
    assert grip.changed(0.1) == {"devices/0/starts": pytest.approx(1.3)}


def test_a_pond_without_storage_has_no_section_and_one_without_devices_has():
    bare = pond_of().model_copy(update={"storage": ()})
    assert pond_section(bare, "SI") is None
    assert pond_plan(bare, "SI") is None
    assert pond_section(pond_of().model_copy(update={"devices": ()}), "SI") is not None


@pytest.mark.parametrize("ratio", [0.8, 1.5, 3.0])
def test_all_of_it_lies_in_its_frame_whatever_that_is(ratio):
    section = pond_section(pond(), "SI", ratio=ratio, level=1.0)
    left, low, right, high = section.drawing.bounds
    for one in shapes(section, Outline):
        for x, z in one.places:
            assert left - 1e-6 <= x <= right + 1e-6
            assert low - 1e-6 <= z <= high + 1e-6


def test_the_plan_has_the_sides_of_floor_and_top():
    drawing = pond_plan(pond(), "SI", [LevelLine(1.0, "1 in 10  1.000 m", "water")])
    told = [one.text for one in drawing.shapes if isinstance(one, Measure)]
    assert told == ["52.00 m", "42.00 m", "40.00 m", "30.00 m"]
    square = pond_of().model_copy(update={"storage": (Prism(plan_area=400.0),)})
    sides = [one.text for one in pond_plan(square, "SI").shapes if isinstance(one, Measure)]
    assert sides[:2] == ["20.00 m", "20.00 m"]
