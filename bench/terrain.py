"""Fill + directions with flats + accumulation + labelling of nine million cells, over a stable sort of them."""

from __future__ import annotations

import gc
import os
import subprocess
import sys
import threading
from pathlib import Path

import numpy as np

from bench.pairs import in_pairs
from tarnwater.terrain.catchments import delineate
from tarnwater.terrain.drainage import OUT, drain
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.outlets import Snapped

SEED, SIDE, SLOPE = 1, 3000, 3.6
OUTLETS = 200


def spectral(side: int, slope: float, seed: int) -> np.ndarray:
    """A float32 surface whose power falls with the radial frequency to the slope, spread 100 m."""
    rng = np.random.default_rng(seed)
    frequency = np.hypot(*np.meshgrid(np.fft.fftfreq(side), np.fft.rfftfreq(side), indexing="ij"))
    frequency[0, 0] = 1.0
    waves = frequency ** (-slope / 2) * np.exp(2j * np.pi * rng.random(frequency.shape))
    waves[0, 0] = 0.0
    z = np.fft.irfft2(waves, s=(side, side))
    return ((z - z.mean()) / z.std() * 100).astype(np.float32)


def whole_work(grid: Grid) -> None:
    """Everything from the raw grid to labelled catchments of the largest outlets at the edge."""
    drainage = drain(grid)
    at_edge = np.flatnonzero(drainage.directions == OUT)
    areas = drainage.upstream.ravel()[at_edge]
    largest = at_edge[np.argsort(-areas, kind="stable")[:OUTLETS]]
    outlets = []
    for cell in largest:
        row, column = divmod(int(cell), grid.shape[1])
        place = grid.centre(row, column)
        outlets.append(Snapped(place, place, row, column, 0.0, 0.0, 0.0))
    delineate(drainage, outlets)


def run(pairs: int) -> list[str]:
    z = spectral(SIDE, SLOPE, SEED)
    grid = Grid(z, 0.0, 0.0, 10.0, 10.0, "EPSG:27700")
    name = f"terrain, {SIDE} x {SIDE} float32, spectral slope {SLOPE}, seed {SEED}"
    flat = in_pairs(lambda: whole_work(grid), lambda: np.argsort(z, axis=None, kind="stable"), pairs)
    rows = in_pairs(lambda: whole_work(grid), lambda: np.argsort(z, kind="stable"), pairs)
    return [
        flat.told(f"{name}, over numpy.argsort(kind='stable') of all its cells", "at most 3.0, aim 1.5"),
        rows.told(f"{name}, over the same along its rows (axis -1, a far lesser task)", "none stated for this base"),
        memory(),
    ]


def memory() -> str:
    """Peak memory of the work above that at its start, in a process of its own."""
    done = subprocess.run([sys.executable, "-m", "bench.terrain"], capture_output=True, text=True, check=True)
    return f"terrain, peak memory over the start: {float(done.stdout):.0f} bytes a cell; target at most 60"


def memory_over_start() -> float:
    """Bytes a cell by which the resident memory rose above that before the work, looked at every 2 ms."""
    page = os.sysconf("SC_PAGE_SIZE")

    def now() -> int:
        return int(Path("/proc/self/statm").read_text().split()[1]) * page

    z = spectral(SIDE, SLOPE, SEED)
    whole_work(Grid(z[:50, :50].copy(), 0.0, 0.0, 10.0, 10.0, "EPSG:27700"))
    grid = Grid(z, 0.0, 0.0, 10.0, 10.0, "EPSG:27700")
    gc.collect()
    start = most = now()
    done = threading.Event()

    def watch() -> None:
        nonlocal most
        while not done.wait(0.002):
            most = max(most, now())

    watcher = threading.Thread(target=watch)
    watcher.start()
    whole_work(grid)
    done.set()
    watcher.join()
    return (most - start) / z.size


if __name__ == "__main__":
    print(memory_over_start())
