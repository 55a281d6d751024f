"""Threads that are kept for short pieces of work, since to start one takes as long as such a piece."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from itertools import pairwise


@cache
def _threads() -> ThreadPoolExecutor:
    """As many threads as processors."""
    return ThreadPoolExecutor(os.cpu_count() or 1, thread_name_prefix="tarnwater")


# threads do not follow into a forked process
os.register_at_fork(after_in_child=_threads.cache_clear)


def in_shares(work: Callable[[int, int], None], count: int, shares: int) -> None:
    """Call ``work`` with the bounds (begin, end) of as many even shares of a count, side by side; wait for all.

    The last share is done by the calling thread. An error of any is raised when all have ended.
    """
    bounds = [count * number // shares for number in range(shares + 1)]
    *others, own = pairwise(bounds)
    begun = [_threads().submit(work, *bound) for bound in others]
    try:
        work(*own)
    finally:
        for one in begun:
            one.exception()
    for one in begun:
        one.result()
