"""Batches sent elsewhere: pickled, on one worker and on two, in processes, one case at a time; memos that go."""

import gc
import pickle
import threading
import time
import weakref
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from multiprocessing import get_context

import numpy as np
import pytest

import tarnwater
from tarnwater.errors import Cancelled, ComputationFailed
from tarnwater.network.cache import ResultCache
from tarnwater.network.elements import Reach
from tarnwater.network.engine import Batch, compute
from tarnwater.network.graph import Network
from tarnwater.network.memo import IdentityMemo
from tarnwater.progress import Progress
from tarnwater.rain.storms import Rain
from tarnwater.runoff.losses import CurveNumber
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.checks import check, check_results
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import resolve

from .test_engine import random_network, storm, valley  # noqa: F401 -- a fixture

OF_THE_PROGRAM = {
    "grounds", "_command", "_kinds_of",
    "dimensionless_curve", "gamma_exponent", "cover_classes", "soil_textures", "_frequency_factors",
    "tabled_curve", "_quantities_of", "_numeric_fields_of", "_weights", "shallow_speeds", "inlets", "_options_of_model",
}  # fmt: skip


def alike(one, other):
    """Whether two results are the same to the last bit."""
    for key, response in one.responses.items():
        again = other.responses[key]
        assert np.array_equal(response.flow, again.flow), key
        assert np.array_equal(response.hydrograph.volume, again.hydrograph.volume), key
        for name in response.balance.__dataclass_fields__:
            assert np.array_equal(getattr(response.balance, name), getattr(again.balance, name)), (key, name)


@pytest.fixture(scope="module")
def processes():
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        yield pool


@pytest.mark.parametrize("seed", range(3))
def test_a_batch_is_the_same_to_the_last_bit_wherever_it_is_computed(seed, processes):
    network = random_network(seed)
    numbers = np.random.default_rng(seed).uniform(40, 95, 5)
    land = next(key for key, element in network.elements.items() if element.takes_rain)
    first, *others = network.elements[land].surfaces
    surfaces = (first.model_copy(update={"loss": CurveNumber(curve_number=70.0)}), *others)
    owner = network.elements[land].model_copy(update={"surfaces": surfaces})
    network = Network({**network.elements, land: owner}, network.links)
    values = {(land, ("surfaces", 0, "loss", "curve_number")): numbers}
    batch = Batch(network, storm(5, 30, 600.0, seed), 600.0, 70, values=values)
    here = compute(batch, threads=1)
    with ThreadPoolExecutor(2) as threads:
        alike(here, compute(batch, threads=2))
        alike(here, compute(batch, threads=2, executor=threads))
    alike(here, compute(batch, threads=2, executor=processes))
    for case in range(5):
        alone = compute(batch.of(slice(case, case + 1)), threads=1)
        for key, response in alone.responses.items():
            assert np.array_equal(response.flow[0], here.responses[key].flow[case]), key


def test_what_is_known_is_not_sent_again(valley, processes):  # noqa: F811
    cache, batch = ResultCache(), Batch(valley, storm(4), 600.0, 80)
    first = compute(batch, cache=cache)
    cache.misses = 0
    alike(first, compute(batch, cache=cache, executor=processes, threads=2))
    assert cache.misses == 0


def test_a_run_cut_in_two_goes_on_elsewhere(valley, processes):  # noqa: F811
    rain = storm(4)
    whole = compute(Batch(valley, rain, 600.0, 80))
    first = compute(Batch(valley, Rain(rain.depths[:, :20], 600.0), 600.0, 20))
    rest = Batch(valley, Rain(rain.depths[:, 20:], 600.0), 600.0, 60, start=first.states)
    again = compute(rest, threads=2, executor=processes)
    for key, response in whole.responses.items():
        joined = np.concatenate([first.responses[key].flow, again.responses[key].flow[:, 1:]], axis=1)
        # rounding only
        assert joined == pytest.approx(response.flow, rel=1e-9, abs=1e-9)


def test_a_failure_elsewhere_says_which_element_and_a_stopped_batch_stops(valley, processes):  # noqa: F811
    with pytest.raises(ComputationFailed, match="A: the storm is longer than the run"):
        compute(Batch(valley, storm(steps=40), 600.0, 39), executor=processes)
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        compute(Batch(valley, storm(), 600.0, 80), executor=processes, progress=progress)


def test_work_elsewhere_is_stopped_while_it_is_under_way(valley, monkeypatch):  # noqa: F811
    progress, let_go = Progress(), threading.Event()
    honest = Reach.respond

    def slow(self, situation):
        progress.cancel()
        let_go.wait(20)
        return honest(self, situation)

    monkeypatch.setattr(Reach, "respond", slow)
    with ThreadPoolExecutor(1) as threads:
        begun = time.perf_counter()
        with pytest.raises(Cancelled):
            compute(Batch(valley, storm(), 600.0, 80), executor=threads, progress=progress)
        # it is looked every twentieth of a second
        assert time.perf_counter() - begun < 5
        let_go.set()


def test_study_batch_and_results_pickle(demo):
    study, _ = demo
    again = pickle.loads(pickle.dumps(study))
    assert again == study
    assert again.as_text() == study.as_text()
    results = compute_cases(study, points=[next(iter(study.design_points))], families=[next(iter(study.families))])
    back = pickle.loads(pickle.dumps(results))
    for case, other in zip(results.cases, back.cases, strict=True):
        assert case.case == other.case
        assert case.figures(case.case.point) == other.figures(case.case.point)
    first, other = results.cases[0], back.cases[0]
    # the series were left behind, and are computed again
    assert np.array_equal(first.flow(first.case.point), other.flow(first.case.point))
    batch = pickle.loads(pickle.dumps(first.run.batch))
    alike(compute(first.run.batch), compute(batch))


def test_memos_belong_to_the_study_that_was_opened_and_go_with_it(demo):
    one, other = (Study.model_validate_json(demo[0].as_text()) for _ in range(2))
    edited = edits.rename_element(one, next(iter(one.elements)), "Another name")
    for study in (one, edited, other):
        check(study)
        check_results(compute_cases(study, return_periods=[100.0]))
    assert edited.memory is one.memory
    assert other.memory is not one.memory
    kept = [weakref.ref(memo) for memo in one.memory._memos.values()]
    kept += [weakref.ref(element) for element in resolve(one, next(iter(one.conditions))).elements.values()]
    assert len(kept) > 5
    del one, edited, study
    gc.collect()
    assert [ref() for ref in kept if ref() is not None] == []
    assert check(other)


def test_no_module_keeps_what_was_made_from_a_study():
    import importlib
    import pkgutil

    cached = set()
    for found in pkgutil.walk_packages(tarnwater.__path__, "tarnwater."):
        if "__main__" in found.name or ".desk" in found.name:
            continue
        module = importlib.import_module(found.name)
        for name, value in vars(module).items():
            assert not isinstance(value, IdentityMemo), f"{found.name}.{name}"
            if hasattr(value, "cache_info") and getattr(value, "__module__", "") == found.name:
                cached.add(name)
    # what the program itself holds: tables in its files, fields of its models, roots of its equations
    assert cached == OF_THE_PROGRAM
