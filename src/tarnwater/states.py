"""States of runs: arrays by case, in tuples of any nesting, None if there is nothing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, TypeAlias

import numpy as np

from tarnwater.arrays import Cases

#: A state of some cases: arrays (case, …) in tuples, or None. Only the method that made it knows its structure.
State: TypeAlias = Any


def cases_of(state: State, cases: Cases) -> State:
    """Some of the cases of a state."""
    if state is None:
        return None
    if isinstance(state, tuple):
        return tuple(cases_of(part, cases) for part in state)
    return state[cases]


def joined(states: Sequence[State], counts: Sequence[int]) -> State:
    """States of some cases each, ``counts`` of them, put together.

    Arrays of different width are filled up with zeros; None among arrays becomes zeros.
    """
    there = [state for state in states if state is not None]
    if not there:
        return None
    if isinstance(there[0], tuple):
        parts = range(len(there[0]))
        return tuple(joined([None if s is None else s[i] for s in states], counts) for i in parts)
    if there[0].ndim == 1:
        return np.concatenate([np.zeros(n) if s is None else s for s, n in zip(states, counts, strict=True)])
    width = max(state.shape[1] for state in there)
    whole = np.zeros((sum(counts), width))
    first = 0
    for state, count in zip(states, counts, strict=True):
        if state is not None:
            whole[first : first + count, : state.shape[1]] = state
        first += count
    return whole
