"""Differences between two documents as plain data, for history and comparisons."""

from __future__ import annotations

import copy
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

#: Marks a value that is absent on one side.
ABSENT = {"absent": True}

#: Last part of the path of a change that is the order of the keys at that path.
ORDER = {"order": True}

Change = tuple[list[Any], Any, Any]


def changes_between(before: Any, after: Any) -> list[Change]:
    """Every difference of two documents: path, value before, value after."""
    return list(_walk(before, after, []))


def _walk(before: Any, after: Any, path: list[Any]) -> Iterator[Change]:
    if before is after:
        return
    if before is ABSENT or after is ABSENT:
        yield [*path], before, after
    elif isinstance(before, Mapping) and isinstance(after, Mapping):
        for key in dict.fromkeys((*before, *after)):
            yield from _walk(before.get(key, ABSENT), after.get(key, ABSENT), [*path, key])
        if not (_would_be(before, after) and _would_be(after, before)):
            yield [*path, ORDER], list(before), list(after)
    elif before != after:
        yield [*path], before, after


def _would_be(before: Mapping[str, Any], after: Mapping[str, Any]) -> bool:
    """Whether removing keys and adding the new ones at the end gives the order of ``after``."""
    kept = [key for key in before if key in after]
    return kept + [key for key in after if key not in before] == list(after)


def applied(document: Any, changes: Sequence[Change]) -> Any:
    """A copy of a document with changes applied."""
    new = copy.deepcopy(document)
    orders = []
    for path, _, after in changes:
        if not path:
            new = copy.deepcopy(after)
            continue
        if path[-1] == ORDER:
            orders.append((path[:-1], after))
            continue
        owner = _at(new, path[:-1])
        if after == ABSENT:
            del owner[path[-1]]
        else:
            owner[path[-1]] = copy.deepcopy(after)
    for path, keys in orders:
        owner = _at(new, path)
        sorted_items = [(key, owner[key]) for key in keys]
        owner.clear()
        owner.update(sorted_items)
    return new


def _at(document: Any, path: Sequence[Any]) -> Any:
    for part in path:
        document = document[part]
    return document


def reversed_changes(changes: Sequence[Change]) -> list[Change]:
    """The changes that take the later document back to the earlier one."""
    return [(path, after, before) for path, before, after in changes]
