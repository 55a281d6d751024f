"""Drawings: closed and open outlines, arcs, splines, blocks, hatches, texts, units."""

import math

import ezdxf
import numpy as np
import pytest
from ezdxf.math import Vec3

from tarnwater.errors import VectorError
from tarnwater.formats.drawing import drawing_layers, read_drawing
from tarnwater.formats.vector import ARC_STEP

SQUARE = [(0, 0), (100, 0), (100, 50), (0, 50)]


@pytest.fixture
def drawing(tmp_path):
    document = ezdxf.new("R2010", setup=False)
    document.header["$INSUNITS"] = 6
    document.path = tmp_path / "yard.dxf"
    return document


def read(document, *layers, **options):
    document.saveas(document.path)
    return read_drawing(document.path, layers, **options)


def test_closed_outlines_are_areas_and_others_lines(drawing):
    space = drawing.modelspace()
    space.add_lwpolyline(SQUARE, close=True, dxfattribs={"layer": "PAVED"})
    space.add_lwpolyline([*SQUARE, SQUARE[0]], dxfattribs={"layer": "ROOF"})
    space.add_lwpolyline(SQUARE[:3], dxfattribs={"layer": "DITCH"})
    space.add_line((0, 0), (30, 40), dxfattribs={"layer": "DITCH"})
    found = read(drawing)
    assert [s.geom_type for s in found.shapes] == ["Polygon", "Polygon", "LineString", "LineString"]
    assert [s.area for s in found.shapes[:2]] == [5000, 5000]
    assert found.fields["layer"] == ("PAVED", "ROOF", "DITCH", "DITCH")
    assert found.notes[0] == "the drawing states its unit: 1 m"
    assert drawing_layers(drawing.path) == ("DITCH", "PAVED", "ROOF")
    assert len(read_drawing(drawing.path, ("DITCH",))) == 2


def test_an_outline_left_open_is_rejected_with_its_place(drawing):
    drawing.modelspace().add_lwpolyline([*SQUARE, (0, 2)], dxfattribs={"layer": "YARD"})
    found = read(drawing)
    assert found.shapes == ()
    (left,) = found.rejected
    assert "open" in left.what
    assert "YARD" in left.what
    assert left.place == (0, 0)


def test_rows_are_numbered_as_the_objects_of_the_drawing_those_left_out_too(drawing):
    space = drawing.modelspace()
    space.add_lwpolyline(SQUARE, close=True)
    space.add_lwpolyline([*SQUARE, (0, 2)])
    space.add_lwpolyline(SQUARE, close=True)
    found = read(drawing)
    assert found.numbers == (1, 3)
    assert [one.number for one in found.rejected] == [2]


def test_arcs_and_bulges_are_given_chords_and_it_is_said(drawing):
    space = drawing.modelspace()
    space.add_circle((0, 0), 50)
    # two half circles of 20 m on the short sides of a square of 40 m
    space.add_lwpolyline([(0, 0, 1), (0, -40, 0), (60, -40, 1), (60, 0, 0)], format="xyb", close=True)
    space.add_arc((500, 500), 10, 0, 90)
    found = read(drawing)
    assert found.shapes[0].area == pytest.approx(math.pi * 50**2, rel=2e-5)  # chords of half a degree: 1.3e-5
    assert found.shapes[1].area == pytest.approx(60 * 40 + math.pi * 20**2, rel=1e-4)
    assert found.shapes[2].length == pytest.approx(math.pi * 10 / 2, rel=1e-4)
    assert f"arcs and splines, given chords of {ARC_STEP}°: 3" in found.notes


def test_splines_and_ellipses_keep_their_shape(drawing):
    space = drawing.modelspace()
    space.add_ellipse((0, 0), major_axis=(40, 0), ratio=0.5)
    angle = np.linspace(0, 2 * np.pi, 25)
    space.add_spline([Vec3(30 * math.cos(a), 30 * math.sin(a), 0) for a in angle])
    found = read(drawing)
    assert found.shapes[0].area == pytest.approx(math.pi * 40 * 20, rel=1e-4)
    assert found.shapes[1].geom_type in ("Polygon", "LineString")
    assert found.shapes[1].length == pytest.approx(2 * math.pi * 30, rel=2e-3)  # a spline through 24 points of a circle


def test_blocks_are_opened_where_they_stand(drawing):
    block = drawing.blocks.new("SHED")
    block.add_lwpolyline(SQUARE, close=True, dxfattribs={"layer": "0"})
    inner = drawing.blocks.new("PAIR")
    inner.add_blockref("SHED", (0, 0), dxfattribs={"layer": "0"})
    inner.add_blockref("SHED", (0, 100), dxfattribs={"layer": "FAR"})
    drawing.modelspace().add_blockref(
        "PAIR", (1000, 2000), dxfattribs={"layer": "SHEDS", "xscale": 0.5, "yscale": 0.5, "rotation": 90}
    )
    found = read(drawing)
    assert [round(s.area, 6) for s in found.shapes] == [1250, 1250]
    assert found.fields["layer"] == ("SHEDS", "FAR")
    assert found.shapes[0].bounds == pytest.approx((975, 2000, 1000, 2050), abs=1e-6)
    assert "blocks that were opened: 3" in found.notes


def test_a_hatch_is_an_area_with_its_holes(drawing):
    hatch = drawing.modelspace().add_hatch(color=3, dxfattribs={"layer": "GRASS"})
    hatch.paths.add_polyline_path(SQUARE, is_closed=True)
    hatch.paths.add_polyline_path([(10, 10), (20, 10), (20, 20), (10, 20)], is_closed=True)
    found = read(drawing)
    assert found.shapes[0].area == pytest.approx(5000 - 100)
    assert found.fields["colour"] == (3.0,)


def test_a_text_belongs_to_the_smallest_outline_around_it(drawing):
    space = drawing.modelspace()
    space.add_lwpolyline(SQUARE, close=True)
    space.add_lwpolyline([(10, 10), (30, 10), (30, 30), (10, 30)], close=True)
    space.add_text("B", dxfattribs={"insert": (20, 20)})
    space.add_mtext("C/D\\Psoil", dxfattribs={"insert": (80, 40)})
    space.add_text("outside", dxfattribs={"insert": (500, 500)})
    assert read(drawing).fields["label"] == ("C/D soil", "B")


@pytest.mark.parametrize(("code", "metres"), [(4, 0.001), (2, 0.3048), (1, 0.0254), (21, 1200 / 3937)])
def test_units_of_the_header_are_applied(drawing, code, metres):
    drawing.header["$INSUNITS"] = code
    drawing.modelspace().add_lwpolyline(SQUARE, close=True)
    assert read(drawing).shapes[0].area == pytest.approx(5000 * metres**2, rel=1e-12)


def test_a_drawing_without_units_is_taken_in_metres_or_as_asked(drawing):
    drawing.header["$INSUNITS"] = 0
    drawing.modelspace().add_lwpolyline(SQUARE, close=True)
    found = read(drawing)
    assert "the drawing states no unit; metres were taken" in found.notes
    assert read_drawing(drawing.path, unit=0.5).shapes[0].area == 1250


def test_heights_are_left_out_and_other_objects_told(drawing):
    space = drawing.modelspace()
    space.add_polyline3d([(0, 0, 5), (10, 0, 6), (10, 10, 7)], close=True)
    space.add_3dface([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)])
    found = read(drawing)
    assert found.shapes[0].area == 50
    assert not found.shapes[0].has_z
    assert "objects passed over, 3DFACE: 1" in found.notes


@pytest.mark.parametrize("content", [b"", b"no drawing", b"\x00\x01\x02"])
def test_foreign_files_are_said(tmp_path, content):
    path = tmp_path / "odd.dxf"
    path.write_bytes(content)
    with pytest.raises(VectorError, match="does not begin as a DXF"):
        read_drawing(path)


@pytest.mark.parametrize("share", [0.2, 0.5, 0.9, 0.999])
def test_a_drawing_cut_short_is_said_and_nothing_of_it_taken(drawing, share):
    space = drawing.modelspace()
    for row in range(50):
        space.add_lwpolyline([(x, y + 60 * row) for x, y in SQUARE], close=True)
    drawing.saveas(drawing.path)
    text = drawing.path.read_bytes()
    drawing.path.write_bytes(text[: int(share * len(text))])
    with pytest.raises(VectorError, match="damaged or cut short"):
        read_drawing(drawing.path)


def test_a_polyline_on_its_back_lies_where_it_is_seen(drawing):
    drawing.modelspace().add_lwpolyline(SQUARE, close=True, dxfattribs={"extrusion": (0, 0, -1)})
    assert read(drawing).shapes[0].bounds == (-100, 0, 0, 50)


def test_a_drawing_that_is_not_there_is_said(tmp_path):
    with pytest.raises(VectorError, match="no such file"):
        read_drawing(tmp_path / "none.dxf")
