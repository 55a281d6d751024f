"""Any sequence of edits, undo, redo, conditions, named points and reopening keeps what was typed.

The machine keeps a list of what the study was after each act, and a place in it: the simplest history there is.
"""

import contextlib
import tempfile
from pathlib import Path

from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule

from tarnwater.errors import TarnwaterError
from tarnwater.network.elements import Catchment, Confluence, Outfall, Reach
from tarnwater.study import edits
from tarnwater.study.checks import check
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits import in_conditions
from tarnwater.study.file import StudyFile

NAMES = st.sampled_from(["Hask", "Ling", "Orr", "Bridge", "Mill", "Beck"])
KINDS = st.sampled_from([Catchment, Confluence, Outfall, Reach])
VALUES = st.sampled_from(["1", "75", "0.5 km2", "30 min", "40 %", "2 mi", "-3", "", "soon", "1e300"])
FIELDS = st.sampled_from(
    ["area", "lag", "flow_length", "surfaces/0/loss/curve_number", "celerity", "method/weight", "no"]
)
#: Picks one of what is there by then.
PICK = st.integers(0, 7)


class Editing(RuleBasedStateMachine):
    """A study file as a person has it in hand, and beside it a list of studies."""

    def __init__(self):
        super().__init__()
        self.folder = tempfile.TemporaryDirectory()
        self.path = Path(self.folder.name) / "s.tarn.gpkg"
        self.file = StudyFile.create(self.path, Study(title="Machine"))
        self.states = [self.file.study.as_text()]
        self.at = 0
        self.points = {}

    def teardown(self):
        self.file.close()
        self.folder.cleanup()

    @property
    def history(self):
        return self.file.history

    def one_of(self, things, pick):
        keys = list(things)
        return keys[pick % len(keys)] if keys else "nothing"

    def do(self, edit, *args, **known):
        """Make an edit; one that is refused changes nothing at all."""
        before = self.file.study
        with contextlib.suppress(TarnwaterError):
            self.history.do(edit, *args, **known)
        if self.file.study == before:
            return
        del self.states[self.at + 1 :]
        self.states.append(self.file.study.as_text())
        self.at += 1

    @rule(kind=KINDS, name=NAMES)
    def add(self, kind, name):
        self.do(edits.add_draining, kind(name=name))

    @rule(up=PICK, down=PICK)
    def connect(self, up, down):
        elements = self.file.study.elements
        self.do(edits.connect, self.one_of(elements, up), self.one_of(elements, down))

    @rule(pick=PICK)
    def remove(self, pick):
        self.do(edits.remove_element, self.one_of(self.file.study.elements, pick))

    @rule(pick=PICK, name=NAMES)
    def rename(self, pick, name):
        self.do(edits.rename_element, self.one_of(self.file.study.elements, pick), name)

    @rule(pick=PICK, field=FIELDS, text=VALUES)
    def type_a_value(self, pick, field, text):
        self.do(edits.type_values, [(self.one_of(self.file.study.elements, pick), field, text)])

    @rule(pick=PICK, field=FIELDS)
    def clear_a_value(self, pick, field):
        self.do(edits.type_values, [(self.one_of(self.file.study.elements, pick), field, None)])

    @rule(name=NAMES, parent=PICK)
    def add_condition(self, name, parent):
        self.do(edits.add_condition, name, self.one_of(self.file.study.conditions, parent))

    @rule(pick=PICK)
    def remove_condition(self, pick):
        self.do(edits.remove_condition, self.one_of(self.file.study.conditions, pick))

    @rule(where=PICK, pick=PICK, field=FIELDS, text=VALUES)
    def type_in_a_condition(self, where, pick, field, text):
        study = self.file.study
        condition = self.one_of(study.conditions, where)
        self.do(edits.type_values, [(self.one_of(study.all_elements, pick), field, text)], condition=condition)

    @rule(where=PICK, pick=PICK)
    def leave_out_in_a_condition(self, where, pick):
        study = self.file.study
        self.do(edits.leave_out, self.one_of(study.conditions, where), self.one_of(study.all_elements, pick))

    @rule(where=PICK, kind=KINDS, name=NAMES)
    def add_in_a_condition(self, where, kind, name):
        condition = self.one_of(self.file.study.conditions, where)
        self.do(in_conditions.add_draining_in, condition, kind(name=name))

    @rule(where=PICK, up=PICK, down=PICK)
    def connect_in_a_condition(self, where, up, down):
        study = self.file.study
        ends = self.one_of(study.all_elements, up), self.one_of(study.all_elements, down)
        self.do(in_conditions.connect_in, self.one_of(study.conditions, where), *ends)

    @rule()
    def undo(self):
        self.history.undo()
        self.at = max(self.at - 1, 0)

    @rule()
    def redo(self):
        self.history.redo()
        self.at = min(self.at + 1, len(self.states) - 1)

    @rule(name=st.sampled_from(["issued", "draft"]))
    def keep_a_point(self, name):
        self.file.keep(name, "as sent")
        self.points[name] = self.file.study.as_text()

    @precondition(lambda self: self.points)
    @rule(pick=PICK)
    def restore_a_point(self, pick):
        name = self.one_of(self.points, pick)
        before = self.file.study
        self.history.restore(name)
        if self.file.study != before:
            del self.states[self.at + 1 :]
            self.states.append(self.points[name])
            self.at += 1

    @rule()
    def reopen(self):
        self.file.close()
        self.file = StudyFile.open(self.path)

    @invariant()
    def the_study_is_what_the_list_says(self):
        assert self.file.study.as_text() == self.states[self.at]

    @invariant()
    def points_are_kept_as_they_were(self):
        assert {name: point.study.as_text() for name, point in self.history.points.items()} == self.points

    @invariant()
    def it_reads_back_and_every_condition_resolves_and_is_checked(self):
        study = self.file.study
        assert Study.model_validate_json(study.as_text()) == study
        for condition in study.conditions:
            resolve(study, condition)
        with contextlib.suppress(TarnwaterError):
            assert all(finding.text for finding in check(study))


TestEditing = Editing.TestCase
TestEditing.settings = settings(
    max_examples=25, stateful_step_count=30, deadline=None, suppress_health_check=list(HealthCheck)
)
