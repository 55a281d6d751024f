"""Studies in Python: opened, edited by name, computed, and read as labelled arrays.

>>> import tarnwater
>>> from pathlib import Path
>>> from tempfile import TemporaryDirectory
>>> with TemporaryDirectory() as folder:
...     study = tarnwater.new(Path(folder) / "one.tarn.json", title="One")
...     study.add("catchment", "Hask", area="0.5 km2", curve_number=85, lag="30 min")
...     round(study.value("Hask", "area"))
500000
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tarnwater.errors import BadInput, UnknownName
from tarnwater.network.elements import Element
from tarnwater.parameters import Setting
from tarnwater.study import edits
from tarnwater.study.answers import Results, compute_cases
from tarnwater.study.answers.asked import storms_asked
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import resolve
from tarnwater.study.document.fields import value_at
from tarnwater.study.edits.assignments import address
from tarnwater.study.edits.by_numbers import add_by_numbers, set_by_numbers
from tarnwater.study.edits.parts_by_numbers import add_part_by_numbers, remove_part_by_numbers
from tarnwater.study.file.store import create_study, edit_study, edit_study_with_blobs, read_study
from tarnwater.study.reckonings import explain

if TYPE_CHECKING:
    import pandas
    import xarray

#: A value as a script gives it: text with a unit, or a number in the base unit of its kind.
Value = str | float | int


def open_study(path: str | Path) -> OpenStudy:
    """Open a study of either form; `StudyFileError` if it is not one."""
    where = Path(path)
    study, _ = read_study(where)
    return OpenStudy(study, where)


def new_study(path: str | Path, *, title: str = "", units: str = "SI") -> OpenStudy:
    """Write a new study and open it; an existing file is refused with a `StudyFileError`."""
    from tarnwater.study.document.blobs import Blobs

    where = Path(path)
    create_study(where, Study.model_validate({"title": title, "units": units}), Blobs())
    return open_study(where)


@dataclass
class OpenStudy:
    """A study on the disk, or a draft in memory.

    Every edit of a study is written at once, as in the program; other programs may write to it meanwhile. A draft is
    written nowhere.
    """

    document: Study
    path: Path | None = None

    def draft(self) -> OpenStudy:
        """A copy in memory, to try something."""
        return OpenStudy(self.document)

    @property
    def names(self) -> list[str]:
        """Names of its elements."""
        return [element.name for element in self.document.all_elements.values()]

    def element(self, name: str, condition: str = "") -> Element:
        """An element by its name, as a condition has it, or the first; `UnknownName` with the nearest."""
        study = self.document
        key = study.key_of(name)
        there = resolve(study, study.condition_of(condition) if condition else next(iter(study.conditions))).elements
        if key not in there:
            raise UnknownName(name, [one.name for one in there.values()], kind="element of this condition")
        return there[key]

    def value(self, name: str, field: str, condition: str = "") -> Any:
        """A value of an element in its base unit; of a setting the one in use, None if it has none."""
        element = self.element(name, condition)
        found = value_at(element, address(element, field))
        return found.value if isinstance(found, Setting) else found

    def edit(self, edit: Callable[..., Study], *args: Any, **kwargs: Any) -> None:
        """Make any edit of `tarnwater.study.edits`; one that is refused raises `BadInput` and changes nothing."""
        self.document = (
            edit(self.document, *args, **kwargs) if self.path is None else edit_study(self.path, edit, *args, **kwargs)
        )

    def edit_with_blobs(self, edit: Callable[..., Study], *args: Any, **kwargs: Any) -> None:
        """Make an edit that takes the grids and records of the study, such as cutting a section from its terrain.

        `BadInput` for a draft, which holds neither.
        """
        if self.path is None:
            raise BadInput(
                "a draft has no grids and no records.", where=self.document.title, remedy="Make this edit on a study."
            )
        self.document = edit_study_with_blobs(self.path, edit, *args, **kwargs)

    def set(
        self, name: str, values: Mapping[str, Value] | None = None, /, *, condition: str = "", **more: Value
    ) -> None:
        """Choose methods and type values of an element, such as ``lag="45 min"`` or ``{"loss.curve_number": 75}``."""
        self.edit(set_by_numbers, name, _texts(values, more), condition=condition)

    def add(
        self, kind: str, name: str, values: Mapping[str, Value] | None = None, /, *, into: str = "", **more: Value
    ) -> None:
        """Add an element that drains into another one, or into an outfall."""
        self.edit(add_by_numbers, kind, name, _texts(values, more), into=into)

    def add_part(
        self, name: str, field: str, form: str, values: Mapping[str, Value] | None = None, /, *, condition: str = "",
        **more: Value,
    ) -> None:  # fmt: skip
        """Add storage or a device to a pond."""
        self.edit(add_part_by_numbers, name, field, form, _texts(values, more), condition=condition)

    def remove_part(self, name: str, part: str, *, condition: str = "") -> None:
        """Remove a part of an element, such as ``devices.weir``."""
        self.edit(remove_part_by_numbers, name, part, condition=condition)

    def connect(self, up: str, down: str) -> None:
        """Connect an element to another one."""
        self.edit(edits.connect, self.document.key_of(up), self.document.key_of(down))

    def remove(self, name: str) -> None:
        """Remove an element."""
        self.edit(edits.remove_element, self.document.key_of(name))

    def compute(
        self,
        *,
        conditions: Sequence[str] | None = None,
        points: Sequence[str] | None = None,
        storms: Sequence[str] | None = None,
    ) -> Computed:
        """Compute all cases, or those asked for by name; storms as ``100``, ``100/6h``, a family or a storm.

        What cannot be computed is withheld with the reason; see `Computed.results`.
        """
        asked = storms_asked(self.document, list(storms or []))
        return Computed(compute_cases(self.document, conditions=conditions, points=points, **asked))


def _texts(values: Mapping[str, Value] | None, more: Mapping[str, Value]) -> dict[str, str]:
    given = {**(values or {}), **more}
    return {name: value if isinstance(value, str) else repr(value) for name, value in given.items()}


@dataclass(frozen=True)
class Computed:
    """The computed cases of a study; ``results`` has all that the program knows of them."""

    results: Results
    _frames: dict[str, Any] = field(default_factory=dict, repr=False)

    def peak(self, name: str, event: float | str, condition: str = "") -> float:
        """The answer of a design point, m3/s: of a return period in years, or of a storm by its name."""
        study = self.results.study
        key, own = study.key_of(name), study.condition_of(condition) if condition else next(iter(study.conditions))
        asked = event if isinstance(event, str) else float(event)
        if isinstance(asked, str):
            named = (one for one, storm in study.storms.items() if storm.name.casefold() == asked.casefold())
            asked = next(named, asked)
        return self.results.answer(own, key, asked).figures.peak.ordinate

    def peaks(self) -> pandas.DataFrame:
        """A row a case, with the columns of ``peaks.csv``."""
        import pandas

        from tarnwater.brief.tables import peak_rows

        head, *rows = peak_rows(self.results)
        return pandas.DataFrame(rows, columns=list(head))

    def to_xarray(self, *, every_case: bool = False) -> xarray.Dataset:
        """The governing cases, or every one, with flows, levels and rain; units and names by the CF conventions."""
        from tarnwater.brief.arrays import results_dataset

        return results_dataset(self.results, self.results.cases if every_case else None)

    def to_netcdf(self, path: str | Path, *, every_case: bool = False) -> None:
        """Write the same as a NetCDF file."""
        from tarnwater.brief.arrays import write_netcdf

        write_netcdf(self.results, Path(path), self.results.cases if every_case else None)

    def explain(self, name: str, figure: str = "peak", event: float | str | None = None, condition: str = "") -> str:
        """The reckoning of a figure of an element in the governing case of an event, or of the rarest."""
        study = self.results.study
        key, own = study.key_of(name), study.condition_of(condition) if condition else next(iter(study.conditions))
        points = {answer.result.case.point for answer in self.results.answers()}
        point = key if key in points else next(iter(points))
        events = self.results.events_of(own, point)
        asked = event if event is not None else max((e for e in events if not isinstance(e, str)), default=events[0])
        case = self.results.showing(key, own, point, float(asked) if not isinstance(asked, str) else asked)
        if case is None:
            raise UnknownName(str(asked), [str(one) for one in events], kind="event")
        return "\n".join(explain(study, case, key, figure, results=self.results).lines(study.units))
