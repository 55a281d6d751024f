"""Documents of older formats are brought to the present one, step by step, as plain data.

To change the format: raise `tarnwater.study.document.FORMAT`, write a function here from the last
format to the new one, register it under the last, and keep a file of the last in the tests.
"""

from __future__ import annotations

import copy
from collections.abc import Callable
from typing import Any

from tarnwater.errors import StudyFileError
from tarnwater.study.document import FORMAT


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


MIGRATIONS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {0: _from_0}


def migrated(document: dict[str, Any], where: str = "") -> dict[str, Any]:
    """The document in the present format; the one given is not touched.

    Raises `StudyFileError` for a document of a newer format, or one that names no format.
    """
    number = document.get("format")
    if not isinstance(number, int) or isinstance(number, bool) or number < 0:
        raise StudyFileError("this is no study: it names no format.", where=where, remedy="Open a Tarnwater study.")
    if number > FORMAT:
        raise StudyFileError(
            f"the study was written by a newer Tarnwater (format {number}; this one reads up to {FORMAT}). "
            "Nothing was changed.",
            where=where,
            remedy="Open it with that version or a later one.",
        )
    document = copy.deepcopy(document)
    for old in range(number, FORMAT):
        document = MIGRATIONS[old](document)
        document["format"] = old + 1
    return document
