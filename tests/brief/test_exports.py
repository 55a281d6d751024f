"""The map written for other programs, and read back by them."""

import json

import ezdxf
import numpy as np
import pyogrio
import pytest
import rasterio
import shapely
from PIL import Image

from tarnwater.brief.exports import GRIDS, chosen_layers, write_grid, write_shapes
from tarnwater.brief.pictures import PRINTED_DOTS, write_map
from tarnwater.errors import BadInput, UnknownName
from tarnwater.formats.drawing import read_drawing
from tarnwater.formats.vector import read_vector
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.conditioning import terrain_of
from tarnwater.study.edits.delineation import catchments_of
from tarnwater.study.pictures.layers import LAYER_NAMES, shape_layers_of


@pytest.fixture(scope="module")
def drainage(demo):
    return terrain_of(*demo)


@pytest.fixture(scope="module")
def layers(demo, drainage):
    return shape_layers_of(*demo, drainage)


def areas_of(demo):
    outlines = {c.name: demo[1].shape(c.outline) for c in demo[0].catchments.values()}
    return {name: outline.area for name, outline in outlines.items() if outline is not None}


def test_every_layer_is_in_one_geopackage_with_its_values(demo, layers, tmp_path):
    path = tmp_path / "map.gpkg"
    assert write_shapes(path, list(layers.values()), demo[0].map_crs) == [path]
    assert {str(name) for name, _ in pyogrio.list_layers(path)} == set(LAYER_NAMES)
    read = read_vector(path, "catchments")
    assert read.crs == "EPSG:27700"
    found = {name: shape.area for name, shape in zip(read.fields["name"], read.shapes, strict=True)}
    assert found == pytest.approx(areas_of(demo), rel=1e-12)
    hask = read.fields["key"].index("hask")
    catchment = demo[0].catchments["hask"]
    assert read.fields["area_m2"][hask] == catchment.area.value
    assert read.fields["slope1085"][hask] == catchment.slope_10_85.value
    assert read.fields["dd_m_m2"][hask] == catchment.drainage_density.value
    streams = read_vector(path, "streams")
    assert min(streams.fields["order"]) == 1
    assert streams.fields["length_m"][0] == pytest.approx(streams.shapes[0].length, rel=1e-12)


def test_geojson_lies_where_the_map_lies(demo, layers, tmp_path):
    chosen = chosen_layers(layers, ["points"])
    (path,) = write_shapes(tmp_path / "points.geojson", chosen, demo[0].map_crs)
    text = json.loads(path.read_text())
    assert "crs" not in text
    from pyproj import Transformer

    move = Transformer.from_crs("EPSG:4326", "EPSG:27700", always_xy=True)
    for feature in text["features"]:
        x, y = move.transform(*feature["geometry"]["coordinates"][:2])
        # the standard's seven decimals of a degree are a centimetre
        assert (x, y) == pytest.approx(demo[0].elements[feature["properties"]["key"]].place, abs=0.02)


def test_shapefiles_have_a_file_a_layer_with_whole_field_names(demo, layers, tmp_path):
    written = write_shapes(tmp_path / "map.shp", chosen_layers(layers, ["catchments", "reaches"]), demo[0].map_crs)
    names = {path.name for path in written}
    assert {
        f"map-{layer}{end}" for layer in ("catchments", "reaches") for end in (".shp", ".shx", ".dbf", ".prj")
    } <= names
    read = read_vector(tmp_path / "map-catchments.shp")
    assert tuple(read.fields) == layers["catchments"].fields
    found = {name: shape.area for name, shape in zip(read.fields["name"], read.shapes, strict=True)}
    assert found == pytest.approx(areas_of(demo), rel=1e-12)


def test_a_drawing_has_outlines_and_names_on_layers(demo, layers, tmp_path):
    (path,) = write_shapes(tmp_path / "map.dxf", chosen_layers(layers, ["catchments", "points"]), demo[0].map_crs)
    document = ezdxf.readfile(path)
    assert document.header["$INSUNITS"] == 6
    read = read_drawing(path, ("catchments",))
    meant = sum(shapely.area(shapely.Polygon(ring)) for s in layers["catchments"].shapes for p in s.geoms
                for ring in (p.exterior, *p.interiors))  # fmt: skip
    assert sum(s.area for s in read.shapes) == pytest.approx(meant, rel=1e-9)
    texts = {e.dxf.text for e in document.modelspace() if e.dxftype() == "TEXT"}
    assert {"Hask", "Pellowford bridge"} <= texts


@pytest.mark.parametrize("which", list(GRIDS))
def test_grids_are_read_back_with_their_values(demo, drainage, tmp_path, which):
    path = tmp_path / f"{which}.tif"
    catchments = catchments_of(demo[0], drainage)
    write_grid(path, drainage, which, catchments)
    with rasterio.open(path) as file:
        values = file.read(1, masked=True)
        assert file.crs.to_epsg() == 27700
        assert (file.transform.c, file.transform.f) == (drainage.grid.west, drainage.grid.north)
    ground = np.isfinite(drainage.grid.heights)
    if which in ("raw", "conditioned"):
        meant = drainage.grid.heights if which == "raw" else drainage.filled
        assert np.array_equal(values[ground].data, meant[ground])
        assert values.mask[~ground].all()
    elif which == "upstream":
        assert values.max() == drainage.upstream.max() * drainage.grid.cell_area
    elif which == "catchments":
        number = list(demo[0].outlets).index("hask") + 1
        assert np.count_nonzero(values == number) * 100 == demo[0].catchments["hask"].area.derived
    else:
        assert set(np.unique(values.compressed())) <= set(range(10))


@pytest.mark.slow
@pytest.mark.parametrize(("end", "begins"), [("png", b"\x89PNG"), ("svg", b"<?xml"), ("pdf", b"%PDF")])
def test_the_printed_map_has_the_size_of_its_paper_and_is_the_same_each_time(demo, drainage, tmp_path, end, begins):
    path = tmp_path / f"map.{end}"
    write_map(path, *demo, drainage, paper="A4", landscape=True)
    first = path.read_bytes()
    assert first.startswith(begins)
    if end == "png":
        with Image.open(path) as picture:
            assert picture.size == pytest.approx((11.69 * PRINTED_DOTS, 8.27 * PRINTED_DOTS), abs=1)
        write_map(path, *demo, drainage, paper="A4", landscape=True)
        assert path.read_bytes() == first


def test_a_printed_map_keeps_its_scale(demo, drainage):
    from tarnwater.brief.pictures import INCH, MAP_MARGIN, _printed_map

    sheet = _printed_map(*demo, drainage, 8.27, 11.69, 100_000.0)
    axes = sheet.axes[0]
    west, east = axes.get_xlim()
    assert east - west == pytest.approx((8.27 - 2 * MAP_MARGIN) * INCH * 100_000, rel=1e-9)
    told = " ".join(t.get_text() for a in sheet.axes for t in a.texts)
    assert "1 : 100 000" in told
    assert "N" in told
    assert "catchment" in told


@pytest.mark.parametrize(
    ("options", "said"), [({"paper": "B5"}, "B5"), ({"scale": 0.0}, "positive"), ({"scale": float("nan")}, "positive")]
)
def test_odd_papers_and_scales_are_refused(demo, drainage, tmp_path, options, said):
    with pytest.raises((UnknownName, BadInput), match=said):
        write_map(tmp_path / "map.png", *demo, drainage, **options)
    assert not list(tmp_path.iterdir())


def test_unknown_ends_layers_and_empty_maps_are_refused(layers, drainage, tmp_path):
    with pytest.raises(UnknownName, match=r"\.xyz"):
        write_shapes(tmp_path / "map.xyz", list(layers.values()), "EPSG:27700")
    with pytest.raises(UnknownName, match="lakes"):
        chosen_layers(layers, ["lakes"])
    with pytest.raises(BadInput, match="nothing to write"):
        chosen_layers(shape_layers_of(Study(), Blobs(), None), [])
    with pytest.raises(UnknownName, match="slope"):
        write_grid(tmp_path / "s.tif", drainage, "slope")
    with pytest.raises(BadInput, match="no catchments"):
        write_grid(tmp_path / "c.tif", drainage, "catchments")
    assert not list(tmp_path.iterdir())
