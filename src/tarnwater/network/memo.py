"""What was worked out from objects that never change, found again while they are the very same objects."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Hashable
from typing import Any, Generic, TypeVar

T = TypeVar("T")


class IdentityMemo(Generic[T]):
    """Keeps the answers used last by the identity of what they were made from, which it keeps alive.

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
        """The answer made from these very objects and equal values of ``also``, or None."""
        key = also, *map(id, parts)
        with self._lock:
            found = self._kept.get(key)
            if found is None:
                return None
            self._kept.move_to_end(key)
            return found[1]

    def put(self, parts: tuple[object, ...], answer: T, also: Hashable = ()) -> T:
        """Keep an answer, and give it back."""
        with self._lock:
            self._kept[(also, *map(id, parts))] = parts, answer
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return answer


class Memory:
    """All memos of one opened study: they go when it goes.

    A study and what is edited from it share one. It says nothing of what a study is: any two are equal, and a
    study that is written or sent elsewhere leaves it behind.
    """

    def __init__(self) -> None:
        self._memos: dict[str, IdentityMemo[Any]] = {}
        self._lock = threading.Lock()

    def of(self, subject: str, most: int) -> IdentityMemo[Any]:
        """The memo of a subject, which keeps at most so many answers."""
        with self._lock:
            if subject not in self._memos:
                self._memos[subject] = IdentityMemo(most)
            return self._memos[subject]

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Memory)

    def __hash__(self) -> int:
        return 0

    def __reduce__(self) -> tuple[Any, ...]:
        return Memory, ()
