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
        self._kept: OrderedDict[tuple[Hashable, ...], tuple[tuple[Any, ...], T]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, parts: tuple[Any, ...], also: Hashable = ()) -> T | None:
        """The answer made from these very objects and equal values of ``also``, or None."""
        key = also, *map(id, parts)
        with self._lock:
            found = self._kept.get(key)
            if found is None:
                return None
            self._kept.move_to_end(key)
            return found[1]

    def put(self, parts: tuple[Any, ...], answer: T, also: Hashable = ()) -> T:
        """Keep an answer, and give it back."""
        with self._lock:
            self._kept[(also, *map(id, parts))] = parts, answer
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return answer
