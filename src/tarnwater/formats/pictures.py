"""Pictures that lie under a map: GeoTIFF, and PNG or JPEG with a world file; read at the size that is shown."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from tarnwater.errors import PictureError
from tarnwater.formats.opening import first_bytes
from tarnwater.formats.raster import Bounds

#: Drivers by the first bytes of a file; nothing else is opened.
_DRIVERS = {
    b"II*\x00": "GTiff", b"MM\x00*": "GTiff", b"II+\x00": "GTiff", b"MM\x00+": "GTiff", b"\x89PNG": "PNG",
    b"\xff\xd8\xff": "JPEG",
}  # fmt: skip

#: Names of world files by the end of a picture's name.
_WORLD_FILES = {
    ".png": (".pgw", ".pngw", ".wld"), ".jpg": (".jgw", ".jpgw", ".wld"), ".jpeg": (".jgw", ".jpegw", ".wld"),
    ".tif": (".tfw", ".tifw", ".wld"), ".tiff": (".tfw", ".tiffw", ".wld"),
}  # fmt: skip


@dataclass(frozen=True)
class Picture:
    """A picture of a file, in a coordinate system: its extent, and its size in pixels as it would lie there."""

    path: Path
    crs: str
    bounds: Bounds
    width: int
    height: int
    stated_crs: str


def open_picture(path: Path, crs: str, *, stated: str = "") -> Picture:
    """Look at a picture, as it lies in a coordinate system, or in its own; ``stated`` is that where the file has none.

    Raises `PictureError` for a file that is missing, damaged, or no picture; without a place (a world file) or without
    a coordinate system; and for one that has no place in the coordinate system.
    """
    with _Opened(path, crs, stated) as opened:
        bounds = tuple(float(v) for v in opened.warped.bounds)
        if not np.isfinite(bounds).all():
            raise PictureError("the picture has no place in the coordinate system of the study.", where=str(path))
        west, south, east, north = bounds
        return Picture(path, crs, (west, south, east, north), opened.warped.width, opened.warped.height, opened.stated)


def read_picture(picture: Picture, window: Bounds, width: int, height: int) -> np.ndarray:
    """The part of a picture in a window (west, south, east, north), as (height, width, 4) uint8, red to opacity.

    Beyond the picture it is transparent.
    """
    from affine import Affine

    west, south, east, north = window
    place = Affine((east - west) / width, 0, west, 0, -(north - south) / height, north)
    with _Opened(picture.path, picture.crs, picture.stated_crs) as opened:
        with opened.warped_to(transform=place, width=width, height=height) as part:
            alpha = part.dataset_mask()
            if opened.palette is not None:
                shown = opened.palette[part.read(1)]
            else:
                bands = _bands(opened.source)
                colours = part.read(bands)
                shown = np.dstack([_as_bytes(band) for band in (colours if len(bands) == 3 else colours[[0, 0, 0]])])
        return np.ascontiguousarray(np.dstack([shown[..., :3], alpha]))


def _bands(source: Any) -> list[int]:
    """The bands of red, green and blue, or the one of grey."""
    return [1, 2, 3] if source.count >= 3 else [1]


def _as_bytes(band: np.ndarray) -> np.ndarray:
    """Values as bytes; others than bytes are stretched over their range."""
    if band.dtype == np.uint8:
        return band
    known = band[np.isfinite(band)]
    low, high = (float(known.min()), float(known.max())) if known.size else (0.0, 1.0)
    scaled = (np.nan_to_num(band.astype(np.float64), nan=low) - low) / max(high - low, 1e-12)
    return (255 * np.clip(scaled, 0, 1)).astype(np.uint8)


class _Opened:
    """A picture that is open, and the same warped into a coordinate system."""

    def __init__(self, path: Path, crs: str, stated: str) -> None:
        self._path, self._crs, self._given = path, crs, stated

    def __enter__(self) -> _Opened:
        import warnings

        import rasterio
        from rasterio.errors import NotGeoreferencedWarning, RasterioError

        where = str(self._path)
        driver = _driver_of(self._path)
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore", NotGeoreferencedWarning)
                self.source = rasterio.open(self._path, driver=driver)
        except RasterioError as error:
            raise PictureError("the picture is damaged or cut short.", where=where, remedy="Fetch it again.") from error
        try:
            place = self.source.transform
            if place.is_identity:
                self._ask_for_world_file()
            self.stated = self.source.crs.to_wkt() if self.source.crs else self._given
            if not self.stated:
                raise PictureError(
                    "the picture states no coordinate system.", where=where, remedy="Give it, for example EPSG:27700."
                )
            self.palette = self._palette()
            try:
                self.warped = self.warped_to()
            except RasterioError as error:
                raise PictureError(
                    "the picture has no place in the coordinate system of the study.",
                    where=where,
                    remedy="Check its coordinate system and its world file.",
                ) from error
        except PictureError:
            self.source.close()
            raise
        return self

    def warped_to(self, **grid: Any) -> Any:
        """The picture as it lies in the coordinate system, on a grid of its own or on a given one."""
        from rasterio.enums import ColorInterp, Resampling
        from rasterio.vrt import WarpedVRT

        bare = self.source.nodata is None and ColorInterp.alpha not in self.source.colorinterp
        how = Resampling.bilinear if self.palette is None else Resampling.nearest
        crs = self._crs or self.stated
        return WarpedVRT(self.source, src_crs=self.stated, crs=crs, resampling=how, add_alpha=bare, **grid)

    def __exit__(self, *_: object) -> None:
        self.warped.close()
        self.source.close()

    def _ask_for_world_file(self) -> None:
        names = " or ".join(self._path.stem + end for end in _WORLD_FILES.get(self._path.suffix.lower(), (".wld",))[:2])
        raise PictureError(
            "the picture does not say where it lies.",
            where=str(self._path),
            remedy=f"Put its world file beside it: {names}.",
        )

    def _palette(self) -> np.ndarray | None:
        """Colours (256, 4) of a picture with a palette."""
        try:
            colours = self.source.colormap(1)
        except ValueError:
            return None
        palette = np.zeros((256, 4), np.uint8)
        for code, colour in colours.items():
            if 0 <= code < 256:
                palette[code] = colour
        return palette


def _driver_of(path: Path) -> str:
    where = str(path)
    start = first_bytes(path, PictureError, 4)
    driver = next((name for head, name in _DRIVERS.items() if start.startswith(head)), "")
    if not driver:
        raise PictureError(
            "this is no GeoTIFF, PNG or JPEG picture.", where=where, remedy="Give one of these, with its world file."
        )
    return driver
