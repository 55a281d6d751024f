"""Frames of rain from NetCDF and GeoTIFF."""

import h5netcdf
import numpy as np
import pytest
import rasterio
import shapely
from rasterio.transform import from_origin

from tarnwater.errors import TableError
from tarnwater.formats.gridded_rain import read_geotiff_frames, read_netcdf_frames
from tarnwater.rain.areas.frames import cell_shares, rain_of_frames

VALUES = np.arange(2 * 3 * 4, dtype=float).reshape(2, 3, 4)


def written(
    path, values=VALUES, units="mm", time_units="minutes since 2019-11-09 00:00:00", leave=(), bounds=True, **attributes
):
    """A small CF file; ``leave`` names what is left out."""
    with h5netcdf.File(path, "w") as file:
        file.dimensions = {"time": len(values), "y": 3, "x": 4, "nv": 2}
        rain = file.create_variable("rain", ("time", "y", "x"), float, data=values)
        rain.attrs.update({"units": units, "grid_mapping": "crs", **attributes})
        axes = (
            ("time", 5.0 * np.arange(1, len(values) + 1), time_units),
            ("y", [2500.0, 1500, 500], "m"),
            ("x", [500.0, 1500, 2500, 3500], "m"),
        )
        for name, data, unit in axes:
            if name not in leave:
                variable = file.create_variable(name, (name,), float, data=np.array(data))
                if f"{name} units" not in leave:
                    variable.attrs["units"] = unit
        if bounds:
            file.variables["time"].attrs["bounds"] = "time_bounds"
            edges = np.stack([5.0 * np.arange(len(values)), 5.0 * np.arange(1, len(values) + 1)], axis=1)
            file.create_variable("time_bounds", ("time", "nv"), float, data=edges)
        mapping = file.create_variable("crs", (), int, data=0)
        mapping.attrs["crs_wkt"] = rasterio.crs.CRS.from_epsg(32630).to_wkt()
    return path


def test_frames_are_read_with_their_times_cells_and_system(tmp_path):
    found = read_netcdf_frames(written(tmp_path / "radar.nc"))
    frames = found.frames
    assert (found.name, frames.step) == ("rain", 300)
    assert frames.ends[0] == 1_573_257_600 + 300
    assert np.array_equal(frames.values, VALUES)
    assert "32630" in frames.crs or "UTM zone 30N" in frames.crs
    # the first row is the north one
    assert frames.corners_y[0, 0] == 3000
    shares = cell_shares(frames.cells, [shapely.box(0, 2000, 1000, 3000)])
    assert rain_of_frames(shares, frames.values)[0].tolist() == [0, 12]


@pytest.mark.parametrize(
    ("units", "factor"),
    [("mm/h", 1 / 12), ("kg m-2", 1), ("mm h-1", 1 / 12), ("kg m-2 s-1", 300), ("in", 25.4), ("m", 1000)],
)
def test_depths_rates_and_fluxes_are_depths_of_their_frame(tmp_path, units, factor):
    frames = read_netcdf_frames(written(tmp_path / "radar.nc", units=units)).frames
    assert frames.values == pytest.approx(VALUES * factor)


def test_packed_values_and_their_codes_are_unpacked(tmp_path):
    values = VALUES.copy()
    values[0, 0, 0] = -1
    path = written(tmp_path / "radar.nc", values, scale_factor=0.5, _FillValue=-1.0)
    frames = read_netcdf_frames(path).frames
    assert np.isnan(frames.values[0, 0, 0])
    assert frames.values[1, 2, 3] == 11.5


def test_times_without_bounds_are_told(tmp_path):
    found = read_netcdf_frames(written(tmp_path / "radar.nc", bounds=False))
    assert found.frames.spans.tolist() == [300, 300]
    assert "no bounds" in found.notes[0]


@pytest.mark.parametrize(
    ("leave", "what"),
    [
        (("x",), "dimension “x” has no CF coordinate"),
        (("y units",), "coordinate “y” has no units"),
        (("time",), "“time” has no CF"),
    ],
)
def test_a_netcdf_without_cf_coordinates(tmp_path, leave, what):
    path = written(tmp_path / "radar.nc", leave=leave, bounds=False)
    with pytest.raises(TableError, match=what):
        read_netcdf_frames(path)


@pytest.mark.parametrize(
    ("known", "what"),
    [
        ({"units": "degC"}, "no unit of rain"),
        ({"time_units": "fortnights since 2019-11-09"}, "no CF unit of time"),
        ({"time_units": "hours since the flood"}, "no date"),
    ],
)
def test_what_is_wrong_in_a_file_is_named(tmp_path, known, what):
    with pytest.raises(TableError, match=what):
        read_netcdf_frames(written(tmp_path / "radar.nc", **known))


def test_files_that_are_none_are_refused(tmp_path):
    path = tmp_path / "radar.nc"
    path.write_bytes(b"no netcdf" * 50)
    with pytest.raises(TableError, match="no NetCDF"):
        read_netcdf_frames(path)
    with pytest.raises(TableError, match="no such file"):
        read_netcdf_frames(tmp_path / "none.nc")
    with pytest.raises(TableError, match="There are: rain"):
        read_netcdf_frames(written(tmp_path / "other.nc"), "snow")


def tiff(path, values, west=0.0):
    with rasterio.open(
        path, "w", driver="GTiff", width=4, height=3, count=1, dtype="float32", crs="EPSG:32630", nodata=-9,
        transform=from_origin(west, 3000, 1000, 1000),
    ) as file:  # fmt: skip
        file.write(values.astype("float32"), 1)
    return path


def test_a_series_of_geotiffs_with_dates_in_their_names(tmp_path):
    values = VALUES.copy()
    values[1, 0, 0] = -9
    paths = [
        tiff(tmp_path / f"radar_20191109{minutes}.tif", v) for minutes, v in zip(("0005", "0010"), values, strict=True)
    ]
    frames = read_geotiff_frames(paths[::-1], "mm/h").frames
    assert frames.ends.tolist() == [1_573_257_900, 1_573_258_200]
    assert frames.values[0] == pytest.approx(VALUES[0] / 12)
    assert np.isnan(frames.values[1, 0, 0])
    assert (frames.corners_x[0, 1], frames.corners_y[0, 0]) == (1000, 3000)


def test_geotiffs_that_do_not_belong_together_are_refused(tmp_path):
    one = tiff(tmp_path / "a_201911090005.tif", VALUES[0])
    other = tiff(tmp_path / "a_201911090010.tif", VALUES[1], west=500.0)
    with pytest.raises(TableError, match="differs from that of the first"):
        read_geotiff_frames([one, other])
    with pytest.raises(TableError, match="no date in the name"):
        read_geotiff_frames([one, tiff(tmp_path / "b.tif", VALUES[1])])
    with pytest.raises(TableError, match="no length"):
        read_geotiff_frames([one])
