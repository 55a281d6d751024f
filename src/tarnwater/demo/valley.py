"""The terrain of the demo valley, carved by a small landscape evolution from a fixed seed.

A tilted dome with a rim is lifted and cut by streams (stream power with hillslope creep) until it
has the drainage of an upland valley; then come what people and ice left: a tarn, a flat floor, a
road embankment that blocks a beck, a quarry, corners without data.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import ndimage

from tarnwater.terrain.drainage import OUT, Drainage, drain
from tarnwater.terrain.grid import Grid

SEED = 1847
CELL = 10.0
ROWS, COLUMNS = 1000, 900
WEST, NORTH = 340_000.0, 560_000.0
CRS = "EPSG:27700"

TOP, FOOT = 620.0, 88.0
BRIDGE_AREA = 46e6


@dataclass(frozen=True, eq=False)
class Valley:
    """The finished terrain and the places in it, in its coordinates."""

    grid: Grid
    places: dict[str, tuple[float, float]]
    becks: dict[str, np.ndarray]
    road: np.ndarray
    culvert: np.ndarray
    flood_bank: np.ndarray


def make_valley() -> Valley:
    """Make the valley; the same each time."""
    heights = _evolve()
    grid = _grid(heights)
    drainage = drain(grid)
    bridge = _bridge_cell(drainage)
    heights = _scaled(heights, drainage, bridge)
    stem = _stem(drainage, bridge)
    confluences = _side_becks(drainage, stem)
    heights = _flat_floor(heights, drainage, stem)
    tarn, sill, heights = _tarn(heights, drainage, stem)
    road, culvert, heights = _embankment(heights, drainage, confluences[0][1])
    quarry, heights = _quarry(heights, drainage, stem)
    heights = np.round(heights, 1).astype(np.float32)
    heights[_corners()] = np.nan
    grid = _grid(heights)
    places = {
        "bridge": _place(grid, drainage, bridge),
        "tarn": tarn,
        "quarry": quarry,
        "hask": _place(grid, drainage, confluences[0][1]),
        "wimmer": _place(grid, drainage, confluences[1][1]),
        "tarn outlet": _place(grid, drainage, sill),
        "head": _place(grid, drainage, stem[int(0.62 * len(stem))]),
        "mid": _place(grid, drainage, stem[int(0.3 * len(stem))]),
    }
    becks = {
        "Pellow Beck": _line(grid, drainage, stem[::-1]),
        "Hask Beck": _line(grid, drainage, _stem(drainage, confluences[0][1])[::-1]),
        "Wimmer Beck": _line(grid, drainage, _stem(drainage, confluences[1][1])[::-1]),
    }
    return Valley(grid, places, becks, road, culvert, _flood_bank(drainage, stem))


def _grid(heights: np.ndarray, cell: float = CELL) -> Grid:
    return Grid(heights, WEST, NORTH, cell, cell, CRS)


def _unit_coordinates(rows: int, columns: int) -> tuple[np.ndarray, np.ndarray]:
    """Northing down from 0 to 1 and easting from 0 to 1 of each cell."""
    return np.meshgrid((np.arange(rows) + 0.5) / rows, (np.arange(columns) + 0.5) / columns, indexing="ij")


def _noise(rng: np.random.Generator, rows: int, columns: int, slope: float) -> np.ndarray:
    """Rough ground of unit spread whose power falls with frequency to the ``slope``."""
    frequency = np.hypot(*np.meshgrid(np.fft.fftfreq(rows), np.fft.rfftfreq(columns), indexing="ij"))
    frequency[0, 0] = 1.0
    phase = np.exp(2j * np.pi * rng.random(frequency.shape))
    field = np.fft.irfft2(frequency ** (-slope / 2) * phase, s=(rows, columns))
    found: np.ndarray = np.round((field - field.mean()) / field.std(), 9)
    return found


def _rim(down: np.ndarray, across: np.ndarray, wobble: np.ndarray) -> np.ndarray:
    """How far inside the valley's rim a place lies: 0 on it, positive inside."""
    centre = 0.5 + 0.05 * np.sin(5.0 * down)
    half_width = (
        0.30 * np.clip((0.97 - down) / 0.22, 0.02, 1.0) ** 0.55 * np.clip((down - 0.04) / 0.3, 0.02, 1.0) ** 0.5
    )
    return half_width - np.abs(across - centre) + 0.02 * wobble


def _evolve() -> np.ndarray:
    rng = np.random.default_rng(SEED)
    rows, columns = ROWS // 4, COLUMNS // 4
    down, across = _unit_coordinates(rows, columns)
    wobble = _noise(rng, rows, columns, 3.2)
    inside = _rim(down, across, wobble)
    floor = 60 + 330 * np.clip(1 - down, 0, 1) ** 1.15
    crest = 330 + 330 * np.clip(1 - down, 0, 1)
    climb = np.clip(1 - np.clip(inside, 0, None) / 0.26, 0, 1) ** 1.4
    heights = np.where(inside > 0, floor + (crest - floor) * climb, crest * (1 + 1.2 * inside))
    heights = ndimage.gaussian_filter(heights, 2.5) + 9 * wobble
    uplift = np.clip(0.7 + 0.25 * wobble, 0.3, 1.4)
    base = np.where(down > 0.985, 62 + 380 * np.abs(across - 0.5), np.maximum(0.62 * crest, 90))
    heights = _carve(heights, uplift, base, CELL * 4, steps=120, creep=0.10)
    heights = ndimage.zoom(heights, 2, order=1)
    uplift, base = ndimage.zoom(uplift, 2, order=1), ndimage.zoom(base, 2, order=1)
    heights += 0.8 * _noise(rng, ROWS // 2, COLUMNS // 2, 2.2)
    heights = _carve(heights, uplift, base, CELL * 2, steps=40, creep=0.12)
    heights = ndimage.zoom(heights, 2, order=1)
    uplift, base = ndimage.zoom(uplift, 2, order=1), ndimage.zoom(base, 2, order=1)
    heights += 0.5 * _noise(rng, ROWS, COLUMNS, 2.4)
    return _carve(heights, uplift, base, CELL, steps=10, creep=0.15)


def _carve(
    heights: np.ndarray, uplift: np.ndarray, base: np.ndarray, cell: float, *, steps: int, creep: float
) -> np.ndarray:
    """Lift the ground and let streams and creep wear it down, the edges held at ``base``."""
    from tarnwater.demo import _kernels as kernels

    lift, erodibility, exponent = 2.6, 0.0055, 0.44
    edge = np.ones(heights.shape, bool)
    edge[1:-1, 1:-1] = False
    for _ in range(steps):
        heights = heights + lift * uplift
        heights[edge] = base[edge]
        heights = heights + creep * (ndimage.uniform_filter(heights, 3, mode="nearest") - heights)
        heights[edge] = base[edge]
        drainage = drain(_grid(heights, cell))
        flat = np.maximum(drainage.flat_filled, np.pad(heights, 1, constant_values=np.nan).ravel())
        ground = np.flatnonzero(drainage.flat_upstream > 0)
        cells = ground[np.argsort(-drainage.flat_upstream[ground], kind="stable")]
        ways = drainage.flat_directions[cells]
        below = np.where(ways < OUT, cells + drainage.offsets[np.minimum(ways, 7)], -1)
        length = drainage.step_lengths[np.minimum(ways, 7)]
        area = drainage.flat_upstream[cells] * cell**2
        factor = erodibility * 6.0 * area**exponent / length
        kernels.incise(flat, cells, below, factor)
        # rounded to the micrometre, so that differences of processors in the last bit do not grow over the steps
        heights = np.round(drainage.unpadded(flat), 6)
    return heights


def _bridge_cell(drainage: Drainage) -> int:
    """The cell that drains nearest to the area wanted at the bridge, off the edge."""
    rows, _ = drainage.grid.shape
    area = drainage.upstream * drainage.grid.cell_area
    inner = area.copy()
    inner[rows - 12 :] = 0
    best = int(np.argmin(np.where(inner > 0.8 * BRIDGE_AREA, np.abs(inner - BRIDGE_AREA), np.inf)))
    row, column = np.unravel_index(best, area.shape)
    return int(drainage.flat_index(int(row), int(column)))


def _members(drainage: Drainage, outlet: int) -> np.ndarray:
    """Whether each cell drains through an outlet, (rows, columns)."""
    from tarnwater.terrain import _kernels as kernels

    labels = np.full(drainage.flat_directions.size, -1, np.int32)
    labels[drainage.flat_directions >= OUT] = 0
    labels[outlet] = 1
    kernels.follow_down(drainage.flat_directions, drainage.offsets, drainage.row_length, labels, np.zeros(1, np.uint8))
    found: np.ndarray = drainage.unpadded(labels) == 1
    return found


def _scaled(heights: np.ndarray, drainage: Drainage, bridge: int) -> np.ndarray:
    """Heights stretched so that the bridge and the highest ridge of the valley stand where they are told to."""
    filled = drainage.filled
    low = float(drainage.flat_filled[bridge])
    high = float(filled[_members(drainage, bridge)].max())
    return FOOT + (filled - low) * (TOP - FOOT) / (high - low)


def _stem(drainage: Drainage, outlet: int) -> np.ndarray:
    """Cells of the main channel above an outlet, from it up, by the larger area at each step."""
    cells = [outlet]
    opposite = np.array([2, 3, 0, 1, 6, 7, 4, 5])
    while True:
        near = cells[-1] + drainage.offsets
        enters = drainage.flat_directions[near] == opposite
        if not enters.any():
            return np.array(cells)
        areas = np.where(enters, drainage.flat_upstream[near], 0)
        if areas.max() * drainage.grid.cell_area < 2e5:
            return np.array(cells)
        cells.append(int(near[np.argmax(areas)]))


def _side_becks(drainage: Drainage, stem: np.ndarray) -> list[tuple[float, int]]:
    """The two largest side becks of the lower half: their areas and their last cells."""
    found = []
    on_stem = set(stem.tolist())
    opposite = np.array([2, 3, 0, 1, 6, 7, 4, 5])
    for cell in stem[60 : len(stem) * 2 // 3]:
        near = cell + drainage.offsets
        for index, way in zip(near, opposite, strict=True):
            if drainage.flat_directions[index] == way and int(index) not in on_stem:
                found.append((float(drainage.flat_upstream[index] * drainage.grid.cell_area), int(index)))
    return sorted(found, reverse=True)[:2]


def _along(drainage: Drainage, cells: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    rows, columns = drainage.cell_of(cells)
    return np.asarray(rows), np.asarray(columns)


def _nearest(shape: tuple[int, int], rows: np.ndarray, columns: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Distance in cells to the nearest of some cells, and which of them it is."""
    away = np.ones(shape, bool)
    away[rows, columns] = False
    distance, (near_row, near_column) = ndimage.distance_transform_edt(away, return_indices=True)
    number = np.zeros(shape, int)
    number[rows, columns] = np.arange(len(rows))
    return distance, number[near_row, near_column]


def _flat_floor(heights: np.ndarray, drainage: Drainage, stem: np.ndarray) -> np.ndarray:
    """A flat floor beside the lowest two kilometres of the main beck, the beck a metre lower in it."""
    rows, columns = _along(drainage, stem[:230])
    distance, number = _nearest(heights.shape, rows, columns)
    profile = np.maximum.accumulate(heights[rows, columns])
    level = profile[number] + 1.0
    reach = 13.0 * np.clip((230 - number) / 60, 0, 1) * np.clip((number - 8) / 25, 0, 1)
    floor = (distance > 0.9) & (distance < reach)
    flat = np.where(floor & (heights < level + 4), np.maximum(level, np.minimum(heights, level + 0.2)), heights)
    return np.where(distance < 0.9, profile[number], flat)


def _tarn(heights: np.ndarray, drainage: Drainage, stem: np.ndarray) -> tuple[tuple[float, float], int, np.ndarray]:
    """A tarn at the head of the beck, eleven metres deep behind its sill."""
    area = drainage.flat_upstream[stem] * drainage.grid.cell_area
    sill = stem[int(np.argmin(np.abs(area - 2.4e6)))]
    middle = stem[int(np.flatnonzero(stem == sill)[0]) + 22]
    rows, columns = _along(drainage, np.array([sill, middle]))
    down, across = np.indices(heights.shape)
    direction = np.array([rows[1] - rows[0], columns[1] - columns[0]], float)
    direction /= np.hypot(*direction)
    along = (down - rows[1]) * direction[0] + (across - columns[1]) * direction[1]
    beside = -(down - rows[1]) * direction[1] + (across - columns[1]) * direction[0]
    radius = np.hypot(along / 20.0, beside / 13.0 * (1 + 0.2 * np.sin(along / 5.0)))
    level = float(heights[rows[0], columns[0]])
    bed = level - 11.0 * (1 - radius**2)
    shore = level + 60.0 * (radius - 1)
    inside = np.where(radius < 1, np.minimum(heights, bed), heights)
    carved = np.where((radius >= 1) & (radius < 1.6), np.minimum(inside, np.maximum(shore, level + 0.4)), inside)
    carved[rows[0], columns[0]] = level
    return drainage.grid.centre(int(rows[1]), int(columns[1])), int(sill), carved


def _embankment(heights: np.ndarray, drainage: Drainage, mouth: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A road on a bank across the first side beck; the beck passes in a culvert no grid shows."""
    cells = _stem(drainage, mouth)[25:60]
    rows, columns = _along(drainage, cells)
    middle = len(cells) // 2
    flow = np.array([rows[-1] - rows[0], columns[-1] - columns[0]], float)
    across_flow = np.array([-flow[1], flow[0]]) / np.hypot(*flow)
    crest = float(heights[rows[middle], columns[middle]]) + 8.0
    down, across = np.indices(heights.shape)
    offset = np.stack([down - rows[middle], across - columns[middle]])
    along_road = offset[0] * across_flow[0] + offset[1] * across_flow[1]
    from_road = np.abs(offset[0] * across_flow[1] - offset[1] * across_flow[0])
    bank = crest - 10.0 * np.clip(from_road - 1.0, 0, None) * 0.55
    near = np.abs(along_road) < 60
    raised = np.where(near & (from_road < 4), np.maximum(heights, bank), heights)
    ends = np.array([[-59.0], [59.0]]) * across_flow + (rows[middle], columns[middle])
    x, y = drainage.grid.centre(ends[:, 0], ends[:, 1])
    culvert = _line(drainage.grid, drainage, cells[[middle + 7, middle - 7]])
    return np.column_stack([x, y]), culvert, raised


def _flood_bank(drainage: Drainage, stem: np.ndarray) -> np.ndarray:
    """A low bank beside the beck on the flat floor above the bridge, too thin for the grid."""
    line = _line(drainage.grid, drainage, stem[120:60:-6])
    return line + (4.0 * CELL, 0.0)


def _quarry(heights: np.ndarray, drainage: Drainage, stem: np.ndarray) -> tuple[tuple[float, float], np.ndarray]:
    """A quarry in the hillside beside the middle of the beck."""
    rows, columns = _along(drainage, stem)
    at = int(0.4 * len(stem))
    row, column = int(rows[at]) - 8, int(columns[at]) + 62
    down, across = np.indices(heights.shape)
    radius = np.hypot((down - row) / 7.0, (across - column) / 9.0)
    floor = float(heights[row, column]) - 14.0
    pit = floor + 30.0 * np.clip(radius - 0.8, 0, None) / 0.2
    cut = np.where(radius < 1.2, np.minimum(heights, pit), heights)
    x, y = drainage.grid.centre(row, column)
    return (float(x), float(y)), cut


def _corners() -> np.ndarray:
    """Corners that the survey did not cover."""
    down, across = np.indices((ROWS, COLUMNS))
    return (
        (down + across < 95)
        | (down + (COLUMNS - across) < 150)
        | ((ROWS - down) + across < 210)
        | ((ROWS - down) + (COLUMNS - across) < 170)
    )


def _place(grid: Grid, drainage: Drainage, index: int) -> tuple[float, float]:
    row, column = drainage.cell_of(index)
    x, y = grid.centre(int(row), int(column))
    return float(x), float(y)


def _line(grid: Grid, drainage: Drainage, cells: np.ndarray) -> np.ndarray:
    rows, columns = drainage.cell_of(cells)
    return np.column_stack(grid.centre(rows, columns))
