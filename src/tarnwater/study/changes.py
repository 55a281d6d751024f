"""Changes between two documents as plain data: what history stores and comparisons show."""

from __future__ import annotations

import copy
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

#: Stands for a value that is not there on one side.
ABSENT = {"absent": True}

Change = tuple[list[Any], Any, Any]


def changes_between(before: Any, after: Any) -> list[Change]:
    """Every place where two documents differ: path, value before, value after; none for equal ones."""
    return list(_walk(before, after, []))


def _walk(before: Any, after: Any, path: list[Any]) -> Iterator[Change]:
    if before is ABSENT or after is ABSENT:
        yield [*path], before, after
    elif isinstance(before, Mapping) and isinstance(after, Mapping):
        if list(before) != list(after) and set(before) == set(after):
            yield [*path], before, after
            return
        for key in dict.fromkeys((*before, *after)):
            yield from _walk(before.get(key, ABSENT), after.get(key, ABSENT), [*path, key])
    elif before != after:
        yield [*path], before, after


def applied(document: Any, changes: Sequence[Change]) -> Any:
    """A copy of a document with changes made."""
    new = copy.deepcopy(document)
    for path, _, after in changes:
        if not path:
            new = copy.deepcopy(after)
            continue
        owner = new
        for part in path[:-1]:
            owner = owner[part]
        if after == ABSENT:
            del owner[path[-1]]
        else:
            owner[path[-1]] = copy.deepcopy(after)
    return new


def reversed_changes(changes: Sequence[Change]) -> list[Change]:
    """The changes that take the later document back to the earlier one."""
    return [(path, after, before) for path, before, after in reversed(changes)]
