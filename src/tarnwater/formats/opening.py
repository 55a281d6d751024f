"""The first bytes of a file that was given: what a format is recognised by."""

from __future__ import annotations

from pathlib import Path

from tarnwater.errors import BadInput


def first_bytes(path: Path, error: type[BadInput], count: int = 64) -> bytes:
    """The first bytes of a file; an ``error``, with the remedy, where it is a folder, missing or cannot be read."""
    where = str(path)
    if path.is_dir():
        raise error("this is a folder.", where=where, remedy="Give the file itself.")
    try:
        with path.open("rb") as raw:
            return raw.read(count)
    except FileNotFoundError as cause:
        raise error("there is no such file.", where=where, remedy="Check the name and the folder.") from cause
    except OSError as cause:
        what = f"the file cannot be read ({cause.strerror})."
        raise error(what, where=where, remedy="Check its rights.") from cause
