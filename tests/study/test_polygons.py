"""Polygons from outside: what is offered and left out, where they drain, and the catchments they become."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import LineString, MultiPolygon, Point, Polygon, box

from tarnwater.errors import EditRefused
from tarnwater.formats.vector import VectorLayer
from tarnwater.network.elements import Confluence, Outfall, Reach
from tarnwater.study import edits
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.polygons import Candidate, Fields, offer, plan, proposed_fields, take_polygons
from tarnwater.terrain.drainage import drain
from tarnwater.terrain.grid import Grid

EMPTY = Study(title="By hand")
BOW_TIE = Polygon([(0, 0), (100, 100), (100, 0), (0, 100)])
CELL, ROWS, COLUMNS, MIDDLE = 10.0, 40, 31, 15


def layer(*shapes, **fields):
    return VectorLayer(
        name="areas",
        crs="EPSG:27700",
        shapes=tuple(shapes),
        numbers=tuple(range(1, len(shapes) + 1)),
        fields={name: tuple(column) for name, column in fields.items()},
    )


def valley():
    down, across = np.indices((ROWS, COLUMNS))
    return drain(Grid(200.0 - down + 3.0 * np.abs(across - MIDDLE), 0, ROWS * CELL, CELL, CELL, "EPSG:27700"))


def band(first, last):
    return box(0, (ROWS - 1 - last) * CELL, COLUMNS * CELL, (ROWS - first) * CELL)


BANDS = (band(0, 9), band(10, 24), band(25, 39))


def taken(*shapes, drains="an outfall each", drainage=None, study=EMPTY, fields=None, **columns):
    offered = offer(study, layer(*shapes, **columns), fields or Fields(name="name" if "name" in columns else ""))
    blobs = Blobs()
    return take_polygons(study, plan(offered.candidates, drains, drainage), blobs, "areas.gpkg"), blobs


def test_names_curve_numbers_areas_and_downstream_names_come_from_fields():
    found = offer(
        EMPTY,
        layer(*BANDS[:2], name=("Moor", "Mill"), cn=(61.5, "74"), ha=(3.2, None), into=("Mill", "")),
        Fields(name="name", curve_number="cn", area="ha", area_unit="ha", downstream="into"),
    ).candidates
    assert [(c.name, c.curve_number, c.stated_area, c.downstream) for c in found] == [
        ("Moor", 61.5, 32_000.0, "Mill"),
        ("Mill", 74.0, None, ""),
    ]
    assert found[0].area == pytest.approx(10 * COLUMNS * CELL**2, rel=1e-12)


def test_fields_are_proposed_by_their_usual_names():
    found = proposed_fields(layer(BANDS[0], NAME=("a",), CN=(70,), Drains_to=("b",), other=(1,)))
    assert (found.name, found.curve_number, found.downstream) == ("NAME", "CN", "Drains_to")


@pytest.mark.parametrize(
    ("shape", "said", "place"),
    [
        (BOW_TIE, "crosses itself", (50.0, 50.0)),
        (LineString([(1, 2), (3, 4)]), "encloses no area", (1.0, 2.0)),
        (Point(7, 8), "no area", (7.0, 8.0)),
        (box(0, 0, 0.5, 0.5), "sliver", None),
        (box(0, 0, 5000, 0.004), "sliver", None),
        (Polygon(box(0, 0, 10, 10).exterior.coords, [box(20, 20, 25, 25).exterior.coords]), "no polygon", (25.0, 20.0)),
    ],
    ids=["self-crossing", "a line", "a point", "zero-area sliver", "thin sliver", "invalid geometry"],
)
def test_what_cannot_be_a_catchment_is_left_out_with_its_place(shape, said, place):
    found = offer(EMPTY, layer(BANDS[0], shape), Fields())
    assert len(found.candidates) == 1
    (left,) = found.rejected
    assert left.number == 2
    assert said in left.what
    assert place is None or left.place == pytest.approx(place)


def test_a_duplicate_is_left_out_however_its_outline_runs():
    points = list(BANDS[0].exterior.coords)[:-1]
    turned = Polygon([*points[2:], *points[:2]][::-1])
    found = offer(EMPTY, layer(BANDS[0], BANDS[1], turned), Fields())
    assert [c.number for c in found.candidates] == [1, 2]
    assert found.rejected[0].what == "is the same as row 1"


def test_text_in_number_fields_is_told_and_the_polygon_kept():
    found = offer(
        EMPTY,
        layer(*BANDS, cn=("n/a", 130.0, "72"), ha=("unknown", -4.0, "1.5")),
        Fields(curve_number="cn", area="ha", area_unit="ha"),
    )
    assert [(c.curve_number, c.stated_area) for c in found.candidates] == [(None, None), (None, None), (72.0, 15_000.0)]
    assert len(found.notes) == 4
    assert "row 1, Catchment 1: “n/a” is no number, the field cn was not used" in found.notes


def test_names_are_unique_also_against_those_that_are_there():
    study = edits.add_element(EMPTY, Outfall(name="Moor"))
    found = offer(study, layer(*BANDS, name=("Moor", "Moor", None)), Fields(name="name"))
    assert [c.name for c in found.candidates] == ["Moor 2", "Moor 3", "Catchment 3"]


def test_overlaps_are_told_with_their_area():
    found = offer(EMPTY, layer(band(0, 9), band(8, 20)), Fields())
    assert found.notes == ("Catchment 1 and Catchment 2 overlap by 0.6200 ha",)
    assert offer(EMPTY, layer(*BANDS), Fields()).notes == ()


def test_gaps_and_overlaps_are_closed_up_to_an_area_and_told():
    lower = box(0, 0, 100, 100), box(99, 0, 200, 100)
    shapes = (*lower, box(0, 101, 200, 200), box(0, 100, 50, 101), box(51, 100, 200, 101))
    found = offer(EMPTY, layer(*shapes), Fields(), mend_up_to=150.0)
    assert sum(c.area for c in found.candidates) == pytest.approx(200 * 200)
    assert found.faults == ()
    assert "mended: Catchment 1 and Catchment 2 overlap by 100.0 m²" in found.notes
    assert any(note.startswith("mended: a gap of 1.000 m² between") for note in found.notes)
    left = offer(EMPTY, layer(*shapes), Fields(), mend_up_to=50.0)
    assert [fault.kind for fault in left.faults] == ["overlap"]
    assert "Catchment 1 and Catchment 2 overlap by 100.0 m²" in left.notes


def test_an_area_that_lies_wholly_in_another_is_left_out_when_overlaps_are_closed():
    found = offer(EMPTY, layer(box(0, 0, 100, 100), box(10, 10, 20, 20)), Fields(), mend_up_to=1000.0)
    assert [c.number for c in found.candidates] == [1]
    assert found.rejected[0].what == "lies wholly in areas above it"


def test_multipolygons_holes_and_long_outlines_keep_their_area():
    angle = np.linspace(0, 2 * np.pi, 10_001)[:-1]
    round_one = Polygon(np.column_stack([500 * np.cos(angle), 500 * np.sin(angle)]))
    holed = Polygon(box(1000, 0, 1100, 100).exterior.coords, [box(1020, 20, 1040, 40).exterior.coords])
    parts = MultiPolygon([box(2000, 0, 2100, 100), box(2200, 0, 2300, 50)])
    study, blobs = taken(round_one, holed, parts)
    areas = [c.area.value for c in study.catchments.values()]
    circle = 0.5 * 500**2 * 10_000 * np.sin(2 * np.pi / 10_000)
    assert areas == pytest.approx([circle, 9_600.0, 15_000.0], rel=1e-12)
    outlines = [blobs.shape(c.outline) for c in study.catchments.values()]
    assert [shapely.get_num_interior_rings(shapely.get_geometry(o, 0)) for o in outlines] == [0, 1, 0]
    assert [len(o.geoms) for o in outlines] == [1, 1, 2]
    assert len(shapely.get_coordinates(outlines[0])) == 10_001


def test_each_way_of_draining_makes_its_network():
    each, _ = taken(*BANDS)
    assert sum(isinstance(e, Outfall) for e in each.elements.values()) == 3
    one, _ = taken(*BANDS, drains="one outfall")
    assert [e.name for e in one.elements.values() if isinstance(e, Outfall)] == ["Outfall"]
    assert {link.down for link in one.links.values()} == {"outfall"}
    columns = {"name": ("A", "B", "C"), "to": ("b", "C", "")}
    named, _ = taken(*BANDS, drains="named", fields=Fields(name="name", downstream="to"), **columns)
    network = resolve(named, "existing")
    assert list(network.downstream["a-outlet"]) == ["b-outlet"]
    kinds = [type(named.elements[f"{key}-outlet"]) for key in "abc"]
    assert kinds == [Confluence, Confluence, Outfall]


def test_by_the_terrain_they_are_led_on_by_reaches_and_measured():
    study, _ = taken(*BANDS, drains="terrain", drainage=valley(), name=("A", "B", "C"))
    reach = study.elements["a-reach"]
    assert isinstance(reach, Reach)
    assert reach.length.value == pytest.approx(15 * CELL)
    assert reach.slope.value == pytest.approx(0.1)
    a = study.catchments["a"]
    assert a.area.value == pytest.approx(10 * COLUMNS * CELL**2)
    assert a.flow_length.value == pytest.approx((15 + 9) * CELL)
    assert a.mean_slope.value > 0.3
    assert study.elements["a-outlet"].place == (MIDDLE * CELL + 5, (ROWS - 9) * CELL - 5)


def test_stated_areas_and_curve_numbers_are_typed_with_their_source():
    study, _ = taken(
        BANDS[0], name=("A",), cn=(66.0,), ha=(3.0,),
        fields=Fields(name="name", curve_number="cn", area="ha", area_unit="ha"),
    )  # fmt: skip
    a = study.catchments["a"]
    assert (a.area.value, a.area.derived) == (30_000.0, pytest.approx(31_000.0))
    assert a.area.typed.note == "stated in areas.gpkg"
    assert a.curve_number == 66.0


def test_named_ones_in_a_circle_are_refused_with_the_circle():
    found = offer(EMPTY, layer(*BANDS, n=("A", "B", "C"), to=("B", "C", "A")), Fields(name="n", downstream="to"))
    with pytest.raises(EditRefused, match=r"circle: A → B → C → A"):
        plan(found.candidates, "named")


def test_a_downstream_name_that_is_not_there_gets_an_outfall_and_is_told():
    found = offer(EMPTY, layer(BANDS[0], n=("A",), to=("Weir",)), Fields(name="n", downstream="to"))
    made = plan(found.candidates, "named")
    assert made.downstream == (-1,)
    assert "“Weir”, which is not there" in made.notes[0]


def test_land_beside_the_terrain_and_land_that_drains_elsewhere_are_told():
    slope = drain(Grid(200.0 - np.indices((ROWS, COLUMNS))[0], 0, ROWS * CELL, CELL, CELL, "EPSG:27700"))
    shapes = (box(100, 100, 200, 200), box(-50, 250, 50, 350), box(900, 900, 950, 950))
    notes = plan(offer(EMPTY, layer(*shapes), Fields()).candidates, "terrain", slope).notes
    assert "by the terrain 90 % of Catchment 1 drain elsewhere than to its outlet" in notes
    assert "50 % of Catchment 2 lie beside the terrain" in notes
    assert "Catchment 3 lies beside the terrain and is not measured on it" in notes


def test_drainage_by_the_terrain_needs_one():
    with pytest.raises(EditRefused, match="no terrain"):
        plan(offer(EMPTY, layer(BANDS[0]), Fields()).candidates, "terrain")
    with pytest.raises(EditRefused, match="no polygon"):
        take_polygons(EMPTY, plan([], "an outfall each"), Blobs(), "none.gpkg")


@given(st.integers(0, 10_000))
@settings(max_examples=25, deadline=None)
def test_by_the_terrain_every_outlet_has_more_land_above_it_than_the_one_before(seed):
    """So that areas in several parts, which lie in each other's way, drain in no circle."""
    rng = np.random.default_rng(seed)
    drainage = drain(Grid(rng.random((30, 30)), 0, 300, CELL, CELL, "EPSG:27700"))
    cells = [box(x, y, x + 50, y + 50) for x in range(0, 300, 50) for y in range(0, 300, 50)]
    owner = rng.integers(0, 5, len(cells))
    shapes = [shapely.union_all([c for c, o in zip(cells, owner, strict=True) if o == n]) for n in range(5)]
    found = offer(EMPTY, layer(*(s for s in shapes if not s.is_empty)), Fields()).candidates
    made = plan(found, "terrain", drainage)

    def above(index):
        return drainage.upstream[drainage.grid.cell_at(*made.ground[index].outlet)]

    for index, below in enumerate(made.downstream):
        assert below < 0 or above(below) > above(index)


@given(st.lists(st.tuples(*[st.integers(-500, 500)] * 4), min_size=1, max_size=8))
@settings(max_examples=60, deadline=None)
def test_any_boxes_are_taken_or_left_out_and_none_is_lost(corners):
    shapes = [box(min(a, c), min(b, d), max(a, c), max(b, d)) for a, b, c, d in corners]
    found = offer(EMPTY, layer(*shapes), Fields())
    assert len(found.candidates) + len(found.rejected) == len(shapes)
    assert sum(c.area for c in found.candidates) <= sum(s.area for s in shapes) + 1e-6
    if found.candidates:
        study = take_polygons(EMPTY, plan(found.candidates, "one outfall"), Blobs(), "boxes")
        total = sum(c.area.value for c in study.catchments.values())
        assert total == pytest.approx(sum(c.area for c in found.candidates), rel=1e-12)


def test_a_candidate_has_a_place_inside():
    ring = MultiPolygon([Polygon(box(0, 0, 100, 100).exterior.coords, [box(10, 10, 90, 90).exterior.coords])])
    assert ring.contains(Point(Candidate(1, "ring", ring, ring.area, ring.length).place))
