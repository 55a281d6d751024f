"""From JSON text to plain data that can be a study: complete, finite, and not too large.

JSON allows what a study does not: duplicate keys, NaN and infinity, unlimited nesting.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from tarnwater.errors import StudyFileError

#: Limits of a study; a larger document is refused before it is read.
MOST_BYTES = 64 << 20
MOST_ELEMENTS = 20_000
MOST_CONDITIONS = 500

#: Greatest number of digits of a number.
MOST_DIGITS = 400


def plain_from_text(text: str, where: str = "", *, most: int | None = MOST_BYTES) -> dict[str, Any]:
    """Read the one JSON object of a study; `StudyFileError` says what is wrong and where.

    Refused are duplicate keys, NaN and Infinity, numbers with too many digits, too deep nesting, and a text of more
    than ``most`` bytes.
    """
    if most is not None and len(text) > most:
        raise _refused(f"it has {len(text) >> 20} MB; a study has at most {most >> 20}.", where)
    try:
        document: Any = json.loads(
            text, object_pairs_hook=_once, parse_constant=_no_constant, parse_int=_whole, parse_float=_number
        )
    except json.JSONDecodeError as error:
        raise StudyFileError(
            f"the text is not complete JSON: {error.msg} in line {error.lineno}, column {error.colno}.",
            where=where,
            remedy="Restore the file from a copy, or correct that line.",
        ) from error
    except RecursionError as error:
        raise _refused("it is nested too deeply.", where) from error
    except ValueError as error:
        raise _refused(f"{error}.", where) from error
    if not isinstance(document, dict):
        raise StudyFileError("this is not a study.", where=where, remedy="Open a Tarnwater study.")
    return document


def refuse_too_much(document: Mapping[str, Any], where: str = "") -> None:
    """Raise `StudyFileError` for a document with too many elements or conditions."""
    conditions = document.get("conditions")
    added = 0
    if isinstance(conditions, Mapping):
        if len(conditions) > MOST_CONDITIONS:
            raise _refused(f"it has {len(conditions)} conditions; at most {MOST_CONDITIONS} are read.", where)
        added = sum(_size(c.get("added")) for c in conditions.values() if isinstance(c, Mapping))
    for name, count in (("elements", _size(document.get("elements")) + added), ("links", _size(document.get("links")))):
        if count > 2 * MOST_ELEMENTS or (name == "elements" and count > MOST_ELEMENTS):
            raise _refused(f"it has {count} {name}; at most {MOST_ELEMENTS} elements are read.", where)


def _size(part: Any) -> int:
    return len(part) if isinstance(part, Mapping) else 0


def _refused(what: str, where: str) -> StudyFileError:
    return StudyFileError(f"the study cannot be read: {what}", where=where, remedy="Restore the file from a copy.")


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        seen: set[str] = set()
        twice = next(key for key, _ in pairs if key in seen or seen.add(key))  # type: ignore[func-returns-value]
        raise ValueError(f"“{twice[:60]}” appears twice in one place")
    return found


def _no_constant(text: str) -> float:
    raise ValueError(f"{text} is no number")


def _whole(text: str) -> int:
    if len(text) > MOST_DIGITS:
        raise ValueError(f"a number has {len(text)} digits")
    return int(text)


def _number(text: str) -> float:
    number = float(text)
    if number in (float("inf"), float("-inf")):
        raise ValueError(f"{text[:40]} is too large a number")
    return number
