"""The engine: balances, batches, states, caching, inflows, missing rain."""

from datetime import datetime, timedelta

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tarnwater.errors import Cancelled, ComputationFailed, NetworkError
from tarnwater.network.cache import ResultCache
from tarnwater.network.elements import Catchment, Confluence, Inflow, Link, Outfall, Pond, Reach, Split, Surface
from tarnwater.network.elements.inflow import volume_until
from tarnwater.network.elements.surface_route import ByItself, WithCatchment
from tarnwater.network.engine import Batch, compute
from tarnwater.network.graph import Network
from tarnwater.network.peaks import find_peak, has_receded
from tarnwater.progress import Progress
from tarnwater.rain.storms import Rain
from tarnwater.routing.channels import Trapezoid
from tarnwater.routing.ponds import Frustum
from tarnwater.routing.reaches import KinematicWave, Muskingum, MuskingumCunge, Passing, PureLag, StorageDischarge
from tarnwater.routing.splits import InletRule, ShareRule, ThresholdRule
from tarnwater.routing.works import BroadWeir, Infiltration, RoundOrifice, RoundPipe, RoundRiser
from tarnwater.runoff.baseflow import ConstantBaseflow, MonthlyBaseflow, RecessionBaseflow, ReservoirBaseflow
from tarnwater.runoff.losses import (
    CurveNumber,
    GreenAmpt,
    Horton,
    InitialConstant,
    InitialProportional,
    NoLoss,
    Proportional,
)
from tarnwater.runoff.timing import ByHand, Kirpich, NrcsLag
from tarnwater.runoff.transforms import (
    Cascade,
    Clark,
    KinematicPlane,
    NonlinearStorage,
    NrcsUnitHydrograph,
    Rational,
    SnyderUnitHydrograph,
    TriangularUnitHydrograph,
    TypedUnitHydrograph,
)


def catchment(name, area=2e6, number=75.0, lag=2400.0, **known):
    surfaces = (Surface(share=1.0, loss=CurveNumber(curve_number=number)),)
    return Catchment(name=name, area=area, lag=lag, **{"surfaces": surfaces, **known}).refreshed()


@pytest.fixture
def valley():
    """Two catchments, one routed, one beside the outfall, and a given inflow."""
    elements = {
        "a": catchment("A", baseflow=ConstantBaseflow(flow=0.2)),
        "b": catchment("B", area=1e6, number=85.0, lag=900.0),
        "i": Inflow(name="I", times=(0.0, 1000.0, 9000.0), flows=(0.0, 3.0, 0.0)),
        "r": Reach(name="R", method=Muskingum(travel_time=3000.0, weight=0.2, parts=2)),
        "j": Confluence(name="J"),
        "o": Outfall(name="O"),
    }
    pairs = [("a", "r"), ("i", "r"), ("r", "j"), ("b", "j"), ("j", "o")]
    return Network(elements, {f"{u}{d}": Link(up=u, down=d) for u, d in pairs})


def storm(cases=3, steps=40, step=600.0, seed=1):
    return Rain(np.random.default_rng(seed).gamma(0.5, 4.0, (cases, steps)), step)


def random_loss(rng):
    """A loss of any kind, some of which recover in dry spells."""
    rest = {"recovery": float(rng.choice([0.0, 2.0])), "dry_after": float(rng.uniform(0, 9000)), "dry_below": 1.0}
    kinds = (
        lambda: CurveNumber(curve_number=float(rng.uniform(30, 100)), **rest),
        lambda: InitialConstant(initial=float(rng.uniform(0, 40)), constant=float(rng.uniform(0, 9)), **rest),
        lambda: InitialProportional(initial=float(rng.uniform(0, 40)), coefficient=float(rng.random()), **rest),
        lambda: Proportional(coefficient=float(rng.random())),
        lambda: Horton(first=float(rng.uniform(20, 90)), last=float(rng.uniform(0, 9)), decay=2.0, **rest),
        lambda: GreenAmpt(
            conductivity=float(rng.uniform(0.3, 30)), suction=float(rng.uniform(0, 400)), porosity=0.45,
            saturation=float(rng.random()),
        ),
        NoLoss,
    )  # fmt: skip
    return kinds[rng.integers(len(kinds))]()


def random_transform(rng):
    """A transform of any kind."""
    times = tuple(np.cumsum(rng.uniform(300, 3000, 5)))
    kinds = (
        lambda: NrcsUnitHydrograph(peak_rate_factor=float(rng.choice([484.0, 284.0, 550.0]))),
        lambda: SnyderUnitHydrograph(coefficient=float(rng.uniform(0.3, 0.9))),
        lambda: TypedUnitHydrograph(duration=600.0, times=times, flows=tuple(rng.uniform(0.1, 9, 5))),
        lambda: NonlinearStorage(response=float(rng.uniform(300, 9000)), exponent=float(rng.uniform(0.5, 1)), count=3),
        lambda: KinematicPlane(plane_length=float(rng.uniform(20, 500)), plane_slope=float(rng.uniform(0.001, 0.2))),
        lambda: Clark(storage=float(rng.uniform(300, 9000))), Cascade, TriangularUnitHydrograph, Rational,
    )  # fmt: skip
    return kinds[rng.integers(len(kinds))]()


def random_routing(rng):
    """A reach method of any kind."""
    channel = Trapezoid(bottom_width=float(rng.uniform(0, 8)), side_slope=float(rng.uniform(0.5, 3)))
    kinds = (
        lambda: Muskingum(travel_time=float(rng.uniform(300, 9000)), weight=float(rng.uniform(0, 0.4)),
                          parts=int(rng.integers(1, 5))),
        Passing, lambda: PureLag(travel_time=float(rng.uniform(0, 9000))),
        lambda: MuskingumCunge(section=channel, channel_length=float(rng.uniform(100, 9000)),
                               bed_slope=float(10 ** rng.uniform(-4, -1))),
        lambda: KinematicWave(section=channel, channel_length=float(rng.uniform(100, 9000)),
                              bed_slope=float(10 ** rng.uniform(-4, -1))),
        lambda: StorageDischarge(outflows=(0.0, 5.0, 60.0), storages=(0.0, 9e3, 7e4), parts=int(rng.integers(1, 4))),
    )  # fmt: skip
    return kinds[rng.integers(len(kinds))]()


def random_route(rng):
    """A way of a surface: mostly with the catchment, else by a transform of its own."""
    if rng.random() < 0.7:
        return WithCatchment()
    return ByItself(lag=float(rng.uniform(200, 9000)), transform=random_transform(rng))


def random_baseflow(rng):
    """A baseflow of any kind; the times are short, so that they show in the run."""
    start = float(rng.uniform(0, 1))
    kinds = (
        lambda: ConstantBaseflow(flow=start), lambda: MonthlyBaseflow(march=start, april=2 * start),
        lambda: ReservoirBaseflow(share=float(rng.uniform(0, 1)), storage_time=float(rng.uniform(600, 90000)),
                                  flow=start),
        lambda: RecessionBaseflow(flow=start, ratio=float(rng.uniform(0.01, 0.9)),
                                  takeover=float(rng.uniform(0.05, 0.8)),
                                  **({}, {"takeover_flow": 2.0})[rng.integers(2)]),
    )  # fmt: skip
    return kinds[rng.integers(len(kinds))]()


def random_pond(rng, name):
    """A pond with some of its devices open, some in a riser."""
    pit = Frustum(depth=3.0, length=float(rng.uniform(5, 200)), width=float(rng.uniform(5, 90)))
    works = (
        RoundOrifice(name="low", diameter=float(rng.uniform(0.1, 1)), inside=str(rng.choice(["", "riser"]))),
        RoundRiser(name="riser", crest=1.5, outlet=RoundPipe(outlet=-0.2), state=str(rng.choice(["open", "closed"]))),
        BroadWeir(name="spillway", crest=2.0, length=float(rng.uniform(1, 20))), Infiltration(name="ground", rate=60.0),
    )  # fmt: skip
    overflow = str(rng.choice(["downstream", "lost"]))
    count = int(rng.integers(0, 5))
    return Pond(name=name, storage=(pit,) if rng.random() < 0.9 else (), devices=works[:count], overflow=overflow)


def random_network(seed):
    """A tree of elements of every kind with several outfalls."""
    rng = np.random.default_rng(seed)
    elements, links = {"o0": Outfall(name="o0"), "o1": Outfall(name="o1")}, {}
    below = ["o0", "o1"]
    for number in range(int(rng.integers(2, 14))):
        key, down = f"e{number}", below[rng.integers(len(below))]
        kind = rng.integers(6)
        if kind < 2:
            shares = rng.random(2)
            surfaces = tuple(
                Surface(share=float(s / shares.sum()), loss=random_loss(rng), depression=float(rng.choice([0.0, 4.0])),
                        route=random_route(rng))
                for s in shares
            )  # fmt: skip
            base = random_baseflow(rng)
            elements[key] = catchment(
                key, float(rng.uniform(1e4, 1e7)), lag=float(rng.uniform(200, 9000)), surfaces=surfaces, baseflow=base,
                transform=random_transform(rng),
            )  # fmt: skip
        elif kind == 2:
            foot = {"loss": float(rng.choice([0.0, 0.3])), "loss_share": float(rng.choice([0.0, 0.1])),
                    "gain": float(rng.choice([0.0, 0.2]))}  # fmt: skip
            elements[key] = Reach(name=key, method=random_routing(rng), **foot).refreshed()
            below.append(key)
        elif kind == 3:
            elements[key] = random_pond(rng, key)
            below.append(key)
        elif kind == 4:
            rule = (ShareRule(share=0.3), ThresholdRule(threshold=0.5), InletRule(capacity=0.4))[rng.integers(3)]
            elements[key] = Split(name=key, rule=rule)
            other = below[rng.integers(len(below))]
            if other != down:
                links[f"m{number}"] = Link(up=key, down=other)
            below.append(key)
        else:
            elements[key] = Confluence(name=key)
            below.append(key)
        links[f"l{number}"] = Link(up=key, down=down)
    return Network(elements, links)


@settings(deadline=None, max_examples=60)
@given(st.integers(0, 10_000), st.sampled_from([120.0, 600.0, 3600.0]), st.integers(0, 30))
def test_water_is_neither_made_nor_lost_on_any_network(seed, step, cut):
    network = random_network(seed)
    rain = storm(2, 30, step, seed)
    begins = datetime(2021, 3, 31, 20)
    result = compute(Batch(network, rain, step, 45, begins=begins), threads=1)
    for response in result.responses.values():
        assert np.abs(response.balance.error).max() < 1e-9
    assert np.abs(result.balance.error).max() < 1e-9
    first = compute(Batch(network, Rain(rain.depths[:, :cut], step), step, cut, begins=begins), threads=1)
    later = begins + timedelta(seconds=cut * step)
    rest = Rain(rain.depths[:, cut:], step)
    second = compute(Batch(network, rest, step, 45 - cut, start=first.states, begins=later), threads=1)
    for key, response in result.responses.items():
        joined = np.concatenate([first.responses[key].flow, second.responses[key].flow[:, 1:]], axis=1)
        assert joined == pytest.approx(response.flow, abs=1e-9 * max(1.0, np.abs(response.flow).max()))
    assert np.abs(second.balance.error).max() < 1e-9


@pytest.mark.parametrize("method", ["loss", "transform", "reach"])
def test_a_broken_method_breaks_the_balance(valley, monkeypatch, method):
    if method == "loss":
        honest = CurveNumber.respond

        def broken(self, rain, step, state=None):
            answer = honest(self, rain, step, state)
            return type(answer)(answer.excess * 1.001, answer.loss, answer.stored, answer.state)

        monkeypatch.setattr(CurveNumber, "respond", broken)
    elif method == "transform":
        true = NrcsUnitHydrograph.unit_hydrograph

        def inflated(self, area, lag, step):
            return true(self, area * 1.001, lag, step)

        monkeypatch.setattr(NrcsUnitHydrograph, "unit_hydrograph", inflated)
    else:
        right = Muskingum.coefficients

        def off(self, step):
            found = right(self, step)
            return type(found)(found.c1, found.c2 * 1.001, found.c3, found.substeps)

        monkeypatch.setattr(Muskingum, "coefficients", off)
    result = compute(Batch(valley, storm(), 600.0, 90))
    assert np.abs(result.balance.error).max() > 1e-9


def test_a_batch_equals_its_cases_one_by_one_on_any_number_of_threads(valley):
    rain = storm(7)
    together = compute(Batch(valley, rain, 600.0, 80), threads=3)
    for case in range(7):
        alone = compute(Batch(valley, Rain(rain.depths[case : case + 1], 600.0), 600.0, 80), threads=1)
        for key, response in alone.responses.items():
            assert np.array_equal(response.flow[0], together.responses[key].flow[case])
            assert np.array_equal(response.hydrograph.volume[0], together.responses[key].hydrograph.volume[case])


def test_parameters_that_differ_by_case_equal_separate_networks(valley):
    rain = Rain(np.tile(storm(1).depths, (4, 1)), 600.0)
    numbers, times = np.array([60.0, 75.0, 60.0, 90.0]), np.array([3000.0, 3000.0, 5000.0, 2000.0])
    values = {
        ("a", ("surfaces", 0, "loss", "curve_number")): numbers,
        ("r", ("method", "travel_time")): times,
    }
    together = compute(Batch(valley, rain, 600.0, 80, values=values), threads=2)
    for case in range(4):
        elements = {
            **valley.elements,
            "a": catchment("A", number=numbers[case], baseflow=ConstantBaseflow(flow=0.2)),
            "r": Reach(name="R", method=Muskingum(travel_time=times[case], weight=0.2, parts=2)),
        }
        alone = compute(Batch(Network(elements, valley.links), Rain(rain.depths[:1], 600.0), 600.0, 80), threads=1)
        assert np.array_equal(alone.responses["o"].flow[0], together.responses["o"].flow[case])


def test_an_edit_recomputes_only_what_lies_downstream(valley):
    cache = ResultCache()
    rain = storm()
    compute(Batch(valley, rain, 600.0, 80), cache=cache)
    changed = Network({**valley.elements, "b": catchment("B", area=1e6, number=60.0, lag=900.0)}, valley.links)
    cache.hits = cache.misses = 0
    edited = compute(Batch(changed, rain, 600.0, 80), cache=cache)
    assert (cache.hits, cache.misses) == (3, 3)
    cache.misses = 0
    back = compute(Batch(valley, rain, 600.0, 80), cache=cache)
    assert cache.misses == 0
    assert back.responses["o"].flow.max() > edited.responses["o"].flow.max()


def test_a_name_or_a_note_does_not_recompute(valley):
    cache = ResultCache()
    compute(Batch(valley, storm(), 600.0, 80), cache=cache)
    renamed = Network({**valley.elements, "b": catchment("Other", area=1e6, number=85.0, lag=900.0)}, valley.links)
    cache.misses = 0
    compute(Batch(renamed, storm(), 600.0, 80), cache=cache)
    assert cache.misses == 0


def test_the_cache_keeps_within_its_bytes(valley):
    one = compute(Batch(valley, storm(), 600.0, 80)).responses["o"].nbytes
    cache = ResultCache(most_bytes=int(2.5 * one))
    for seed in range(5):
        compute(Batch(valley, storm(seed=seed), 600.0, 80), cache=cache)
    assert cache._bytes <= cache.most_bytes


def test_losses_run_on_the_finer_step_so_that_a_burst_is_not_smeared(valley):
    fine = np.zeros((1, 48))
    fine[0, :3] = [0.0, 25.0, 0.0]
    burst = compute(Batch(valley, Rain(fine, 300.0), 900.0, 40)).responses["a"]
    assert burst.rain_depth[0] == 25.0
    assert burst.flow.max() > 0.2
    assert np.abs(burst.balance.error).max() < 1e-9


def test_a_catchment_without_rain_stops_its_case(valley):
    rain = {"a": storm()}
    with pytest.raises(ComputationFailed, match="B: the catchment has no rain"):
        compute(Batch(valley, rain, 600.0, 80))


def test_each_catchment_may_have_its_own_rain(valley):
    dry = Rain(np.zeros((3, 40)), 600.0)
    result = compute(Batch(valley, {"a": dry, "b": storm()}, 600.0, 80))
    assert result.responses["a"].flow == pytest.approx(0.2)
    assert result.responses["b"].flow.max() > 0


def test_a_storm_longer_than_the_run_is_refused(valley):
    with pytest.raises(ComputationFailed, match="longer than the run"):
        compute(Batch(valley, storm(steps=40), 600.0, 39))


def test_one_cache_keeps_the_answers_of_different_rain_and_settings_apart(valley):
    cache = ResultCache()
    rains = storm(seed=1), storm(seed=2)
    kept = [compute(Batch(valley, rain, 600.0, 80), cache=cache) for rain in (*rains, *rains)]
    alone = [compute(Batch(valley, rain, 600.0, 80)) for rain in rains]
    for number, result in enumerate(kept):
        for key, response in result.responses.items():
            assert np.array_equal(response.flow, alone[number % 2].responses[key].flow), key
    assert not np.array_equal(kept[0].responses["o"].flow, kept[1].responses["o"].flow)
    for other in (Batch(valley, rains[0], 600.0, 90), Batch(valley, rains[0], 600.0, 80, recession_share=0.2)):
        whole, own = compute(other, cache=cache), compute(other)
        assert np.array_equal(whole.responses["o"].flow, own.responses["o"].flow)
        assert np.array_equal(whole.responses["o"].summary.flood, own.responses["o"].summary.flood)


def test_a_loop_is_refused_with_its_elements():
    elements = {k: Confluence(name=k.upper()) for k in "abc"}
    links = {u + d: Link(up=u, down=d) for u, d in ("ab", "bc", "ca")}
    with pytest.raises(NetworkError, match="loop: ") as caught:
        _ = Network(elements, links).order
    assert all(name in str(caught.value) for name in "ABC")


def test_an_inflow_hands_on_its_exact_volume(valley):
    response = compute(Batch(valley, storm(), 3600.0, 10)).responses["i"]
    assert response.hydrograph.total == pytest.approx(13_500.0, rel=1e-13)
    until = volume_until(np.array([0.0, 10.0]), np.array([0.0, 10.0]), np.array([-5.0, 5.0, 10.0, 20.0]))
    assert until == pytest.approx([0.0, 12.5, 50.0, 50.0])


def test_cancelling_stops_the_computation(valley):
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        compute(Batch(valley, storm(), 600.0, 80), progress=progress)


def test_a_peak_has_a_parabola_only_where_the_flow_is_smooth():
    smooth = np.array([0.0, 4.0, 9.0, 8.0, 3.0])
    found = find_peak(smooth, 60.0)
    # through (1, 4), (2, 9), (3, 8) the parabola is 9 + 2 s - 3 s^2, its top 9 + 1/3
    assert found.fitted == pytest.approx(9 + 1 / 3)
    assert (found.ordinate, found.time) == (9.0, 120.0)
    assert find_peak(smooth, 60.0, smooth=False).fitted is None
    assert find_peak(np.array([5.0, 3.0, 1.0]), 60.0).fitted is None
    assert find_peak(np.array([0.0, 5.0, 5.0, 1.0]), 60.0).fitted is None


def test_receding_is_judged_above_the_baseflow():
    flow = np.array([[1.0, 11.0, 1.05], [1.0, 11.0, 3.0]])
    assert has_receded(flow, 1.0, 0.01).tolist() == [True, False]


def by_lag(timing, **known):
    surfaces = (
        Surface(name="field", share=0.7, loss=CurveNumber(curve_number=70)),
        Surface(name="yard", share=0.3, loss=CurveNumber(curve_number=90)),
    )
    ground = {"flow_length": 3000.0, "mean_slope": 0.05, "path_slope": 0.02}
    land = Catchment(name="A", area=3e6, surfaces=surfaces, timing=timing, **ground, **known).refreshed()
    elements = {"a": land, "o": Outfall(name="O")}
    return Network(elements, {"ao": Link(up="a", down="o")})


@pytest.mark.parametrize(
    ("timing", "known"),
    [(NrcsLag(), {}), (Kirpich(), {}), (NrcsLag(), {"lag": 2000.0}), (ByHand(), {"concentration": 3000.0})],
    ids=["lag from the curve number", "lag from the path", "lag typed", "concentration typed"],
)
@pytest.mark.parametrize("step", [120.0, 3600.0], ids=["fine step", "step longer than the unit hydrograph"])
def test_curve_numbers_by_case_are_those_of_each_case_alone(timing, known, step):
    network, cases = by_lag(timing, **known), 7
    rain = storm(cases=cases, steps=30, step=step)
    numbers = np.array([60.0, 75.0, 75.0, 98.0, 40.0, 61.0, 60.0])
    path = ("surfaces", 1, "loss", "curve_number")
    whole = compute(Batch(network, rain, step, 60, values={("a", path): numbers}))
    first = compute(Batch(network, Rain(rain.depths[:, :11], step), step, 11, values={("a", path): numbers}))
    rest_of = Rain(rain.depths[:, 11:], step)
    rest = compute(Batch(network, rest_of, step, 49, values={("a", path): numbers}, start=first.states))
    for case, number in enumerate(numbers):
        land = network.elements["a"]
        yard = land.surfaces[1].model_copy(update={"loss": CurveNumber(curve_number=float(number))})
        alone = land.model_copy(update={"surfaces": (land.surfaces[0], yard)}).refreshed()
        one = compute(
            Batch(Network({**network.elements, "a": alone}, network.links), rain.of(slice(case, case + 1)), step, 60)
        )
        # the same sums in the same order, but for the weighting of the curve numbers
        assert whole.responses["a"].flow[case] == pytest.approx(one.responses["a"].flow[0], rel=1e-12, abs=1e-15)
        assert whole.responses["a"].hydrograph.total[case] == pytest.approx(
            one.responses["a"].hydrograph.total[0], rel=1e-12
        )
    joined = np.concatenate([first.responses["a"].flow, rest.responses["a"].flow[:, 1:]], axis=1)
    # rounding only
    assert joined == pytest.approx(whole.responses["a"].flow, rel=1e-9, abs=1e-12)
    assert np.abs(whole.responses["a"].balance.error).max() < 1e-12


def test_the_share_to_which_a_flood_must_fall_is_that_of_the_batch(valley):
    early, late = (compute(Batch(valley, storm(), 600.0, 90, recession_share=share)) for share in (0.2, 0.01))
    for key, response in early.responses.items():
        summary, other = response.summary, late.responses[key].summary
        assert (summary.flood_end <= other.flood_end).all()
        assert np.array_equal(summary.peaks.ordinates, other.peaks.ordinates)
    ends = [one.responses[key].summary.flood_end.sum() for one in (early, late) for key in valley.order]
    assert sum(ends[: len(ends) // 2]) < sum(ends[len(ends) // 2 :])
