"""The errors of the program.

::

    TarnwaterError
    ├── BadInput              what was given cannot be used
    │   ├── UnitError         a quantity that cannot be read, or of the wrong kind
    │   ├── OutOfRange        a value outside its physical range
    │   ├── GridError         an elevation grid that cannot be used
    │   │   └── NoGround      a grid without any data
    │   ├── VectorError       shapes in a file that cannot be used
    │   ├── PictureError      a picture that cannot lie under the map
    │   ├── OutletError       a place that cannot be an outlet
    │   ├── TableError        a table with rows that cannot be used (all of them listed)
    │   ├── NetworkError      elements and links that do not make a network
    │   ├── UnknownName       a name that does not exist (with the nearest known one)
    │   ├── EditRefused       an edit that would leave the study invalid, or a locked study
    │   └── StudyFileError    a file that is not a study, is damaged or is from a newer version
    ├── StorageError          the disk is full, the folder is read-only
    │   └── ChangedElsewhere  another program has written to the study meanwhile
    ├── ComputationFailed     a case that cannot be computed (its stops are listed)
    └── Cancelled             the person cancelled the work; nothing was changed
"""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Sequence
from typing import Literal, Protocol


class Measured(Protocol):
    """A measured value in a message, which can be written in either system of units."""

    def show(self, system: Literal["SI", "US"]) -> str:
        """Write it with its unit."""


class TarnwaterError(Exception):
    """An error with what is wrong, where, and the remedy.

    With ``values``, ``what`` has a pair of braces for each; they are told in SI until `in_units` says otherwise.
    """

    def __init__(self, what: str, *, where: str = "", remedy: str = "", values: Sequence[Measured] = ()) -> None:
        self._template, self._values = what, tuple(values)
        self.what = what
        self.where = where
        self.remedy = remedy
        self.in_units("SI")
        super().__init__(self.what, where, remedy)

    def in_units(self, system: Literal["SI", "US"]) -> None:
        """Tell its values in the units of a system."""
        if self._values:
            self.what = self._template.format(*(value.show(system) for value in self._values))

    def __reduce__(self) -> tuple[object, ...]:
        """Pickle the error as it is, so that errors of other processes can be reported."""
        return _as_it_was, (type(self), self.args, dict(self.__dict__))

    def __str__(self) -> str:
        place = f"{self.where}: " if self.where else ""
        remedy = f" {self.remedy}" if self.remedy else ""
        return f"{place}{self.what}{remedy}"


def _as_it_was(kind: type[TarnwaterError], args: tuple[object, ...], told: dict[str, object]) -> TarnwaterError:
    error = kind.__new__(kind, *args)
    error.__dict__.update(told)
    return error


class BadInput(TarnwaterError):
    """What was given cannot be used."""


class UnitError(BadInput):
    """A quantity that cannot be read, or of the wrong kind."""


class OutOfRange(BadInput):
    """A value outside its physical range."""


class GridError(BadInput):
    """An elevation grid that cannot be used."""


class NoGround(GridError):
    """An elevation grid without any data."""


class VectorError(BadInput):
    """A vector file or drawing that cannot be used."""


class PictureError(BadInput):
    """A picture that cannot lie under the map."""


class OutletError(BadInput):
    """A place that cannot be an outlet."""


class TableError(BadInput):
    """A table that cannot be used; ``rows`` lists every fault with its line."""

    def __init__(
        self, what: str, *, where: str = "", remedy: str = "", rows: Iterable[str] = (), values: Sequence[Measured] = ()
    ) -> None:
        self.rows = tuple(rows)
        super().__init__(what, where=where, remedy=remedy, values=values)

    def __str__(self) -> str:
        return "\n  ".join([super().__str__(), *self.rows])


class NetworkError(BadInput):
    """Elements and links that do not make a network."""


class EditRefused(BadInput):
    """An edit that would leave the study invalid, or that meets a locked study."""


class StudyFileError(BadInput):
    """A file that is not a study, is damaged, or comes from a newer version."""


class UnknownName(BadInput):
    """A name that does not exist.

    >>> str(UnknownName("Pelowford", ["Pellowford", "Yard"], kind="element"))
    'there is no element “Pelowford”. Did you mean “Pellowford”?'
    """

    def __init__(self, name: str, known: Iterable[str], *, kind: str, where: str = "") -> None:
        known = list(known)
        folded = {k.casefold(): k for k in known}
        # numbers are not suggested: a similar number is seldom the one meant
        near = [] if name[:1].isdigit() else difflib.get_close_matches(name.casefold(), folded, n=1, cutoff=0.5)
        if near:
            remedy = f"Did you mean “{folded[near[0]]}”?"
        elif known:
            remedy = f"There are: {', '.join(known[:12])}{' …' if len(known) > 12 else ''}."
        else:
            remedy = f"There is no {kind} yet."
        super().__init__(f"there is no {kind} “{name}”.", where=where, remedy=remedy)


class StorageError(TarnwaterError):
    """The disk is full or the folder cannot be written; the study on the disk is unchanged."""


class ChangedElsewhere(StorageError):
    """Another program has written to the study since it was read; nothing was overwritten."""


class ComputationFailed(TarnwaterError):
    """A case that cannot be computed."""


class Cancelled(TarnwaterError):
    """The work was cancelled; nothing was changed."""

    def __init__(self) -> None:
        super().__init__("cancelled; nothing was changed.")
