"""Migration of documents of older formats to the present one, step by step, as plain data.

To change the format: raise `tarnwater.study.document.FORMAT`, write a function here from the last
format to the new one, register it under the last, and keep a file of the last in the tests.
"""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterator, Mapping
from itertools import count
from typing import Any, TypeVar

from tarnwater.errors import BadInput, StudyFileError
from tarnwater.study.document import FORMAT, Study, study_from
from tarnwater.study.document.plain import refuse_too_much
from tarnwater.units import show_duration

V = TypeVar("V")


def _from_0(document: dict[str, Any]) -> dict[str, Any]:
    """Format 0 called the flow length ``path_length`` and kept lags in minutes."""

    def renewed(element: dict[str, Any]) -> None:
        if element.get("kind") != "catchment":
            return
        if "path_length" in element:
            element["flow_length"] = element.pop("path_length")
        lag = element.get("lag", {})
        if "typed" in lag:
            lag["typed"]["value"] *= 60
        if "derived" in lag:
            lag["derived"] *= 60

    for element in document.get("elements", {}).values():
        renewed(element)
    for condition in document.get("conditions", {}).values():
        for element in condition.get("added", {}).values():
            renewed(element)
        settings = condition.get("settings", {})
        for path in list(settings):
            if path.endswith("/lag"):
                settings[path]["value"] *= 60
            if path.endswith("/path_length"):
                settings[path.removesuffix("path_length") + "flow_length"] = settings.pop(path)
    return document


def _from_1(document: dict[str, Any]) -> dict[str, Any]:
    """In format 1 nested storms had several durations, areal reduction was the default, families shared names."""
    tables = document.get("tables", {})
    names: set[str] = set()
    for family in document.get("families", {}).values():
        name = str(family.get("name", "Design storms"))
        family["name"] = next(n for n in _numbered(name) if n.casefold() not in names)
        names.add(family["name"].casefold())
        family.setdefault("pattern", {"method": "alternating-block"})
        family.setdefault("areal", {"method": "leclerc-schaake"})
        durations = family.get("durations") or []
        if durations:
            table = tables.get(family.get("table"), {}).get("durations") or [max(durations)]
            if max(durations) != min(86400.0, max(table)):
                note = "the longest duration of the family in the earlier format"
                family["length"] = {"typed": {"value": max(durations), "note": note}}
    return document


def _numbered(name: str) -> Iterator[str]:
    yield name
    yield from (f"{name} {number}" for number in count(2))


def _said_of_1(document: dict[str, Any]) -> list[str]:
    """Notes for a study of format 1 at its first opening."""
    said = [
        "Figures differ from those of the earlier version: a unit hydrograph has a duration of its own, a peak is the "
        "highest computed ordinate, and a volume ends when the flood has receded. See the change log."
    ]
    for family in document.get("families", {}).values():
        durations = family.get("durations") or []
        if len(durations) > 1:
            said.append(
                f"{family.get('name', 'Design storms')}: its storms are nested, so that a search over durations says "
                f"nothing; of {len(durations)} durations the longest, {show_duration(max(durations))}, is kept."
            )
    return said


MIGRATIONS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {0: _from_0, 1: _from_1}

#: Notes for a study of an older format at its first opening, by format.
_SAID: dict[int, Callable[[dict[str, Any]], list[str]]] = {1: _said_of_1}


def said_of_older(document: Mapping[str, Any], where: str = "") -> tuple[str, ...]:
    """Notes for a document of an older format; none for the present one."""
    said: list[str] = []
    number = _format_of(document, where)
    present = _without_data(document)
    for old in range(number, FORMAT):
        if old in _SAID:
            said.extend(_tried(lambda old=old, d=present: _SAID[old](d), where))  # type: ignore[misc]
        present = _tried(lambda old=old, d=present: MIGRATIONS[old](d), where)  # type: ignore[misc]
    return tuple(said)


def _without_data(document: Mapping[str, Any]) -> dict[str, Any]:
    return copy.deepcopy({key: part for key, part in document.items() if key != "data"})


def _tried(migrate: Callable[[], V], where: str) -> V:
    """The result of a migration; errors by invalid values are reported as `StudyFileError`."""
    try:
        return migrate()
    except (AttributeError, KeyError, TypeError, ValueError, IndexError, OverflowError) as error:
        raise StudyFileError(
            f"the older study holds values that cannot be brought to the present format ({error}).",
            where=where,
            remedy="Restore it from a copy, or correct it.",
        ) from error


def study_of_any_format(document: Mapping[str, Any], where: str = "") -> Study:
    """The study of a document of the present or an older format; `StudyFileError` where it is not one."""
    refuse_too_much(document, where)
    present = migrated(document, where)
    try:
        return study_from(present)
    except (RecursionError, OverflowError, ValueError, TypeError) as error:
        raise StudyFileError(
            f"the study holds values that cannot be read ({str(error)[:200]}).",
            where=where,
            remedy="Restore it from a copy.",
        ) from error
    except StudyFileError:
        raise
    except BadInput as error:
        what = f"{error.what} {error.remedy}".strip()
        what = what if len(what) < 600 else f"{what[:600]} …"
        place = f" ({error.where})" if error.where and error.where != "study" else ""
        raise StudyFileError(
            f"the study holds values that cannot be{place}: {what}",
            where=where,
            remedy="Correct it, or restore a copy.",
        ) from error


def _format_of(document: Mapping[str, Any], where: str) -> int:
    number = document.get("format")
    if not isinstance(number, int) or isinstance(number, bool) or number < 0:
        raise StudyFileError("this is not a study: it names no format.", where=where, remedy="Open a Tarnwater study.")
    if number > FORMAT:
        raise StudyFileError(
            f"the study was written by a newer Tarnwater (format {number}; this one reads up to {FORMAT}). "
            "Nothing was changed.",
            where=where,
            remedy="Open it with that version or a later one.",
        )
    return number


def migrated(document: Mapping[str, Any], where: str = "") -> dict[str, Any]:
    """The document in the present format; the given one is not changed.

    Raises `StudyFileError` for a document of a newer format, or one without a format.
    """
    number = _format_of(document, where)
    present = copy.deepcopy(dict(document))
    for old in range(number, FORMAT):
        present = _tried(lambda old=old, d=present: MIGRATIONS[old](d), where)  # type: ignore[misc]
        present["format"] = old + 1
    return present
