"""The method of CONTRIBUTING, taken from its text: written to a file, formatted, checked, entered and run."""

import importlib.util
import re
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from tarnwater.network.elements import Catchment
from tarnwater.runoff.losses import Loss
from tarnwater.study import edits
from tarnwater.study.document import Study
from tarnwater.study.edits.assignments import assign

ROOT = Path(__file__).parents[2]
TEXT = (ROOT / "CONTRIBUTING.md").read_text(encoding="utf-8")
(CODE,) = re.findall(r"```python\n(.*?)```", TEXT, flags=re.DOTALL)


@pytest.fixture
def written(tmp_path):
    path = tmp_path / "interception.py"
    path.write_text(CODE)
    return path


@pytest.mark.slow
def test_it_is_formatted_and_checked(written):
    for words in (["format", "--check"], ["check"]):
        done = subprocess.run(
            [sys.executable, "-m", "ruff", *words, "--config", str(ROOT / "pyproject.toml"), str(written)],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        assert done.returncode == 0, done.stdout + done.stderr
    done = subprocess.run(
        [sys.executable, "-m", "mypy", "--config-file", str(ROOT / "pyproject.toml"), str(written)],
        capture_output=True, text=True, check=False, cwd=ROOT,
    )  # fmt: skip
    assert done.returncode == 0, done.stdout + done.stderr


def test_it_is_chosen_and_computes(written, monkeypatch):
    monkeypatch.setattr(Loss, "known", dict(Loss.known))
    spec = importlib.util.spec_from_file_location("interception", written)
    module = importlib.util.module_from_spec(spec)
    # a class is made by its annotations, which are looked up in its module
    monkeypatch.setitem(sys.modules, "interception", module)
    spec.loader.exec_module(module)
    study = edits.add_draining(Study(), Catchment(name="Hask"))
    study = assign(study, "hask", {"loss": "interception", "loss.depth": "1 mm"})
    loss = study.elements["hask"].surfaces[0].loss
    rain = np.array([[4.0, 0.0, 2.0]])
    answer = loss.respond(rain, 3600.0)
    assert answer.excess.tolist() == [[3.0, 0.0, 1.0]]
    assert answer.excess.sum() + answer.loss[0] == rain.sum()
    assert Study.model_validate_json(study.as_text()) == study
