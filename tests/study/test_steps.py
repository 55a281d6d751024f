"""Losses and convolution step by step: figures that follow from those beside them."""

import numpy as np
import pytest

from tarnwater.errors import BadInput
from tarnwater.runoff.transforms import NonlinearStorage
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.reckonings.steps import convolution_steps, loss_steps

YARD = "coldgarth-yard"


@pytest.fixture
def case(demo_results):
    return demo_results.answer("yard-surfaced", "yard-outlet", 100.0).result


def column(table, head):
    return next(one.values for one in table.columns if one.head == head)


def test_rain_is_loss_and_excess_in_every_step_of_every_surface(case):
    table = loss_steps(case, YARD)
    rain = column(table, "rain")
    names = [one.head.removeprefix("loss on ") for one in table.columns if one.head.startswith("loss on")]
    assert len(names) == len(case.network.elements[YARD].surfaces) > 1
    for name in names:
        assert column(table, f"loss on {name}") + column(table, f"excess on {name}") == pytest.approx(rain, abs=1e-12)
    assert column(table, "rain so far")[-1] == pytest.approx(rain.sum())


def test_the_excess_of_the_catchment_is_that_of_its_surfaces_by_their_shares(case):
    table, element = loss_steps(case, YARD), case.network.elements[YARD]
    parts = [one.values for one in table.columns if one.head.startswith("excess on")]
    whole = np.sum([w * part for w, part in zip(element.weights, parts, strict=True)], axis=0)
    assert column(table, "excess of the catchment") == pytest.approx(whole, rel=1e-12)
    assert case.loss_depth(YARD) == pytest.approx(column(table, "rain").sum() - whole.sum(), rel=1e-9)


def test_the_pulses_of_the_convolution_add_up_to_the_direct_runoff_that_was_computed(case):
    table = convolution_steps(case, YARD)
    direct = column(table, "direct runoff")
    for row in (0, 10, int(np.argmax(direct)), len(direct) - 1):
        assert sum(table.part(row, pulse) for pulse in table.pulses) == pytest.approx(direct[row], rel=1e-9, abs=1e-15)
    flow = case.flow(YARD)[1 : len(direct) + 1] - case.base(YARD)
    assert direct == pytest.approx(flow, rel=1e-9, abs=1e-12)
    assert table.part(0, table.pulses[-1]) == 0 or len(table.pulses) == 1


def test_a_transform_without_a_unit_hydrograph_has_no_convolution_and_says_so(demo_study):
    study = edits.choose(demo_study, "hask", "transform", NonlinearStorage(response=3600.0))
    results = compute_cases(study, points=["pellowford-outlet"], return_periods=[100.0], conditions=["existing"])
    with pytest.raises(BadInput, match="no unit hydrograph"):
        convolution_steps(results.cases[0], "hask")
    assert len(loss_steps(results.cases[0], "hask").columns) >= 4


def test_only_a_catchment_has_steps(case):
    with pytest.raises(BadInput, match="only a catchment"):
        loss_steps(case, "yard-outlet")


def test_the_table_is_printed_with_tabs_in_the_units_of_the_study(run, demo):
    from tarnwater.study.file.store import create_study

    study = edits.set_study(demo[0], "units", "US")
    create_study(run.folder / "one.tarn.json", study, demo[1])
    told = [line.split("\t") for line in run("steps", "one.tarn.json", "Hask", "--storm", "100/6h").splitlines()]
    assert told[0][:2] == ["time, h", "rain, in"]
    rain = sum(float(row[1]) for row in told[1:])
    so_far = float(told[-1][2])
    # six digits of each step
    assert rain == pytest.approx(so_far, abs=1e-4)
    made = run("steps", "one.tarn.json", "Hask", "--storm", "100/6h", "--of", "convolution").splitlines()
    assert "direct runoff, cfs" in made[0]
    row = [float(cell) for cell in made[20].split("\t")]
    assert sum(row[4:]) == pytest.approx(row[3], rel=1e-4, abs=1e-4)
    assert "losses" in run("steps", "one.tarn.json", "Hask", "--of", "both", code=2)
