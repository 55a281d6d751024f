"""A computed batch: summaries are kept, series on demand, so that ten thousand cases fit."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from tarnwater.network.balance import Balance
from tarnwater.network.cache import ResultCache
from tarnwater.network.elements import Catchment, Reach
from tarnwater.network.engine import Batch, BatchResult, Response, compute
from tarnwater.network.figures import Peak, find_peaks

#: Bytes of series that are kept at once; what is dropped is computed again when asked for.
SHELF_BYTES = 512 << 20


@dataclass(frozen=True, eq=False)
class Summary:
    """What is always kept of an element: one value a case; flows in m3/s, volumes in m3, depths in mm."""

    peaks: tuple[Peak, ...]
    low: np.ndarray
    last: np.ndarray
    volume: np.ndarray
    balance: Balance
    rain_depth: np.ndarray
    loss_depth: np.ndarray


class Run:
    """A batch with its summaries; `responses` gives the series, computed again where they were dropped."""

    def __init__(self, result: BatchResult, shelf: ResultCache[BatchResult]) -> None:
        self.batch: Batch = result.batch
        self.balance: Balance = result.balance
        self._shelf = shelf
        self._key = str(id(self))
        self.summaries = {key: self._summary(key, response) for key, response in result.responses.items()}
        shelf.put(self._key, result)

    @property
    def responses(self) -> Mapping[str, Response]:
        """Series of every element."""
        result = self._shelf.get(self._key)
        if result is None:
            result = compute(self.batch)
            self._shelf.put(self._key, result)
        return result.responses

    @cached_property
    def smooth(self) -> frozenset[str]:
        """Keys of the elements whose flow a catchment or a reach has smoothed."""
        network, found = self.batch.network, set()
        for key in network.order:
            if isinstance(network.elements[key], Catchment | Reach) or any(u in found for u in network.upstream[key]):
                found.add(key)
        return frozenset(found)

    def _summary(self, key: str, response: Response) -> Summary:
        flow = response.flow
        return Summary(
            peaks=find_peaks(flow, self.batch.step, smooth=key in self.smooth),
            low=flow.min(axis=1),
            last=flow[:, -1].copy(),
            volume=response.hydrograph.total,
            balance=response.balance,
            rain_depth=response.rain_depth,
            loss_depth=response.loss_depth,
        )
