"""Every bound of every parameter of a method: the value at it is taken, the next one beyond it is refused."""

import math

import pytest
from tests.study.test_every_union import METHODS, example, named

from tarnwater.errors import OutOfRange

NUMBERS = [
    (member, name, described)
    for member in METHODS
    for name, described in member[0].kind.known[member[1]].quantities()
    if not isinstance(getattr(example(*member), name), tuple)
]


def beyond(bound, up):
    return math.nextafter(bound, math.inf if up else -math.inf)


def refusal(make, value):
    try:
        make(value)
    except Exception as error:
        return error
    return None


@pytest.mark.parametrize("number", NUMBERS, ids=lambda n: f"{named(n[0])} {n[1]}")
def test_a_value_beyond_a_bound_is_refused_and_one_at_a_closed_bound_is_not_out_of_range(number):
    (union, tag), name, described = number
    made = example(union, tag)
    known = {n: getattr(made, n) for n in type(made).model_fields}
    step = 1 if described.kind == "count" else None

    def with_value(value):
        return type(made)(**{**known, name: value})

    for bound, closed, up in (
        (described.least, True, False), (described.above, False, False), (described.most, True, True),
        (described.below, False, True),
    ):  # fmt: skip
        if bound is None:
            continue
        outside = (bound + (step if up else -step) if step else beyond(bound, up)) if closed else bound
        with pytest.raises(OutOfRange):
            with_value(outside)
        # at the bound itself it may be refused for what its neighbours in the method say, but not for its range
        if closed and isinstance(refusal(with_value, int(bound) if step else bound), OutOfRange):
            pytest.fail(f"{bound} itself is refused")
    for nothing in (math.nan, math.inf, -math.inf):
        with pytest.raises((OutOfRange, ValueError)):
            with_value(nothing)
