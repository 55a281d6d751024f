"""Memos of results by the identity of immutable objects."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Hashable
from typing import Any, Generic, TypeVar

T = TypeVar("T")


class IdentityMemo(Generic[T]):
    """Caches the most recent answers by the identity of their inputs, which it keeps alive.

    >>> memo = IdentityMemo(most=2)
    >>> made_from = ("a", (1, 2))
    >>> memo.put(made_from, "answer")
    'answer'
    >>> memo.get(made_from)
    'answer'
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: OrderedDict[tuple[Hashable, ...], tuple[tuple[object, ...], T]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, parts: tuple[object, ...], also: Hashable = ()) -> T | None:
        """The answer from these very objects and equal values of ``also``, or None."""
        key = also, *map(id, parts)
        with self._lock:
            found = self._kept.get(key)
            if found is None:
                return None
            self._kept.move_to_end(key)
            return found[1]

    def put(self, parts: tuple[object, ...], answer: T, also: Hashable = ()) -> T:
        """Cache an answer, and return it."""
        with self._lock:
            self._kept[(also, *map(id, parts))] = parts, answer
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return answer


class Memory:
    """All memos of one open study; they are freed with it.

    A study and its edited versions share one. It is not part of the value of a study: any two memories are equal, and
    a study is written or pickled without it.
    """

    def __init__(self) -> None:
        self._memos: dict[str, IdentityMemo[Any]] = {}
        self._lock = threading.Lock()

    def of(self, subject: str, most: int) -> IdentityMemo[Any]:
        """The memo of a subject, with at most ``most`` answers."""
        with self._lock:
            if subject not in self._memos:
                self._memos[subject] = IdentityMemo(most)
            return self._memos[subject]

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Memory)

    def __hash__(self) -> int:
        return 0

    def __reduce__(self) -> tuple[object, ...]:
        return Memory, ()
