"""Shared fixtures: the demo study and its results are built once in each worker."""

import sys

import pytest

from tarnwater.cli import main
from tarnwater.demo.study import build_demo
from tarnwater.study.answers import compute_cases


@pytest.fixture(scope="session")
def demo():
    """The demo study and its blobs."""
    return build_demo()


@pytest.fixture(scope="session")
def demo_study(demo):
    return demo[0]


@pytest.fixture(scope="session")
def demo_results(demo_study):
    return compute_cases(demo_study)


@pytest.fixture
def run(tmp_path, monkeypatch, capsys):
    """Run the program in an empty folder; returns code, output and errors."""

    def program(*words, code=0, whole=False):
        monkeypatch.setattr(sys, "argv", ["tarnwater", *map(str, words)])
        with pytest.raises(SystemExit) as ended:
            main()
        told = capsys.readouterr()
        assert (ended.value.code or 0) == code, told.out + told.err
        return told.out if code == 0 or whole else told.err

    monkeypatch.chdir(tmp_path)
    program.folder = tmp_path
    return program
