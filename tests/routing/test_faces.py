"""How devices and storage are drawn to scale, and what dragging them gives."""

import numpy as np
import pytest

from tarnwater.routing.ponds.forms import Chambers, Contours, Frustum, Prism, StageVolume
from tarnwater.routing.works import (
    BoxCulvert,
    BoxRiser,
    BroadWeir,
    Device,
    Infiltration,
    NotchWeir,
    Pump,
    RectangularOrifice,
    RoundOrifice,
    RoundPipe,
    RoundRiser,
    SharpWeir,
    TypedRating,
)

TOP = 3.0


def grip(face, title):
    return next(one for one in face.grips if one.title == title)


def test_a_round_opening_is_a_circle_of_its_size_at_its_height():
    face = RoundOrifice(bottom=0.4, diameter=0.3).face(TOP)
    assert face.circle == pytest.approx((0.55, 0.15))
    assert (face.low, face.high, face.width) == pytest.approx((0.4, 0.7, 0.3))
    assert face.moved(0.2) == {"bottom": pytest.approx(0.6)}
    assert grip(face, "diameter").change(0.1) == {"diameter": pytest.approx(0.4)}
    # a drag through the invert gives none, not less than none
    assert grip(face, "diameter").change(-1.0) == {"diameter": 0.0}


def test_a_box_opening_widens_at_both_sides_when_one_is_drawn_out():
    face = RectangularOrifice(bottom=1.0, width=0.8, height=0.3).face(TOP)
    assert face.outline == ((-0.4, 1.0), (0.4, 1.0), (0.4, 1.3), (-0.4, 1.3))
    assert grip(face, "width").at == pytest.approx((0.4, 1.15))
    assert grip(face, "width").change(0.1) == {"width": pytest.approx(1.0)}
    assert grip(face, "height").change(0.1) == {"height": pytest.approx(0.4)}


@pytest.mark.parametrize("weir", [BroadWeir(crest=2.0, length=4.0, side_slope=2.0), SharpWeir(crest=2.0, length=4.0)])
def test_a_crest_is_open_up_to_the_top(weir):
    face = weir.face(TOP)
    slope = getattr(weir, "side_slope", 0.0)
    assert face.opens
    assert (face.low, face.high) == (2.0, TOP)
    assert face.width == pytest.approx(4.0 + 2 * slope)
    assert grip(face, "crest length").change(0.5) == {"length": 5.0}
    assert face.moved(-0.5) == {"crest": 1.5}


def test_a_notch_opens_by_its_angle():
    face = NotchWeir(crest=2.0, angle=90.0).face(TOP)
    assert face.width == pytest.approx(2.0)
    wider = grip(face, "angle").change(np.tan(np.radians(60)) - 1.0)["angle"]
    assert wider == pytest.approx(120.0)


def test_a_riser_reaches_down_to_its_pipe_and_holds_it():
    riser = RoundRiser(crest=2.0, diameter=1.2, outlet=RoundPipe(bottom=-0.2, outlet=-0.5, diameter=0.6))
    face = riser.face(TOP)
    assert face.hollow
    assert (face.low, face.high, face.width) == pytest.approx((-0.2, 2.0, 1.2))
    (pipe,) = face.parts
    assert pipe.circle == pytest.approx((0.1, 0.3))
    # the whole pipe moves, so that it keeps its fall
    assert pipe.moved(0.1) == {"outlet/bottom": pytest.approx(-0.1), "outlet/outlet": pytest.approx(-0.4)}
    assert pipe.grips[0].title == "outlet diameter"
    assert pipe.grips[0].change(0.1) == {"outlet/diameter": pytest.approx(0.7)}
    box = BoxRiser(crest=2.0, length=2.0, width=1.0).face(TOP)
    assert box.width == 2.0
    assert grip(box, "length").change(0.25) == {"length": 2.5}


def test_a_culvert_moves_as_a_whole():
    face = BoxCulvert(bottom=0.5, outlet=0.3, width=1.2, height=0.9).face(TOP)
    assert (face.low, face.high, face.width) == pytest.approx((0.5, 1.4, 1.2))
    assert face.moved(0.1) == {"bottom": pytest.approx(0.6), "outlet": pytest.approx(0.4)}


def test_a_pump_a_rating_and_infiltration_are_drawn_as_levels():
    assert [z for z, _ in Pump(starts=1.5, stops=0.4).face(TOP).marks] == [1.5, 0.4]
    assert [z for z, _ in TypedRating(levels=(0.5, 1.0), flows=(0.0, 1.0)).face(TOP).marks] == [0.5]
    assert [z for z, _ in Infiltration(bottom=0.1).face(TOP).marks] == [0.1]


def test_every_grip_that_is_not_moved_gives_the_values_as_they_are():
    for model in Device.choices():
        face = (model() if model is not TypedRating else model(levels=(0.0, 1.0), flows=(0.0, 1.0))).face(TOP)
        for one in (face, *face.parts):
            for held in one.grips:
                assert all(np.isfinite(value) for value in held.change(0.0).values()), (model, held.title)


@pytest.mark.parametrize(
    ("drawn", "values"),
    [
        (RoundOrifice.drawn(0.5, 0.2, 0.3), {"bottom": 0.5, "diameter": 0.3}),
        (RoundOrifice.drawn(0.5, 0.0, 0.0), {"bottom": 0.5}),
        (RectangularOrifice.drawn(0.5, 0.2, 0.3), {"bottom": 0.5, "width": 0.2, "height": 0.3}),
        (BroadWeir.drawn(0.5, 3.0, 0.3), {"crest": 0.5, "length": 3.0}),
        (NotchWeir.drawn(0.5, 3.0, 0.3), {"crest": 0.5}),
        (RoundRiser.drawn(0.5, 1.0, 1.5), {"crest": 2.0, "diameter": 1.0}),
        (RoundPipe.drawn(0.5, 1.0, 0.6), {"bottom": 0.5, "outlet": 0.5, "diameter": 0.6}),
        (Pump.drawn(0.5, 1.0, 0.6), {}),
    ],
)
def test_a_stroke_gives_the_sizes_of_a_device(drawn, values):
    assert drawn == pytest.approx(values)


def test_the_floor_is_dragged_without_moving_the_top():
    pit = Frustum(bottom=90.0, depth=2.0, length=40.0, width=20.0, side_slope=3.0)
    floor, top, side, slope = pit.grips()
    assert floor.change(0.5) == {"bottom": 90.5, "depth": 1.5}
    assert top.change(0.5) == {"depth": 2.5}
    assert side.change(2.0) == {"length": 44.0}
    assert slope.change(1.0) == {"side_slope": 3.5}
    levels = np.array([90.0, 91.0, 92.0])
    assert pit.across(levels) == pytest.approx([40.0, 46.0, 52.0])
    assert pit.across_the_other_way(levels) == pytest.approx([20.0, 26.0, 32.0])


def test_storage_without_sides_is_as_wide_as_a_square_of_its_area():
    tank = Prism(bottom=0.0, depth=2.0, plan_area=900.0)
    assert tank.across(np.array([1.0])) == pytest.approx([30.0])
    assert tank.grips()[2].change(5.0) == {"plan_area": pytest.approx(1600.0)}
    table = StageVolume(levels=(0.0, 1.0, 2.0), volumes=(0.0, 100.0, 200.0))
    assert table.grips() == ()
    assert table.across(np.array([1.0])) == pytest.approx([10.0])
    assert Contours(levels=(0.0, 2.0), areas=(400.0, 400.0)).across(np.array([1.0])) == pytest.approx([20.0])
    assert Chambers(bed_area=400.0).across(np.array([0.5])) == pytest.approx([20.0])
