"""The water behind a pond: what is shown of its devices is what its rating routes."""

import numpy as np
import pytest

from tarnwater.network.elements import Pond
from tarnwater.routing.ponds import Prism, RatedTailwater
from tarnwater.routing.works import Infiltration, RoundOrifice


def test_what_soaks_away_does_not_raise_the_tailwater_of_what_is_shown():
    # 200 mm/h over 10,000 m2 soaks away: 0.56 m3/s that the water behind must not feel
    pond = Pond(
        name="Low pond", storage=(Prism(plan_area=10000, depth=3),),
        devices=(RoundOrifice(diameter=0.6), Infiltration(rate=200.0, wetted_area=10000.0)),
        tailwater=RatedTailwater(flows=(0.0, 1.0, 20.0), levels=(0.0, 1.5, 3.0)),
    )  # fmt: skip
    rating = pond.rating()
    levels = rating.levels[1:]
    shown = np.sum(pond.outlets.flows(levels, pond.behind(levels)), axis=0)
    # the search for the level behind ends within 1e-9 m or so, of a flow near 1 m3/s
    assert shown == pytest.approx(rating.total[-1][1:], rel=1e-6)
    whole = pond.outlets.flows(levels, pond.behind(levels))[0]
    level_behind = np.interp(whole, pond.tailwater.flows, pond.tailwater.levels)
    assert pond.behind(levels) == pytest.approx(level_behind, abs=1e-6)


def test_a_pond_without_outlets_stands_over_the_lowest_level_behind():
    pond = Pond(
        name="Dry pond", storage=(Prism(plan_area=100, depth=2),),
        tailwater=RatedTailwater(flows=(0.0, 1.0), levels=(0.5, 1.5)),
    )  # fmt: skip
    assert pond.behind(np.array([0.6, 1.9])) == pytest.approx([0.5, 0.5])
