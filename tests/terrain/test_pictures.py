"""Light and shade, pyramids, lines thinned for a scale, and streams at any threshold."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarnwater.terrain.drainage import drain
from tarnwater.terrain.lines import Lines
from tarnwater.terrain.shade import ALTITUDE, AZIMUTH, COARSEST, EXAGGERATION, Pyramid, hillshade
from tarnwater.terrain.streams import StreamField, stream_lines, stream_order


def plane(east, north, size=20, dx=2.0, dy=5.0):
    """Heights that rise so much for each metre to the east and to the north."""
    down, across = np.indices((size, size)).astype(float)
    return east * across * dx - north * down * dy


@pytest.mark.parametrize(("east", "north"), [(0.0, 0.0), (0.3, 0.0), (0.0, 0.3), (-0.2, 0.4), (0.1, -0.1)])
def test_the_light_on_a_plane_is_the_cosine_of_the_angle_to_the_sun(east, north):
    light = hillshade(plane(east, north), 2.0, 5.0)
    up = np.array([-east * EXAGGERATION, -north * EXAGGERATION, 1.0])
    azimuth, altitude = np.radians(AZIMUTH), np.radians(ALTITUDE)
    sun = np.array([np.sin(azimuth) * np.cos(altitude), np.cos(azimuth) * np.cos(altitude), np.sin(altitude)])
    share = max(float(up @ sun / np.linalg.norm(up)), 0.0)
    # a whole number from 1 to 255
    assert light[10, 10] == pytest.approx(1 + 254 * share, abs=1.0)


def test_what_is_off_the_ground_has_no_light():
    heights = plane(0.1, 0.1)
    heights[5:8, 5:8] = np.nan
    light = hillshade(heights, 2.0, 5.0)
    assert (light[5:8, 5:8] == 0).all()
    assert (light[:4] > 0).all()


@pytest.mark.parametrize("shape", [(1, 1), (257, 3), (600, 1031), (512, 512)])
def test_a_pyramid_halves_until_it_is_small_and_keeps_the_mean(shape):
    picture = np.random.default_rng(3).integers(1, 256, shape, dtype=np.uint8)
    levels = Pyramid.of(picture).levels
    assert max(levels[-1].shape) <= COARSEST
    for fine, coarse in pairwise(levels):
        assert coarse.shape == tuple((n + 1) // 2 for n in fine.shape)
        whole = fine[: fine.shape[0] // 2 * 2, : fine.shape[1] // 2 * 2].astype(float)
        blocks = whole.reshape(whole.shape[0] // 2, 2, whole.shape[1] // 2, 2).mean(axis=(1, 3))
        # means are cut to whole numbers
        assert np.abs(coarse[: blocks.shape[0], : blocks.shape[1]] - blocks).max() < 1


def test_a_pyramid_leaves_no_ground_out_of_the_mean():
    picture = np.zeros((600, 600), np.uint8)
    picture[0, 0] = 200
    assert Pyramid.of(picture).levels[1][0, 0] == 200
    assert Pyramid.of(picture).levels[1][1, 1] == 0


def test_the_level_has_a_cell_for_every_pixel():
    pyramid = Pyramid.of(np.ones((2048, 2048), np.uint8))
    assert [pyramid.level_for(c) for c in (0.1, 1.0, 1.99, 2.0, 5.0, 1e9)] == [0, 0, 0, 1, 2, len(pyramid.levels) - 1]


WANDERING = st.lists(st.integers(2, 40), min_size=0, max_size=6)


@given(lengths=WANDERING, size=st.floats(0.5, 30.0), seed=st.integers(0, 99))
def test_thinned_lines_keep_their_ends_and_stay_within_a_square_of_where_they_were(lengths, size, seed):
    rng = np.random.default_rng(seed)
    made = [rng.normal(size=(n, 2)).cumsum(axis=0) * 3 for n in lengths]
    lines = Lines.of(made, weight=range(len(made)))
    thin = lines.thinned(size)
    assert len(thin) == len(lines)
    assert list(thin.weight) == list(lines.weight)
    for number, line in enumerate(made):
        kept = thin.points[thin.first[number] : thin.first[number + 1]]
        assert (kept[0] == line[0]).all()
        assert (kept[-1] == line[-1]).all()
        gaps = np.hypot(*(line[:, None] - kept[None]).transpose(2, 0, 1)).min(axis=1)
        assert gaps.max(initial=0.0) <= np.sqrt(2) * size


def test_lines_within_a_window_are_those_whose_bounds_meet_it():
    lines = Lines.of([[(0, 0), (1, 1)], [(5, 5), (9, 6)], [(20, 0), (21, 3)]], weight=[1, 2, 3])
    found = lines.within(4, 4, 6, 10)
    assert (list(found.weight), found.points.tolist()) == ([2.0], [[5, 5], [9, 6]])
    assert lines.within(-9, -9, 99, 99) is lines
    assert len(lines.within(50, 50, 60, 60)) == 0
    assert len(Lines.of([]).within(0, 0, 1, 1)) == 0


def test_lines_cut_to_a_window_hold_every_segment_that_has_an_end_in_it():
    rng = np.random.default_rng(1)
    made = [rng.normal(size=(n, 2)).cumsum(axis=0) * 5 for n in (2, 30, 200, 7)]
    lines = Lines.of(made, weight=[1, 2, 3, 4])
    west, south, east, north = window = (-15.0, -10.0, 12.0, 20.0)

    def segments(shown, weight):
        found = set()
        for number in range(len(shown)):
            line = shown.points[shown.first[number] : shown.first[number + 1]]
            if shown.weight[number] == weight:
                found |= {(*map(float, a), *map(float, b)) for a, b in pairwise(line)}
        return found

    def within(x, y):
        return west <= x <= east and south <= y <= north

    cut = lines.clipped(*window)
    for weight in (1, 2, 3, 4):
        wanted = {s for s in segments(lines, weight) if within(*s[:2]) or within(*s[2:])}
        shown = segments(cut, weight)
        assert wanted <= shown <= segments(lines, weight)
    assert len(lines.clipped(1e6, 1e6, 2e6, 2e6)) == 0
    assert np.array_equal(lines.clipped(-1e9, -1e9, 1e9, 1e9).points, lines.points)


@pytest.mark.parametrize("seed", range(8))
def test_streams_at_another_threshold_are_those_made_from_scratch(rough, seed):
    drainage = drain(rough(seed))
    cell = drainage.grid.cell_area
    field = StreamField(drainage, cell)
    for cells in (1, 4, 9, 30, 10_000, 4):
        threshold = cells * cell
        afresh = stream_lines(drainage, threshold)
        lines = field.lines(threshold)
        assert len(lines) == len(afresh)
        assert np.array_equal(field.order(threshold), stream_order(drainage, threshold))
        for number, stream in enumerate(afresh):
            assert np.array_equal(lines.points[lines.first[number] : lines.first[number + 1]], stream.line)
            assert lines.weight[number] == stream.order
