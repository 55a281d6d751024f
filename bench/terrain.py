"""Fill + directions with flats + accumulation + labelling of nine million cells, over a stable sort of them."""

from __future__ import annotations

import gc
import os
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from bench.pairs import in_pairs
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.conditioning import condition_terrain
from tarnwater.study.edits.delineation import delineate_into, outlets_named
from tarnwater.terrain.catchments import delineate
from tarnwater.terrain.drainage import OUT, Breaching, drain
from tarnwater.terrain.grid import Grid
from tarnwater.terrain.outlets import Snapped

SEED, SIDE, SLOPE = 1, 3000, 3.6
OUTLETS = 200

#: Side of the surface of 100 million cells, and limits of breaching, m.
LARGE, BREACHING = 10_000, Breaching(10.0, 500.0)


def spectral(side: int, slope: float, seed: int) -> np.ndarray:
    """A float32 surface whose power falls with the radial frequency to the slope, spread 100 m."""
    rng = np.random.default_rng(seed)
    frequency = np.hypot(*np.meshgrid(np.fft.fftfreq(side), np.fft.rfftfreq(side), indexing="ij"))
    frequency[0, 0] = 1.0
    waves = frequency ** (-slope / 2) * np.exp(2j * np.pi * rng.random(frequency.shape))
    waves[0, 0] = 0.0
    z = np.fft.irfft2(waves, s=(side, side))
    return ((z - z.mean()) / z.std() * 100).astype(np.float32)


def whole_work(grid: Grid, breaching: Breaching | None = None) -> None:
    """Everything from the raw grid to labelled catchments of the largest outlets at the edge."""
    drainage = drain(grid, breaching=breaching)
    at_edge = np.flatnonzero(drainage.directions == OUT)
    areas = drainage.upstream.ravel()[at_edge]
    largest = at_edge[np.argsort(-areas, kind="stable")[:OUTLETS]]
    outlets = []
    for cell in largest:
        row, column = divmod(int(cell), grid.shape[1])
        place = grid.centre(row, column)
        outlets.append(Snapped(place, place, row, column, 0.0, 0.0, 0.0))
    delineate(drainage, outlets)


def run(pairs: int) -> Iterator[str]:
    z = spectral(SIDE, SLOPE, SEED)
    grid = Grid(z, 0.0, 0.0, 10.0, 10.0, "EPSG:27700")
    name = f"terrain, {SIDE} x {SIDE} float32, spectral slope {SLOPE}, seed {SEED}"
    flat = in_pairs(lambda: whole_work(grid), lambda: np.argsort(z, axis=None, kind="stable"), pairs)
    yield flat.told(f"{name}, over numpy.argsort(kind='stable') of all its cells", "at most 1.2, aim 0.7")
    rows = in_pairs(lambda: whole_work(grid), lambda: np.argsort(z, kind="stable"), pairs)
    yield rows.told(f"{name}, over the same along its rows (axis -1, a far lesser task)", "none stated for this base")
    breached = in_pairs(lambda: whole_work(grid, BREACHING), lambda: whole_work(grid), pairs)
    yield breached.told(f"{name}, with least-cost breaching, over the same without", "at most 2")
    yield memory("spectral", SIDE, 60)
    yield memory("spectral", LARGE, 30)
    yield memory("pits", LARGE, 60)
    yield delineation()


def memory(surface: str, side: int, target: int) -> str:
    """Peak memory of the work above that at its start, in a process of its own, with the seconds it took."""
    asked = [sys.executable, "-m", "bench.terrain", surface, str(side)]
    done = subprocess.run(asked, capture_output=True, text=True, check=True)
    taken, seconds = (float(part) for part in done.stdout.split())
    name = {"spectral": f"spectral slope {SLOPE}", "pits": "a pit at every fourth cell"}[surface]
    return (
        f"terrain, {side} x {side} float32, {name}, peak memory over the start: {taken:.0f} bytes a cell "
        f"in {seconds:.0f} s; target at most {target}"
    )


def delineation() -> str:
    """A whole delineation of 25 million cells with 200 outlets, over its conditioning; once, because it is long."""
    grid = Grid(spectral(5000, SLOPE, SEED), 0.0, 0.0, 10.0, 10.0, "EPSG:27700")
    drainage = drain(grid)
    at_edge = np.flatnonzero(drainage.directions == OUT)
    largest = at_edge[np.argsort(-drainage.upstream.ravel()[at_edge], kind="stable")[:OUTLETS]]
    places = [grid.centre(*divmod(int(cell), grid.shape[1])) for cell in largest]
    outlets = outlets_named([(f"Outlet {number}", *place) for number, place in enumerate(places)])
    start = time.perf_counter()
    blobs = Blobs()
    terrain = condition_terrain(grid, blobs, source="bench", stream_threshold=1e4, snap_radius=1.0)
    conditioned = time.perf_counter()
    delineate_into(Study(), terrain, outlets, blobs)
    done = time.perf_counter()
    first, whole = conditioned - start, done - start
    return (
        f"terrain, 5000 x 5000 float32, {OUTLETS} outlets delineated, over conditioning: ratio {whole / first:.2f}; "
        f"whole {whole:.1f} s, conditioning {first:.1f} s; target at most 2"
    )


def surface_of(kind: str, side: int) -> np.ndarray:
    """The spectral surface, or noise with a pit at every fourth cell."""
    if kind == "spectral":
        return spectral(side, SLOPE, SEED)
    z = np.random.default_rng(SEED).random((side, side), dtype=np.float32)
    z[::2, ::2] -= 1
    return z


def memory_over_start(kind: str, side: int) -> tuple[float, float]:
    """Bytes a cell by which the resident memory rose above that before the work, looked at every 2 ms; seconds."""
    page = os.sysconf("SC_PAGE_SIZE")

    def now() -> int:
        return int(Path("/proc/self/statm").read_text().split()[1]) * page

    z = surface_of(kind, side)
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
    began = time.perf_counter()
    whole_work(grid)
    seconds = time.perf_counter() - began
    done.set()
    watcher.join()
    return (most - start) / z.size, seconds


if __name__ == "__main__":
    print(*memory_over_start(sys.argv[1], int(sys.argv[2])))
