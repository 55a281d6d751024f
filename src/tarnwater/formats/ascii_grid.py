"""ASCII grids: a header of six words with their numbers, then a row of heights a line.

Read by our own code, so that an error names its line.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TextIO

import numpy as np

from tarnwater.errors import GridError
from tarnwater.progress import Progress

_CORNER, _CENTRE = ("xllcorner", "yllcorner"), ("xllcenter", "yllcenter")
_SIZES = ("cellsize", "dx", "dy")
_WORDS = {"ncols", "nrows", "nodata_value", *_CORNER, *_CENTRE, *_SIZES}

#: Lines read between two checks for cancelling.
LINES_AT_ONCE = 256


@dataclass(frozen=True, eq=False)
class AsciiGrid:
    """Values (rows, columns) as in the file, with the outer corner of the north-west cell and the size of a cell."""

    values: np.ndarray
    west: float
    north: float
    width: float
    height: float
    no_data: float | None


def looks_like_ascii_grid(start: bytes) -> bool:
    """Whether a file with these first bytes is an ASCII grid."""
    first = start.split(maxsplit=1)
    return bool(first) and first[0].lower() in (b"ncols", b"nrows")


def read_ascii_grid(path: Path, most_cells: int, progress: Progress | None = None) -> AsciiGrid:
    """Read an ASCII grid; `GridError` names the line.

    Refused are words among the heights, rows with a value too few or too many, rows that are missing,
    a cell size of zero, and more than ``most_cells`` cells.
    """
    progress = progress or Progress()
    try:
        with path.open(encoding="ascii") as file:
            header, first = _header(file)
            rows, columns = _whole(header, "nrows"), _whole(header, "ncols")
            if rows * columns > most_cells:
                raise GridError(
                    f"the grid declares {rows} × {columns} cells; at most {most_cells} are read.",
                    remedy="Cut out the part that is needed.",
                )
            values = _values(file, first, rows, columns, progress)
    except UnicodeDecodeError as error:
        raise GridError(
            f"the file is not plain text (byte {error.start + 1}).", remedy="Give an ASCII grid."
        ) from error
    width, height = _cell_size(header)
    west, south = _south_west(header, width, height)
    no_data = header["nodata_value"][1] if "nodata_value" in header else None
    return AsciiGrid(values, west, south + rows * height, width, height, no_data)


_Header = dict[str, tuple[int, float]]


def _header(file: TextIO) -> tuple[_Header, tuple[int, str]]:
    """Number by word with its line, and the first line that is no header."""
    header: _Header = {}
    for line, text in enumerate(file, start=1):
        words = text.split()
        if not words:
            continue
        word = words[0].lower()
        if word not in _WORDS:
            _all_there(header)
            return header, (line, text)
        if len(words) != 2:
            raise GridError(f"line {line}: {word} needs one number.", remedy="Correct the header of the grid.")
        try:
            header[word] = line, float(words[1])
        except ValueError as error:
            raise GridError(f"line {line}: “{words[1]}” is no number.", remedy="Correct the header.") from error
        if not np.isfinite(header[word][1]) and word != "nodata_value":
            raise GridError(f"line {line}: {word} cannot be {words[1]}.", remedy="Correct the header of the grid.")
    _all_there(header)
    raise GridError("the grid ends with its header: every row is missing.", remedy="Fetch it again.")


def _all_there(header: _Header) -> None:
    lacking = [word for word in ("ncols", "nrows") if word not in header]
    if not any(x in header and y in header for x, y in (_CORNER, _CENTRE)):
        lacking.append("xllcorner and yllcorner")
    if "cellsize" not in header and not ("dx" in header and "dy" in header):
        lacking.append("cellsize")
    if lacking:
        raise GridError(f"the header of the grid lacks {', '.join(lacking)}.", remedy="Complete the header.")


def _whole(header: _Header, word: str) -> int:
    line, number = header[word]
    if number != int(number) or number < 1:
        raise GridError(f"line {line}: {word} cannot be {number:g}.", remedy="Give a whole number above zero.")
    return int(number)


def _cell_size(header: _Header) -> tuple[float, float]:
    for word in _SIZES:
        if word in header and header[word][1] <= 0:
            line, size = header[word]
            raise GridError(f"line {line}: the cell size cannot be {size:g}.", remedy="Give one above zero.")
    if "cellsize" in header:
        return header["cellsize"][1], header["cellsize"][1]
    return header["dx"][1], header["dy"][1]


def _south_west(header: _Header, width: float, height: float) -> tuple[float, float]:
    if all(word in header for word in _CORNER):
        return header["xllcorner"][1], header["yllcorner"][1]
    return header["xllcenter"][1] - width / 2, header["yllcenter"][1] - height / 2


def _values(file: TextIO, first: tuple[int, str], rows: int, columns: int, progress: Progress) -> np.ndarray:
    values = np.empty((rows, columns))
    row = 0
    for line, text in _lines(file, first):
        if not text.strip():
            continue
        if row == rows:
            raise GridError(
                f"line {line}: there are more rows than the {rows} declared.", remedy="Correct nrows, or the rows."
            )
        found = _row(line, text)
        if len(found) != columns:
            off = f"{abs(len(found) - columns)} are {'missing' if len(found) < columns else 'too many'}"
            what = f"line {line}: {len(found)} values where {columns} are declared; {off}."
            raise GridError(what, remedy="Correct ncols, or the row.")
        values[row] = found
        row += 1
        if row % LINES_AT_ONCE == 0:
            progress.tell("reading the grid", row / rows)
    if row < rows:
        raise GridError(
            f"the grid is cut short: {rows - row} of {rows} rows are missing.",
            remedy="Fetch it again, or correct nrows.",
        )
    return values


def _lines(file: TextIO, first: tuple[int, str]) -> Iterator[tuple[int, str]]:
    yield first
    yield from enumerate(file, start=first[0] + 1)


def _row(line: int, text: str) -> np.ndarray:
    words = text.split()
    try:
        return np.array(words, float)
    except ValueError:
        for place, word in enumerate(words, start=1):
            try:
                float(word)
            except ValueError as error:
                raise GridError(
                    f"line {line}, value {place}: “{word[:20]}” is no height.",
                    remedy="Correct it; decimals need a point.",
                ) from error
        raise
