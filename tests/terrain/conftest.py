"""Surfaces with known drainage."""

import numpy as np
import pytest

from tarnwater.terrain.grid import Grid


@pytest.fixture
def as_grid():
    def make(heights, width=10.0, height=10.0):
        return Grid(np.asarray(heights, float), 0.0, len(heights) * height, width, height, "EPSG:27700")

    return make


@pytest.fixture
def rough():
    """A rough surface of random size, cell shape, voids and level steps."""

    def make(seed, step=0.0):
        rng = np.random.default_rng(seed)
        rows, columns = rng.integers(3, 28, 2)
        z = rng.normal(size=(rows, columns)).cumsum(0).cumsum(1)
        if step:
            z = np.round(z / step) * step
        if seed % 3 == 0:
            z[rng.random(z.shape) < 0.08] = np.nan
        z[0, 0] = 1.0
        return Grid(z, 0.0, 0.0, float(rng.uniform(1, 9)), float(rng.uniform(1, 9)), "EPSG:27700")

    return make
