"""A computed batch: summaries are kept, series are computed on demand, so that ten thousand cases fit in memory."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from functools import cached_property

from tarnwater.network.balance import Balance, whole_balance
from tarnwater.network.cache import ResultCache
from tarnwater.network.engine import Batch, BatchResult, Response, compute

#: Bytes of series that are kept; dropped series are computed again on demand.
SHELF_BYTES = 512 << 20


class Run:
    """A batch with its summaries; `responses` gives the series, computed again if they were dropped."""

    def __init__(self, result: BatchResult, shelf: ResultCache[BatchResult]) -> None:
        self.batch: Batch = result.batch
        self._shelf = shelf
        self._key = uuid.uuid4().hex
        self.summaries = {key: response.summary for key, response in result.responses.items()}
        shelf.put(self._key, result)

    @cached_property
    def balance(self) -> Balance:
        """Balance of the whole network."""
        leaving = [self.summaries[key].passed_by_way[way] for key, way in self.batch.network.leaving]
        return whole_balance((summary.balance for summary in self.summaries.values()), leaving)

    @cached_property
    def dips(self) -> frozenset[str]:
        """Elements whose flow falls below zero in any of the cases."""
        return frozenset(key for key, summary in self.summaries.items() if summary.low.min(initial=0.0) < 0)

    @property
    def responses(self) -> Mapping[str, Response]:
        """Series of every element."""
        result = self._shelf.get(self._key)
        if result is None:
            result = compute(self.batch)
            self._shelf.put(self._key, result)
        return result.responses
