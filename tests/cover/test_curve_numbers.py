"""The table of covers and composites."""

import math

import pytest

from tarnwater.cover import composite, cover_classes, find_cover
from tarnwater.errors import UnknownName


def test_numbers_rise_from_soil_group_a_to_d():
    for cover in cover_classes().values():
        assert list(cover.numbers) == sorted(cover.numbers)
        assert all(30 <= n <= 100 for n in cover.numbers)
        assert 0 <= cover.impervious <= 1


@pytest.mark.parametrize(
    ("title", "group", "number"),
    [("Pasture or grassland, good", "C", 74), ("Woods, poor", "A", 45), ("Paved surfaces and roofs", "D", 98)],
)
def test_a_class_is_found_by_its_title_whatever_its_case(title, group, number):
    assert find_cover(title.upper()).number(group) == number


def test_an_unknown_class_brings_the_nearest():
    with pytest.raises(UnknownName, match="Did you mean “Woods, good”"):
        find_cover("Wods, good")


def test_urban_classes_say_how_much_impervious_land_they_hold():
    assert find_cover("Residential 1000 m2 lots (38 % impervious)").impervious == 0.38


def test_no_area_has_no_composite():
    assert math.isnan(composite([], []))
