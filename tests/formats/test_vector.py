"""Vector files: what other programs write, whole or damaged, and what is said of it."""

import json
import sqlite3
import struct

import numpy as np
import pytest
import shapely
from pyogrio.raw import write

from tarnwater.errors import VectorError
from tarnwater.formats.vector import ARC_STEP, layers_of, read_vector

SQUARE = shapely.box(344000, 550000, 344100, 550100)


def written(path, shapes, *, driver="GPKG", crs="EPSG:27700", layer=None, kind="Unknown", **fields):
    columns = fields or {"name": [f"area {i}" for i in range(len(shapes))]}
    write(
        path,
        geometry=np.array([shapely.to_wkb(s, flavor="iso") for s in shapes], object),
        field_data=[np.array(column) for column in columns.values()],
        fields=list(columns),
        layer=layer,
        geometry_type=kind,
        crs=crs,
        driver=driver,
        append=path.exists(),
    )
    return path


def insert_behind_its_back(path, table, wkb):
    """Add a row as a program does that does not keep the count of rows."""
    with sqlite3.connect(path) as database:
        for (trigger,) in database.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'").fetchall():
            database.execute(f'DROP TRIGGER "{trigger}"')
        blob = b"GP\x00\x01" + struct.pack("<i", 27700) + wkb
        database.execute(f'INSERT INTO "{table}" (geom, name) VALUES (?, ?)', (blob, "added"))
    database.close()


@pytest.mark.parametrize(("end", "driver"), [("gpkg", "GPKG"), ("shp", "ESRI Shapefile"), ("geojson", "GeoJSON")])
def test_the_three_formats_give_shapes_fields_and_system(tmp_path, end, driver):
    crs = "OGC:CRS84" if driver == "GeoJSON" else "EPSG:27700"
    path = written(
        tmp_path / f"areas.{end}",
        [SQUARE, SQUARE.buffer(7)],
        driver=driver,
        crs=crs,
        kind="Polygon",
        name=np.array(["Field", "Größere Fläche"], object),
        cn=[61.5, 74.0],
    )
    layer = read_vector(path)
    assert layer.crs == crs
    assert layer.fields == {"name": ("Field", "Größere Fläche"), "cn": (61.5, 74.0)}
    assert [layer.numbers, layer.notes, layer.rejected] == [(1, 2), (), ()]
    for found, meant in zip(layer.shapes, (SQUARE, SQUARE.buffer(7)), strict=True):
        assert found.normalize().equals_exact(meant.normalize(), 1e-9)  # GeoJSON rounds to 15 figures


def test_a_layer_is_named_where_there_are_several(tmp_path):
    path = written(tmp_path / "many.gpkg", [SQUARE], layer="fields")
    written(path, [SQUARE.buffer(1)], layer="woods")
    assert layers_of(path) == ("fields", "woods")
    with pytest.raises(VectorError, match=r"2 layers: fields, woods"):
        read_vector(path)
    with pytest.raises(VectorError, match="no layer “moor”"):
        read_vector(path, "moor")
    assert read_vector(path, "woods").shapes[0].equals(SQUARE.buffer(1))


def test_three_dimensional_shapes_are_laid_flat_and_it_is_said(tmp_path):
    path = written(tmp_path / "high.gpkg", [shapely.force_3d(SQUARE, 88.5)])
    layer = read_vector(path)
    assert not layer.shapes[0].has_z
    assert layer.shapes[0].area == 10_000
    assert layer.notes == ("shapes whose heights were left out: 1",)


def test_curved_shapes_are_given_chords_and_it_is_said(tmp_path):
    """A circle of 50 m as two arcs: chords of half a degree leave the area short by 1 - sin(a)/a = 1.27e-5."""
    path = written(tmp_path / "curved.gpkg", [SQUARE])
    ring = struct.pack("<BII10d", 1, 8, 5, 0, 0, 50, 50, 100, 0, 50, -50, 0, 0)
    insert_behind_its_back(path, "curved", struct.pack("<BII", 1, 10, 1) + ring)
    layer = read_vector(path)
    assert layer.notes == (f"shapes with arcs, given chords of {ARC_STEP}°: 1",)
    step = np.radians(ARC_STEP)
    # the chord across the end of each arc is a little shorter: at most one of 720 by its 1.3e-5
    assert layer.shapes[1].area == pytest.approx(np.pi * 50**2 * np.sin(step) / step, rel=2e-7)


def test_a_geopackage_layer_edited_by_another_program_loses_no_row(tmp_path):
    path = written(tmp_path / "edited.gpkg", [SQUARE])
    insert_behind_its_back(path, "edited", shapely.to_wkb(SQUARE.buffer(3)))
    assert read_vector(path).fields["name"] == ("area 0", "added")


@pytest.mark.parametrize("end", [".shx", ".dbf"])
def test_a_shapefile_with_a_part_missing_is_said_with_the_part(tmp_path, end):
    path = written(tmp_path / "areas [1].shp", [SQUARE], driver="ESRI Shapefile", kind="Polygon")
    path.with_suffix(end).unlink()
    with pytest.raises(VectorError, match=rf"part of the shapefile is missing: areas \[1\]\{end}"):
        read_vector(path)


def test_a_shapefile_without_its_system_takes_the_given_one(tmp_path):
    path = written(tmp_path / "areas.shp", [SQUARE], driver="ESRI Shapefile", kind="Polygon")
    path.with_suffix(".prj").unlink()
    assert read_vector(path).crs == ""
    assert read_vector(path, crs="EPSG:27700").crs == "EPSG:27700"
    with pytest.raises(VectorError, match="“EPSG:none” is not a known coordinate system"):
        read_vector(path, crs="EPSG:none")


def test_an_open_ring_is_rejected_with_its_place(tmp_path):
    ring = [[0, 0], [1, 0], [1, 1], [0, 1]]
    square = {"type": "Polygon", "coordinates": [[*ring, ring[0]]]}
    features = [
        {"type": "Feature", "properties": {"name": "open"}, "geometry": {"type": "Polygon", "coordinates": [ring]}},
        {"type": "Feature", "properties": {"name": "good", "cn": 70}, "geometry": square},
        {"type": "Feature", "properties": None, "geometry": None},
        {"type": "Feature", "properties": {}, "geometry": {"type": "Polygon", "coordinates": "none"}},
    ]
    path = tmp_path / "areas.json"
    path.write_text("\ufeff" + json.dumps({"type": "FeatureCollection", "features": features}))
    layer = read_vector(path)
    assert layer.fields == {"name": ("good",), "cn": (70.0,)}
    assert [(r.number, r.place) for r in layer.rejected] == [(1, (0.0, 0.0)), (4, None), (3, None)]
    assert "open" in layer.rejected[0].what


def test_an_open_ring_of_a_geopackage_is_rejected_with_its_place(tmp_path):
    path = written(tmp_path / "open.gpkg", [SQUARE])
    ring = struct.pack("<BIII8d", 1, 3, 1, 4, 5, 6, 9, 6, 9, 9, 5, 9)
    insert_behind_its_back(path, "open", ring)
    layer = read_vector(path)
    assert layer.fields["name"] == ("area 0",)
    assert [(r.number, r.place) for r in layer.rejected] == [(2, (5.0, 6.0))]


def test_older_geojson_may_state_its_system(tmp_path):
    path = tmp_path / "old.geojson"
    crs = {"type": "name", "properties": {"name": "urn:ogc:def:crs:EPSG::27700"}}
    path.write_text(json.dumps({**json.loads(shapely.to_geojson(SQUARE)), "crs": crs}))
    assert read_vector(path).crs == "EPSG:27700"


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (b"not a map", "begins neither as a GeoPackage"),
        (b"", "begins neither as a GeoPackage"),
        (b'{"type": "Feature', "damaged or cut short"),
        (b'{"type": "Topology"}', "not GeoJSON"),
        (b'{"type": "FeatureCollection", "features": [7]}', "no object"),
        (b"SQLite format 3\x00" + 80 * b"\x00", "damaged or cut short"),
        (b"\xff\xfe{\x00", "begins neither as a GeoPackage"),
    ],
)
def test_damaged_and_foreign_files_are_said(tmp_path, content, said):
    path = tmp_path / "areas.gpkg"
    path.write_bytes(content)
    with pytest.raises(VectorError, match=said) as caught:
        read_vector(path)
    assert caught.value.where == str(path)
    assert caught.value.remedy


def test_a_shapefile_cut_short_is_said(tmp_path):
    path = written(tmp_path / "areas.shp", [SQUARE], driver="ESRI Shapefile", kind="Polygon")
    path.write_bytes(path.read_bytes()[:60])
    with pytest.raises(VectorError, match="damaged or cut short"):
        read_vector(path)


def test_what_is_not_there_is_said(tmp_path):
    with pytest.raises(VectorError, match="no such file"):
        read_vector(tmp_path / "none.gpkg")
    with pytest.raises(VectorError, match="a folder"):
        read_vector(tmp_path)
