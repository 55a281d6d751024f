"""Hydrographs of one element under the conditions, events and durations that are ticked, by keys."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from tests.desk.conftest import CTRL, SHIFT

from tarnwater.desk.benches.runoff.cases_dialog import CasesDialog


@pytest.fixture
def dialog(hand):
    hand.find("Hask")
    hand.key(Qt.Key.Key_H, CTRL | SHIFT, on=hand.window)
    return hand.dialog(CasesDialog)


def test_it_begins_with_every_event_at_its_governing_duration(hand, dialog):
    study, results = hand.desk.study, hand.desk.results
    curves = dialog.plot.plot.curves
    assert len(curves) == len(next(iter(study.families.values())).return_periods)
    condition = hand.desk.view.condition
    governing = results.showing("hask", condition, hand.desk.view.point, 100.0)
    (curve,) = [c for c in curves if "1 in 100 ·" in c.label]
    assert curve.y.max() == pytest.approx(governing.peak("hask").ordinate, rel=1e-12)
    assert len(dialog.plot.plot.marks) == len(curves)


def test_ticks_by_keys_add_and_remove_curves(hand, dialog):
    before = len(dialog.plot.plot.curves)
    # one event alone, with all its durations
    hand.key(Qt.Key.Key_A, CTRL, on=dialog.events)
    assert dialog.plot.plot is None
    hand.key(Qt.Key.Key_Space, on=dialog.events)
    assert len(dialog.plot.plot.curves) == 1
    hand.key(Qt.Key.Key_A, CTRL, on=dialog.durations)
    durations = next(iter(hand.desk.study.families.values())).durations
    assert len(dialog.plot.plot.curves) == len(durations)
    assert len({c.role for c in dialog.plot.plot.curves}) > 1
    hand.key(Qt.Key.Key_A, CTRL, on=dialog.conditions)
    assert len(dialog.plot.plot.curves) == len(durations) * len(hand.desk.study.conditions)
    hand.key(Qt.Key.Key_A, CTRL, on=dialog.events)
    many = dialog.plot.plot
    assert len(many.curves) == before * len(durations) * len(hand.desk.study.conditions)
    assert not many.marks
    assert "hydrographs" in many.title


def test_each_curve_is_the_flow_of_its_case(hand, dialog):
    hand.key(Qt.Key.Key_A, CTRL, on=dialog.conditions)
    results, study = hand.desk.results, hand.desk.study
    for curve in dialog.plot.plot.curves:
        name, event, _ = curve.label.split(" · ")
        case = results.showing("hask", study.condition_of(name), hand.desk.view.point, float(event.split()[-1]))
        assert np.array_equal(curve.y, case.flow("hask"))
