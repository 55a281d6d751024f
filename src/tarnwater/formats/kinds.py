"""What a file that is laid under a map holds: a picture, or lines."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

_PICTURES = {".png", ".jpg", ".jpeg"}
_LINES = {".gpkg", ".shp", ".geojson", ".json", ".dxf"}


def kind_of_background(path: Path) -> Literal["picture", "lines", ""]:
    """What a file holds by the end of its name; empty for others, such as elevation grids.

    A GeoTIFF is a picture if it has colours.
    """
    end = path.suffix.lower()
    if end in _LINES:
        return "lines"
    if end in _PICTURES or (end in (".tif", ".tiff") and _is_coloured(path)):
        return "picture"
    return ""


def _is_coloured(path: Path) -> bool:
    """Whether a GeoTIFF has several bands or a palette, and so is no elevation grid."""
    import warnings

    import rasterio
    from rasterio.errors import NotGeoreferencedWarning, RasterioError

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", NotGeoreferencedWarning)
            with rasterio.open(path, driver="GTiff") as file:
                return bool(file.count >= 3 or file.colorinterp[0].name == "palette")
    except RasterioError:
        return False
