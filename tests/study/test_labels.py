"""Labels of the map: their words, and places without overlap."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarnwater.study.pictures.labels import label_words, without_overlap

PLACES = st.lists(st.tuples(st.floats(0, 300), st.floats(0, 300)), min_size=1, max_size=40)


@given(PLACES, st.integers(0, 3))
def test_no_two_labels_overlap_and_fixed_ones_stay(places, held):
    sizes = np.tile([60.0, 20.0], (len(places), 1))
    fixed = [number < held for number in range(len(places))]
    found = without_overlap(np.array(places), sizes, fixed)
    for number, place in enumerate(places[:held]):
        assert found[number] == pytest.approx(place)
    free = [middle for middle, stays in zip(found, fixed, strict=True) if middle is not None and not stays]
    kept = [middle for middle, stays in zip(found, fixed, strict=True) if stays]
    for number, (x, y) in enumerate(free):
        for u, v in (*kept, *free[:number]):
            # halves of the sums round in the last bits
            assert abs(x - u) >= 60 - 1e-9 or abs(y - v) >= 20 - 1e-9


def test_one_with_room_stands_at_its_place_and_one_without_is_left_out():
    # every place about the first label is taken by fixed ones
    around = [(x, y) for x in np.arange(-120.0, 121, 40) for y in np.arange(-60.0, 61, 15)]
    places, sizes = np.array([(0.0, 0.0), *around]), np.tile([60.0, 20.0], (len(around) + 1, 1))
    assert without_overlap(places, sizes, [False] + [True] * len(around))[0] is None
    assert without_overlap(places[:1], sizes[:1]) == [(0.0, 0.0)]


def test_a_label_has_the_chosen_figures_in_the_units_of_the_study(demo_study):
    chosen = demo_study.map_labels.model_copy(update={"fields": ("area", "lag")})
    hask = demo_study.catchments["hask"]
    for units, area in (("SI", "5.051 km²"), ("US", "1.950 mi²")):
        study = demo_study.model_copy(update={"map_labels": chosen, "units": units})
        name, figure, lag = label_words(study, hask).split("\n")
        assert (name, figure) == ("Hask", area)
        assert lag.startswith("lag ")


def test_a_figure_that_is_not_known_has_no_line(demo_study):
    chosen = demo_study.map_labels.model_copy(update={"fields": ("slope_10_85",)})
    study = demo_study.model_copy(update={"map_labels": chosen})
    hask = demo_study.catchments["hask"]
    bare = hask.model_copy(update={"slope_10_85": hask.slope_10_85.with_derived(None)})
    assert label_words(study, bare) == "Hask"
