"""Grids, series and geometries, each kept once under the digest of its bytes."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from tarnwater.errors import StudyFileError

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

BlobKind = Literal["grid", "geometry", "series"]


@dataclass(frozen=True)
class Blob:
    """Bytes with their kind: a GeoTIFF, well-known binary, or CSV text."""

    kind: BlobKind
    data: bytes

    @property
    def digest(self) -> str:
        """SHA-256 of the bytes, the first 32 hexadecimal digits."""
        return hashlib.sha256(self.data).hexdigest()[:32]


class Blobs(Mapping[str, Blob]):
    """Blobs by digest. Blobs are only added."""

    def __init__(self, blobs: Mapping[str, Blob] | None = None) -> None:
        self._blobs = dict(blobs or {})
        self._shapes: dict[str, BaseGeometry] = {}

    def __getitem__(self, digest: str) -> Blob:
        try:
            return self._blobs[digest]
        except KeyError as error:
            raise StudyFileError(
                f"the study refers to data {digest} that it does not contain.",
                remedy="Restore the file from a copy, or import the data again.",
            ) from error

    def __contains__(self, digest: object) -> bool:
        return digest in self._blobs

    def held(self, digest: str | None) -> bytes | None:
        """Bytes under a digest; None without a digest, or if they are missing."""
        blob = None if digest is None else self._blobs.get(digest)
        return None if blob is None else blob.data

    def shape(self, digest: str | None) -> BaseGeometry | None:
        """The geometry under a digest, read once; None without a digest, or if it is missing."""
        data = self.held(digest)
        if digest is None or data is None:
            return None
        if digest not in self._shapes:
            from shapely import from_wkb

            self._shapes[digest] = from_wkb(data)
        return self._shapes[digest]

    def kept_shape(self, digest: str | None, what: str, remedy: str) -> BaseGeometry | None:
        """The geometry under a digest; None without a digest. `StudyFileError` if ``what`` it was is lost."""
        found = self.shape(digest)
        if digest is not None and found is None:
            raise StudyFileError(f"{what}: missing from the study file, or damaged.", remedy=remedy)
        return found

    def __reduce__(self) -> tuple[object, ...]:
        return Blobs, (self._blobs,)

    def __iter__(self) -> Iterator[str]:
        return iter(self._blobs)

    def __len__(self) -> int:
        return len(self._blobs)

    def add(self, kind: BlobKind, data: bytes) -> str:
        """Store bytes and return their digest."""
        blob = Blob(kind, data)
        self._blobs.setdefault(blob.digest, blob)
        return blob.digest
