"""Files of rows and columns: delimited text of any encoding, and workbooks; their cells as texts."""

from __future__ import annotations

import codecs
import csv
import io
from abc import ABC, abstractmethod
from collections.abc import Iterator, Sequence
from itertools import islice
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tarnwater.errors import TableError

if TYPE_CHECKING:
    import pandas as pd

#: Rows read at once: between them progress is told and the work can be cancelled.
CHUNK = 500_000

#: Bytes of the head of a file from which its form is proposed.
HEAD = 200_000

#: Places of a file, beside its head, at which rows are looked at to tell days from months.
PROBES, PROBE = 60, 2_000

#: Name of the column of a piece that tells how many cells each of its rows has, where rows differ.
CELLS = -1

WORKBOOKS = (".xlsx", ".xlsm")

#: Greatest number of cells of a workbook, since the whole of it is held.
MOST_CELLS = 20_000_000

_MARKS = (
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)


class Sheet(ABC):
    """Rows of cells. ``encoding`` and ``delimiter`` are empty for a workbook."""

    encoding: str = ""
    delimiter: str = ""

    @abstractmethod
    def head(self) -> list[list[str]]:
        """Its first rows."""

    @abstractmethod
    def probes(self) -> list[list[str]]:
        """Rows from all over it, in order."""

    @abstractmethod
    def chunks(
        self, first_row: int, width: int, columns: Sequence[int], numbers: Sequence[int], options: dict[str, Any]
    ) -> Iterator[tuple[float, pd.DataFrame]]:
        """Its rows from one on in pieces, with the share of it that has been read.

        Columns are named by their numbers; cells are texts, those of ``numbers`` numbers where all of a piece can be
        read so. ``options`` are those of pandas for them.
        """


def open_sheet(path: Path, *, sheet: str = "", encoding: str = "", delimiter: str = "") -> Sheet:
    """Open a file of rows and columns; `TableError` if it is none."""
    try:
        with path.open("rb") as raw:
            head = raw.read(HEAD)
    except FileNotFoundError as error:
        raise TableError("there is no such file.", where=str(path), remedy="Check the name and the folder.") from error
    except IsADirectoryError as error:
        raise TableError("this is a folder.", where=str(path), remedy="Give the file of the record.") from error
    except OSError as error:
        what = f"the file cannot be read ({error.strerror})."
        raise TableError(what, where=str(path), remedy="Check its name and its rights.") from error
    if path.suffix.lower() in WORKBOOKS:
        return Workbook(path, sheet)
    if not head.strip():
        raise TableError("the file is empty.", where=str(path), remedy="Give a record with stamps and values.")
    encoding = encoding or _encoding(head)
    if not encoding.startswith("utf-16") and b"\0" in head:
        raise TableError("the file holds no text.", where=str(path), remedy="Give a record as text or as a workbook.")
    return TextFile(path, encoding, delimiter or _delimiter(_text_of(head, encoding)))


def _encoding(head: bytes) -> str:
    for mark, name in _MARKS:
        if head.startswith(mark):
            return name
    try:
        # the head may end within a character
        codecs.getincrementaldecoder("utf-8")().decode(head)
    except UnicodeDecodeError:
        return "latin-1"
    return "utf-8"


def _text_of(head: bytes, encoding: str) -> str:
    return codecs.getincrementaldecoder(encoding)(errors="replace").decode(head)


def _delimiter(text: str) -> str:
    """The mark that parts as many cells, and more than one, in most of the rows; a comma where none does."""
    lines = [line for line in text.splitlines()[:200] if line.strip() and not line.startswith("#")]
    best, found = 0.0, ","
    for mark in "\t;,|":
        counts = [line.count(mark) for line in lines]
        commonest = max(set(counts), key=counts.count, default=0)
        if commonest:
            steady = counts.count(commonest) / len(counts)
            # a decimal comma beside another mark parts nothing
            if steady > best + 1e-9:
                best, found = steady, mark
    return found


class TextFile(Sheet):
    """Delimited text."""

    def __init__(self, path: Path, encoding: str, delimiter: str) -> None:
        self.path, self.encoding, self.delimiter = path, encoding, delimiter

    def head(self) -> list[list[str]]:
        """Its first rows, without a last one that may be cut."""
        with self.path.open("rb") as raw:
            text = _text_of(raw.read(HEAD), self.encoding)
            more = bool(raw.read(1))
        lines = text.splitlines()
        return self._cells(lines[:-1] if more and len(lines) > 1 else lines)

    def probes(self) -> list[list[str]]:
        """Whole rows from places all over the file."""
        size = self.path.stat().st_size
        if size <= HEAD:
            return self.head()
        wide = 2 if self.encoding == "utf-16" else 1
        rows: list[list[str]] = []
        with self.path.open("rb") as raw:
            for number in range(PROBES):
                raw.seek(int((size - PROBE) * number / (PROBES - 1)) // wide * wide)
                encoding = "utf-16-le" if wide == 2 else self.encoding
                lines = _text_of(raw.read(PROBE), encoding).splitlines()[1:-1]
                rows += self._cells(lines[:8])
        return rows

    def _cells(self, lines: Sequence[str]) -> list[list[str]]:
        return [[cell.strip() for cell in row] for row in csv.reader(lines, delimiter=self.delimiter)]

    def chunks(
        self, first_row: int, width: int, columns: Sequence[int], numbers: Sequence[int], options: dict[str, Any]
    ) -> Iterator[tuple[float, pd.DataFrame]]:
        """Its rows in pieces; where rows differ in their cells, the pieces tell how many each has."""
        import pandas as pd

        done = 0
        if self._cells_at(first_row) > width:
            yield from self._one_by_one(first_row, columns)
            return
        try:
            for share, piece in self._by_pandas(first_row, width, columns, numbers, options):
                yield share, piece
                done += len(piece)
        except pd.errors.ParserError:
            # a row with more cells than the others ends the quick way
            yield from self._one_by_one(first_row + done, columns)

    def _cells_at(self, row: int) -> int:
        """Number of cells of a row."""
        with self.path.open(encoding=self.encoding, errors="replace", newline="") as text:
            return len(next(csv.reader(islice(text, row, row + 1), delimiter=self.delimiter), []))

    def _by_pandas(
        self, first_row: int, width: int, columns: Sequence[int], numbers: Sequence[int], options: dict[str, Any]
    ) -> Iterator[tuple[float, pd.DataFrame]]:
        import pandas as pd

        size = self.path.stat().st_size
        with self.path.open("rb") as raw:
            text = io.TextIOWrapper(raw, encoding=self.encoding, errors="replace", newline="")
            for _ in range(first_row):
                text.readline()
            reader = pd.read_csv(
                text,
                sep=self.delimiter,
                header=None,
                names=range(width),
                index_col=False,
                dtype={c: str for c in columns if c not in numbers},
                keep_default_na=False,
                skip_blank_lines=False,
                skipinitialspace=True,
                chunksize=CHUNK,
                low_memory=False,
                **options,
            )
            with reader:
                for piece in reader:
                    yield raw.tell() / max(size, 1), piece

    def _one_by_one(self, first_row: int, columns: Sequence[int]) -> Iterator[tuple[float, pd.DataFrame]]:
        size = self.path.stat().st_size
        with self.path.open("rb") as raw:
            text = io.TextIOWrapper(raw, encoding=self.encoding, errors="replace", newline="")
            for _ in range(first_row):
                text.readline()
            rows = csv.reader(text, delimiter=self.delimiter)
            while piece := list(islice(rows, CHUNK)):
                yield raw.tell() / max(size, 1), _of_texts(piece, columns)


def _of_texts(rows: Sequence[Sequence[str]], columns: Sequence[int]) -> pd.DataFrame:
    import pandas as pd

    cells = {c: [row[c] if c < len(row) else "" for row in rows] for c in columns}
    found = pd.DataFrame(cells, dtype=str)
    found[CELLS] = [len(row) for row in rows]
    return found


class Workbook(Sheet):
    """One sheet of a workbook, the first unless another is named."""

    def __init__(self, path: Path, sheet: str = "") -> None:
        from openpyxl import load_workbook

        self.path = path
        try:
            book = load_workbook(path, read_only=True, data_only=True)
        except Exception as error:
            raise TableError(
                "the workbook cannot be read.", where=str(path), remedy="Save it again, or save the sheet as text."
            ) from error
        try:
            if sheet and sheet not in book.sheetnames:
                raise TableError(
                    f"there is no sheet “{sheet}”.", where=str(path), remedy=f"There are: {', '.join(book.sheetnames)}."
                )
            self.names = tuple(book.sheetnames)
            self.sheet = sheet or self.names[0]
            self._rows = self._read(book[self.sheet])
        finally:
            book.close()

    def _read(self, sheet: Any) -> list[list[str]]:
        rows: list[list[str]] = []
        cells = 0
        for row in sheet.iter_rows(values_only=True):
            rows.append([_cell_text(cell) for cell in row])
            cells += len(row)
            if cells > MOST_CELLS:
                raise TableError(
                    f"the sheet {self.sheet} has more than {MOST_CELLS:,} cells.",
                    where=str(self.path),
                    remedy="Save the sheet as text (CSV).",
                )
        while rows and not any(rows[-1]):
            rows.pop()
        if not rows:
            raise TableError(
                f"the sheet {self.sheet} is empty.", where=str(self.path), remedy="Name the sheet with the record."
            )
        return rows

    def head(self) -> list[list[str]]:
        """Its first rows."""
        return self._rows[:2000]

    def probes(self) -> list[list[str]]:
        """Rows from all over it."""
        return self._rows[:: max(1, len(self._rows) // 500)]

    def chunks(
        self, first_row: int, width: int, columns: Sequence[int], numbers: Sequence[int], options: dict[str, Any]
    ) -> Iterator[tuple[float, pd.DataFrame]]:
        """Its rows in pieces, all of them texts."""
        rows = self._rows[first_row:]
        for begin in range(0, len(rows), CHUNK):
            piece = rows[begin : begin + CHUNK]
            yield (begin + len(piece)) / max(len(rows), 1), _of_texts(piece, columns)


def _cell_text(cell: Any) -> str:
    if cell is None:
        return ""
    if hasattr(cell, "isoformat"):
        return (
            str(cell.isoformat(sep=" ")) if hasattr(cell, "hour") and hasattr(cell, "year") else str(cell.isoformat())
        )
    if isinstance(cell, float):
        return repr(int(cell)) if cell.is_integer() and abs(cell) < 1e15 else repr(cell)
    return str(cell).strip()
