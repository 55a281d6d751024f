"""Drawings written to files: to scale, with their dimensions, in every format."""

import re

import ezdxf
import pytest
from tests.study.test_sizing import pond_of

from tarnwater.brief.drawings import save_drawing, scale_of
from tarnwater.brief.plots import save_plot
from tarnwater.drawings import Circle, Drawing, Measure, Note, Outline
from tarnwater.errors import StorageError
from tarnwater.study.document import Study
from tarnwater.study.pictures.pond import outflow_plot
from tarnwater.study.pictures.pond_section import pond_section

SQUARE = Drawing(
    "Tank & “pit”", "true to scale", (-1.0, -1.0, 11.0, 6.0),
    (
        Outline(((0.0, 0.0), (10.0, 0.0), (10.0, 5.0), (0.0, 5.0)), "ink", closed=True, filled=0.2),
        Circle((5.0, 2.5), 1.0, "water"), Note((0.0, 5.5), "top 5.000 m", side="right", above=True),
        Measure((0.0, -0.5), (10.0, -0.5), "10.00 m"),
    ),
)  # fmt: skip


@pytest.mark.parametrize("suffix", ["png", "svg", "pdf", "dxf"])
def test_a_drawing_is_written_in_each_format(tmp_path, suffix):
    path = tmp_path / f"tank.{suffix}"
    save_drawing(SQUARE, path)
    heads = {"png": b"\x89PNG", "svg": b"<?xml", "pdf": b"%PDF", "dxf": b"  0"}
    assert path.read_bytes().startswith(heads[suffix])


def test_a_suffix_that_is_none_is_refused_and_nothing_is_written(tmp_path):
    with pytest.raises(ValueError, match=r"\.png, \.svg, \.pdf or \.dxf"):
        save_drawing(SQUARE, tmp_path / "tank.gif")
    assert list(tmp_path.iterdir()) == []


def test_a_folder_that_is_not_there_is_told_with_its_path(tmp_path):
    with pytest.raises(StorageError, match="nowhere"):
        save_drawing(SQUARE, tmp_path / "nowhere" / "tank.svg")


def test_a_dxf_has_its_shapes_in_metres_on_layers_with_dimensions(tmp_path):
    save_drawing(SQUARE, tmp_path / "tank.dxf")
    made = ezdxf.readfile(tmp_path / "tank.dxf")
    assert made.units == 6
    space = made.modelspace()
    (outline,) = space.query("LWPOLYLINE")
    assert [tuple(point[:2]) for point in outline.get_points()] == [(0, 0), (10, 0), (10, 5), (0, 5)]
    assert outline.dxf.layer == "ink"
    (circle,) = space.query("CIRCLE")
    assert (circle.dxf.radius, circle.dxf.layer) == (1.0, "water")
    (dimension,) = space.query("DIMENSION")
    assert dimension.dxf.text == "10.00 m"
    assert dimension.get_measurement() == pytest.approx(10.0)
    assert any(text.dxf.text == "Tank & “pit”" for text in space.query("TEXT"))
    assert not made.audit().has_errors


def test_a_page_has_a_round_scale_that_is_true(tmp_path):
    # 12 m across 267 mm of paper, and 7 m up 164 mm
    assert scale_of(SQUARE) == 50
    save_drawing(SQUARE, tmp_path / "tank.svg")
    text = (tmp_path / "tank.svg").read_text()
    width = float(re.search(r'width="([\d.]+)pt"', text).group(1))
    assert width == pytest.approx(297 / 25.4 * 72, abs=0.01)
    # the outline runs 10 m at 1:50, which are 200 mm of paper
    path = next(p for p in re.findall(r'd="(M [^"]+)"', text) if p.count("L") >= 4 and "z" not in p.lower()[-2:])
    xs = [float(pair.split()[0]) for pair in re.findall(r"[ML] ([\d.-]+ [\d.-]+)", path)]
    assert (max(xs) - min(xs)) / 72 * 25.4 == pytest.approx(200.0, abs=0.01)


def test_a_section_is_written_whole(tmp_path):
    section = pond_section(pond_of(), "SI", level=1.0)
    for suffix in ("png", "svg", "pdf", "dxf"):
        save_drawing(section.drawing, tmp_path / f"section.{suffix}")
    made = ezdxf.readfile(tmp_path / "section.dxf")
    circles = made.modelspace().query("CIRCLE")
    assert [round(circle.dxf.radius, 6) for circle in circles] == [0.15]


def test_a_rating_curve_is_written_as_pdf_and_dxf(tmp_path):
    plot = outflow_plot(pond_of(), Study())
    save_plot(plot, tmp_path / "rating.pdf")
    save_plot(plot, tmp_path / "rating.dxf")
    made = ezdxf.readfile(tmp_path / "rating.dxf")
    (curve,) = made.modelspace().query("LWPOLYLINE")
    points = list(curve.get_points())
    assert (points[-1][0], points[-1][1]) == pytest.approx((plot.curves[-1].x[-1], 2.0))
    with pytest.raises(ValueError, match=r"\.dxf"):
        save_plot(plot, tmp_path / "rating.bmp")
