"""Results cached under a digest of their inputs."""

from __future__ import annotations

import threading
from collections import OrderedDict
from typing import Generic, Protocol, TypeVar


class _Sized(Protocol):
    @property
    def nbytes(self) -> int: ...


R = TypeVar("R", bound=_Sized)


class ResultCache(Generic[R]):
    """Caches the most recent results, up to a number of bytes; thread-safe."""

    def __init__(self, most_bytes: int = 1 << 30) -> None:
        self.most_bytes = most_bytes
        self.hits = 0
        self.misses = 0
        self._kept: OrderedDict[str, R] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def __reduce__(self) -> tuple[object, ...]:
        """Pickle an empty cache of the same size; results can be computed again."""
        return ResultCache, (self.most_bytes,)

    def get(self, key: str) -> R | None:
        """The result under a key, or None."""
        with self._lock:
            found = self._kept.get(key)
            if found is None:
                self.misses += 1
                return None
            self.hits += 1
            self._kept.move_to_end(key)
            return found

    def put(self, key: str, result: R) -> None:
        """Cache a result; the least recently used ones are dropped."""
        with self._lock:
            if key in self._kept:
                self._bytes -= self._kept.pop(key).nbytes
            self._kept[key] = result
            self._bytes += result.nbytes
            while self._bytes > self.most_bytes and len(self._kept) > 1:
                _, dropped = self._kept.popitem(last=False)
                self._bytes -= dropped.nbytes
